"""Sheaves: layers on several numbers that share a name, a window, a weight, mute, solo and a loop.

A layer that is in a sheaf names it; what they share stands in the scene, once. There the weight is a number like any
other: keyed and driven, it is read by all of them. Each layer keeps its own pattern, size and weight: how much of it
counts is its own weight times that of its sheaf.
"""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import Field

from lazzik.core.channel.layer import Layer
from lazzik.core.channel.window import Window
from lazzik.core.document import Finite, Frozen, Label, Name, Quantity
from lazzik.core.layers import Number  # with its layers resolved

WEIGHT = Quantity(help="How much of all its layers counts; beyond 1 exaggerates.", useful=(0, 1.5), low=-100, high=100)


class Sheaf(Frozen):
    """What some layers share."""

    id: Name
    label: Label
    window: Window = Window()
    weight: Annotated[Number, WEIGHT] = 1.0
    muted: bool = False
    solo: bool = False
    """Whether it silences what else lies on its numbers."""
    loop: Annotated[Finite, Field(gt=0)] | None = None
    """Frames after which all its layers repeat; None is endless."""
    fit: bool = False
    """Whether `loop` follows the scene's range when that changes."""

    @property
    def address(self) -> str:
        """Of its weight."""
        return f"sheaves/{self.id}"

    def fitted(self, first: float, last: float) -> Sheaf:
        """The sheaf as long as the scene's range, if it follows that; itself if it is so already."""
        return self.replaced(loop=last - first) if self.fit and self.loop != last - first else self

    def shared(self, layer: Layer) -> dict[str, Any]:
        """What it says of one of its layers: field -> value."""
        own: dict[str, Any] = {"window": self.window}
        return own | ({"loop": self.loop, "fit": self.fit} if type(layer).loops else {})


def within(layer: Layer, sheaf: Sheaf) -> Layer:
    """A layer as it counts in its sheaf, but for the weight. Kept in the layer, which never changes."""
    kept: tuple[Sheaf, Layer] | None = layer.__dict__.get("_within")
    if kept is None or kept[0] is not sheaf:
        fields = {name: getattr(layer, name) for name in type(layer).model_fields} | sheaf.shared(layer)
        fields |= {"muted": layer.muted or sheaf.muted, "solo": layer.solo or sheaf.solo}
        # both are checked already, and a sheaf may have hundreds of layers
        kept = layer.__dict__["_within"] = (sheaf, type(layer).model_construct(**fields))
    return kept[1]
