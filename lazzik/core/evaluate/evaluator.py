"""From numbers of the document to arrays over a clock.

x₀ = base;  x_{i+1} = combine(x_i, y_i, weight_i · window_i)  over the layers that sound, lowest first

A recipe in use runs its own stack over what lies below it, so a stack stands on a Bottom: a channel's base, or what
lies below the layer that uses the recipe.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Protocol

import numpy as np

from lazzik.core.channel.channel import Channel, as_channel
from lazzik.core.channel.combine import combined
from lazzik.core.channel.layer import Layer, held, numbers_of
from lazzik.core.clock import Clock
from lazzik.core.document import LARGEST
from lazzik.core.errors import BadFormula, UnknownAddress
from lazzik.core.evaluate.memo import Memo
from lazzik.core.evaluate.scope import ALONE, Scope
from lazzik.core.layers import Clip, Recipe
from lazzik.core.scene.scene import Scene
from lazzik.core.types import Samples


@dataclass(frozen=True, eq=False)
class Lane:
    """One layer of a channel over a clock."""

    layer: Layer
    contribution: Samples
    """(frames,) what the layer adds to what lies below it; for a muted one, what it would."""
    problem: str = ""
    """Why it has no value somewhere."""


@dataclass(frozen=True, eq=False)
class Strata:
    """A channel laid open. All arrays (frames,)."""

    base: Samples
    lanes: tuple[Lane, ...]
    result: Samples


class Bottom(Protocol):
    """What a stack of layers stands on."""

    def at(self, clock: Clock) -> Samples:
        """(frames,) its values."""
        ...

    def base(self, clock: Clock) -> Samples:
        """(frames,) the base of the channel that it belongs to."""
        ...

    @property
    def stretch(self) -> tuple[float, float] | None:
        """First and last frame of that base's keys."""
        ...


def evaluate(scene: Scene, addresses: list[str], clock: Clock, memo: Memo | None = None) -> dict[str, Samples]:
    """(frames,) values of each address on the clock. Raises UnknownAddress, and BadFormula for one without a value."""
    scope = Scope(scene, memo)
    return {text: np.full(len(clock.frames), v) if isinstance(v := read(text, clock, scope), float | int) else v
            for text in addresses}  # fmt: skip


def read(address: str, clock: Clock, scope: Scope) -> float | Samples:
    """The number at an address, within its limits. Raises UnknownAddress."""
    place = scope.place(address)
    return held(number_on(place.number, clock, scope), place.quantity)


def number_on(number: float | Channel, clock: Clock, scope: Scope = ALONE) -> float | Samples:
    """A number on a clock: a float where it can't change, otherwise (frames,)."""
    if not isinstance(number, Channel):
        return number
    if not number.moves:
        return number.keys[0].value if number.keys else number.value
    kept = scope.kept(number, clock)
    if kept is not None:
        return kept
    x, problems = base_on(number, clock), len(scope.problems or ())
    stack, bottom = number.sounding, Base(number)
    for layer in stack:
        x = joined(layer, stack, bottom, x, clock, scope)
    x = np.clip(x, -LARGEST, LARGEST)
    if len(scope.problems or ()) == problems:  # what is missing something is not kept: another scope may want to know
        scope.keep(number, clock, x)
    return x


def base_on(channel: Channel, clock: Clock) -> Samples:
    """(frames,) the channel's base, without layers."""
    if channel.keys:
        return channel.curve(clock.fps).at(clock.frames, clock.fps)
    return np.full(len(clock.frames), channel.value)


def joined(layer: Layer, stack: tuple[Layer, ...], bottom: Bottom, x: Samples, clock: Clock, scope: Scope) -> Samples:
    """(frames,) what lies below, x, with one layer of a stack joined to it."""
    inputs = LayerInputs(layer, stack, bottom, x, clock, scope)
    k = inputs.number("weight")
    if not layer.window.open:
        k = k * layer.window.at(clock.frames)
    try:
        y = layer.signal(inputs)
    except (BadFormula, UnknownAddress) as error:
        if scope.problems is None:
            raise
        scope.problems.append(error.message)
        return x
    return combined(layer.combine, x, y, k)


