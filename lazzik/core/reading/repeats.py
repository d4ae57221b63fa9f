"""The length at which a motion repeats best.

After L seconds a swing of amplitude A and frequency f misses itself by A·√(2(1 − cos 2πfL)) at most, so that swings
together miss themselves by

    miss(L) = √(Σ A² · (1 − cos 2πfL) / Σ A²)

of their own size (root of the mean square). Noise closes over any whole number of its cells, so the swings decide.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

from lazzik.core.reading.motion import Reading

SHORTEST = 2.0
"""Cycles of the slowest swing that a loop has at least."""

SLACK, CLOSE = 1.5, 0.02
"""A loop that misses itself by no more than so many times the best, or by so little, is as good: the shortest is
offered."""


@dataclass(frozen=True)
class Loop:
    """A length to repeat after."""

    frames: int
    miss: float
    """Part of the swings' own size by which they miss themselves there."""


def best_loop(readings: Iterable[Reading]) -> Loop | None:
    """The shortest length at which the swings of some readings of one rate repeat about as well as they can; None
    where there are none, or no two cycles of the slowest fit."""
    every = list(readings)
    swings = [swing for reading in every for swing in reading.swings]
    if not swings:
        return None
    rate, longest = every[0].rate, min(len(reading.y) for reading in every)
    shortest = math.ceil(SHORTEST * rate / min(swing.frequency for swing in swings))
    if shortest > longest:
        return None
    lengths = np.arange(shortest, longest + 1)
    f, power = np.array([(swing.frequency, swing.amplitude**2) for swing in swings]).T
    miss = np.sqrt((1.0 - np.cos(2.0 * np.pi * np.outer(lengths / rate, f))) @ (power / power.sum()))
    best = int(np.argmax(miss <= max(SLACK * float(miss.min()), CLOSE)))
    while best + 1 < len(miss) and miss[best + 1] < miss[best]:  # to the bottom of the hollow
        best += 1
    return Loop(int(lengths[best]), float(miss[best]))
