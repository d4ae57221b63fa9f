"""Stacks that are alike, worked out as the rows of one array.

As a stack of one number does (evaluator.py), these work out each of their layers once on each clock that it is needed
on, and ask for a layer's own motion before what lies below it at the same moments. Each row has the bits that it would
have alone.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from functools import cache
from itertools import accumulate
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from lazzik.core.channel.airflow import Airflow
from lazzik.core.channel.channel import Channel
from lazzik.core.channel.combine import combined
from lazzik.core.channel.layer import Layer, numbers_of
from lazzik.core.clock import Clock
from lazzik.core.errors import LazzikError
from lazzik.core.evaluate.airflow import Standing, airflow_for, velocities
from lazzik.core.evaluate.evaluator import LEAST_SIZE, known_on, read_once
from lazzik.core.evaluate.scope import Scope
from lazzik.core.layers import Clip, Recipe
from lazzik.core.types import PointBlock, SampleRows


class NotAlike(LazzikError):
    """Stacks within layers that are alike can't be worked out at once."""


class Member(NamedTuple):
    """A number of the scene."""

    home: str
    """What it belongs to: an object's id, or the address of another part of the scene."""
    channel: Channel


def bases(members: list[Member], clock: Clock) -> SampleRows:
    """The bases of numbers.

    Returns
    -------
    (numbers, frames) array
        Each in its channel's unit.
    """
    x = np.repeat(np.array([[channel.value] for _, channel in members]), len(clock.frames), axis=1)
    for row, (_, channel) in zip(x, members, strict=True):
        if channel.keys:
            row[:] = channel.base(clock)
    return x


@dataclass(eq=False, slots=True)
class Rows:
    """The lowest layers of stacks, as many as are alike, on what these stand on."""

    members: list[Member]
    """Whose stacks they are, and where these are evaluated."""
    stacks: list[Channel]
    bottom: Callable[[Clock], SampleRows]
    scope: Scope
    known: dict[int, list[tuple[Clock, SampleRows]]] = field(default_factory=dict)
    """By place in the stack."""
    columns: NDArray[np.float64] = field(init=False)
    """(numbers, stacks, 1) the constant numbers of the layers, lowest first."""
    starts: list[int] = field(init=False)
    """Where those of each layer begin."""
    elsewhen: bool = field(init=False)
    """Whether one of the layers asks for what lies below it at other moments."""

    def __post_init__(self) -> None:
        packed = b"".join(stack.constants for stack in self.stacks)
        self.columns = np.array(np.frombuffer(packed).reshape(len(self.stacks), -1).T, order="C")[..., None]
        layers = self.stacks[0].sounding[: self.count]
        self.starts = [0, *accumulate(layer.stored_count for layer in layers)]
        self.elsewhen = any(layer.elsewhen for layer in layers)

    @property
    def count(self) -> int:
        """How many layers they are."""
        return len(self.stacks[0].forms)

    def at(self, place: int, clock: Clock) -> SampleRows:
        """What the first `place` layers make of what they stand on. Not to be written to.

        Returns
        -------
        (stacks, frames) array
            Each in its channel's unit.
        """
        known = self.known.setdefault(place, [])
        found = known_on(known, clock)
        if found is not None:
            return found
        if place == 0:
            values = self.bottom(clock)
        else:
            values = self._with_layer(place - 1, clock)
            if not self.elsewhen:  # nobody asks for what lies below any more, and what comes next takes its place
                self.known.pop(place - 1, None)
        known.append((clock, values))
        return values

    def _with_layer(self, place: int, clock: Clock) -> SampleRows:
        """(stacks, frames) what the first `place` layers make, with one more joined to them."""
        layer = self.stacks[0].sounding[place]
        inputs = RowInputs(self, place, clock, self.starts[place], _order(type(layer)))
        weight = inputs.number("weight")
        y = layer.signals(inputs)
        whole = bool(np.all(weight == 1.0))
        if layer.combine == "replace" and whole:
            return y if y.flags.writeable and y.flags.c_contiguous else np.array(y, order="C")
        x = combined(layer.combine, self.at(place, clock), y, 1.0 if whole else weight)
        # what replaces all is not rounded by what it replaces
        return np.where(weight == 1.0, y, x) if layer.combine == "replace" else x


@cache
def _order(kind: type[Layer]) -> dict[str, int]:
    """Where the numbers of a kind stand among each other."""
    return {name: place for place, name in enumerate(numbers_of(kind))}


@dataclass(eq=False, slots=True)
class RowInputs:
    """What the layers in one place of such stacks are given (the protocol `ManyInputs`)."""

    rows: Rows
    place: int
    clock: Clock
    start: int
    """Where their numbers begin among those of their stacks."""
    order: dict[str, int]
    """Where each stands from there on."""

    @property
    def layers(self) -> tuple[Layer, ...]:
        """They themselves."""
        return tuple(stack.sounding[self.place] for stack in self.rows.stacks)

    def number(self, name: str) -> SampleRows:
        """One of their own numbers."""
        numbers: SampleRows = self.rows.columns[self.start + self.order[name]]
        return numbers

    def table(self, *names: str) -> NDArray[np.float64]:
        """Some of their numbers."""
        places = [self.start + self.order[name] for name in names]
        return np.array(self.rows.columns[places].transpose(1, 0, 2), order="C")

    def below(self, clock: Clock | None = None) -> SampleRows:
        """What lies below each."""
        return self.rows.at(self.place, clock or self.clock)

    def other(self, address: str, frames: NDArray[np.float64] | None = None) -> float | NDArray[np.float64]:
        """Another number of the scene, read at once for all."""
        if frames is None:
            return read_once(address, self.clock, self.rows.scope)
        read = read_once(address, self.clock.at(frames.ravel()), self.rows.scope)
        return read if isinstance(read, float | int) else read.reshape(frames.shape)

    def recipe(self, name: str) -> Recipe:
        """One of the scene's recipes."""
        return self.rows.scope.recipe(name)

    def clip(self, address: str) -> Clip:
        """The clip that a track belongs to."""
        return self.rows.scope.clip(address)

    def airflows(self) -> list[Airflow]:
        """The air as it passes where each one's object is."""
        return [airflow_for(self.rows.scope.at(home)) for home, _ in self.rows.members]

    def velocities(self, airflows: list[Airflow], clock: Clock) -> PointBlock:
        """How the air goes as some of them."""
        return velocities([airflow for airflow in airflows if isinstance(airflow, Standing)], clock)

    def through(self, stacks: list[Channel], size: SampleRows) -> SampleRows:
        """What a stack for each makes of what lies below it."""
        form = stacks[0].forms
        if any(stack.forms != form or len(stack.sounding) != len(form) for stack in stacks):
            raise NotAlike("These stacks are not alike")
        written = bool(np.all(size == 1.0))

        def bottom(clock: Clock) -> SampleRows:
            below = self.below(clock)
            return below if written else below / np.maximum(size, LEAST_SIZE)

        inner = Rows(self.rows.members, stacks, bottom, self.rows.scope)
        y = inner.at(inner.count, self.clock)
        return y if written else y * size
