"""A number laid open: its base, what each layer adds, and the result; muted layers as they would act."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass

import numpy as np

from lazzik.core.channel.channel import Channel, as_channel
from lazzik.core.channel.layer import Layer
from lazzik.core.clock import Clock
from lazzik.core.document import LARGEST
from lazzik.core.evaluate.evaluator import LayerInputs, Stack, stack_of
from lazzik.core.evaluate.scope import ALONE, Scope
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


@contextmanager
def evaluating(scope: Scope) -> Iterator[Scope]:
    """One evaluation of several things: what is worked out for one of them serves the next. With the scope for it."""
    running = scope.running()
    assert running.run is not None
    try:
        yield running
    finally:  # a stack knows its scope, and that its stacks: a ring, which only a search could free
        running.run.stacks.clear()


def strata(number: float | Channel, clock: Clock, scope: Scope = ALONE) -> Strata:
    """A channel's base, each layer's own contribution and the result. A layer without a value has a problem."""
    channel = as_channel(number)
    stack = stack_of(channel, scope.noting([]))
    top = stack.at(len(stack.layers), clock)  # the highest first: what it reads of the others is wider than the clock
    lanes, place = [], 0
    for layer in scope.counted(channel):
        below = stack.at(place, clock)
        if place < len(stack.layers) and stack.layers[place] is layer:
            place += 1
            with_it, missing = stack.at(place, clock), stack.missing.get(place - 1, [])
        else:  # a muted layer is shown as it would be over those below it that do sound
            aside = Stack(stack.layers[:place], stack.bottom, stack.scope, stack.known)
            with_it, missing = aside.apply_layer(layer, place, clock), aside.missing.get(place, [])
        lanes.append(Lane(layer, with_it - below, "; ".join(dict.fromkeys(missing))))
    result = np.clip(top, -LARGEST, LARGEST)
    if channel.moves and not any(lane.problem for lane in lanes):
        scope.keep(channel, clock, result)
    return Strata(stack.at(0, clock), tuple(lanes), result)


def loop_note(number: float | Channel, layer: Layer, clock: Clock, scope: Scope) -> str:
    """What a loop made of the rate of one of a number's layers, for the person to read; '' if nothing."""
    stack = stack_of(as_channel(number), Scope(scope.scene, scope.memo, [], home=scope.home))
    (layer,) = scope.scene.counted((layer,)) if scope.scene else (layer,)
    return layer.note(LayerInputs(layer, 0, stack, clock.once, stack.scope))
