"""Motion read: two hundred random recipes and what of each is found again."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass
from time import perf_counter

import numpy as np

from lazzik.core.channel.channel import Channel
from lazzik.core.channel.keys import Key
from lazzik.core.clock import Clock
from lazzik.core.evaluate.evaluator import number_on
from lazzik.core.evaluate.scope import Scope
from lazzik.core.layers.noise import Noise
from lazzik.core.layers.settle import Settle
from lazzik.core.reading.motion import Reading, read_motion
from lazzik.core.reading.swings import Swing
from lazzik.core.types import Samples

COUNT, SEED = 200, 2026
MOVED = 60
"""Of those with keyed moves."""


@dataclass(frozen=True)
class Made:
    """A curve, and what it was made of."""

    y: Samples
    fps: float
    period: float
    amplitude: float
    cells: float
    swings: tuple[tuple[float, float], ...]
    """(Hz, amplitude)."""
    moves: int = 0
    ringing: Settle | None = None

    @property
    def seconds(self) -> float:
        """How long it is."""
        return len(self.y) / self.fps


def made(rng: np.random.Generator, *, moves: bool = False) -> Made:
    """0 to 3 swings of 0.6 to 1.5 × the noise's amplitude, noise of 1 to 4 octaves with 20 to 100 cells, 10 to 60 s,
    24 to 60 frames a second; half of them measured with 1 % of white noise. With moves, up to six of 6 to 16 × the
    noise's amplitude within 0.1 to 0.4 s, straight or eased, 2.5 s apart at least, and Settle after them."""
    fps = float(rng.choice([24, 25, 30, 50, 60]))
    count = int(rng.uniform(12 if moves else 10, 60) * fps)
    seconds, cells, amplitude = count / fps, rng.uniform(20, 100), rng.uniform(1, 10)
    layer = Noise(
        kind="noise", id="n", label="n", amplitude=amplitude, period=seconds / cells,
        octaves=float(rng.integers(1, 5)), seed=float(rng.integers(0, 100_000)),
    )  # fmt: skip
    keys, ringing = _moved(rng, count, fps, amplitude) if moves else ((), None)
    layers = (layer,) if ringing is None else (ringing, layer)
    y = np.array(number_on(Channel(keys=keys, layers=layers), Clock.over(fps, 0, count - 1), Scope()), dtype=float)
    t = np.arange(count) / fps
    swings: list[tuple[float, float]] = []
    highest = min(fps / 4, 6.0, 8.0 * cells / seconds)
    for _ in range(rng.integers(0, 4)):
        f = math.exp(rng.uniform(math.log(4 / seconds), math.log(highest)))
        if all(abs(f - other) > 3 / seconds for other, _ in swings):
            swings.append((f, rng.uniform(0.6, 1.5) * amplitude))
            y += swings[-1][1] * np.sin(2 * np.pi * (f * t + rng.random()))
    if rng.random() < 0.5:
        y += rng.normal(0, 0.01 * amplitude, count)
    return Made(y, fps, seconds / cells, amplitude, cells, tuple(swings), len(keys) // 2, ringing)


def _moved(rng: np.random.Generator, count: int, fps: float, amplitude: float) -> tuple[tuple[Key, ...], Settle]:
    ringing = Settle(
        kind="settle", id="s", label="s", frequency=rng.uniform(0.8, 4), damping=rng.uniform(0.05, 0.3),
        strength=rng.uniform(0.3, 1.2),
    )  # fmt: skip
    keys: list[Key] = []
    level, place, go = 0.0, rng.uniform(1.5, 3), rng.choice(["cubic", "linear"])
    while place < count / fps - 2 and len(keys) < 12:
        start = round(place * fps)
        end = start + max(2, round(rng.uniform(0.1, 0.4) * fps))
        step = rng.choice([-1, 1]) * rng.uniform(6, 16) * amplitude
        for frame, value in ((start, level), (end, level + step)):
            keys.append(Key(frame=frame, value=value, slope_in=0.0, slope_out=0.0, go=go))
        level, place = level + step, place + rng.uniform(2.5, 8)
    return tuple(keys), ringing


def rows() -> Iterator[str]:
    """Amplitudes have a limit that no reading passes: beside their share within 10 % stands that of an ideal one, by
    the Cramér-Rao bound with the noise known."""
    rng = np.random.default_rng(SEED)
    cases = [made(rng) for _ in range(COUNT)]
    begun = perf_counter()
    found = [read_motion(case.y, case.fps) for case in cases]
    spent = (perf_counter() - begun) / COUNT
    hits, exact, near, ideal, total, false = 0, 0, 0, 0.0, 0, 0
    for case, reading in zip(cases, found, strict=True):
        pairs = _matched(case, reading)
        total, hits, false = total + len(case.swings), hits + len(pairs), false + len(reading.swings) - len(pairs)
        for (f, amplitude), swing in pairs:
            exact += abs(swing.frequency - f) < 0.2 / case.seconds
            near += abs(swing.amplitude / amplitude - 1) < 0.1
            noise = reading.background.at(f) if reading.background else 0.0
            spread = math.sqrt(max(noise, 1e-12) / case.seconds) / amplitude  # S/T is the variance of an amplitude
            ideal += math.erf(0.1 / spread / math.sqrt(2))
    off = np.array([r.background.period / c.period - 1 for c, r in zip(cases, found, strict=True) if r.background])
    far = np.array(
        [r.background.amplitude / c.amplitude - 1 for c, r in zip(cases, found, strict=True) if r.background]
    )
    cells = np.array([case.cells for case, reading in zip(cases, found, strict=True) if reading.background])
    yield _told("swings found", hits / total, 0.97)
    yield _told("their frequency within 0.2 of a bin", exact / total, 0.97)
    yield f"their amplitude within 10 %: {100 * near / total:.1f} % (an ideal reading: {100 * ideal / total:.1f} %)"
    yield f"false swings: {100 * false / total:.1f} % (goal 5: {'holds' if false <= 0.05 * total else 'does not hold'})"
    yield _told("the noise's period within 15 %", float(np.mean(np.abs(off) < 0.15)), 0.9)
    many = cells >= 50
    yield _told("its amplitude within 15 %, of 50 cells and more", float(np.mean(np.abs(far[many]) < 0.15)), 0.9)
    yield _told("its amplitude within 25 %, of fewer", float(np.mean(np.abs(far[~many]) < 0.25)), 0.9)
    yield f"{1e3 * spent:.0f} ms a channel (goal 500: {'holds' if spent <= 0.5 else 'does not hold'})"
    lost = sum(bool(reading.moves.moves) for reading in found)
    yield f"moves seen where there are none: in {lost} of {COUNT} curves"
    yield from _rows_of_moves(rng)


def _rows_of_moves(rng: np.random.Generator) -> Iterator[str]:
    cases = [made(rng, moves=True) for _ in range(MOVED)]
    begun = perf_counter()
    found = [read_motion(case.y, case.fps) for case in cases]
    spent = (perf_counter() - begun) / MOVED
    pairs = list(zip(cases, found, strict=True))
    rings = [
        abs(reading.moves.ringing.frequency / float(case.ringing.frequency) - 1) < 0.05
        for case, reading in pairs
        if case.ringing is not None and reading.moves.ringing is not None and isinstance(case.ringing.frequency, float)
    ]
    total = sum(len(case.swings) for case in cases)
    hits = sum(len(_matched(case, reading)) for case, reading in pairs)
    false = sum(len(reading.swings) for reading in found) - hits
    near = [abs(r.background.period / c.period - 1) < 0.15 for c, r in pairs if r.background]
    right = [len(reading.moves.moves) == case.moves for case, reading in pairs]
    yield f"with keyed moves: all of them found, and no other, in {100 * sum(right) / MOVED:.0f} %"
    seen, near_f = 100 * len(rings) / MOVED, 100 * sum(rings) / MOVED
    yield f"  ringing found in {seen:.0f} %, its frequency within 5 % in {near_f:.0f} %"
    yield f"  swings found: {100 * hits / total:.0f} %, false: {100 * false / total:.0f} %"
    yield f"  the noise's period within 15 %: {100 * sum(near) / MOVED:.0f} %; {1e3 * spent:.0f} ms a channel"


def _matched(case: Made, reading: Reading) -> list[tuple[tuple[float, float], Swing]]:
    left = list(reading.swings)
    pairs = []
    for swing in case.swings:
        nearest = min(left, key=lambda other: abs(other.frequency - swing[0]), default=None)
        if nearest is not None and abs(nearest.frequency - swing[0]) < 0.5 / case.seconds:
            left.remove(nearest)
            pairs.append((swing, nearest))
    return pairs


def _told(what: str, share: float, goal: float) -> str:
    holds = "holds" if share >= goal else "does not hold"
    return f"{what}: {100 * share:.1f} % (goal {100 * goal:.0f}: {holds})"
