"""Cloth: a mesh that gives way, as the document holds it. How it moves is worked out in core/simulate."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any, ClassVar, Literal, Self

from pydantic import Field, model_validator

from lazzik.core.deformers.masks import AnyMask
from lazzik.core.document import Frozen, Label, Name, Option, Quantity, Slug
from lazzik.core.layers import Number  # with its layers resolved
from lazzik.core.scene.carried import Blended

MOST_PINS = 24

IN_AIR = {"wind": ("air",)}

Side = Literal["left", "right", "bottom", "top", "back", "front"]
SIDES: Mapping[str, tuple[int, int]] = {
    "left": (0, 0), "right": (0, 1), "bottom": (1, 0), "top": (1, 1), "back": (2, 0), "front": (2, 1),
}  # fmt: skip
"""Axis of the object, and which end of it."""


class Pin(Frozen):
    """Where cloth is held, by what and how firmly."""

    id: Name
    label: Label
    at: Literal["edge", "corners", "corner", "mask"]
    side: Side = "top"
    """Of an edge, and of corners: which."""
    other: Side | None = None
    """Of one corner: the other side that it lies on. Of corners: None is all of the object's."""
    mask: AnyMask | None = None
    """Of a mask, in the object's coordinates along its x: held where it is over a half."""
    to: Slug | None = None
    """The object that it follows; None is the one that is cloth."""
    strength: Annotated[
        Number,
        Quantity(
            "", "How firmly it is held: 1 is fast, 0 lets go; in between it is drawn back softly.", (0, 1), 0.01,
            low=0, high=1, group="where",
        ),
    ] = 1.0  # fmt: skip

    @model_validator(mode="after")
    def _whole(self) -> Self:
        if self.at == "mask" and self.mask is None:
            raise ValueError("a pin by a mask needs the mask")
        return self

    @property
    def where(self) -> str:
        """In words, where it is: 'left edge', 'left top corner', 'corners', 'mask'."""
        sides = {"edge": (self.side,), "corner": (self.side, self.other)}.get(self.at, ())
        return " ".join((*(side for side in sides if side is not None), self.at))


class Cloth(Blended):
    """What it is made of, where it is held, what moves it."""

    title: ClassVar[str] = "Cloth"
    looks: ClassVar[tuple[str, ...]] = (*Blended.looks, "muted")

    muted: bool = False
    """Whether it is as it would be without being cloth."""
    pins: Annotated[tuple[Pin, ...], Field(max_length=MOST_PINS)] = ()
    weight: Annotated[
        Number, Quantity("kg/m²", "What a square metre weighs.", (0.02, 1.5), 0.01, low=0.001, high=1000)
    ] = 0.3
    stretch: Annotated[
        Number,
        Quantity(
            "N/m", "How much it takes to stretch it: the force on each metre of its width that would double it.",
            (500, 100_000), 100, low=0, label="resists stretch",
        ),
    ] = 40_000.0  # fmt: skip
    bend: Annotated[
        Number,
        Quantity(
            "mN·m", "How much it takes to bend it: thousandths of a newton times metre.", (0, 5), 0.01, low=0,
            high=1_000_000, label="resists bend",
        ),
    ] = 0.2  # fmt: skip
    calm: Annotated[
        Number, Quantity("/s", "How quickly it comes to rest by itself.", (0, 5), 0.05, low=0, high=1000,
                         label="comes to rest")
    ] = 0.3  # fmt: skip
    slack: Annotated[
        Number,
        Quantity(
            "", "Share by which it is cut larger than its mesh: what is held then hangs loose.", (0, 0.3), 0.005,
            low=-0.5, high=3, rest=0.0,
        ),
    ] = 0.0  # fmt: skip
    wind: Annotated[
        Literal["air", "still"],
        Option("Whether the air moves it.", label="in the air", group="wind", words={"air": "yes", "still": "no"}),
    ] = "air"
    across: Annotated[
        Number,
        Quantity("×", "How much the air takes hold of it where it blows against it.", (0, 3), 0.01, low=0, high=1000,
                 group="wind", label="against it", only=IN_AIR),
    ] = 1.2  # fmt: skip
    along: Annotated[
        Number,
        Quantity("×", "How much the air takes hold of it where it blows along it.", (0, 0.5), 0.005, low=0, high=1000,
                 group="wind", label="along it", only=IN_AIR),
    ] = 0.05  # fmt: skip
    gravity: Annotated[Number, Quantity("×", "Times the weight that it has.", (-1, 1), 0.01, group="wind")] = 1.0
    thickness: Annotated[
        Number, Quantity("m", "Metres before a surface at which it lies on it.", (0, 0.05), 0.001, low=0, high=10,
                         group="wind")
    ] = 0.01  # fmt: skip
    bounce: Annotated[
        Number,
        Quantity("", "Share of the speed toward an object that it keeps, back.", (0, 1), 0.01, low=0, high=1,
                 group="wind"),
    ] = 0.0  # fmt: skip
    friction: Annotated[
        Number,
        Quantity("", "Share of the speed along an object that it loses in a frame.", (0, 1), 0.01, low=0, high=1,
                 group="wind"),
    ] = 0.5  # fmt: skip

    @model_validator(mode="after")
    def _told_apart(self) -> Self:
        ids = [pin.id for pin in self.pins]
        if len(set(ids)) < len(ids):
            raise ValueError("two pins of one cloth share an id")
        return self

    @classmethod
    def settings(cls) -> dict[str, tuple[Any, ...]]:
        """Its choices that are no numbers: field -> what may be chosen."""
        return {"wind": cls.model_fields["wind"].annotation.__args__}  # type: ignore[union-attr]

    @property
    def refers(self) -> tuple[Slug, ...]:
        """The objects that it names."""
        return (*self.colliders, *(pin.to for pin in self.pins if pin.to is not None))

    def without(self, gone: set[Slug]) -> Self:
        """The same without objects that are gone: pins that followed one follow the object that is cloth."""
        pins = tuple(pin.replaced(to=None) if pin.to in gone else pin for pin in self.pins)
        return super().without(gone).replaced(pins=pins)

    def renamed(self, names: dict[str, str]) -> Self:
        """The same, naming copies of objects where these are copied too (object -> copy)."""
        pins = tuple(pin.replaced(to=names[pin.to]) if pin.to in names else pin for pin in self.pins)
        return super().renamed(names).replaced(pins=pins)

    def pin(self, pin_id: str) -> Pin | None:
        """The pin with this id, if it has one."""
        return next((pin for pin in self.pins if pin.id == pin_id), None)


STUFFS: Mapping[str, Mapping[str, float]] = {
    "silk": {"weight": 0.06, "stretch": 8_000.0, "bend": 0.005, "calm": 0.2, "thickness": 0.003, "friction": 0.25},
    "linen": {"weight": 0.2, "stretch": 25_000.0, "bend": 0.05, "calm": 0.3, "thickness": 0.005, "friction": 0.5},
    "canvas": {"weight": 0.4, "stretch": 60_000.0, "bend": 0.4, "calm": 0.3, "thickness": 0.01, "friction": 0.6},
    "tarpaulin": {"weight": 0.6, "stretch": 100_000.0, "bend": 1.5, "calm": 0.4, "thickness": 0.01, "friction": 0.4},
    "rubber sheet": {"weight": 1.1, "stretch": 2_000.0, "bend": 0.3, "calm": 0.8, "thickness": 0.01, "friction": 0.9},
}
"""What one may begin with: kg/m², N/m, mN·m, /s, m and a share, of usual weaves and sheets."""
