"""What a bake did, and what it takes to undo it long after."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from lazzik.core.channel.channel import Channel
from lazzik.core.channel.keys import Beyond, Key
from lazzik.core.document import Finite, Frozen, Slug

Method = Literal["each", "every", "fitted"]


class ReceiptLine(Frozen):
    """One baked channel: what came out, and the base and layers it had."""

    address: str
    keys: int
    baked: tuple[Key, ...] = ()
    """What the bake made, so that edits made by hand since can be told from it."""
    worst: Finite
    """The largest |baked − evaluated| at whole frames and three sub-frames, in the channel's unit."""
    between: Finite = 0.0
    """The same between them, where it is larger: motion that is finer than a quarter of a frame can't be baked."""
    former_value: Finite
    former_keys: tuple[Key, ...]
    former_before: Beyond = "hold"
    former_after: Beyond = "hold"
    switched_off: tuple[Slug, ...]
    room: Annotated[Finite, Field(ge=0)] = 0.0
    """Part of what the baked curve spans by which its source may lie elsewhere, because the definition of a kind was
    changed since and not the scene."""

    def source(self, channel: Channel) -> Channel:
        """The channel with its former base back, and the layers that the bake switched off on again."""
        return channel.replaced(
            value=self.former_value,
            keys=self.former_keys,
            before=self.former_before,
            after=self.former_after,
            layers=tuple(
                layer.replaced(muted=False) if layer.id in self.switched_off else layer for layer in channel.layers
            ),
        )

    def stands_for(self, channel: Channel) -> Channel:
        """What the bake stands for, as it is now: the former base, under the layers that were switched off alone."""
        source = self.source(channel)
        layers = tuple(layer for layer in source.layers if layer.id in self.switched_off)
        return source.replaced(layers=layers, before=self.former_before, after=self.former_after)


class Receipt(Frozen):
    """One bake of one or more channels."""

    id: Slug
    first: int
    last: int
    method: Method
    every: int | None = None
    extremes: bool = False
    steps: bool = True
    thorough: bool = False
    """Whether it was looked longer for keys that can be spared."""
    tolerances: dict[str, Finite] = {}
    """For a fitted bake, the tolerance per unit."""
    lines: tuple[ReceiptLine, ...]

    @property
    def keys(self) -> int:
        """How many keys the bake made."""
        return sum(line.keys for line in self.lines)
