"""Edits of a number's stack of layers."""

from __future__ import annotations

from typing import Annotated, Any, Literal
from zlib import crc32

from pydantic import Field

from lazzik.core.channel.combine import Combine
from lazzik.core.channel.layer import Landing, Layer, numbers_of
from lazzik.core.document import InFrames, Label
from lazzik.core.errors import InvalidEdit
from lazzik.core.layers import BY_KIND
from lazzik.core.scene.address import Address, Place, find, find_at, find_layer, title, write
from lazzik.core.scene.clip_blocks import crossfaded
from lazzik.core.scene.edits.base import Edit, free_slug
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.sheaf import Sheaf

EDGES = ("start", "end", "fade_in", "fade_out")
"""Fields of a window."""

SEEDS = 100
"""Patterns that a new layer may get; any other can be typed."""


class AddLayer(Edit):
    """Put a new layer on top of a number, with first values that suit where it lands."""

    do: Literal["add-layer"] = "add-layer"
    address: str
    kind: str
    label: Label | None = None
    combine: Combine | None = None
    settings: dict[str, str] = {}
    """The kind's own choices and texts, to begin with: {'source': 'dials/breeze'}."""
    seed: Annotated[int, Field(ge=0, lt=SEEDS)] | None = None
    """Which pattern it has, if its kind has one. If nothing is said it follows from where it lands, so that what moves
    side by side does not move alike."""

    @property
    def own_seed(self) -> int:
        """The seed that follows from where it lands."""
        return crc32(f"{self.address}#{self.label or self.kind}".encode()) % SEEDS

    def apply(self, scene: Scene) -> Scene:
        address = Address.parse(self.address)
        if address.layer:
            raise InvalidEdit("A layer is put on a number, not on a layer", self.address)
        kind = BY_KIND.get(self.kind)
        if kind is None or not kind.offered:
            raise InvalidEdit(f"There is no kind of layer called '{self.kind}'", self.address)
        place = find(scene, address)
        label = self.label or kind.title
        slug = free_slug(label, {layer.id for layer in place.channel.layers})
        seed = self.own_seed + len(place.channel.layers) if self.seed is None else self.seed
        pattern = {"seed": float(seed % SEEDS)} if "seed" in kind.model_fields else {}
        where = landing(scene, place)
        layer = kind.model_validate({"kind": self.kind, "id": slug, "label": label} | kind.suited(where) | pattern)
        if self.combine:
            layer = layer.joined_by(self.combine, where)
        layer = _with_settings(scene, layer, self.settings, self.address)
        return write(scene, address, lambda channel: channel.replaced(layers=(*channel.layers, layer)))

    def describe(self, scene: Scene) -> str:
        return f"add {self.kind} to {title(scene, Address.parse(self.address))}"


class ChangeLayer(Edit):
    """Change what is no number about a layer. Only the fields that are given change.

    Joining by multiply, a motion about nothing would take the value away: its offset becomes 1, its amplitude a share.
    The window and the loop of a layer in a sheaf are the sheaf's, and are changed for all of it.
    """

    do: Literal["change-layer"] = "change-layer"
    address: str
    label: Label | None = None
    muted: bool | None = None
    solo: bool | None = None
    combine: Combine | None = None
    loop: Annotated[InFrames, Field(gt=0)] | None = None
    fit: bool | None = None
    start: InFrames | None = None
    end: InFrames | None = None
    fade_in: InFrames | None = None
    fade_out: InFrames | None = None
    settings: dict[str, str] = {}
    """The kind's own choices and texts: {'character': 'ridged'}."""

    def apply(self, scene: Scene) -> Scene:
        address = Address.parse(self.address)
        layer = find_layer(scene, address)
        given = {name: getattr(self, name) for name in self.model_fields_set - {"do", "address", "settings"}}
        sheaf = scene.sheaf(layer.sheaf)
        if sheaf is not None:
            shared = {name: given.pop(name) for name in _shared(layer) if name in given}
            scene = changed_sheaf(scene, sheaf, shared) if shared else scene
        window = {name: given.pop(name) for name in EDGES if name in given}
        changes: dict[str, Any] = given
        if combine := changes.pop("combine", None):
            layer = layer.joined_by(combine, landing(scene, find(scene, address)))
        if "loop" in given and "fit" not in given:
            changes["fit"] = False  # a length of one's own no longer follows the range
        if changes.get("fit") and not layer.fits():
            raise InvalidEdit(f"A {layer.title} layer has nothing that could follow the range", self.address)
        if window:
            changes["window"] = layer.window.replaced(**window)
        changed = _with_settings(scene, layer.replaced(**changes), self.settings, self.address)
        changed = changed.fitted(float(scene.first), float(scene.last))
        return _with_stack(scene, address, lambda stack: [changed if i.id == layer.id else i for i in stack])

    def describe(self, scene: Scene) -> str:
        layer = find_layer(scene, Address.parse(self.address))
        given = self.model_fields_set - {"do", "address"}
        if given == {"muted"}:
            return f"{'mute' if self.muted else 'unmute'} {layer.label}"
        if given <= {"start", "end", "fade_in", "fade_out"}:
            return f"window of {layer.label}"
        what = list(self.settings) if given == {"settings"} else sorted(given)
        return f"{' and '.join(what)} of {layer.label}"


