"""Fitted bake: keys against the lower bound of any chain of cubics, and the time for 1,000 channels on one core."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator

import numpy as np
from numpy.typing import NDArray

from lazzik.core.channel.channel import Channel
from lazzik.core.clock import Clock
from lazzik.core.evaluate.evaluator import strata
from lazzik.core.fitting.fitting import fit, worst_error
from lazzik.core.fitting.minimax import PER_FRAME, longest_cubic
from lazzik.core.layers.noise import Noise

FPS = 30.0
FRAMES = np.arange(299 * PER_FRAME + 1) / PER_FRAME
Signal = NDArray[np.float64]


def rows() -> Iterator[str]:
    """A row for each signal and tolerance, then the large batch."""
    yield "signal        tolerance   keys     LB   ratio   p95 ratio   worst/tolerance   ms a channel"
    for share in (0.001, 0.005, 0.02):
        every: list[tuple[int, int]] = []
        total = 0.0
        for name, (make, count) in SIGNALS.items():
            keys, bounds, worst, began = [], [], 0.0, time.perf_counter()
            signals = [make(i) for i in range(count)]
            spent = 0.0
            for y in signals:
                tolerance = share * float(np.ptp(y))
                began = time.perf_counter()
                fitted = fit(y, 0, FPS, tolerance)
                spent += time.perf_counter() - began
                keys.append(len(fitted))
                bounds.append(lower_bound(y, tolerance))
                worst = max(worst, worst_error(fitted, y, 0, FPS) / tolerance)
            ratios = np.array(keys) / np.array(bounds)
            every += zip(keys, bounds, strict=True)
            total += spent
            yield (
                f"{name:<14}{share:>8.1%}{np.mean(keys):>8.1f}{np.mean(bounds):>7.1f}{sum(keys) / sum(bounds):>8.2f}"
                f"{np.percentile(ratios, 95):>12.2f}{worst:>18.3f}{1e3 * spent / count:>15.2f}"
            )
        ratios = np.array([k / bound for k, bound in every])
        whole = sum(k for k, _ in every) / sum(bound for _, bound in every)
        yield (
            f"{'in all':<14}{share:>8.1%}{'':>15}{whole:>8.2f}{np.percentile(ratios, 95):>12.2f}{'':>18}"
            f"{1e3 * total / len(every):>15.2f}"
        )
    batch = [noise(1)(seed) for seed in range(1000)]
    began = time.perf_counter()
    for y in batch:
        fit(y, 0, FPS, 0.005 * float(np.ptp(y)))
    yield f"1,000 channels of 300 frames of smooth noise at 0.5 %: {time.perf_counter() - began:.2f} s on one core"


def lower_bound(y: Signal, tolerance: float) -> int:
    """The tests' oracle with the fast feasibility check, which they hold against linear programming."""
    keys, place = 1, 0
    while place < len(y) - 1:
        place, keys = longest_cubic(y, place, len(y) - 1, tolerance), keys + 1
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
