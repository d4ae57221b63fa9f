"""Motion read: keyed moves and the ringing after them are found again, and made a recipe that goes the same way."""

from __future__ import annotations

import numpy as np
import pytest

from lazzik.core.channel.channel import Channel
from lazzik.core.channel.keys import Go, Key
from lazzik.core.clock import Clock
from lazzik.core.evaluate.evaluator import number_on
from lazzik.core.evaluate.scope import Scope
from lazzik.core.layers.noise import Noise
from lazzik.core.layers.settle import Settle
from lazzik.core.reading.motion import read_motion
from lazzik.core.reading.move_fit import whitening
from lazzik.core.reading.moves import deviation_of
from lazzik.core.reading.outcome import keys_of, recipe_of, report
from lazzik.core.reading.ringing import Ringing, moved
from lazzik.core.types import Samples

RATE, COUNT = 30.0, 900
MOVED = ((3.0, 3.2, 8.0), (9.0, 9.3, -11.0), (17.0, 17.2, 9.0), (23.0, 23.3, 7.0))
"""(seconds, seconds, how far)."""


def keyed(go: Go) -> tuple[Key, ...]:
    level, keys = 0.0, []
    for start, end, height in MOVED:
        for at, value in ((start, level), (end, level + height)):
            keys.append(Key(frame=at * RATE, value=value, slope_in=0.0, slope_out=0.0, go=go))
        level += height
    return tuple(keys)


def curve(go: Go, *, noise: float = 1.0, strength: float = 0.7) -> Samples:
    layers = (
        Settle(kind="settle", id="s", label="s", frequency=1.8, damping=0.12, strength=strength),
        Noise(kind="noise", id="n", label="n", amplitude=noise, period=0.6, octaves=2.0, seed=4.0),
    )
    return np.array(number_on(Channel(keys=keyed(go), layers=layers), Clock.over(RATE, 0, COUNT - 1), Scope()))


@pytest.mark.parametrize("go", ["linear", "cubic"])
@pytest.mark.parametrize(("damping", "strength"), [(0.05, 1.1), (0.4, 0.5), (0.2, -0.6)])
def test_a_move_with_its_ringing_in_closed_form_is_what_the_layer_makes(
    go: Go, damping: float, strength: float
) -> None:
    keys = tuple(
        Key(frame=frame, value=value, slope_in=0.0, slope_out=0.0, go=go) for frame, value in ((30, 0), (37, 4))
    )
    layer = Settle(kind="settle", id="s", label="s", frequency=2.3, damping=damping, strength=strength)
    expected = number_on(Channel(keys=keys, layers=(layer,)), Clock.over(RATE, 0, 200), Scope())
    found = 4.0 * moved(np.arange(201) / RATE, 1.0, 7 / RATE, go == "cubic", Ringing(2.3, damping, strength))
    assert np.abs(found - expected).max() < (1e-12 if go == "linear" else 3e-6)


@pytest.mark.parametrize("go", ["linear", "cubic"])
def test_moves_and_their_ringing_are_found_beside_swings_and_noise(go: Go) -> None:
    t = np.arange(COUNT) / RATE
    found = read_motion(curve(go) + 1.2 * np.sin(2 * np.pi * (2.9 * t + 0.3)), RATE)
    moves = found.moves
    assert [move.height for move in moves.moves] == pytest.approx([height for *_, height in MOVED], abs=1.0)
    assert [move.middle for move in moves.moves] == pytest.approx([(a + b) / 2 for a, b, _ in MOVED], abs=0.05)
    assert moves.eased == (go == "cubic")
    assert moves.ringing is not None
    assert moves.ringing.frequency == pytest.approx(1.8, rel=0.05)
    assert moves.ringing.damping == pytest.approx(0.12, abs=0.04)
    assert [swing.frequency for swing in found.swings] == pytest.approx([2.9], abs=0.01)
    assert found.background is not None
    assert found.background.period == pytest.approx(0.6, rel=0.15)
    lines = " ".join(report(found))
    assert "moves: 4" in lines
    assert f"ringing after them: {moves.ringing.frequency:.4g} Hz" in lines


def test_the_recipe_of_moves_is_keys_with_settle_over_them_and_goes_the_same_way() -> None:
    y = curve("linear", noise=0.02)
    reading = read_motion(y, RATE)
    assert len(keys_of(reading)) == 2 * len(MOVED)
    stack = recipe_of(reading, "Mast").stack
    assert next(layer.kind for layer in stack.layers) == "settle"
    again = np.asarray(number_on(stack, Clock.over(RATE, 0, COUNT - 1), Scope()))
    assert np.abs(again - y).max() < 0.15
    kind = recipe_of(reading, "Mast", take="calmer").stack
    assert kind.keys == ()  # it rings after the moves of the number that it is put on
    settled = kind.layers[0]
    assert isinstance(settled, Settle)
    assert settled.strength == pytest.approx(0.6 * 0.7, rel=0.05)


def test_moves_that_do_not_ring_are_moves_alone() -> None:
    found = read_motion(curve("linear", strength=0.0), RATE)
    assert len(found.moves.moves) == len(MOVED)
    assert found.moves.ringing is None


def test_noise_and_swings_alone_have_no_moves() -> None:
    t = np.arange(COUNT) / RATE
    for seed in range(6):
        layer = Noise(kind="noise", id="n", label="n", amplitude=2.0, period=1.5, octaves=3.0, seed=float(seed))
        y = np.array(number_on(Channel(layers=(layer,)), Clock.over(RATE, 0, COUNT - 1), Scope()))
        assert read_motion(y + 3.0 * np.sin(2 * np.pi * 0.4 * t), RATE).moves.moves == ()


def test_the_filter_makes_what_an_autoregression_left_white() -> None:
    rng = np.random.default_rng(1)
    pushes, left = rng.normal(size=6000), np.zeros(6000)
    for k in range(2, 6000):
        left[k] = 1.2 * left[k - 1] - 0.5 * left[k - 2] + pushes[k]
    white = np.convolve(left, whitening(left), "valid")
    assert abs(np.corrcoef(white[1:], white[:-1])[0, 1]) < 0.15
    assert np.var(white) < 0.35 * np.var(left)


@pytest.mark.parametrize("seed", [7, *(pytest.param(n, marks=pytest.mark.slow) for n in (8, 9, 10))])
def test_curves_of_every_sort_are_read_without_an_error(seed: int) -> None:
    rng = np.random.default_rng(seed)
    for trial in range(20):
        count = int(rng.integers(64, 400))
        y = np.zeros(count)
        for place in rng.integers(0, count, int(rng.integers(0, 9))):
            y[place:] += rng.normal() * 10 ** rng.uniform(-3, 3)
        if trial % 3:
            y += rng.normal(size=count).cumsum() * (trial % 4) * 0.1
        if trial % 5 == 0:
            y += np.sin(np.arange(count) * rng.uniform(0.05, 1.0)) * 3
        reading = read_motion(y * 10.0 ** rng.integers(-9, 4), float(rng.choice([1, 12, 30, 120])))
        stack = recipe_of(reading, "Any").stack
        made = np.asarray(number_on(stack, Clock.over(30.0, 0, 20), Scope()))
        assert np.isfinite(made).all()
        assert all(np.isfinite(share) for share in reading.shares().values())


def test_a_curve_shorter_than_a_second_is_read() -> None:
    """There is no second to measure the noise's deviation over, so that half of what there is has to do."""
    assert deviation_of(np.random.default_rng(2).normal(size=64), 120.0) == pytest.approx(np.sqrt(2), rel=0.3)
