"""Noise: against its definition, its bounds, its loops and its independence of what is asked."""

from __future__ import annotations

import json
import math
import subprocess
import sys

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lazzik.core.channel.channel import Channel, base_value
from lazzik.core.channel.keys import Key
from lazzik.core.clock import Clock
from lazzik.core.evaluate.evaluator import number_on
from lazzik.core.evaluate.strata import strata
from lazzik.core.evaluate.values import evaluate
from lazzik.core.layers.noise import CHARACTERS, REACH, SIDES, Noise, reach_of, shaped
from lazzik.core.layers.octaves import lattice
from lazzik.demo.station import station
from tests.conftest import note, turned
from tests.core import oracles
from tests.strategies import channels, noises, numbers


def noise(**fields: object) -> Noise:
    return Noise(kind="noise", id="noise", label="Noise", **fields)


def signal(layer: Noise, clock: Clock) -> np.ndarray:
    return strata(Channel(layers=(layer,)), clock).lanes[0].contribution


SPLITMIX = (6457827717110365317, 3203168211198807973, 9817491932198370423, 4593380528125082431, 16408922859458223821)
"""The first numbers of splitmix64 begun at 1234567, as they are published with its reference implementation."""


@pytest.mark.parametrize("octave", [0, 5])
def test_the_lattice_is_splitmix64(octave: int) -> None:
    # the n-th number is mixed from 1234567 + n times the golden step: a seed is found that begins there
    begin = 1234567 - 0x632BE59BD9B4E019 - octave * 0xA0761D6478BD642F
    seed = begin * pow(0xD1342543DE82EF95, -1, 2**64) % 2**64
    for n, number in enumerate(SPLITMIX, 1):
        signed = np.array([seed], dtype=np.uint64).astype(np.int64)[0]
        assert lattice(n, signed, octave) == pytest.approx((number >> 11) / (2**53 - 1) * 2 - 1, abs=1e-15)


@given(numbers(0.1, 3), st.integers(1, 6), numbers(0, 1), st.integers(0, 999))
def test_smooth_noise_is_its_definition(period: float, octaves: int, roughness: float, seed: int) -> None:
    clock = Clock.over(25, 0, 60, per_frame=3)
    layer = noise(amplitude=4.0, period=period, octaves=float(octaves), roughness=roughness, seed=float(seed))
    low, high = reach_of(REACH[0], octaves, roughness)
    expected = []
    for t in clock.frames:
        n = (2 * oracles.smooth_noise(t / 25 / period, octaves, roughness, seed) - low - high) / (high - low)
        soft = 0.8 + 0.2 * math.tanh((abs(n) - 0.8) / 0.2)
        expected.append(4 * (n if abs(n) <= 0.8 else math.copysign(soft, n)))
    np.testing.assert_allclose(signal(layer, clock), expected, atol=1e-9)


def stretches(layer: Noise, count: int, per_cell: int) -> np.ndarray:
    """(count, samples) what a layer gives over as many stretches of 16 cells, each with a seed of its own."""
    cells = np.arange(16 * per_cell) / per_cell
    clock = Clock(24, 0, 24 * cells * (1 / 24 if layer.character == "white" else base_value(layer.period)))
    return np.array([signal(layer.replaced(seed=float(seed + 20_000)), clock) for seed in range(count)])


@pytest.mark.parametrize("character", CHARACTERS)
@pytest.mark.parametrize(("octaves", "roughness"), [(1.0, 0.5), (1.6, 0.85), (2.0, 0.5), (3.3, 0.72), (5.0, 0.45)])
def test_noise_reaches_its_amplitude_in_a_usual_stretch(character: str, octaves: float, roughness: float) -> None:
    layer = noise(character=character, octaves=octaves, roughness=roughness, period=1.0)
    held = character in ("steps", "white")
    per_cell = 1 if character == "white" else (1 if held else 8) * 2 ** (math.ceil(octaves) - 1)
    v = stretches(layer, 1500, per_cell)
    # back from the soft limit to what it limits: its mean lowest and highest are the amplitude to 3 %
    beyond = np.clip((np.abs(v) - 0.8) / 0.2, 0, 1 - 1e-12)
    r = np.where(np.abs(v) > 0.8, np.sign(v) * (0.8 + 0.2 * np.arctanh(beyond)), v)
    assert r.min(axis=1).mean() == pytest.approx(-1, abs=0.03)
    assert r.max(axis=1).mean() == pytest.approx(1, abs=0.03)
    assert np.abs(v).max() <= 1


