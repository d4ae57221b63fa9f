"""From numbers of the document to arrays over a clock.

x₀ = base;  x_{i+1} = combine(x_i, y_i, weight_i · window_i)  over the layers that sound, lowest first

In a sheaf the weight is the layer's own times the sheaf's, and the window is the sheaf's.

A recipe in use runs its own stack over what lies below it, so a stack stands on a Bottom: a channel's base, or what
lies below the layer that uses the recipe.

Layers may ask what lies below them at other moments. Within one evaluation each is worked out once on each clock that
it is needed on (Stack), and a layer's own motion is asked for before what lies below it at the same moments: what it
read on a wider clock then serves the narrower one, and a stack costs what its layers cost, however deep it is.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cache
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from lazzik.core.channel.airflow import Airflow
from lazzik.core.channel.channel import Channel
from lazzik.core.channel.combine import combined
from lazzik.core.channel.layer import Layer, clamp, numbers_of
from lazzik.core.clock import Clock
from lazzik.core.document import LARGEST, Frozen, Quantity
from lazzik.core.errors import BadFormula, LazzikError, UnknownAddress
from lazzik.core.evaluate.jumps import jumps_of
from lazzik.core.evaluate.scope import ALONE, Scope
from lazzik.core.layers import Clip, Recipe
from lazzik.core.scene.address import Place
from lazzik.core.types import Samples

CHAIN = 120
"""Numbers that read each other in a row and can be followed in any case: each takes some seven of the calls within
calls that Python allows."""


class TooDeep(LazzikError):
    """Numbers that read each other in a chain too long to be followed."""


class Bottom(Protocol):
    """What a stack of layers stands on."""

    def at(self, clock: Clock) -> Samples:
        """Its values.

        Returns
        -------
        (frames,) array
            In the channel's unit.
        """
        ...

    def base(self, clock: Clock) -> Samples:
        """The base of the channel that it belongs to.

        Returns
        -------
        (frames,) array
            In the channel's unit.
        """
        ...

    @property
    def stretch(self) -> tuple[float, float] | None:
        """First and last frame of that base's keys."""
        ...


def read(address: str, clock: Clock, scope: Scope) -> float | Samples:
    """The number at an address, within its limits.

    Returns
    -------
    float or (frames,) array
        In the number's unit.

    Raises
    ------
    UnknownAddress
        If it leads nowhere.
    """
    return value_at(scope.place(address), clock, scope)


def read_once(address: str, clock: Clock, scope: Scope) -> float | Samples:
    """The same, worked out once in an evaluation for all that read it, on an even clock.

    Returns
    -------
    float or (frames,) array
        In the number's unit.
    """
    if clock.key is None or scope.run is None:
        return value_at(scope.place(address), clock, scope)
    known = scope.run.others.get((address, clock.key))
    if known is None:
        problems = len(scope.problems or ())
        place = scope.place(address)
        # not `value_at`: in a chain every call counts (CHAIN)
        known = clamp(number_on(place.number, clock, scope.at(place.home)), place.quantity)
        if len(scope.problems or ()) == problems:  # as with channels
            scope.run.others[address, clock.key] = known
    return known


def value_at(place: Place, clock: Clock, scope: Scope) -> float | Samples:
    """The number at a place of the scene, within its limits, on a clock.

    Returns
    -------
    float or (frames,) array
        In the number's unit.
    """
    return clamp(number_on(place.number, clock, scope.at(place.home)), place.quantity)


def number_at(place: Place, clock: Clock, scope: Scope) -> float | Samples:
    """The number at a place of the scene, on a clock: a float where it can't change, otherwise (frames,).

    Returns
    -------
    float or (frames,) array
        In the number's unit.
    """
    return number_on(place.number, clock, scope.at(place.home))


def number_on(number: float | Channel, clock: Clock, scope: Scope = ALONE) -> float | Samples:
    """A number on a clock: a float where it can't change, otherwise (frames,).

    Returns
    -------
    float or (frames,) array
        In the number's unit.

    Raises
    ------
    TooDeep
        If numbers read each other in too long a chain, and nothing takes note of it.
    """
    if not isinstance(number, Channel):
        return number
    if not number.moves:
        return number.keys[0].value if number.keys else number.value
    ready = scope.run.ready.get((id(number), scope.home)) if scope.run is not None else None
    if ready is not None and ready.clock is not clock:
        ready = None
    if ready is not None and ready.whole:
        return ready.motion
    kept = scope.kept(number, clock)
    if kept is not None:
        return kept
    if not number.layers:
        x = np.minimum(np.maximum(number.base(clock), -LARGEST), LARGEST)
        scope.keep(number, clock, x)
        return x
    scope = scope.running()
    assert scope.run is not None
    stacks = scope.run.stacks
    outermost = not stacks
    try:
        stack = stack_of(number, scope)
        if ready is not None:
            stack.known[ready.count] = [(clock, ready.motion)]
        x = np.minimum(np.maximum(stack.at(len(stack.layers), clock), -LARGEST), LARGEST)
        if stack.missing:  # what is missing something is not kept: another scope may want to know
            scope.problems.extend(stack.problems)  # type: ignore[union-attr]
        else:
            scope.keep(number, clock, x)
        return x
    except RecursionError:
        if not outermost:
            raise
        sentence = f"Numbers read each other in a chain of more than {CHAIN}: it can't be followed"
        if scope.problems is None:
            raise TooDeep(sentence) from None
        scope.problems.append(sentence)
        return number.base(clock)
    finally:
        if outermost:  # a stack knows its scope, and that its stacks: a ring, which only a search could free
            stacks.clear()


