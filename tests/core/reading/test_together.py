"""Motion read: curves that share swings share their frequencies, and a loop is as long as they repeat best."""

from __future__ import annotations

import numpy as np
import pytest

from lazzik.core.channel.channel import Channel
from lazzik.core.clock import Clock
from lazzik.core.errors import InvalidEdit
from lazzik.core.evaluate.evaluator import number_on
from lazzik.core.evaluate.scope import Scope
from lazzik.core.layers.noise import Noise
from lazzik.core.reading.motion import read_motion
from lazzik.core.reading.outcome import loop_line, recipe_of
from lazzik.core.reading.repeats import best_loop
from lazzik.core.reading.together import MOST_CURVES, read_together
from lazzik.core.types import Samples

RATE, COUNT = 30.0, 900
T = np.arange(COUNT) / RATE


def noisy(seed: int, *swings: tuple[float, float, float]) -> Samples:
    """Noise of amplitude 1 with swings of (Hz, amplitude, phase)."""
    layer = Noise(kind="noise", id="n", label="n", amplitude=1.0, period=0.5, octaves=2.0, seed=float(seed))
    y = np.array(number_on(Channel(layers=(layer,)), Clock.over(RATE, 0, COUNT - 1), Scope()))
    for f, amplitude, phase in swings:
        y += amplitude * np.sin(2 * np.pi * (f * T + phase))
    return y


def test_a_swing_of_several_curves_is_one_nearer_the_truth_than_each_alone() -> None:
    curves = {f"c{k}": noisy(k, (1.31, 0.9, k / 7), (2.0 + 0.37 * k, 1.1, 0.2)) for k in range(5)}
    alone = [min(abs(s.frequency - 1.31) for s in read_motion(y, RATE).swings) for y in curves.values()]
    found = read_together(curves, RATE)
    assert len(found.shared) == 1
    assert abs(found.shared[0] - 1.31) < np.mean(alone)
    for k, reading in enumerate(found.each.values()):
        frequencies = sorted(swing.frequency for swing in reading.swings)
        assert frequencies[0] == found.shared[0]
        assert frequencies[1:] == pytest.approx([2.0 + 0.37 * k], abs=0.01)
        swing = next(swing for swing in reading.swings if swing.frequency == found.shared[0])
        assert swing.amplitude == pytest.approx(0.9, rel=0.3)


def test_a_swing_too_small_to_be_seen_alone_is_seen_where_others_have_it() -> None:
    # in a narrow place of the spectrum a small swing stands out seven to thirteen times
    quiet = next(y for size in np.arange(0.1, 0.6, 0.02)
                 if not read_motion(y := noisy(9, (1.7, 0.9 * size, 0.4)), RATE).swings
                 and read_motion(noisy(9, (1.7, 0.9 * (size + 0.02), 0.4)), RATE).swings)  # fmt: skip
    others = {"a": noisy(1, (1.7, 1.5, 0.0)), "b": noisy(2, (1.7, 1.4, 0.5))}
    found = read_together(others | {"quiet": quiet}, RATE)
    assert [swing.frequency for swing in found.each["quiet"].swings] == list(found.shared)


def test_curves_without_a_swing_in_common_keep_their_own() -> None:
    curves = {"a": noisy(1, (0.8, 1.5, 0.0)), "b": noisy(2, (1.9, 1.5, 0.0)), "still": np.full(COUNT, 3.0)}
    found = read_together(curves, RATE)
    assert found.shared == ()
    assert [len(reading.swings) for reading in found.each.values()] == [1, 1, 0]


def test_a_curve_that_can_not_be_read_is_named() -> None:
    with pytest.raises(InvalidEdit, match="short: A curve is read from"):
        read_together({"long": np.zeros(200), "short": np.zeros(9)}, RATE)
    with pytest.raises(InvalidEdit, match=f"One to {MOST_CURVES}"):
        read_together({}, RATE)


def test_the_loop_is_as_long_as_the_swings_repeat_and_its_recipe_closes() -> None:
    reading = read_motion(noisy(3, (0.75, 2.0, 0.1), (1.25, 1.5, 0.6)), RATE)
    loop = best_loop([reading])
    assert loop is not None
    assert loop.frames == 120  # 4 s: three cycles and five
    assert loop.miss < 0.02
    assert "120 frames (4 s)" in loop_line(loop, RATE)
    stack = recipe_of(reading, "Loop", loop=loop.frames).stack
    y = np.asarray(number_on(stack, Clock.over(RATE, 0, 3 * loop.frames), Scope()))
    assert np.abs(y[loop.frames :] - y[: -loop.frames]).max() < 1e-9
    assert np.ptp(y) > 3.0


def test_no_loop_is_offered_where_nothing_swings_or_too_slowly() -> None:
    still = read_motion(noisy(4), RATE)
    slow = read_motion(noisy(5, (4 / 30, 3.0, 0.0))[:420], RATE)
    assert best_loop([still]) is None
    assert best_loop([slow]) is None
    assert "No length repeats better" in loop_line(None, RATE)