def strata(number: float | Channel, clock: Clock, scope: Scope = ALONE) -> Strata:
    """A channel's base, each layer's own contribution and the result. A layer without a value has a problem."""
    channel = as_channel(number)
    base = x = base_on(channel, clock)
    lanes = []
    sounding, bottom = channel.sounding, Base(channel)
    for place, layer in enumerate(channel.layers):
        lenient = Scope(scope.scene, scope.memo, [])
        # a muted layer is shown as it would be over those below it that do sound
        stack = (*(below for below in channel.layers[:place] if below in sounding), layer)
        with_it = joined(layer, stack, bottom, x, clock, lenient)
        lanes.append(Lane(layer, with_it - x, "; ".join(dict.fromkeys(lenient.problems or ()))))
        if layer in sounding:
            x = with_it
    result = np.clip(x, -LARGEST, LARGEST)
    if channel.moves and not any(lane.problem for lane in lanes):
        scope.keep(channel, clock, result)
    return Strata(base, tuple(lanes), result)


@dataclass(frozen=True, eq=False)
class Base:
    """The base of a channel, as what its layers stand on."""

    channel: Channel

    def at(self, clock: Clock) -> Samples:
        """The base."""
        return base_on(self.channel, clock)

    base = at

    @property
    def stretch(self) -> tuple[float, float] | None:
        """First and last frame of the base's keys."""
        keys = self.channel.keys
        return (keys[0].frame, keys[-1].frame) if len(keys) > 1 else None


@dataclass(frozen=True, eq=False)
class Under:
    """What lies below a layer, divided by a size, as what the stack inside that layer stands on."""

    inputs: LayerInputs
    size: float | Samples
    """(frames,) on the layer's own clock, or constant."""

    def _scaled(self, values: Samples, clock: Clock) -> Samples:
        size = self.size if isinstance(self.size, float | int) else self.inputs.number("size", clock)
        return np.asarray(values / np.maximum(size, LEAST_SIZE))

    def at(self, clock: Clock) -> Samples:
        """What lies below."""
        return self._scaled(self.inputs.below(clock), clock)

    def base(self, clock: Clock) -> Samples:
        """The base of the channel that the layer lies on."""
        return self._scaled(self.inputs.base(clock), clock)

    @property
    def stretch(self) -> tuple[float, float] | None:
        """First and last frame of that base's keys."""
        return self.inputs.stretch


LEAST_SIZE = 1e-9
"""A recipe shrunk to nothing is shrunk to this, so that what lies below can be divided by it."""


@dataclass(frozen=True, eq=False)
class LayerInputs:
    """What a layer is given (the protocol `Inputs`): its numbers and what lies below, at any moments it asks for."""

    layer: Layer
    stack: tuple[Layer, ...]
    bottom: Bottom
    x: Samples
    clock: Clock
    scope: Scope

    def number(self, name: str, clock: Clock | None = None) -> float | Samples:
        """One of the layer's own numbers, within its limits."""
        value = getattr(self.layer, name)
        if not isinstance(value, Channel):
            return float(value)
        return held(number_on(value, clock or self.clock, self.scope), numbers_of(type(self.layer))[name])

    def below(self, clock: Clock | None = None) -> Samples:
        """What lies below: at hand on the asked clock, evaluated anew on another."""
        if clock is None:
            return self.x
        x = self.bottom.at(clock)
        for layer in self.stack:
            if layer.id == self.layer.id:
                break
            x = joined(layer, self.stack, self.bottom, x, clock, self.scope)
        return x

    def base(self, clock: Clock) -> Samples:
        """The channel's base alone."""
        return self.bottom.base(clock)

    @property
    def stretch(self) -> tuple[float, float] | None:
        """First and last frame of the base's keys."""
        return self.bottom.stretch

    def other(self, address: str, clock: Clock) -> float | Samples:
        """Another number of the scene."""
        return read(address, clock, self.scope)

    def recipe(self, name: str) -> Recipe:
        """One of the scene's recipes."""
        return self.scope.recipe(name)

    def clip(self, address: str) -> Clip:
        """The clip that a track belongs to."""
        return self.scope.clip(address)

    def through(self, stack: Channel, size: float | Samples) -> Samples:
        """What a stack makes of what lies below."""
        bottom = Under(self, size)
        x = np.asarray(self.x / np.maximum(size, LEAST_SIZE))
        for layer in stack.sounding:
            x = joined(layer, stack.sounding, bottom, x, self.clock, self.scope)
        return x * size