@pytest.mark.parametrize("character", CHARACTERS)
def test_one_sided_noise_comes_to_rest_and_reaches_its_amplitude(character: str) -> None:
    for side, rest, far in (("above", 0.0, 1.0), ("below", 0.0, -1.0)):
        layer = noise(character=character, octaves=2.0, side=side, amplitude=5.0)
        v = stretches(layer, 300, 1 if character == "white" else 16) / 5
        nearest, farthest = np.abs(v - rest).min(axis=1), np.abs(v).max(axis=1)
        assert np.median(nearest) <= 0.1
        assert np.median(farthest) >= 0.9
        assert (v * far).min() >= 0


def test_the_offset_moves_the_centre_and_softening_keeps_loops_closed() -> None:
    loop = noise(amplitude=3.0, octaves=3.0, period=0.3, loop=100.0)
    clock = Clock(30, 0, np.array([0, 1e-3, 100 - 1e-3, 100, 100 + 1e-3]))
    y = signal(loop, clock)
    assert y[3] == pytest.approx(y[0], abs=1e-9)
    assert y[3] - y[2] == pytest.approx(y[1] - y[0], abs=1e-4 * abs(y[1] - y[0]) + 1e-9)
    np.testing.assert_allclose(signal(loop.replaced(offset=2.5), clock), y + 2.5, atol=1e-12)


def _odds(v: float) -> float:
    return v / (1 - v)


@given(numbers(0.01, 0.99), numbers(0.05, 0.95))
def test_bias_multiplies_odds_and_gain_does_so_in_each_half(v: float, b: float) -> None:
    """Schlick's bias is the one ratio of linear functions with 0 → 0, 1 → 1 and ½ → b: it keeps cross-ratios, so it
    multiplies the odds of v by those of b. His gain is a half-sized copy of it, and that copy turned about the
    middle."""
    assert _odds(shaped(v, b, 0.5)) == pytest.approx(_odds(v) * _odds(b), rel=1e-9)
    assert _odds(2 * shaped(v / 2, 0.5, b)) == pytest.approx(_odds(v) * _odds(b), rel=1e-9)
    assert shaped(1 - v, 0.5, b) == pytest.approx(1 - shaped(v, 0.5, b), abs=1e-12)
    both = shaped(v, b, 0.3)
    assert both == pytest.approx(shaped(shaped(v, b, 0.5), 0.5, 0.3), abs=1e-12)  # bias first, then gain


@given(noises(weight=1.0, combine="add"))
def test_never_beyond_the_amplitude(layer: Noise) -> None:
    values = signal(layer, Clock.over(30, 0, 200, per_frame=7))
    low, high = {"both": (-1, 1), "above": (0, 1), "below": (-1, 0)}[layer.side]
    assert values.min() >= low * base_value(layer.amplitude)
    assert values.max() <= high * base_value(layer.amplitude)


def test_the_amplitude_is_nearly_reached() -> None:
    values = signal(noise(amplitude=1.0, period=0.2), Clock.over(30, 0, 20_000))
    assert values.max() > 0.9
    assert values.min() < -0.9


@pytest.mark.parametrize("character", CHARACTERS)
@pytest.mark.parametrize("side", SIDES)
@given(data=st.data())
def test_a_loop_meets_itself(character: str, side: str, data: st.DataObject) -> None:
    layer = data.draw(noises(character=character, side=side, loop=float(data.draw(st.integers(3, 250)))))
    layer = layer.replaced(window={}, weight=1.0, combine="add")
    length = layer.loop or 0
    frames = np.array([0.0, 0.25, 1.0, 2.0, length * 0.6])
    once = signal(layer, Clock(24, 0, frames))
    again = signal(layer, Clock(24, 0, frames + length))
    thrice = signal(layer, Clock(24, 0, frames + 3 * length))
    assert np.abs(once - again).max() <= 1e-9
    assert np.abs(once - thrice).max() <= 1e-9


FORWARD = np.array([-25, 48, -36, 16, -3]) / 12
"""One-sided first derivative from five points, exact to the fourth order."""


