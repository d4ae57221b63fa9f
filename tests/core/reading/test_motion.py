"""Motion read: swings, noise and trends that were put into curves are found again, and what can't be told is said."""

from __future__ import annotations

import numpy as np
import pytest

from lazzik.core.channel.channel import Channel
from lazzik.core.clock import Clock
from lazzik.core.errors import InvalidEdit
from lazzik.core.evaluate.evaluator import number_on
from lazzik.core.evaluate.scope import Scope
from lazzik.core.layers.noise import Noise
from lazzik.core.layers.wave import Wave
from lazzik.core.reading.motion import read_motion
from lazzik.core.reading.outcome import TAKES, keys_of, recipe_of, report
from lazzik.core.reading.spectrum import deviation, noise_spectrum, periodogram
from lazzik.core.types import Samples

RATE = 30.0


def noise(seconds: float, *, seed: int = 5, **numbers: float) -> Samples:
    layer = Noise(kind="noise", id="n", label="n", seed=float(seed), **numbers)
    clock = Clock.over(RATE, 0, round(seconds * RATE) - 1)
    return np.array(number_on(Channel(layers=(layer,)), clock, Scope()), dtype=float)


def times(seconds: float) -> Samples:
    return np.arange(round(seconds * RATE)) / RATE


@pytest.mark.parametrize(("octaves", "roughness"), [(1, 0.5), (2, 0.5), (3, 0.3), (4, 0.7)])
def test_the_spectrum_of_the_noise_is_what_many_takes_have(octaves: int, roughness: float) -> None:
    takes = [noise(60, seed=seed, period=0.8, octaves=float(octaves), roughness=roughness) for seed in range(40)]
    f, _ = periodogram(takes[0], RATE)
    measured = np.mean([periodogram(take - take.mean(), RATE)[1] for take in takes], axis=0)
    expected = noise_spectrum(f, 0.8, octaves, roughness, RATE)
    expected *= deviation(octaves, roughness) ** 2 / (expected.sum() * f[1])
    band = (f > 0.3) & (f < 2.5)
    blocks = [slice(k, k + 12) for k in range(int(np.argmax(band)), int(np.argmax(band)) + int(band.sum()) - 12, 12)]
    for block in blocks:  # soft limiting moves a little of it, which counts where there is next to nothing
        if expected[block].mean() < 0.05 * expected.max():
            continue
        assert measured[block].mean() == pytest.approx(expected[block].mean(), rel=0.25)
    assert np.mean([take.std() for take in takes]) == pytest.approx(deviation(octaves, roughness), rel=0.04)


def test_swings_and_noise_are_told_apart_and_each_is_measured() -> None:
    t = times(40)
    y = noise(40, amplitude=2.0, period=0.7, octaves=2.0)
    y += 2.5 * np.sin(2 * np.pi * (0.61 * t + 0.2)) + 1.6 * np.sin(2 * np.pi * (1.9 * t + 0.7))
    found = read_motion(y, RATE)
    swings = sorted(found.swings, key=lambda swing: swing.frequency)
    assert [swing.frequency for swing in swings] == pytest.approx([0.61, 1.9], abs=0.2 / 40)
    assert [swing.amplitude for swing in swings] == pytest.approx([2.5, 1.6], rel=0.1)
    assert [swing.phase for swing in swings] == pytest.approx([0.2, 0.7], abs=0.05)
    assert found.background is not None
    assert found.background.period == pytest.approx(0.7, rel=0.15)
    assert found.background.amplitude == pytest.approx(2.0, rel=0.2)
    shares = found.shares()
    assert sum(shares.values()) == pytest.approx(1.0, abs=0.1)
    assert shares["swings"] > shares["noise"] > shares["trend"]


def test_the_recipe_as_measured_goes_as_the_curve_did_but_for_its_noise() -> None:
    t = times(20)
    y = 3.0 + 1.5 * np.sin(2 * np.pi * (0.8 * t + 0.35)) + 0.1 * np.sin(2 * np.pi * 0.05 * t)
    recipe = recipe_of(read_motion(y, RATE), "Read", "°")
    assert recipe.unit == "°"
    again = np.asarray(number_on(recipe.stack, Clock.over(RATE, 0, len(y) - 1), Scope()))
    assert np.abs(again - y).max() < 0.03


