"""Fitted bake, quick and thorough: keys against the lower bound of any chain of cubics, and the time of a channel."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator

import numpy as np
from numpy.typing import NDArray

from benchmarks.timing import goal
from lazzik.core.channel.channel import Channel
from lazzik.core.clock import Clock
from lazzik.core.evaluate.strata import strata
from lazzik.core.fitting.fitting import fit, worst_error
from lazzik.core.fitting.minimax import PER_FRAME, longest_cubic
from lazzik.core.layers.noise import Noise

FPS = 30.0
FRAMES = np.arange(299 * PER_FRAME + 1) / PER_FRAME
Signal = NDArray[np.float64]


GOALS = {
    # share: (most in all, most of the 95th of 100) of the lower bound
    0.001: (1.13, 1.28),
    0.005: (1.19, 1.45),
    0.02: (1.20, 1.36),
}
"""Of the thorough way."""

QUICKLY, THOROUGHLY = 1.0, 30.0
"""Milliseconds a channel."""


def rows() -> Iterator[str]:
    """A row for each signal and tolerance, quick and thorough, then random walks, then a large batch."""
    for thorough in (False, True):
        _fitted([walk(0)], 0.02, thorough)  # what is compiled is read first
        yield f"{'thorough' if thorough else 'quick':<14}tolerance   keys     LB   ratio   p95 ratio   ms a channel"
        for share in GOALS:
            yield from _over_the_set(share, thorough)
    walks = [walk(seed) for seed in range(40)]
    counts, spent = _fitted(walks, 0.02, thorough=True)
    ratio, slow = _ratios(counts)
    yield f"smooth random walks at 2 %, thorough: {goal(ratio, 1.30)}, the largest {goal(slow[-1], 1.5)}"
    batch = [noise(1)(seed) for seed in range(1000)]
    _, spent = _fitted(batch, 0.005, thorough=False)
    yield f"1,000 channels of 300 frames of smooth noise at 0.5 %, quick: {spent:.2f} s on one core"


def _over_the_set(share: float, thorough: bool) -> Iterator[str]:
    every: list[tuple[int, int]] = []
    total = 0.0
    for name, (make, count) in SIGNALS.items():
        counts, spent = _fitted([make(i) for i in range(count)], share, thorough)
        ratio, slow = _ratios(counts)
        every, total = every + counts, total + spent
        keys, bounds = (float(np.mean(row)) for row in zip(*counts, strict=True))
        yield (
            f"{name:<14}{share:>8.1%}{keys:>8.1f}{bounds:>7.1f}{ratio:>8.2f}{np.percentile(slow, 95):>12.2f}"
            f"{1e3 * spent / count:>15.2f}"
        )
    ratio, slow = _ratios(every)
    took = goal(1e3 * total / len(every), THOROUGHLY if thorough else QUICKLY, "ms a channel")
    if thorough:
        most, slowest = GOALS[share]
        yield (
            f"in all {share:.1%}: {goal(ratio, most)}; the 95th of 100 "
            f"{goal(float(np.percentile(slow, 95)), slowest)}; {took}"
        )
    else:
        yield f"in all {share:.1%}: {ratio:.2f} times, the 95th of 100 {np.percentile(slow, 95):.2f}; {took}"


def _fitted(signals: list[Signal], share: float, thorough: bool) -> tuple[list[tuple[int, int]], float]:
    """Keys and lower bound of each signal, and the seconds that finding the keys took."""
    counts, spent = [], 0.0
    for y in signals:
        tolerance = share * float(np.ptp(y))
        began = time.perf_counter()
        keys = fit(y, 0, FPS, tolerance, thorough=thorough)
        spent += time.perf_counter() - began
        assert worst_error(keys, y, 0, FPS) <= tolerance
        counts.append((len(keys), lower_bound(y, tolerance)))
    return counts, spent


def _ratios(counts: list[tuple[int, int]]) -> tuple[float, list[float]]:
    """Keys to lower bound in all, and of each, rising."""
    whole = sum(keys for keys, _ in counts) / sum(bound for _, bound in counts)
    return whole, sorted(keys / bound for keys, bound in counts)


def walk(seed: int) -> Signal:
    """A smooth random walk whose steps are drawn together over two frames."""
    rng = np.random.default_rng(seed)
    kernel = np.hanning(2 * PER_FRAME + 1)
    steps = np.convolve(rng.normal(size=len(FRAMES) + len(kernel) - 1), kernel / kernel.sum(), mode="valid")
    return np.cumsum(steps)


def lower_bound(y: Signal, tolerance: float) -> int:
    """The tests' oracle with the fast feasibility check, which they hold against linear programming."""
    keys, place = 1, 0
    while place < len(y) - 1:
        place, keys = longest_cubic(y, place, len(y) - 1, tolerance, place), keys + 1
    return keys


def noise(octaves: float) -> Callable[[int], Signal]:
    """Smooth noise with a period of 20 frames."""

    def make(seed: int) -> Signal:
        layer = Noise(
            kind="noise", id="n", label="n", period=20 / FPS, octaves=octaves, seed=float(seed), shift=0.37 * seed
        )
        return strata(Channel(layers=(layer,)), Clock(FPS, 0, FRAMES)).result

    return make


def sine(i: int) -> Signal:
    """A period of 24 frames."""
    return np.sin(2 * np.pi * (FRAMES / 24 + i / 20))


def ring(i: int) -> Signal:
    """A spring that rings and dies."""
    return np.exp(-FRAMES / 60) * np.sin(2 * np.pi * FRAMES / 25 + i / 20)


def together(i: int) -> Signal:
    """Sine and noise."""
    return sine(i) + 0.3 * noise(1)(i)


def corners(i: int) -> Signal:
    """Moves with corners and holds on whole frames."""
    return np.interp(FRAMES, [0, 30 + i, 90, 130, 180 + i, 220, 299], [0, 0, 5, 5, -2, 3, 3])


def triangle(i: int) -> Signal:
    """A period of 40 frames."""
    return np.abs(((FRAMES + i) / 20) % 2 - 1)


SIGNALS: dict[str, tuple[Callable[[int], Signal], int]] = {
    "noise 1 octave": (noise(1), 60),
    "noise 4": (noise(4), 40),
    "sine": (sine, 20),
    "ring": (ring, 20),
    "sum": (together, 20),
    "corners": (corners, 20),
    "triangle": (triangle, 20),
}