@given(noises(character="smooth", combine="add", weight=1.0, shift=0.0), st.integers(3, 250), st.integers(1, 6))
def test_a_smooth_loop_meets_itself_in_slope(layer: Noise, length: int, octaves: int) -> None:
    layer = layer.replaced(window={}, loop=float(length), octaves=float(octaves), amplitude=1.0)
    finest = length / max(1, round(length / 24 / base_value(layer.period))) / 2 ** (octaves - 1)
    h = finest / 2000
    after = signal(layer, Clock(24, 0, h * np.arange(5))) @ FORWARD / h
    before = -(signal(layer, Clock(24, 0, length - h * np.arange(5))) @ FORWARD) / h
    # per cell of the finest octave, so that the bound means the same for calm and for nervous noise
    assert abs(after - before) * finest <= 1e-6


@given(channels(nested=True), st.integers(0, 100), st.integers(1, 3))
def test_a_value_is_the_same_whatever_was_asked(channel: Channel, frame: int, per_frame: int) -> None:
    whole = Clock.over(30, 0, 120, per_frame=6)
    part = Clock.over(30, 0, frame + 10, start=frame, per_frame=per_frame)
    alone = Clock(30, 0, np.array([float(frame)]))
    wide = np.broadcast_to(number_on(channel, whole), whole.frames.shape)
    narrow = np.broadcast_to(number_on(channel, part), part.frames.shape)
    assert abs(narrow[0] - wide[frame * 6]) <= 1e-9
    assert abs(np.broadcast_to(number_on(channel, alone), (1,))[0] - wide[frame * 6]) <= 1e-9


def test_a_second_process_gets_the_same_values() -> None:
    script = (
        "import json; from lazzik.demo.station import station; from lazzik.core.evaluate.values import evaluate;"
        "s = station(); print(json.dumps(evaluate(s, ['beacon-mast/rotation.z'], s.clock())"
        "['beacon-mast/rotation.z'].tolist()))"
    )
    done = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, check=True)
    here = evaluate(station(), ["beacon-mast/rotation.z"], station().clock())["beacon-mast/rotation.z"]
    assert json.loads(done.stdout) == here.tolist()


@pytest.mark.parametrize("go", ["step", "linear", "cubic"])
@pytest.mark.parametrize("loop", [None, 90.0])
def test_a_keyed_period_never_makes_the_curve_jump(go: str, loop: float | None) -> None:
    keys = tuple(Key(frame=f, value=v, go=go) for f, v in ((0, 2.0), (30, 0.2), (60, 3.0), (90, 2.0)))
    layer = noise(amplitude=1.0, period=Channel(keys=keys), shift=0.7, loop=loop)
    values = signal(layer, Clock.over(30, 0, 180, per_frame=40))
    # the steepest that noise of amplitude 1 can be is 2·(1 + 15/8) per cell, and the shortest cell lasts 0.2 s
    steepest = 2 * (1 + 15 / 8) / 0.19
    assert np.abs(np.diff(values)).max() <= steepest / 30 / 40 * 1.3


def test_a_step_in_the_period_bends_and_does_not_jump_under_shift() -> None:
    period = Channel(keys=(Key(frame=0, value=1.0, go="step"), Key(frame=50, value=0.25, go="step")))
    layer = noise(amplitude=1.0, period=period, shift=4.0)
    values = signal(layer, Clock(30, 0, np.array([50 - 1e-6, 50.0, 50 + 1e-6])))
    assert np.abs(np.diff(values)).max() < 1e-5


def test_the_note_says_what_the_loop_made_of_the_period() -> None:
    assert note(noise(period=0.9, loop=250.0)) == "9 × 0.926 s"
    assert note(noise(period=0.9)) == ""


def test_driven_numbers_are_held_within_their_limits() -> None:
    wild = Channel(keys=(Key(frame=0, value=-5.0, go="linear"), Key(frame=60, value=50.0)))
    layer = noise(octaves=wild, roughness=wild, bias=wild, gain=wild, period=wild, seed=Channel(value=1.0))
    values = evaluate(turned(Channel(layers=(layer,))), ["post/rotation.z"], Clock.over(30, 0, 120))["post/rotation.z"]
    assert np.all(np.isfinite(values))
    assert np.abs(values).max() <= 1.0
