"""From numbers of the document to arrays over a clock.

x₀ = base;  x_{i+1} = combine(x_i, y_i, weight_i · window_i)  over the layers that sound, lowest first
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lazzik.core.channel.channel import Channel, as_channel
from lazzik.core.channel.combine import combined
from lazzik.core.channel.layer import Layer, held, numbers_of
from lazzik.core.clock import Clock
from lazzik.core.document import LARGEST
from lazzik.core.evaluate.memo import Memo
from lazzik.core.scene.address import Address, find
from lazzik.core.scene.scene import Scene
from lazzik.core.types import Samples


@dataclass(frozen=True, eq=False)
class Lane:
    """One layer of a channel over a clock."""

    layer: Layer
    contribution: Samples
    """(frames,) what the layer adds to what lies below it; for a muted one, what it would."""


@dataclass(frozen=True, eq=False)
class Strata:
    """A channel laid open. All arrays (frames,)."""

    base: Samples
    lanes: tuple[Lane, ...]
    result: Samples


def evaluate(scene: Scene, addresses: list[str], clock: Clock, memo: Memo | None = None) -> dict[str, Samples]:
    """(frames,) values of each address on the clock. Raises UnknownAddress."""
    out = {}
    for text in addresses:
        place = find(scene, Address.parse(text))
        value = held(number_on(place.number, clock, memo), place.quantity)
        out[text] = np.full(len(clock.frames), value) if isinstance(value, float | int) else value
    return out


def number_on(number: float | Channel, clock: Clock, memo: Memo | None = None) -> float | Samples:
    """A number on a clock: a float where it can't change, otherwise (frames,)."""
    if not isinstance(number, Channel):
        return number
    if not number.moves:
        return number.keys[0].value if number.keys else number.value
    kept = memo.get(number, clock) if memo else None
    if kept is not None:
        return kept
    x = base_on(number, clock)
    for layer in number.sounding:
        x = joined(layer, number, x, clock)
    x = np.clip(x, -LARGEST, LARGEST)
    if memo:
        memo.put(number, clock, x)
    return x


def base_on(channel: Channel, clock: Clock) -> Samples:
    """(frames,) the channel's base, without layers."""
    if channel.keys:
        return channel.curve(clock.fps).at(clock.frames, clock.fps)
    return np.full(len(clock.frames), channel.value)


def joined(layer: Layer, channel: Channel, x: Samples, clock: Clock) -> Samples:
    """(frames,) what lies below, x, with one layer of the channel joined to it."""
    inputs = LayerInputs(layer, channel, x, clock)
    k = inputs.number("weight")
    if not layer.window.open:
        k = k * layer.window.at(clock.frames)
    return combined(layer.combine, x, layer.signal(inputs), k)


def strata(number: float | Channel, clock: Clock) -> Strata:
    """A channel's base, each layer's own contribution and the result."""
    channel = as_channel(number)
    base = x = base_on(channel, clock)
    lanes = []
    for layer in channel.layers:
        with_it = joined(layer, channel, x, clock)
        lanes.append(Lane(layer, with_it - x))
        if layer in channel.sounding:
            x = with_it
    return Strata(base, tuple(lanes), np.clip(x, -LARGEST, LARGEST))


@dataclass(frozen=True, eq=False)
class LayerInputs:
    """What a layer is given (the protocol `Inputs`): its numbers and what lies below, at any moments it asks for."""

    layer: Layer
    channel: Channel
    x: Samples
    clock: Clock

    def number(self, name: str, clock: Clock | None = None) -> float | Samples:
        """One of the layer's own numbers, within its limits."""
        value = getattr(self.layer, name)
        if not isinstance(value, Channel):
            return float(value)
        return held(number_on(value, clock or self.clock), numbers_of(type(self.layer))[name])

    def below(self, clock: Clock | None = None) -> Samples:
        """What lies below: at hand on the asked clock, evaluated anew on another."""
        if clock is None:
            return self.x
        x = base_on(self.channel, clock)
        for layer in self.channel.sounding:
            if layer.id == self.layer.id:
                break
            x = joined(layer, self.channel, x, clock)
        return x

    def base(self, clock: Clock) -> Samples:
        """The channel's base alone."""
        return base_on(self.channel, clock)

    @property
    def stretch(self) -> tuple[float, float] | None:
        """First and last frame of the base's keys."""
        keys = self.channel.keys
        return (keys[0].frame, keys[-1].frame) if len(keys) > 1 else None
