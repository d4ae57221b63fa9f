"""Regular swings in a curve: found above its background, and fitted by least squares.

A swing is a·cos 2πft + b·sin 2πft. Its frequency is found by Gauss-Newton steps on

    y ≈ Σ (a_i cos 2πf_i t + b_i sin 2πf_i t) + c

under a Hann window, all swings at once, so that none is measured through another's skirts.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lazzik.core.reading.spectrum import hann
from lazzik.core.types import Samples

STEPS = 6
LARGEST_STEP = 0.3
"""Bins by which one step may move a frequency."""

APART = 1.5
"""Bins that two swings are apart at least."""

WINDOWED = 2.0 / 3.0
"""Part of the samples that count under a Hann window: (Σw²)/(n·max w²) over its power gain."""


@dataclass(frozen=True)
class Swing:
    """One of them."""

    frequency: float
    """Hz."""
    a: float
    b: float

    @property
    def amplitude(self) -> float:
        """How far it goes from its centre, in the curve's unit."""
        return math.hypot(self.a, self.b)

    @property
    def phase(self) -> float:
        """Where in the cycle it begins, in cycles of a sine: 0 to 1."""
        return (math.atan2(self.a, self.b) / (2.0 * math.pi)) % 1.0

    def power(self, seconds: float) -> float:
        """What it adds to a periodogram at its own frequency, squares of the unit per hertz."""
        return 0.5 * self.amplitude**2 * seconds * WINDOWED


def course(swings: Iterable[Swing], t: Samples) -> Samples:
    """The sum of some swings.

    Parameters
    ----------
    t : (n,) array
        Seconds.

    Returns
    -------
    (n,) array
        In the curve's unit.
    """
    total = np.zeros_like(t)
    for swing in swings:
        angle = 2.0 * np.pi * swing.frequency * t
        total += swing.a * np.cos(angle) + swing.b * np.sin(angle)
    return total


def fitted(y: Samples, t: Samples, frequencies: Sequence[float]) -> list[Swing]:
    """Swings near some frequencies, as they fit the curve best.

    Parameters
    ----------
    y : (n,) array
        In the curve's unit.
    t : (n,) array
        Seconds, evenly spaced.
    """
    if not frequencies:
        return []
    seconds = len(t) * (t[1] - t[0])
    f: Samples = np.array(frequencies, dtype=np.float64)
    window, count = hann(len(t)), len(f)
    for _ in range(STEPS):
        parted = _waves(t, f)
        parts = _least_squares(parted, y, window)
        a, b = parts[:count], parts[count : 2 * count]
        slopes: NDArray[np.float64] = (
            2.0 * np.pi * t[:, None] * (b * parted[:, :count] - a * parted[:, count : 2 * count])
        )
        moves = _least_squares(np.hstack((parted, slopes)), y - parted @ parts, window)[-count:]
        f += np.clip(moves, -LARGEST_STEP / seconds, LARGEST_STEP / seconds)
        np.clip(f, 1.0 / seconds, (len(t) / 2.0 - 1.0) / seconds, out=f)
        if np.abs(moves).max() < 1e-3 / seconds:
            break
    return fitted_at(y, t, f.tolist())


def fitted_at(y: Samples, t: Samples, frequencies: Sequence[float]) -> list[Swing]:
    """Swings at some frequencies, as they fit the curve best.

    Parameters
    ----------
    y : (n,) array
        In the curve's unit.
    t : (n,) array
        Seconds, evenly spaced.
    """
    f: Samples = np.asarray(frequencies, dtype=np.float64)
    if not len(f):
        return []
    parts = _least_squares(_waves(t, f), y, hann(len(t)))
    return [Swing(float(f[k]), float(parts[k]), float(parts[len(f) + k])) for k in range(len(f))]


def waves(t: Samples, swings: Iterable[Swing]) -> NDArray[np.float64]:
    """The cosines and sines that some swings are made of.

    Parameters
    ----------
    t : (n,) array
        Seconds.

    Returns
    -------
    (n, 2 · swings) array
        Within −1 and 1.
    """
    return _waves(t, np.array([swing.frequency for swing in swings]))[:, :-1]


def _waves(t: Samples, f: Samples) -> NDArray[np.float64]:
    """(n, 2 · swings + 1) cosines, sines, and a constant."""
    angles = 2.0 * np.pi * t[:, None] * f
    return np.hstack((np.cos(angles), np.sin(angles), np.ones((len(t), 1))))


def _least_squares(parts: NDArray[np.float64], y: Samples, window: Samples) -> Samples:
    found = np.linalg.lstsq(parts * window[:, None], y * window, rcond=None)[0]
    return np.asarray(found, dtype=np.float64)
