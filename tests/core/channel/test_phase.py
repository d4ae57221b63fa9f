"""Phase against integrals worked out elsewhere: rates that jump, rates that do not meet themselves, whole turns."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.integrate import quad

from lazzik.core.channel.channel import Channel
from lazzik.core.channel.keys import Key
from lazzik.core.channel.phase import SEAM, integrate
from lazzik.core.channel.window import Window
from lazzik.core.clock import Clock
from lazzik.core.evaluate.evaluator import LayerInputs, number_on, stack_of
from lazzik.core.evaluate.scope import Scope
from lazzik.core.layers.turn import Turn
from lazzik.core.scene.dial import Dial
from lazzik.core.scene.scene import Scene
from tests.conftest import note
from tests.strategies import keys

FPS = 30.0


def turn(rate: float | Channel, **fields: Any) -> Turn:
    return Turn(kind="turn", id="turn", label="Turn", rate=rate, **fields)


def inputs(layer: Turn, clock: Clock, scene: Scene | None = None) -> LayerInputs:
    stack = stack_of(Channel(layers=(layer,)), Scope(scene))
    return LayerInputs(layer, 0, stack, clock, stack.scope)


def turned(layer: Turn, clock: Clock, scene: Scene | None = None) -> np.ndarray[Any, Any]:
    return np.asarray(number_on(Channel(layers=(layer,)), clock, Scope(scene)))


def keyed(*pairs: tuple[float, float], go: str = "linear") -> Channel:
    return Channel(keys=tuple(Key(frame=frame, value=value, go=go) for frame, value in pairs))


def test_a_constant_rate_and_a_keyed_one_of_the_same_value_agree() -> None:
    clock = Clock(FPS, 0, np.array([-7.3, 0, 12.25, 119.9]))
    for loop in (None, 37.0):
        phases = [
            integrate(inputs(turn(rate), clock), ("rate",), lambda rate: rate, loop)
            for rate in (1.7, keyed((0, 1.7), (50, 1.7)))
        ]
        np.testing.assert_allclose(phases[0].cycles, phases[1].cycles, atol=1e-9)
        assert phases[0].wrap == phases[1].wrap
        assert phases[0].start_rate == pytest.approx(phases[1].start_rate)


def test_phase_is_the_integral_of_the_rate() -> None:
    clock = Clock(FPS, 0, np.array([0.0, 15, 30, 60, 61.3]))
    t = clock.frames / FPS
    np.testing.assert_allclose(turned(turn(keyed((0, 2), (90, 5))), clock), 2 * t + t * t / 2, atol=1e-9)


@given(keys(), st.sampled_from(["hold", "repeat", "alternate"]))
def test_step_keys_are_exact(drawn: tuple[Key, ...], after: Any) -> None:
    steps = tuple(key.replaced(frame=key.frame + 0.013 * n, go="step") for n, key in enumerate(drawn))
    rate = Channel(value=3.0, keys=steps, after=after)
    clock = Clock(FPS, 0, np.array([0.0, 10.6, 33.3, 77.0, 129.99, 190.2]))
    found = turned(turn(rate), clock)
    edges = rate.curve(FPS).jumps(0, 200) if len(steps) > 1 else np.empty(0)
    for end, value in zip(clock.frames, found, strict=True):
        cuts = np.unique(np.concatenate(([0.0, end], edges[edges < end])))
        middles = (cuts[1:] + cuts[:-1]) / 2
        rates = np.broadcast_to(number_on(rate, clock.at(middles)), middles.shape)
        assert value == pytest.approx(float(np.sum(rates * np.diff(cuts))) / FPS, abs=1e-9 * max(1, abs(value)))


def test_a_jump_is_exact_wherever_it_comes_from() -> None:
    windowed = Channel(
        value=10.0, layers=(turn(0.0).replaced(id="w", window=Window(start=20.3, end=41.7), combine="replace"),)
    )
    dial = Dial(id="tide", label="Tide", value=keyed((0, 100), (33.37, 700), go="step"))
    scene = Scene(name="Jumps", dials=(dial,))
    link = {"kind": "link", "id": "l", "label": "L", "source": "dials/tide", "delay": 0.5}
    linked = Channel.model_validate({"layers": [link]})
    clock = Clock(FPS, 0, np.array([100.0]))
    assert turned(turn(windowed), clock)[0] == pytest.approx(10 * (20.3 + 100 - 41.7) / FPS, abs=1e-7)
    step = 33.37 + 15
    assert turned(turn(linked), clock, scene)[0] == pytest.approx((100 * step + 700 * (100 - step)) / FPS, abs=1e-6)


@pytest.mark.parametrize(("rate", "whole"), [(-90.0, -1), (90.0, 1), (0.0, 0), (50.0, 0), (-700.0, -6), (-648.0, -6)])
def test_a_turn_in_a_loop_keeps_its_sign(rate: float, whole: int) -> None:
    layer = turn(rate, loop=100.0)
    clock = Clock(FPS, 0, np.array([0.0, 25, 100, 250]))
    np.testing.assert_allclose(turned(layer, clock), 3.6 * whole * clock.frames, atol=1e-9)
    assert note(layer).startswith(f"{whole} turn{'' if abs(whole) == 1 else 's'} in the loop".replace("-", "−"))


def test_a_rate_that_swings_through_nothing_stays_what_it_is() -> None:
    rate = keyed((0, 300), (50, -290), (100, 300))
    clock = Clock.over(FPS, 0, 100, per_frame=4)
    free, looped = turned(turn(rate), clock), turned(turn(rate, loop=100.0), clock)
    assert abs(looped[-1]) < 1e-9, "5 ⅔ of a degree are nearest to no turn at all"
    np.testing.assert_allclose(looped, free - free[-1] * clock.frames / 100, atol=1e-9)
    assert note(turn(rate, loop=100.0)) == "0 turns in the loop, from 0.0463"


@given(keys(), st.integers(20, 150))
def test_in_a_loop_value_and_slope_meet_and_the_change_of_rate_is_kept(drawn: tuple[Key, ...], length: int) -> None:
    smooth = tuple(key.replaced(go="linear", value=20 * key.value) for key in drawn)
    rate, loop = Channel(value=90.0, keys=smooth), float(length)
    layer = turn(rate, loop=loop)
    fine = 1 / 512
    y = turned(layer, Clock(FPS, 0, np.array([0, fine, loop - fine, loop, loop + fine])))
    assert (y[3] - y[0]) / 360 == pytest.approx(round((y[3] - y[0]) / 360), abs=1e-9)
    steepest = 1 + float(np.abs(np.broadcast_to(number_on(rate, Clock.over(FPS, 0, length)), length + 1)).max())
    assert y[3] - y[2] == pytest.approx(y[1] - y[0], abs=2e-3 * steepest * fine)
    inside = np.linspace(loop * (SEAM + 0.01), loop * (1 - SEAM - 0.01), 41)
    free, looped = turned(turn(rate), Clock(FPS, 0, inside)), turned(layer, Clock(FPS, 0, inside))
    apart = np.polynomial.polynomial.Polynomial.fit(inside, looped - free, 1)
    np.testing.assert_allclose(looped - free, apart(inside), atol=1e-6)
    true, _ = quad(
        lambda f: float(np.asarray(number_on(rate, Clock(FPS, 0, np.array([f])))).flat[0]), 0, loop, limit=200
    )
    assert abs((y[3] - y[0]) - true / FPS) <= 180 + 1e-3 * steepest


def test_a_keyed_period_meets_in_value_and_slope() -> None:
    period = keyed((0, 2.0), (100, 0.4))
    fields = {"kind": "wave", "id": "w", "label": "W", "period": period, "loop": 100.0}
    wave = Channel.model_validate({"layers": [fields]})
    ends = np.array([0.0, 1 / 256, 100 - 1 / 256, 100])
    y = np.asarray(number_on(wave, Clock(FPS, 0, ends)))
    steepest = np.abs(np.diff(np.asarray(number_on(wave, Clock.over(FPS, 0, 100, per_frame=256))))).max()
    assert y[3] == pytest.approx(y[0], abs=1e-9)
    assert y[3] - y[2] == pytest.approx(y[1] - y[0], abs=2e-3 * steepest)