def test_a_new_take_is_of_the_same_kind_and_calmer_is_less() -> None:
    y = noise(40, amplitude=2.0, period=0.6) + 2.0 * np.sin(2 * np.pi * 0.9 * times(40))
    found = read_motion(y, RATE)
    measured, kind, calmer, stronger = (recipe_of(found, "Read", take=take, seed=7) for take in TAKES)
    numbers = [{f"{item.kind}.{n}": getattr(item, n) for item in recipe.stack.layers for n in ("amplitude", "period")}
               for recipe in (calmer, kind, stronger)]  # fmt: skip
    for name in ("wave.amplitude", "noise.amplitude"):
        assert numbers[0][name] < numbers[1][name] < numbers[2][name]
    for name in ("wave.period", "noise.period"):
        assert numbers[0][name] > numbers[1][name] > numbers[2][name]
    swings = [recipe.stack.layers[0] for recipe in (measured, kind)]
    assert all(isinstance(swing, Wave) for swing in swings)
    assert swings[0] != swings[1]
    assert swings[0].replaced(phase=0.0) == swings[1].replaced(phase=0.0)
    assert kind.stack.keys == ()


def test_a_constant_and_a_ramp_are_keys_and_nothing_else() -> None:
    still = read_motion(np.full(300, 4.0), RATE)
    assert (still.swings, still.background, keys_of(still)) == ((), None, ())
    assert "no motion beside the trend" in " ".join(still.remarks)
    ramp = read_motion(np.linspace(0, 9, 300), RATE)
    assert (ramp.swings, ramp.background) == ((), None)
    assert len(keys_of(ramp)) <= 3
    assert "trend: 100 % of the variance" in " ".join(report(ramp))


def test_on_white_noise_no_swing_is_seen_and_it_is_said() -> None:
    for seed in range(12):
        found = read_motion(np.random.default_rng(seed).normal(size=900), RATE)
        assert found.swings == ()
        assert any("as good as white" in remark for remark in found.remarks)


def test_gaps_and_outliers_are_bridged_and_told() -> None:
    y = noise(30, amplitude=1.0, period=0.8) + 1.2 * np.sin(2 * np.pi * 1.1 * times(30))
    y[100:112] = np.nan
    y[[300, 500]] = 40.0
    found = read_motion(y, RATE)
    assert [swing.frequency for swing in found.swings] == pytest.approx([1.1], abs=0.01)
    said = " ".join(found.remarks)
    assert "12 missing samples" in said
    assert "2 outliers" in said


def test_a_jump_to_another_level_is_a_move_and_a_jolt_is_told() -> None:
    y = noise(30, amplitude=0.5, period=0.8)
    jump, jolt = y.copy(), y.copy()
    jump[450:] += 12.0
    jolt[447:454] += 12.0 * np.hanning(9)[1:-1]
    (move,) = read_motion(jump, RATE).moves.moves
    assert move.middle == pytest.approx(15.0, abs=0.05)
    assert move.height == pytest.approx(12.0, abs=0.5)
    found = read_motion(jolt, RATE)
    assert found.moves.moves == ()
    assert any(
        ("At 45" in remark or "At 44" in remark) and "moves as no noise does" in remark for remark in found.remarks
    )


@pytest.mark.parametrize(
    ("samples", "said"),
    [
        (np.zeros(10), "from 64"),
        (np.zeros(70_000), "from 64"),
        (np.where(np.arange(100) % 3, 1.0, np.nan), "missing"),
        (np.full(100, 1e12), "goes farther"),
    ],
    ids=["short", "long", "holes", "far"],
)
def test_what_can_not_be_read_is_refused(samples: Samples, said: str) -> None:
    with pytest.raises(InvalidEdit, match=said):
        read_motion(samples, RATE)