def changed_sheaf(scene: Scene, sheaf: Sheaf, given: dict[str, Any]) -> Scene:
    """The scene with some of what a sheaf's layers share changed: field -> value."""
    changes = dict(given)
    window = {name: changes.pop(name) for name in EDGES if name in changes}
    if "loop" in changes and "fit" not in changes:
        changes["fit"] = False  # a length of one's own no longer follows the range
    if window:
        changes["window"] = sheaf.window.replaced(**window)
    changed = scene.with_part(sheaf.replaced(**changes).fitted(float(scene.first), float(scene.last)))
    return crossfaded(scene, changed) if window.keys() & {"start", "end"} else changed


def _shared(layer: Layer) -> tuple[str, ...]:
    return (*EDGES, "loop", "fit") if type(layer).loops else EDGES


class SwitchLayer(Edit):
    """Put a layer of another kind in a layer's place. What both kinds have stays: its name, window, weight, way of
    joining and loop, and numbers of the same name and unit; the rest suits where it lands."""

    do: Literal["switch-layer"] = "switch-layer"
    address: str
    kind: str

    def apply(self, scene: Scene) -> Scene:
        address = Address.parse(self.address)
        old = find_layer(scene, address)
        kind = BY_KIND.get(self.kind)
        if kind is None or not kind.offered:
            raise InvalidEdit(f"There is no kind of layer called '{self.kind}'", self.address)
        where = landing(scene, find(scene, address))
        shared = {name: getattr(old, name) for name in Layer.model_fields if name != "kind"}
        ours, theirs = numbers_of(kind), numbers_of(type(old))
        both = [name for name in ours if name in theirs and ours[name].unit == theirs[name].unit]
        settings = {
            name: getattr(old, name) for name, choices in kind.settings().items() if getattr(old, name, None) in choices
        }
        kept = {name: getattr(old, name) for name in both}
        label = kind.title if old.label == old.title else old.label
        fields = {"kind": self.kind} | kind.suited(where) | shared | kept | settings | {"label": label}
        if not kind.loops:
            fields |= {"loop": None, "fit": False}
        new = kind.model_validate(fields)
        return _with_stack(scene, address, lambda stack: [new if layer.id == old.id else layer for layer in stack])

    def describe(self, scene: Scene) -> str:
        return f"make {find_layer(scene, Address.parse(self.address)).label} a {self.kind}"


class SwapEnds(Edit):
    """Let a layer that goes between two values go the other way, whatever those two are: constant, keyed or driven."""

    do: Literal["swap-ends"] = "swap-ends"
    address: str

    def apply(self, scene: Scene) -> Scene:
        address = Address.parse(self.address)
        layer = find_layer(scene, address)
        if layer.ends is None:
            raise InvalidEdit(f"A {layer.title} layer has no two ends that could be swapped", self.address)
        one, other = layer.ends
        swapped = layer.replaced(**{one: getattr(layer, other), other: getattr(layer, one)})
        return _with_stack(scene, address, lambda stack: [swapped if i.id == layer.id else i for i in stack])

    def describe(self, scene: Scene) -> str:
        return f"swap the ends of {find_layer(scene, Address.parse(self.address)).label}"


class RemoveLayer(Edit):
    """Take a layer off."""

    do: Literal["remove-layer"] = "remove-layer"
    address: str

    def apply(self, scene: Scene) -> Scene:
        address = Address.parse(self.address)
        gone = find_layer(scene, address)
        return _with_stack(scene, address, lambda stack: [layer for layer in stack if layer.id != gone.id])

    def describe(self, scene: Scene) -> str:
        return f"remove {find_layer(scene, Address.parse(self.address)).label}"


class MoveLayer(Edit):
    """Give a layer another place in its stack; 0 is the lowest."""

    do: Literal["move-layer"] = "move-layer"
    address: str
    to: Annotated[int, Field(ge=0)]

    def apply(self, scene: Scene) -> Scene:
        address = Address.parse(self.address)
        moved = find_layer(scene, address)

        def place(stack: list[Layer]) -> list[Layer]:
            rest = [layer for layer in stack if layer.id != moved.id]
            return [*rest[: self.to], moved, *rest[self.to :]]

        return _with_stack(scene, address, place)

    def describe(self, scene: Scene) -> str:
        return f"move {find_layer(scene, Address.parse(self.address)).label}"


def landing(scene: Scene, place: Place) -> Landing:
    """What a new layer needs to know of the number it lands on."""
    return Landing(place.quantity.unit, place.reach, scene.first, scene.frames, scene.fps)


def _with_settings(scene: Scene, layer: Layer, given: dict[str, str], where: str) -> Layer:
    """The layer with choices and texts changed, all that it now reads being there."""
    choices, texts = type(layer).settings(), type(layer).wordings()
    for name, value in given.items():
        if name not in choices and name not in texts:
            raise InvalidEdit(f"A {layer.title} layer has no setting '{name}'", where)
        if name in choices and value not in choices[name]:
            raise InvalidEdit(f"'{value}' is no {name}; it may be {', '.join(choices[name])}", where)
    if not given:
        return layer
    changed = layer.replaced(**given)
    for reads in sorted(changed.references()):
        find_at(scene, reads)
    return changed


def _with_stack(scene: Scene, address: Address, change: Any) -> Scene:
    return write(scene, address, lambda channel: channel.replaced(layers=tuple(change(list(channel.layers)))))
