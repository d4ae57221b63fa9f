"""An object of the scene: where it is, and by choice a shape, a look, a light, a camera or a field of
the air. (`Node`, as in glTF.)"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from functools import cached_property
from hashlib import blake2b
from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from lazzik.core.air import AnyField
from lazzik.core.channel.channel import Channel
from lazzik.core.channel.layer import numbers_of
from lazzik.core.deformers import AnyDeformer
from lazzik.core.document import Frozen, Label, Quantity, Slug
from lazzik.core.geometry.shapes import AnyShape
from lazzik.core.layers import Number  # with its layers resolved
from lazzik.core.scene.aim import Aim
from lazzik.core.scene.carried import Carried
from lazzik.core.scene.cloth import Cloth
from lazzik.core.scene.emitter import Emitter
from lazzik.core.scene.morph_targets import ShapeFrames, ShapeTargets
from lazzik.core.scene.object_use import MOST_USES, ObjectUse
from lazzik.core.scene.picture import Picture
from lazzik.core.scene.scatter import Scatter
from lazzik.core.scene.swarm import Swarm

MOST_DEFORMERS = 64

CARRIED = ("emitter", "cloth", "swarm")
"""Fields of what has a run."""

LAID_OPEN: Mapping[str, str] = {
    "air": "field", "copies": "scatter", "particles": "emitter", "cloth": "cloth", "swarm": "swarm", "aim": "aim",
    "recipe": "following",
}  # fmt: skip
"""Parts of an object that are more than numbers: what they are called in an address that lays one open -> field."""

EulerOrder = Literal["xyz", "xzy", "yxz", "yzx", "zxy", "zyx"]

Metres = Annotated[Number, Quantity("m", "Metres, in the space of the object above.", (-5, 5), 0.01)]
Degrees = Annotated[Number, Quantity("°", "Degrees about the object's own axis; turning adds up.", (-180, 180), 0.1)]
Factor = Annotated[Number, Quantity("×", "Times the size at rest.", (0, 3), 0.01)]
Share = Annotated[Number, Quantity("", "From 0 (none) to 1 (full).", (0, 1), 0.01, low=0, high=1)]


class Position(Frozen):
    """Where the object's origin lies."""

    x: Metres = 0.0
    y: Metres = 0.0
    z: Metres = 0.0


class Rotation(Frozen):
    """How the object is turned: about its own axes, in the written order."""

    x: Degrees = 0.0
    y: Degrees = 0.0
    z: Degrees = 0.0
    order: EulerOrder = "xyz"


class Scale(Frozen):
    """How much larger than at rest."""

    x: Factor = 1.0
    y: Factor = 1.0
    z: Factor = 1.0


class Color(Frozen):
    """Red, green and blue as screens code them (sRGB)."""

    r: Share = 0.8
    g: Share = 0.8
    b: Share = 0.8


class Look(Frozen):
    """The surface."""

    color: Color = Color()
    glow: Annotated[
        Number, Quantity("×", "How strongly the surface shines with its own colour.", (0, 4), 0.01, low=0)
    ] = 0.0
    roughness: Share = 0.9
    picture: Picture | None = None


class Light(Frozen):
    """A light at the object's origin; 'sun' shines along its −z from afar."""

    kind: Literal["lamp", "sun"] = "lamp"
    intensity: Annotated[Number, Quantity("×", "Candela for a lamp, lux for a sun.", (0, 50), 0.1, low=0)] = 1.0
    color: Color = Color(r=1.0, g=1.0, b=1.0)


class Camera(Frozen):
    """A camera at the object's origin, looking along its −z."""

    view: Annotated[Number, Quantity("°", "Angle of view from bottom to top.", (10, 90), 0.1, low=1, high=170)] = 40.0


class Origin(Frozen):
    """Where an object was brought in from: a file that is kept, and the number of its node in it."""

    asset: Annotated[str, Field(pattern=r"^[0-9a-f]{64}$")]
    index: Annotated[int, Field(ge=0, le=1_000_000)]


