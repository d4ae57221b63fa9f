"""What a stack costs: each layer is worked out once on each clock that it is needed on, however deep it lies."""

from __future__ import annotations

from collections import Counter
from typing import Any

import numpy as np
import pytest

from lazzik.core.channel.channel import MOST_LAYERS, Channel
from lazzik.core.channel.keys import Key
from lazzik.core.clock import Clock
from lazzik.core.evaluate.evaluator import LayerInputs, number_on
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.strata import evaluating, strata
from lazzik.core.layers import BY_KIND, Recipe
from lazzik.core.scene.scene import Scene

CLOCK = Clock.over(24, 0, 100)
BASE = (Key(frame=0, value=0), Key(frame=30, value=20, go="linear"), Key(frame=60, value=-5))
ROCK = Recipe.model_validate(
    {"id": "rock", "label": "Rock", "stack": {"layers": [{"kind": "smooth", "id": "s", "label": "S", "cutoff": 2.0}]}}
)
AROUND = Scene(name="Around", recipes=(ROCK,))


def layer(kind: str, place: int, **fields: Any) -> Any:
    return BY_KIND[kind].model_validate({"kind": kind, "id": f"l{place}", "label": kind} | fields)


@pytest.fixture
def counted(monkeypatch: pytest.MonkeyPatch) -> Counter[str]:
    """How often each kind's signal was worked out, and over how many moments."""
    found: Counter[str] = Counter()
    for kind, model in BY_KIND.items():

        def signal(self: Any, inputs: LayerInputs, kind: str = kind, own: Any = model.signal) -> Any:
            found[kind] += 1
            found["moments"] += len(inputs.clock.frames)
            return own(self, inputs)

        monkeypatch.setattr(model, "signal", signal)
    return found


def test_twelve_smooth_layers_cost_what_twelve_cost(counted: Counter[str]) -> None:
    long = Clock.over(24, 0, 600)

    def smoothed(count: int) -> tuple[int, int]:
        counted.clear()
        number_on(Channel(keys=BASE, layers=tuple(layer("smooth", i, cutoff=3.0) for i in range(count))), long)
        return counted["smooth"], counted["moments"]

    (_, one), (_, two) = smoothed(1), smoothed(2)
    layers, moments = smoothed(12)
    assert layers == 12
    assert moments <= 1.3 * 12 * (two - one), "each but the highest is worked out on the grid, once"


KINDS = ("smooth", "settle", "follow", "noise", "hold", "limit", "recipe", "repeat")
EXTRA: dict[str, dict[str, Any]] = {"recipe": {"recipe": "rock"}, "smooth": {"cutoff": 4.0}}


def mixed(depth: int, **fields: Any) -> Channel:
    kinds = [KINDS[place % len(KINDS)] for place in range(depth)]
    return Channel(keys=BASE, layers=tuple(layer(k, i, **EXTRA.get(k, {}), **fields) for i, k in enumerate(kinds)))


@pytest.mark.parametrize("fields", [{}, {"weight": 0.7}, {"weight": 0.5, "combine": "add"}])
def test_a_stack_of_any_kinds_is_linear_in_its_depth(counted: Counter[str], fields: dict[str, Any]) -> None:
    calls = []
    for depth in (8, 16, 24):
        counted.clear()
        strata(mixed(depth, **fields), CLOCK, Scope(AROUND))
        calls.append(sum(counted[kind] for kind in BY_KIND))
    assert calls[2] - calls[1] <= 1.2 * (calls[1] - calls[0]) + 2
    assert calls[2] <= 24 * 4


def test_a_stack_gives_what_its_layers_give_one_after_the_other() -> None:
    channel = mixed(10, weight=0.8)
    whole = strata(channel, CLOCK, Scope(AROUND))
    values = np.asarray(number_on(channel, CLOCK, Scope(AROUND)))
    np.testing.assert_allclose(whole.result, values, atol=1e-12)
    np.testing.assert_allclose(whole.base + sum(lane.contribution for lane in whole.lanes), values, atol=1e-9)
    for moment in (3.0, 57.5, 100.0):
        alone = np.asarray(number_on(channel, CLOCK.at(np.array([moment])), Scope(AROUND)))
        whole_there = np.asarray(number_on(channel, Clock.over(24, 0, 100, per_frame=2), Scope(AROUND)))
        np.testing.assert_allclose(alone[0], whole_there[int(moment * 2)], atol=1e-9)


def test_what_is_worked_out_in_one_evaluation_serves_the_next(counted: Counter[str]) -> None:
    """The ringing over a loop reads all of it, whichever moments are asked for."""
    channel = Channel(keys=BASE, layers=(layer("noise", 0), layer("settle", 1, loop=100.0)))
    seam = CLOCK.at(np.array([0.0, 0.01, 99.99]))
    alone = number_on(channel, seam)
    with evaluating(Scope()) as together:
        strata(channel, CLOCK, together)
        counted.clear()
        np.testing.assert_array_equal(number_on(channel, seam, together), alone)
    assert counted["noise"] == 1
    assert counted["moments"] == 2 * len(seam.frames)
    assert together.run is not None
    assert not together.run.stacks


def test_the_deepest_stack_is_worked_out() -> None:
    deep = Channel(keys=BASE, layers=tuple(layer("smooth", i, cutoff=20.0) for i in range(MOST_LAYERS)))
    assert np.isfinite(strata(deep, CLOCK).result).all()


def test_layers_that_were_evaluated_still_compare_and_copy_as_values() -> None:
    one, other = (Channel(layers=(layer("noise", 0, amplitude=2.0),)) for _ in range(2))
    for channel in (one, other):
        number_on(channel, CLOCK)
    assert one == other
    assert one.layers[0].replaced(amplitude=3.0) != one.layers[0]
    changed = Channel(layers=(one.layers[0].replaced(amplitude=4.0),))
    np.testing.assert_allclose(np.asarray(number_on(changed, CLOCK)), 2 * np.asarray(number_on(one, CLOCK)), atol=1e-12)