def value_of(part: Frozen, name: str, clock: Clock, scope: Scope = ALONE) -> float | Samples:
    """A number of a part of an object, within its limits, on a clock: a float where it can't change, else (frames,).

    Returns
    -------
    float or (frames,) array
        In the number's unit.
    """
    return clamp(number_on(getattr(part, name), clock, scope), numbers_of(type(part))[name])


def constant(number: float | Channel, quantity: Quantity) -> float | None:
    """A number that can't change, within its limits; None if it can."""
    if isinstance(number, Channel):
        if number.moves:
            return None
        number = number.keys[0].value if number.keys else number.value
    return float(clamp(number, quantity))


@dataclass(eq=False, slots=True)
class Stack:
    """Layers on what they stand on, and what was worked out of them in this evaluation."""

    layers: tuple[Layer, ...]
    bottom: Bottom
    scope: Scope
    known: dict[int, list[tuple[Clock, Samples]]] = field(default_factory=dict)
    """By place in the stack."""
    missing: dict[int, list[str]] = field(default_factory=dict)
    """Why layers have no value somewhere, by place."""

    @property
    def problems(self) -> list[str]:
        """Why any of its layers has no value somewhere."""
        return [problem for place in sorted(self.missing) for problem in self.missing[place]]

    def at(self, place: int, clock: Clock) -> Samples:
        """What the first `place` layers make of what they stand on. Not to be written to.

        Returns
        -------
        (frames,) array
            In the channel's unit.
        """
        known = self.known.setdefault(place, [])
        found = known_on(known, clock)
        if found is not None:
            return found
        values = self.bottom.at(clock) if place == 0 else self.apply_layer(self.layers[place - 1], place - 1, clock)
        known.append((clock, values))
        return values

    def apply_layer(self, layer: Layer, place: int, clock: Clock) -> Samples:
        """What the first `place` layers make, with one more joined to it.

        Returns
        -------
        (frames,) array
            In the channel's unit.
        """
        missing: list[str] | None = None if self.scope.problems is None else []
        scope = self.scope.noting(missing)
        inputs = LayerInputs(layer, place, self, clock, scope)
        k = inputs.number("weight")
        if layer.sheaf is not None and scope.scene is not None:
            sheaf = scope.scene.sheaf(layer.sheaf)
            k = k if sheaf is None else k * read(sheaf.address, clock, scope)
        if not layer.window.open:
            k = k * layer.window.at(clock.frames)
        try:
            y = layer.signal(inputs)
        except (BadFormula, UnknownAddress) as error:
            if missing is None:
                raise
            self.missing[place] = [*missing, error.message]
            return self.at(place, clock)
        if missing:
            self.missing[place] = missing
        if layer.combine == "replace" and isinstance(k, float) and k == 1.0:
            return np.ascontiguousarray(y) if y.flags.writeable else np.array(y)
        return combined(layer.combine, self.at(place, clock), y, k)


def known_on(known: list[tuple[Clock, NDArray[np.float64]]], clock: Clock) -> NDArray[np.float64] | None:
    """Values on a clock, if they are among those on clocks that are known.

    Parameters
    ----------
    known : list of (Clock, (…, frames) array)
        In any unit.

    Returns
    -------
    (…, frames) array or None
        In the same unit; not to be written to.
    """
    for other, values in known:
        if other is clock or (clock.key is None and np.array_equal(other.frames, clock.frames)):
            return values
        part = other.places_of(clock)
        if part is not None:
            return np.ascontiguousarray(values[..., part])
    return None


def stack_of(channel: Channel, scope: Scope) -> Stack:
    """The layers of a channel that sound, on its base. Within one evaluation it is the same stack for whoever asks."""
    scope = scope.running()
    assert scope.run is not None
    stacks = scope.run.stacks
    stack: Stack | None = stacks.get((id(channel), scope.home))
    if stack is None:
        stack = stacks[id(channel), scope.home] = Stack(scope.sounding(channel), ChannelBase(channel), scope)
    return stack