class Node(Frozen):
    """One object."""

    id: Slug
    label: Label
    parent: Slug | None = None
    visible: bool = True
    position: Position = Position()
    rotation: Rotation = Rotation()
    scale: Scale = Scale()
    aim: Aim | None = None
    """What it is turned toward; its rotation's layers come on top."""
    shape: AnyShape | None = None
    deform: Annotated[tuple[AnyDeformer, ...], Field(max_length=MOST_DEFORMERS)] = ()
    """What changes the shape of the object and of all below it, in the order in which it is done."""
    targets: ShapeTargets | ShapeFrames | None = None
    """A baked deformation, in place of the deformers that it switched off."""
    look: Look | None = None
    light: Light | None = None
    camera: Camera | None = None
    field: AnyField | None = None
    """How it moves the air."""
    scatter: Scatter | None = None
    """What it repeats many times."""
    emitter: Emitter | None = None
    """What sends out particles."""
    cloth: Cloth | None = None
    """What makes its mesh give way."""
    swarm: Swarm | None = None
    """What fills another with particles that keep their distance."""
    origin: Origin | None = None
    uses: Annotated[tuple[ObjectUse, ...], Field(max_length=MOST_USES)] = ()
    """The recipes of objects that it follows."""

    @model_validator(mode="after")
    def _told_apart(self) -> Self:
        ids = [deformer.id for deformer in self.deform]
        if len(set(ids)) < len(ids):
            raise ValueError("two deformers of one object share an id")
        if self.cloth is not None and (self.shape is None or self.emitter is not None):
            raise ValueError("only a mesh can be cloth, and not what sends out particles")
        if self.swarm is not None and (self.shape is not None or self.emitter is not None):
            raise ValueError("a swarm has no shape of its own, and sends out nothing")
        followed = [use.recipe for use in self.uses]
        if len(set(followed)) < len(followed):
            raise ValueError("an object follows a recipe once")
        return self

    @cached_property
    def moving(self) -> tuple[tuple[str, Channel], ...]:
        """Its numbers that can change over time, as (path, channel). An object is a value: they are looked for once."""
        numbers = ((path, number) for path, number, _ in channels_of(self))
        return tuple((path, number) for path, number in numbers if isinstance(number, Channel) and number.moves)

    @cached_property
    def at_rest(self) -> bytes:
        """Tells what of it is in the geometry at rest from anything else: where it hangs, whether it is seen, its
        shape, and parts of its look and its light. Found once, as `moving` is."""
        shape = None if self.shape is None else self.shape.as_json
        picture = self.look.picture if self.look else None
        light = self.light and (self.light.kind, self.light.color)
        look = (self.look and self.look.color, picture and (picture.asset, picture.beyond))
        return blake2b(str((self.id, self.parent, self.visible, shape, look, light)).encode(), digest_size=8).digest()

    def deformer(self, deformer_id: str) -> AnyDeformer | None:
        """The deformer with this id, if the object has it."""
        return next((item for item in self.deform if item.id == deformer_id), None)

    @property
    def following(self) -> tuple[ObjectUse, ...] | None:
        """The recipes of objects that it follows; None if there is none."""
        return self.uses or None

    @property
    def carried(self) -> Carried | None:
        """What of it has a run: what sends out particles, what makes it cloth, or what fills another."""
        return next((part for name in CARRIED if (part := getattr(self, name)) is not None), None)

    def with_carried(self, change: Callable[[Carried], Carried]) -> Self:
        """The same with a change made to what of it has a run."""
        changes = {name: change(part) for name in CARRIED if (part := getattr(self, name)) is not None}
        return self.replaced(**changes) if changes else self

    @property
    def what(self) -> str:
        """What sort of object it is, in a word."""
        if self.camera:
            return "camera"
        if self.light:
            return "light"
        if self.field:
            return self.field.kind
        if self.scatter:
            return "scatter"
        if self.emitter:
            return "emitter"
        if self.swarm:
            return "swarm"
        return self.shape.kind if self.shape else "group"


def channels_of(part: Frozen, path: str = "") -> Iterator[tuple[str, float, Quantity]]:
    """Every number of an object as (path, number, quantity), in the order of the document: 'rotation.z' …

    Parts of a row are named by their ids: 'deform.gust.angle'.
    """
    own = numbers_of(type(part))
    for name in type(part).model_fields:
        value = getattr(part, name)
        if name in own:
            yield path + name, value, own[name]
        elif isinstance(value, Frozen):
            yield from channels_of(value, f"{path}{name}.")
        elif isinstance(value, tuple):
            for item in value:
                if isinstance(item, Frozen) and hasattr(item, "id"):
                    yield from channels_of(item, f"{path}{name}.{item.id}.")
