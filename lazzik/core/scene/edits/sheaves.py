"""Edits of sheaves: layers gathered, shared things changed, blocks moved, layers that join and leave."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Annotated, Any, Literal
from zlib import crc32

from pydantic import Field

from lazzik.core.channel.channel import Channel
from lazzik.core.channel.layer import Layer
from lazzik.core.channel.scaling import moved_keys, scaled
from lazzik.core.channel.window import Window
from lazzik.core.document import InFrames, Label, Name
from lazzik.core.errors import InvalidEdit, UnknownAddress
from lazzik.core.scene.address import Address, find, find_layer, write, write_all
from lazzik.core.scene.clip_blocks import crossfaded
from lazzik.core.scene.edits.base import Edit, free_label, free_slug
from lazzik.core.scene.edits.dials import free_name
from lazzik.core.scene.edits.layers import EDGES, SEEDS, changed_sheaf
from lazzik.core.scene.scene import MOST_DIALS, Scene
from lazzik.core.scene.sheaf import Sheaf, within
from lazzik.core.scene.visit import members

Layers = Annotated[tuple[str, ...], Field(min_length=1, max_length=10_000)]


class GatherSheaf(Edit):
    """Make layers on several numbers one thing: from now on they share the window and the loop of the first of them, a
    weight, mute and solo."""

    do: Literal["gather-sheaf"] = "gather-sheaf"
    addresses: Layers
    label: Label | None = None

    def apply(self, scene: Scene) -> Scene:
        return gathered(scene, self.addresses, self.label)

    def describe(self, scene: Scene) -> str:
        label = self.label or find_layer(scene, Address.parse(self.addresses[0])).label
        return f"gather {len(self.addresses)} layers as {label}"

    @property
    def where(self) -> str:
        return self.addresses[0]


class ChangeSheaf(Edit):
    """Change what the layers of a sheaf share, but for the weight, which is a number. Only what is given changes."""

    do: Literal["change-sheaf"] = "change-sheaf"
    sheaf: Name
    label: Label | None = None
    muted: bool | None = None
    solo: bool | None = None
    loop: Annotated[InFrames, Field(gt=0)] | None = None
    fit: bool | None = None
    start: InFrames | None = None
    end: InFrames | None = None
    fade_in: InFrames | None = None
    fade_out: InFrames | None = None

    def apply(self, scene: Scene) -> Scene:
        sheaf = sheaf_of(scene, self.sheaf)
        given = {name: getattr(self, name) for name in self.model_fields_set - {"do", "sheaf"}}
        return changed_sheaf(scene, sheaf, given)

    def describe(self, scene: Scene) -> str:
        label = sheaf_of(scene, self.sheaf).label
        given = self.model_fields_set - {"do", "sheaf"}
        if given == {"muted"}:
            return f"{'mute' if self.muted else 'unmute'} {label}"
        if given <= set(EDGES):
            return f"window of {label}"
        return f"{' and '.join(sorted(given)) or 'nothing'} of {label}"


class MoveSheaf(Edit):
    """Move the block of a sheaf along time, and the motion of its layers with it, or the window alone."""

    do: Literal["move-sheaf"] = "move-sheaf"
    sheaf: Name
    by: InFrames
    alone: bool = False

    def apply(self, scene: Scene) -> Scene:
        sheaf = sheaf_of(scene, self.sheaf)
        start, end = sheaf.window.start, sheaf.window.end
        window = sheaf.window.replaced(
            start=None if start is None else start + self.by, end=None if end is None else end + self.by
        )
        before = scene
        if self.alone:
            return crossfaded(before, scene.with_part(sheaf.replaced(window=window)))
        scene = scene.with_part(sheaf.replaced(window=window, weight=moved_keys(sheaf.weight, self.by)))

        def moved(layer: Layer) -> Layer:
            return layer.moved_in_time(self.by, scene.fps, sheaf.loop if type(layer).loops else None)

        return crossfaded(before, _with_each(scene, members(scene, sheaf.id), moved))

    def describe(self, scene: Scene) -> str:
        what = "window of " if self.alone else ""
        return f"move {what}{sheaf_of(scene, self.sheaf).label}"


class JoinSheaf(Edit):
    """Let layers join a sheaf, whose window and loop then stand for their own. Where a number is named, a layer like
    the sheaf's first lands on it, sized for it and with a seed of its own."""

    do: Literal["join-sheaf"] = "join-sheaf"
    sheaf: Name
    addresses: Layers

    def apply(self, scene: Scene) -> Scene:
        sheaf = sheaf_of(scene, self.sheaf)
        inside = members(scene, sheaf.id)
        for text in self.addresses:
            address = Address.parse(text)
            if address.layer:
                scene = _with_each(scene, [text], lambda layer: _joined(layer, sheaf))
            else:
                scene = _landed(scene, sheaf, Address.parse(inside[0]), address)
        return scene

    def describe(self, scene: Scene) -> str:
        return f"{len(self.addresses)} more in {sheaf_of(scene, self.sheaf).label}"

    @property
    def where(self) -> str:
        return self.addresses[0]