@dataclass(eq=False, slots=True)
class ChannelBase(Bottom):
    """The base of a channel, as what its layers stand on."""

    channel: Channel

    def at(self, clock: Clock) -> Samples:
        """The base."""
        return self.channel.base(clock)

    base = at

    @property
    def stretch(self) -> tuple[float, float] | None:
        """First and last frame of the base's keys."""
        keys = self.channel.keys
        return (keys[0].frame, keys[-1].frame) if len(keys) > 1 else None


@dataclass(frozen=True, eq=False)
class Under(Bottom):
    """What lies below a layer, divided by a size, as what the stack inside that layer stands on."""

    inputs: LayerInputs
    size: float | Samples
    """(frames,) on the layer's own clock, or constant."""

    def _scaled(self, values: Samples, clock: Clock) -> Samples:
        size = self.size if isinstance(self.size, float | int) else self.inputs.number("size", clock)
        if isinstance(size, float | int) and size == 1.0:
            return values
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


@cache
def _kept_under(names: tuple[str, ...]) -> str:
    """The name under which a table of some numbers is kept in a layer."""
    return "_table:" + ",".join(names)


@dataclass(frozen=True, eq=False)
class _Kept:
    """An array kept in a layer: told apart by identity, since comparing layers must not compare arrays."""

    values: Samples


@dataclass(eq=False, slots=True)
class LayerInputs:
    """What a layer is given (the protocol `Inputs`): its numbers and what lies below, at any moments it asks for.

    (Made for every layer, as are its stack and scope: frozen ones would take four times as long to make.)
    """

    layer: Layer
    place: int
    stack: Stack
    clock: Clock
    scope: Scope

    def number(self, name: str, clock: Clock | None = None) -> float | Samples:
        """One of the layer's own numbers, within its limits."""
        value = getattr(self.layer, name)
        if not isinstance(value, Channel):
            return float(value)
        return clamp(number_on(value, clock or self.clock, self.scope), numbers_of(type(self.layer))[name])

    def table(self, *names: str) -> Samples:
        """Some of the layer's own numbers as one array; one that can't change is kept in the layer."""
        key = _kept_under(names)
        kept: _Kept | None = self.layer.__dict__.get(key)
        if kept is not None:
            return kept.values
        values = [self.number(name) for name in names]
        width = max((len(v) for v in values if not isinstance(v, float)), default=1)
        out = np.empty((len(values), width))
        for row, value in zip(out, values, strict=True):
            row[:] = value
        if not any(isinstance(getattr(self.layer, name), Channel) for name in names):
            self.layer.__dict__[key] = _Kept(out)
        return out

    def constant(self, name: str) -> float | None:
        """One of the layer's own numbers, if it can't change."""
        value = getattr(self.layer, name)
        return constant(value, numbers_of(type(self.layer))[name]) if isinstance(value, Channel) else float(value)

    def jumps(self, names: tuple[str, ...], first: float, last: float) -> Samples:
        """Where some of the layer's own numbers may jump."""
        return jumps_of((getattr(self.layer, name) for name in names), first, last, self.clock.fps, self.scope)

    def below(self, clock: Clock | None = None) -> Samples:
        """What lies below."""
        return self.stack.at(self.place, clock or self.clock)

    def base(self, clock: Clock) -> Samples:
        """The channel's base alone."""
        return self.stack.bottom.base(clock)

    @property
    def stretch(self) -> tuple[float, float] | None:
        """First and last frame of the base's keys."""
        return self.stack.bottom.stretch

    def other(self, address: str, clock: Clock) -> float | Samples:
        """Another number of the scene: worked out once for all that read it, on an even clock."""
        return read_once(address, clock, self.scope)

    def recipe(self, name: str) -> Recipe:
        """One of the scene's recipes."""
        return self.scope.recipe(name)

    def clip(self, address: str) -> Clip:
        """The clip that a track belongs to."""
        return self.scope.clip(address)

    def airflow(self) -> Airflow:
        """The air as it passes where the object is."""
        return self.scope.airflow()

    def through(self, stack: Channel, size: float | Samples) -> Samples:
        """What a stack makes of what lies below."""
        inner = Stack(self.scope.sounding(stack), Under(self, size), self.scope)
        y = inner.at(len(inner.layers), self.clock)
        if not isinstance(size, float | int) or size != 1.0:
            y = y * size
        if inner.problems:
            self.scope.problems.extend(inner.problems)  # type: ignore[union-attr]
        return y
