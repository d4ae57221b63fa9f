"""Each layer kind against an independent reference, and what all kinds promise together."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray
from scipy.integrate import quad, solve_ivp
from scipy.ndimage import gaussian_filter1d

from lazzik.core.channel.channel import Channel
from lazzik.core.channel.keys import Key
from lazzik.core.channel.layer import Layer, numbers_of
from lazzik.core.clock import SUBSTEPS, Clock
from lazzik.core.evaluate.evaluator import number_on
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.values import evaluate
from lazzik.core.layers import BY_KIND, Clip, Recipe
from lazzik.core.layers.clip import Track
from lazzik.core.layers.travel import EASES
from lazzik.core.layers.wave import SHAPES
from lazzik.core.scene.dial import Dial
from lazzik.core.scene.scene import Scene
from tests.conftest import edited, note, turned
from tests.strategies import keys, noises, numbers

FPS = 30.0
MOVE = (Key(frame=20, value=0, go="linear"), Key(frame=50, value=30, go="linear"))
Values = NDArray[np.float64]


READABLE: dict[str, dict[str, Any]] = {
    "link": {"source": "dials/tide"}, "recipe": {"recipe": "rock"}, "formula": {"text": "x + tide * sin(t)"},
    "clip": {"source": "clips/gust.swing", "seam": 4.0},
}  # fmt: skip
"""What kinds that read other numbers read in these tests."""


def layer(kind: str, **fields: Any) -> Layer:
    given = {"kind": kind, "id": kind, "label": kind} | READABLE.get(kind, {})
    return BY_KIND[kind].model_validate(given | fields)


TIDE = Dial(id="tide", label="Tide", value=Channel(layers=(layer("noise", amplitude=3.0, period=0.6),)))
ROCK = Recipe(
    id="rock", label="Rock", unit="°", reach=8.0,
    stack=Channel(layers=(layer("wave", amplitude=4.0, period=0.9), layer("settle"), layer("hold", every=3.0))),
)  # fmt: skip
SWING = Channel(keys=(Key(frame=0, value=0), Key(frame=9, value=6, slope_in=2, slope_out=-3), Key(frame=24, value=1.5)))
GUST = Clip(id="gust", label="Gust", length=24, tracks=(Track(id="swing", label="Swing", unit="°", motion=SWING),))
AROUND = Scope(Scene(name="Around", dials=(TIDE,), recipes=(ROCK,), clips=(GUST,)))


def on(clock: Clock, *layers: Layer, base: tuple[Key, ...] = (), value: float = 0.0) -> Values:
    out = number_on(Channel(value=value, keys=base, layers=layers), clock, AROUND)
    return np.broadcast_to(np.asarray(out, dtype=float), clock.frames.shape)


def published_shape(name: str, p: float, width: float) -> float:
    p %= 1.0
    match name:
        case "sine":
            return float(np.sin(2 * np.pi * p))
        case "triangle":
            return float(2 / np.pi * np.arcsin(np.sin(2 * np.pi * p)))
        case "square":
            return 1.0 if p < 0.5 else -1.0
        case "saw":
            return 2 * p - 1
    return 1.0 if p < width else 0.0


@pytest.mark.parametrize("shape", SHAPES)
@given(numbers(0.1, 3), numbers(-2, 2), numbers(0.1, 0.9))
def test_waves_are_their_shapes(shape: str, period: float, phase: float, width: float) -> None:
    clock = Clock(FPS, 0, np.linspace(0.013, 99.7, 61))
    wave = layer("wave", amplitude=3.0, period=period, phase=phase, offset=1.5, width=width, shape=shape)
    places = clock.frames / FPS / period + phase
    expected = np.array([3 * published_shape(shape, p, width) + 1.5 for p in places])
    # a sample closer to a jump than rounding may fall on either side
    jumps = np.abs(((places[:, None] - np.array([0, 0.5, width])) + 0.5) % 1 - 0.5).min(axis=1) < 1e-6
    np.testing.assert_allclose(on(clock, wave)[~jumps], expected[~jumps], atol=1e-7)


@pytest.mark.parametrize("shape", SHAPES[1:])
@pytest.mark.parametrize("softness", [0.1, 0.5, 1.0])
def test_softness_is_the_mean_over_half_its_share_of_the_cycle(shape: str, softness: float) -> None:
    clock = Clock(FPS, 0, np.array([0.0, 3.1, 7.4, 14.9, 22.2, 29.3]))
    values = on(clock, layer("wave", amplitude=1.0, period=1.0, width=0.3, shape=shape, softness=softness))
    for value, frame in zip(values, clock.frames, strict=True):
        p, h = frame / FPS, softness / 4
        corners = [c + n for n in (-1, 0, 1, 2) for c in (0, 0.25, 0.3, 0.5, 0.75) if p - h < c + n < p + h]
        mean = quad(lambda q: published_shape(shape, q, 0.3), p - h, p + h, points=corners or None)[0] / (2 * h)
        assert value == pytest.approx(mean, abs=1e-6)


PUBLISHED: dict[str, Callable[[float], float]] = {
    "linear": lambda x: x,
    "sine": lambda x: 1 - np.cos(x * np.pi / 2),
    "quad": lambda x: x**2,
    "cubic": lambda x: x**3,
    "quart": lambda x: x**4,
    "quint": lambda x: x**5,
    "expo": lambda x: 0 if x == 0 else 2 ** (10 * x - 10),
    "circ": lambda x: 1 - np.sqrt(1 - x**2),
    "back": lambda x: 2.70158 * x**3 - 1.70158 * x**2,
    "elastic": lambda x: x if x in (0, 1) else -(2 ** (10 * x - 10)) * np.sin((x * 10 - 10.75) * 2 * np.pi / 3),
    "bounce": lambda x: 1 - _bounce(1 - x),
}


def _bounce(x: float) -> float:
    for edge, middle, low in ((1, 0, 0), (2, 1.5, 0.75), (2.5, 2.25, 0.9375)):
        if x < edge / 2.75:
            return 7.5625 * (x - middle / 2.75) ** 2 + low
    return 7.5625 * (x - 2.625 / 2.75) ** 2 + 0.984375


@pytest.mark.parametrize("ease", EASES[:-1])
@pytest.mark.parametrize("way", ["in", "out", "in-out"])
def test_easings_are_the_published_ones(ease: str, way: str) -> None:
    clock = Clock.over(FPS, 0, 60)
    values = on(clock, layer("travel", begin=2.0, finish=7.0, start=10.0, length=40.0, ease=ease, way=way))
    f = PUBLISHED[ease]
    for frame, value in zip(clock.frames, values, strict=True):
        u = min(max((frame - 10) / 40, 0), 1)
        if way == "in":
            share = f(u)
        elif way == "out":
            share = 1 - f(1 - u)
        else:
            share = f(2 * u) / 2 if u < 0.5 else 1 - f(2 - 2 * u) / 2
        assert value == pytest.approx(2 + 5 * share, abs=1e-9)


def test_a_travel_holds_repeats_alternates_accumulates_and_is_cut() -> None:
    clock = Clock(FPS, 0, np.array([0.0, 5, 10, 15, 20, 25]))
    fields = {"finish": 10.0, "length": 10.0, "ease": "linear"}
    assert on(clock, layer("travel", **fields)).tolist() == [0, 5, 10, 10, 10, 10]
    assert on(clock, layer("travel", after="repeat", **fields)).tolist() == [0, 5, 0, 5, 0, 5]
    assert on(clock, layer("travel", after="alternate", **fields)).tolist() == [0, 5, 10, 5, 0, 5]
    assert on(clock, layer("travel", after="accumulate", **fields)).tolist() == [0, 5, 10, 15, 20, 25]
    cut = layer("travel", cut="both", lowest=2.0, highest=7.0, **fields)
    assert on(clock, cut).tolist() == [2, 5, 7, 7, 7, 7]


def test_turning_adds_up_and_fits_whole_turns_in_a_loop() -> None:
    clock = Clock(FPS, 0, np.array([-15.0, 0, 30, 300, 301]))
    np.testing.assert_allclose(on(clock, layer("turn", rate=100.0)), [-50, 0, 100, 1000, 1000 + 10 / 3])
    looped = layer("turn", rate=100.0, loop=300.0)
    np.testing.assert_allclose(on(clock, looped), [-54, 0, 108, 1080, 1083.6])
    assert note(looped) == "3 turns in the loop, from 2.78: 108 own/s"


def test_a_keyed_rate_never_makes_the_turning_jump() -> None:
    rate = Channel(keys=(Key(frame=0, value=40, go="step"), Key(frame=31, value=-900, go="step")))
    values = on(Clock.over(FPS, 0, 60, per_frame=20), layer("turn", rate=rate))
    assert np.abs(np.diff(values)).max() <= 900 / FPS / 20 * 1.001


def test_holding_takes_the_value_of_the_last_multiple() -> None:
    clock = Clock(FPS, 10, np.array([10.0, 12, 14.99, 15, 19, 20, 27.5]))
    ramp = (Key(frame=10, value=10, go="linear"), Key(frame=110, value=110))
    assert on(clock, layer("hold", every=5.0), base=ramp).tolist() == [10, 10, 10, 15, 15, 20, 25]


def test_limits_clamp_and_the_knee_is_smooth_and_stays_inside() -> None:
    clock = Clock.over(FPS, 0, 100, per_frame=8)
    ramp = (Key(frame=0, value=-10, go="linear"), Key(frame=100, value=10))
    hard = on(clock, layer("limit", lowest=-3.0, highest=4.0), base=ramp)
    np.testing.assert_allclose(hard, np.clip(clock.frames / 5 - 10, -3, 4), atol=1e-12)
    soft = on(clock, layer("limit", lowest=-3.0, highest=4.0, knee=2.0), base=ramp)
    assert (soft.min(), soft.max()) == (-3, 4)
    assert np.abs(np.diff(soft, 2)).max() < np.abs(np.diff(hard, 2)).max() / 50
    inside = (hard > -1.9) & (hard < 2.9)
    np.testing.assert_allclose(soft[inside], hard[inside], atol=1e-12)


def test_smoothing_is_the_gaussian_mean_without_delay() -> None:
    noise = layer("noise", amplitude=5.0, period=0.3, octaves=3.0)
    wide = Clock(FPS, 0, np.arange(-200 * SUBSTEPS, 400 * SUBSTEPS) / SUBSTEPS)
    sigma = np.sqrt(np.log(2)) / (2 * np.pi * 0.8) * FPS * SUBSTEPS
    expected = gaussian_filter1d(on(wide, noise), sigma, truncate=6)[200 * SUBSTEPS : 300 * SUBSTEPS : SUBSTEPS]
    smooth = on(Clock.over(FPS, 0, 99), noise, layer("smooth", cutoff=0.8))
    np.testing.assert_allclose(smooth, expected, atol=2e-3)
    sine = layer("wave", amplitude=1.0, period=1.0)
    kept = on(Clock.over(FPS, 0, 60), sine, layer("smooth", cutoff=1.0))
    np.testing.assert_allclose(kept, on(Clock.over(FPS, 0, 60), sine) / np.sqrt(2), atol=1e-8)


@pytest.mark.parametrize("fps", [12, 30, 120])
def test_smoothing_keeps_the_closed_form_at_every_cut_off_and_between_grid_points(fps: int) -> None:
    """A wave of f Hz keeps 2^(−½ (f / cut-off)²) of its height under a Gaussian."""
    sine = layer("wave", amplitude=1.0, period=0.7)
    clock = Clock(fps, 0, np.concatenate(([0.0625, 0.03, 7.77], np.linspace(0, 50, 333))))
    for cutoff in (0.5, 3.0, *np.geomspace(fps * 0.3, fps * 5, 25), 1000.0):
        height = 2 ** (-0.5 * (1 / 0.7 / cutoff) ** 2)
        smoothed = on(clock, sine, layer("smooth", cutoff=float(cutoff)))
        np.testing.assert_allclose(smoothed, height * on(clock, sine), atol=2e-5, err_msg=f"{cutoff} Hz")


@pytest.mark.parametrize("length", [100.3, 57.61])
def test_a_smoothed_loop_of_a_broken_length_meets_itself(length: float) -> None:
    noise = layer("noise", amplitude=5.0, period=0.5, loop=length)
    fine = np.array([0.0, 1 / 256, length - 1 / 256, length])
    for cutoff in (0.7, 2.0, 6.0):
        y = on(Clock(FPS, 0, fine), noise, layer("smooth", cutoff=cutoff))
        steepest = np.abs(np.diff(on(Clock.over(FPS, 0, 60, per_frame=4), noise))).max() / 64
        assert y[3] == pytest.approx(y[0], abs=1e-7)
        assert y[3] - y[2] == pytest.approx(y[1] - y[0], abs=2e-3 * steepest)


def test_a_wave_is_exact_where_it_has_no_edge() -> None:
    clock = Clock(FPS, 0, np.linspace(0, 100, 997))
    for shape in ("sine", "triangle"):
        wave = layer("wave", amplitude=1000.0, period=1.3, shape=shape)
        expected = [1000 * published_shape(shape, f / FPS / 1.3, 0.5) for f in clock.frames]
        np.testing.assert_allclose(on(clock, wave), expected, atol=1e-9)


def test_repeating_plays_the_keyed_stretch_in_rounds() -> None:
    clock = Clock(FPS, 0, np.array([10.0, 15, 20, 25, 30, 35, 5, 0]))
    base = (Key(frame=10, value=0, go="linear"), Key(frame=20, value=10))
    assert on(clock, layer("repeat"), base=base).tolist() == [0, 5, 0, 5, 0, 5, 5, 0]
    assert on(clock, layer("repeat", mode="alternate"), base=base).tolist() == [0, 5, 10, 5, 0, 5, 5, 10]
    assert on(clock, layer("repeat", mode="accumulate"), base=base).tolist() == [0, 5, 10, 15, 20, 25, -5, -10]
    assert on(clock, layer("repeat", side="after"), base=base).tolist() == [0, 5, 0, 5, 0, 5, 0, 0]
    once = on(clock, layer("repeat", mode="accumulate", rounds=1.0), base=base)
    assert once.tolist() == [0, 5, 10, 15, 20, 20, -5, -10]
    assert on(clock, layer("repeat"), value=4.0).tolist() == [4.0] * 8


DAMPINGS = (0.0, 0.05, 0.4, 0.999999, 1.0, 1.000001, 1.7, 3.0)


FASTER = Channel(keys=(Key(frame=0, value=2.0), Key(frame=80, value=6.0)))
FREQUENCIES = (0.3, 1.7, 6.0, FASTER)


def sprung(frequency: float | Channel, damping: float, clock: Clock, pull: Any, start: list[float]) -> Values:
    """s'' + 2ζω s' + ω² s = pull(t) by SciPy, ω as keyed; at the clock's moments, which begin at the first frame."""

    def change(t: float, s: Values) -> list[float]:
        hertz = np.asarray(number_on(frequency, Clock(clock.fps, 0, np.array([t * clock.fps]))))
        omega = 2 * np.pi * float(hertz.flat[0])
        return [s[1], pull(t, omega) - 2 * damping * omega * s[1] - omega**2 * s[0]]

    times = clock.frames / clock.fps
    solved = solve_ivp(change, (0, times[-1]), start, t_eval=times, rtol=1e-9, atol=1e-11, max_step=1 / 60)
    return np.asarray(solved.y[0])


HEAVE = (layer("wave", amplitude=5.0, period=1.1), layer("wave", id="w", amplitude=1.5, period=0.7, phase=0.3))
"""What lies below a spring in these tests: its every derivative is known."""


def heave(t: float, derivative: int = 0) -> float:
    """HEAVE at t seconds, or a derivative of it."""
    quarter = derivative * np.pi / 2
    return sum(
        size * (2 * np.pi / period) ** derivative * float(np.sin(2 * np.pi * (t / period + phase) + quarter))
        for size, period, phase in ((5.0, 1.1, 0.0), (1.5, 0.7, 0.3))
    )


@pytest.mark.parametrize("damping", DAMPINGS)
@pytest.mark.parametrize("frequency", FREQUENCIES)
def test_settling_is_the_differential_equation(frequency: float | Channel, damping: float) -> None:
    clock = Clock.over(24, 0, 80, per_frame=4)
    expected = sprung(frequency, damping, clock, lambda t, _: -1.3 * heave(t, 2), [0.0, 0.0])
    settle = layer("settle", frequency=frequency, damping=damping, strength=1.3)
    ringing = on(clock, *HEAVE, settle) - on(clock, *HEAVE)
    np.testing.assert_allclose(ringing, expected, atol=1e-4 * np.abs(expected).max())


@pytest.mark.parametrize("damping", [0.02, 0.3, 1.2])
def test_ringing_after_a_dead_stop_keeps_up_with_a_keyed_frequency(damping: float) -> None:
    move = (Key(frame=10, value=0, go="linear"), Key(frame=20, value=30, go="linear"))
    frequency = Channel(keys=(Key(frame=0, value=2.0), Key(frame=72, value=6.0)))
    clock = Clock.over(24, 0, 96, start=20, per_frame=3)
    later = Channel(keys=tuple(key.replaced(frame=key.frame - 20) for key in frequency.keys))
    after = Clock.over(24, 0, 76, per_frame=3)
    expected = sprung(later, damping, after, lambda *_: 0.0, [0.0, 30 * 24 / 10])
    settle = layer("settle", frequency=frequency, damping=damping, when="arrivals")
    ringing = on(clock, settle, base=move) - 30.0
    np.testing.assert_allclose(ringing, expected, atol=1e-4 * np.abs(expected).max())


@pytest.mark.parametrize("damping", [0.0, 0.1, 0.5, 0.9])
def test_a_move_that_stops_dead_rings_as_the_closed_form_says(damping: float) -> None:
    omega, speed = 2 * np.pi * 1.5, 30.0  # 30 units over 30 frames at 30 frames a second
    down = omega * np.sqrt(1 - damping**2)
    clock = Clock.over(FPS, 0, 150, start=50)
    stop = layer("settle", frequency=1.5, damping=damping, strength=2.0, when="arrivals")
    tau = (clock.frames - 50) / FPS
    expected = 2 * speed / down * np.exp(-damping * omega * tau) * np.sin(down * tau)
    np.testing.assert_allclose(on(clock, stop, base=MOVE) - 30, expected, atol=1e-9)
    before = Clock.over(FPS, 0, 50)
    np.testing.assert_allclose(on(before, stop, base=MOVE), on(before, base=MOVE), atol=1e-12)
    leaving = layer("settle", frequency=1.5, damping=damping, when="departures")
    assert abs(on(before, leaving, base=MOVE) - on(before, base=MOVE)).max() > 1


@pytest.mark.parametrize("damping", DAMPINGS)
@pytest.mark.parametrize("frequency", FREQUENCIES)
def test_following_is_the_differential_equation(frequency: float | Channel, damping: float) -> None:
    clock = Clock.over(24, 0, 80, per_frame=6)
    expected = sprung(frequency, damping, clock, lambda t, omega: omega**2 * heave(t), [heave(0.0), 0.0])
    follow = layer("follow", frequency=frequency, damping=damping)
    np.testing.assert_allclose(on(clock, *HEAVE, follow), expected, atol=1e-4 * np.abs(expected).max())


@pytest.mark.parametrize("kind", ["settle", "follow"])
def test_an_undamped_loop_of_whole_swings_begins_as_it_would_without_a_loop(kind: str) -> None:
    """No state returns to itself there."""
    clock = Clock.over(30, 0, 29)
    base = (Key(frame=4, value=3.0), Key(frame=7, value=10.0), Key(frame=20, value=3.0))
    swings = layer(kind, frequency=2.0, damping=0.0)
    without = on(clock, swings, base=base)
    assert np.abs(without - 3.0).max() > 10.0
    np.testing.assert_allclose(on(clock, swings.replaced(loop=30.0), base=base), without, atol=1e-9)


def test_following_late_and_before_the_start() -> None:
    clock = Clock(FPS, 0, np.array([-5.0, 0, 20, 34.9, 200]))
    late = layer("follow", frequency=8.0, damping=1.0, delay=0.5)
    values = on(clock, late, base=MOVE)
    assert values[:4].tolist() == pytest.approx([0, 0, 0, 0], abs=1e-12)
    assert values[4] == pytest.approx(30)


@given(st.sampled_from(["settle", "follow"]), numbers(0.01, 1000), numbers(0, 100), numbers(-100, 100))
def test_springs_are_stable_whatever_is_asked(kind: str, frequency: float, damping: float, strength: float) -> None:
    fields = {"frequency": frequency, "damping": damping} | ({"strength": strength} if kind == "settle" else {})
    values = on(Clock.over(FPS, 0, 300), layer(kind, **fields), base=MOVE)
    assert np.all(np.isfinite(values))
    assert np.abs(values).max() <= 1e4
    if damping > 0.2 and damping * frequency > 0.5 and frequency / max(damping, 1) > 0.5:
        assert values[-1] == pytest.approx(30, abs=0.5)


LOOPED = st.sampled_from(
    [("wave", {}), ("wave", {"shape": "triangle", "softness": 0.4}), ("settle", {}), ("settle", {"damping": 0.02}),
     ("follow", {}), ("follow", {"damping": 1.4, "frequency": 0.3}), ("noise", {"octaves": 3.0})]
)  # fmt: skip


@given(LOOPED, st.integers(20, 200))
def test_loops_meet_themselves_in_value_and_slope(kind_and_fields: tuple[str, dict[str, Any]], length: int) -> None:
    """Springs over a base that loops itself: they begin in the state that returns to itself."""
    kind, fields = kind_and_fields
    below = layer("noise", amplitude=4.0, period=0.9, loop=float(length))
    looped = layer(kind, **fields, loop=float(length)).replaced(id="looped")

    def at(frames: Values) -> Values:
        return on(Clock(FPS, 0, frames), below, looped)

    h = 1e-4
    places = np.concatenate([[0.0, h, 2 * h], np.linspace(0.2, length - 0.3, 37)])
    first, second, fourth = at(places), at(places + length), at(places + 3 * length)
    size = max(1.0, float(np.abs(first).max()))
    assert np.abs(first - second).max() <= 1e-9 * size
    assert np.abs(first - fourth).max() <= 1e-9 * size
    # slopes after the seam, by a one-sided stencil of second order, are those after the first frame
    slope = np.array([-3.0, 4.0, -1.0]) / (2 * h) * FPS
    steepest = max(1.0, float(np.abs(np.diff(at(np.arange(0, length, 0.25)))).max() * 4 * FPS))
    assert abs(slope @ first[:3] - slope @ second[:3]) <= 1e-6 * steepest
    # and the seam is no sharper than any other place: what bends there bends as much at the grid points of a spring
    bends = np.abs(np.diff(at(np.arange(0, 2 * length, 1 / 8)), 2))
    assert bends[8 * length - 1] <= bends[: 8 * length - 8].max() * 1.01 + 1e-9


ANY_KIND = st.sampled_from(sorted(BY_KIND))


@given(ANY_KIND, ANY_KIND, noises(combine="add"), keys(), st.integers(0, 90), st.none() | st.integers(20, 150))
def test_a_value_is_the_same_whatever_was_asked_for_every_kind(
    kind: str, above: str, noise: Layer, base: tuple[Key, ...], frame: int, loop: int | None
) -> None:
    looped = {"loop": float(loop)} if loop else {}
    stack = (noise.replaced(id="below"), layer(kind, **looped), layer(above).replaced(id="above", **looped))
    wide = on(Clock.over(FPS, 0, 120, per_frame=6), *stack, base=base)
    part = on(Clock.over(FPS, 0, frame + 5, start=frame, per_frame=2), *stack, base=base)
    alone = on(Clock(FPS, 0, np.array([frame + 1 / 3])), *stack, base=base)
    size = max(1.0, np.abs(wide).max())
    assert abs(part[0] - wide[frame * 6]) <= 1e-9 * size
    assert abs(part[5] - wide[frame * 6 + 15]) <= 1e-9 * size
    assert abs(alone[0] - wide[frame * 6 + 2]) <= 1e-7 * size


@pytest.mark.parametrize("kind", sorted(BY_KIND))
def test_a_new_layer_of_each_kind_does_something_where_there_is_motion(kind: str) -> None:
    noise = layer("noise", amplitude=8.0, period=0.7)
    scene = turned(Channel(keys=(Key(frame=0, value=0), Key(frame=60, value=9)), layers=(noise,)))
    scene = scene.replaced(dials=(TIDE,), recipes=(ROCK,), clips=(GUST,))
    scene = edited(scene, {"do": "add-object", "label": "Wind", "field": {"kind": "wind"}})
    before = evaluate(scene, ["post/rotation.z"], scene.clock())["post/rotation.z"]
    add: dict[str, Any] = {"do": "add-layer", "address": "post/rotation.z", "kind": kind}
    if kind == "link":
        add["settings"] = {"source": "dials/tide"}
    if kind == "clip":
        add["settings"] = {"source": "clips/gust.swing"}
    if kind == "recipe":
        add = {"do": "use-recipe", "address": "post/rotation.z", "recipe": "rock"}
    after = edited(scene, add)
    values = evaluate(after, ["post/rotation.z"], scene.clock())["post/rotation.z"]
    assert np.abs(values - before).max() > 1


@settings(max_examples=12)
@given(st.sampled_from(["settle", "follow"]), numbers(0.2, 5), numbers(0, 3), numbers(-2, 2), st.integers(0, 999))
def test_springs_of_any_numbers_are_the_differential_equation(
    kind: str, frequency: float, damping: float, strength: float, seed: int
) -> None:
    """Over one whole stretch at once, above a motion whose every derivative is known."""
    pace = 1.0 + seed / 999
    wave = layer("wave", amplitude=5.0, period=1 / pace, phase=seed / 500)
    clock, turn = Clock.over(FPS, 0, 24, per_frame=4), 2 * np.pi * pace

    def x(t: float) -> float:
        return 5 * float(np.sin(turn * t + 2 * np.pi * seed / 500))

    fields = {"frequency": frequency, "damping": damping} | ({"strength": strength} if kind == "settle" else {})
    if kind == "settle":
        expected = sprung(frequency, damping, clock, lambda t, _: strength * turn**2 * x(t), [0.0, 0.0])
    else:
        expected = sprung(frequency, damping, clock, lambda t, omega: omega**2 * x(t), [x(0), 0.0])
    values = on(clock, wave, layer(kind, **fields)) - (on(clock, wave) if kind == "settle" else 0.0)
    np.testing.assert_allclose(values, expected, atol=1e-4 * max(1e-3, np.abs(expected).max()))


def test_a_drawn_travel_follows_its_own_curve() -> None:
    drawn = Channel(
        keys=(Key(frame=0, value=0, go="linear"), Key(frame=50, value=0.8, go="linear"), Key(frame=100, value=1))
    )
    fields = {"begin": 2.0, "finish": 12.0, "start": 10.0, "length": 20.0, "ease": "drawn", "drawn": drawn}
    clock = Clock(FPS, 0, np.array([0.0, 10, 15, 20, 25, 30, 60]))
    np.testing.assert_allclose(on(clock, layer("travel", **fields)), [2, 2, 6, 10, 11, 12, 12], atol=1e-12)
    again = layer("travel", after="accumulate", **fields)
    np.testing.assert_allclose(on(Clock(FPS, 0, np.array([35.0, 40, 50])), again), [16, 20, 22], atol=1e-9)


OFFERED = sorted(kind for kind, model in BY_KIND.items() if model.offered)
DRIVABLE = [(kind, name) for kind in sorted(BY_KIND) for name in numbers_of(BY_KIND[kind])]


@settings(max_examples=250)
@given(st.sampled_from(DRIVABLE), st.sampled_from(OFFERED), st.sampled_from(OFFERED), st.integers(0, 90))
def test_a_value_is_the_same_whatever_was_asked_however_numbers_are_driven(
    target: tuple[str, str], driver: str, deeper: str, frame: int
) -> None:
    """Any number of any kind driven by any kind, whose own first number is driven by any kind again."""
    kind, name = target
    inner = layer(driver).replaced(id="inner", weight=0.2)
    first = next(iter(numbers_of(type(inner))))
    inner = inner.with_number(first, Channel(value=0.5, layers=(layer(deeper).replaced(id="deep", weight=0.1),)))
    start = getattr(layer(kind), name)
    driven = layer(kind).with_number(name, Channel(value=start if isinstance(start, float) else 1.0, layers=(inner,)))
    base = (Key(frame=3, value=0), Key(frame=44, value=6, go="linear"), Key(frame=80, value=-2))
    wide = on(Clock.over(FPS, 0, 120, per_frame=4), driven, base=base)
    part = on(Clock.over(FPS, 0, frame + 3, start=frame, per_frame=2), driven, base=base)
    alone = on(Clock(FPS, 0, np.array([frame + 0.25])), driven, base=base)
    size = max(1.0, float(np.abs(wide).max()))
    assert np.all(np.isfinite(wide))
    assert abs(part[0] - wide[frame * 4]) <= 1e-8 * size
    assert abs(part[3] - wide[frame * 4 + 6]) <= 1e-8 * size
    assert abs(alone[0] - wide[frame * 4 + 1]) <= 1e-7 * size


@given(
    st.sampled_from(["noise", "wave"]),
    st.lists(st.tuples(numbers(0.2, 4), st.sampled_from(["cubic", "linear", "step"])), min_size=2, max_size=5),
)
def test_a_keyed_period_never_makes_the_motion_skip(kind: str, periods: list[tuple[float, str]]) -> None:
    """No step of the output is larger than the fastest rate allows: the slope of the shape times that rate."""
    base = tuple(Key(frame=17.0 * k, value=value, go=go) for k, (value, go) in enumerate(periods))
    driven = layer(kind, amplitude=1.0).with_number("period", Channel(keys=base))
    per_frame = 16
    values = on(Clock.over(FPS, 0, 17 * len(periods), per_frame=per_frame), driven)
    steepest = 2 * np.pi if kind == "wave" else 8.0  # of sine, and of gradient noise of one octave, per cycle
    fastest = 1 / min(value for value, _ in periods)
    assert np.abs(np.diff(values)).max() <= steepest * fastest / FPS / per_frame * 1.001
