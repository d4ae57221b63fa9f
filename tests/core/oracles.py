"""Slow, obvious versions of what the kernels do, to compare with."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from lazzik.core.fitting.minimax import PER_FRAME

MASK = 2**64 - 1


def lattice(cell: int, seed: int, octave: int) -> float:
    """The published mix in Python's own whole numbers."""
    z = cell * 0x9E3779B97F4A7C15 + seed * 0xD1342543DE82EF95 + octave * 0xA0761D6478BD642F + 0x632BE59BD9B4E019
    z &= MASK
    z = ((z ^ (z >> 30)) * 0xBF58476D1CE4E5B9) & MASK
    z = ((z ^ (z >> 27)) * 0x94D049BB133111EB) & MASK
    z ^= z >> 31
    return (z >> 11) / (2**53 - 1) * 2 - 1


def smooth_noise(position: float, octaves: int, roughness: float, seed: int) -> float:
    """Gradient noise at one position, straight from its definition."""
    total = weights = 0.0
    for j in range(octaves):
        u = position * 2**j
        c = math.floor(u)
        f = u - c
        fade = 6 * f**5 - 15 * f**4 + 10 * f**3
        n = 2 * ((1 - fade) * lattice(c, seed, j) * f + fade * lattice(c + 1, seed, j) * (f - 1))
        total += roughness**j * n
        weights += roughness**j
    return total / weights


def best_cubic_error(y: NDArray[np.float64]) -> float:
    """The smallest largest-error of any cubic on evenly spaced samples, by linear programming."""
    from scipy.optimize import linprog

    x = np.linspace(-1, 1, len(y))
    basis = np.polynomial.chebyshev.chebvander(x, 3)
    one = np.ones((len(y), 1))
    bounds = np.concatenate([np.hstack([basis, -one]), np.hstack([-basis, -one])])
    solved = linprog([0, 0, 0, 0, 1], bounds, np.concatenate([y, -y]), bounds=[(None, None)] * 4 + [(0, None)])
    return float(solved.x[4])


def lower_bound(y: NDArray[np.float64], tolerance: float) -> int:
    """The fewest keys on whole frames that any chain of cubics needs, joined or not: longest first.

    A longer stretch is never easier, so taking the longest that holds each time is optimal.
    """
    keys, place, last = 1, 0, len(y) - 1
    while place < last:
        low, high = 1, math.ceil((last - place) / PER_FRAME)
        while low < high:
            trial = (low + high + 1) // 2
            end = min(place + trial * PER_FRAME, last)
            if best_cubic_error(y[place : end + 1]) <= tolerance * (1 + 1e-7):
                low = trial
            else:
                high = trial - 1
        place = min(place + low * PER_FRAME, last)
        keys += 1
    return keys