class LeaveSheaf(Edit):
    """Let layers leave their sheaves. Each goes on as it was: with the window and the loop of its sheaf, and with a
    weight that is the product of both."""

    do: Literal["leave-sheaf"] = "leave-sheaf"
    addresses: Layers

    def apply(self, scene: Scene) -> Scene:
        return _with_each(scene, self.addresses, lambda layer: left(scene, layer))

    def describe(self, scene: Scene) -> str:
        first = find_layer(scene, Address.parse(self.addresses[0]))
        sheaf = scene.sheaf(first.sheaf)
        return f"{len(self.addresses)} out of {sheaf.label if sheaf else 'no sheaf'}"

    @property
    def where(self) -> str:
        return self.addresses[0]


class PartSheaf(Edit):
    """Take a sheaf apart: its layers go on as they were, each for itself. Or take it away with all its layers."""

    do: Literal["part-sheaf"] = "part-sheaf"
    sheaf: Name
    layers: Literal["stay", "go"] = "stay"

    def apply(self, scene: Scene) -> Scene:
        inside = members(scene, sheaf_of(scene, self.sheaf).id)
        if self.layers == "stay":
            return LeaveSheaf(addresses=tuple(inside)).apply(scene) if inside else scene
        for text in reversed(inside):
            address = Address.parse(text)
            gone = address.layer
            scene = write(scene, address, lambda channel, gone=gone: _without(channel, gone))  # type: ignore[misc]
        return scene

    def describe(self, scene: Scene) -> str:
        label = sheaf_of(scene, self.sheaf).label
        return f"take {label} apart" if self.layers == "stay" else f"remove {label}"


def sheaf_of(scene: Scene, name: str) -> Sheaf:
    """A sheaf by name. Raises UnknownAddress."""
    sheaf = scene.sheaf(name)
    if sheaf is None:
        raise UnknownAddress(f"There is no sheaf '{name}' in this scene", f"sheaves/{name}")
    return sheaf


def gathered(scene: Scene, addresses: Iterable[str], label: str | None = None) -> Scene:
    """The scene with some layers in a new sheaf. Raises UnknownAddress, InvalidEdit."""
    texts = list(dict.fromkeys(addresses))
    first = find_layer(scene, Address.parse(texts[0]))
    if len(scene.sheaves) >= MOST_DIALS:
        raise InvalidEdit(f"A scene holds at most {MOST_DIALS} sheaves", texts[0])
    (counted,) = scene.counted((first,))
    name = free_name(label or first.label, {sheaf.id for sheaf in scene.sheaves}, "sheaf")
    sheaf = Sheaf(
        id=name,
        label=free_label(label or first.label, {other.label for other in scene.sheaves}),
        window=counted.window,
        loop=counted.loop,
        fit=counted.fit and type(first).loops,
    )
    return _with_each(scene.with_part(sheaf), texts, lambda layer: _joined(layer, sheaf))


def left(scene: Scene, layer: Layer) -> Layer:
    """A layer as it goes on outside of its sheaf. Raises InvalidEdit where its weight can't become one number."""
    sheaf = scene.sheaf(layer.sheaf)
    if sheaf is None:
        return layer.replaced(sheaf=None)
    own, shared = layer.weight, sheaf.weight
    if isinstance(own, Channel) and isinstance(shared, Channel):
        raise InvalidEdit(
            f"The weight of {layer.label} and that of {sheaf.label} both change over time, and can't be made one "
            "number. Let one of them stand still first",
            sheaf.address,
        )
    weight = scaled(shared, own) if isinstance(shared, Channel) else scaled(own, shared)  # type: ignore[arg-type]
    alone = within(layer, sheaf)
    return layer.replaced(
        sheaf=None, window=alone.window, loop=alone.loop, fit=alone.fit, muted=alone.muted, weight=weight
    )


def _joined(layer: Layer, sheaf: Sheaf) -> Layer:
    own: dict[str, Any] = {"sheaf": sheaf.id, "window": Window()}
    return layer.replaced(**own | ({"loop": None, "fit": False} if type(layer).loops else {}))


def _landed(scene: Scene, sheaf: Sheaf, like: Address, there: Address) -> Scene:
    """The scene with a layer like one of a sheaf's on another number."""
    model, was, place = find_layer(scene, like), find(scene, like), find(scene, there)
    factor = 1.0 if model.combine == "multiply" or was.reach == place.reach else place.reach / was.reach
    slug = free_slug(model.label, {layer.id for layer in place.channel.layers})
    seed = {"seed": float(crc32(f"{there}#{slug}".encode()) % SEEDS)} if "seed" in type(model).model_fields else {}
    layer = _joined(model.scaled(factor), sheaf).replaced(id=slug, **seed)
    return write(scene, there, lambda channel: channel.replaced(layers=(*channel.layers, layer)))


def _with_each(scene: Scene, addresses: Iterable[str], change: Callable[[Layer], Layer]) -> Scene:
    """The scene with a change made to each of some layers."""

    def at(address: Address) -> Callable[[Channel], Channel]:
        def changed(channel: Channel) -> Channel:
            layers = tuple(change(layer) if layer.id == address.layer else layer for layer in channel.layers)
            return channel.replaced(layers=layers)

        return changed

    found = [Address.parse(text) for text in addresses]
    for address in found:
        find_layer(scene, address)  # said before anything is changed
    return write_all(scene, [(address, at(address)) for address in found])


def _without(channel: Channel, gone: str) -> Channel:
    return channel.replaced(layers=tuple(layer for layer in channel.layers if layer.id != gone))
