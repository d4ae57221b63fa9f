"""Whether one cubic can stand for a stretch of samples, and how far each cubic can reach.

The best cubic in the largest-error sense is characterised by five samples where the error has the same size and
alternating signs (Chebyshev). The exchange of E. Remez (1934) on the discrete samples finds them; the levelled error of
any five samples is a lower bound of the best (de la Vallée Poussin), so most stretches are decided in two or three
rounds.
"""

from __future__ import annotations

import math

import numpy as np

from lazzik.core.kernels import kernel
from lazzik.core.types import Places, Samples

PER_FRAME = 4
"""Samples per frame at which a bake is checked: the whole frame and three sub-frames."""

ROUNDS = 40


@kernel("void(int64[::1], int64, boolean)")
def _exchange(ref: Places, place: int, same: bool) -> None:
    """Put `place` among the five so that signs still alternate. `same`: its error has the sign of ref[0]'s."""
    if place < ref[0]:
        if same:
            ref[0] = place
        else:
            for j in range(4, 0, -1):
                ref[j] = ref[j - 1]
            ref[0] = place
        return
    if place > ref[4]:
        if same:
            ref[4] = place
        else:
            for j in range(4):
                ref[j] = ref[j + 1]
            ref[4] = place
        return
    for j in range(4):
        if ref[j] <= place <= ref[j + 1]:
            if same == (j % 2 == 0):
                ref[j] = place
            else:
                ref[j + 1] = place
            return


@kernel("boolean(float64[::1], int64, int64, float64)")
def cubic_fits(y: Samples, a: int, b: int, tolerance: float) -> bool:
    """Whether some cubic stays within `tolerance` of samples y[a] … y[b], both included.

    Parameters
    ----------
    y : (n,) array
        Samples, in any unit.

    Returns
    -------
    bool
    """
    count = b - a + 1
    if count <= 4:
        return True
    half = 0.5 * (count - 1)
    ref = np.empty(5, np.int64)
    for j in range(5):
        ref[j] = int(round(half * (1.0 - math.cos(math.pi * j / 4))))
    for j in range(1, 5):
        ref[j] = max(ref[j], ref[j - 1] + 1)
    ref[4] = count - 1
    for j in range(3, -1, -1):
        ref[j] = min(ref[j], ref[j + 1] - 1)
    x = np.empty(5)
    c = np.empty(4)
    for _ in range(ROUNDS):
        level, top, bottom = 0.0, 0.0, 0.0
        for j in range(5):
            x[j] = ref[j] / half - 1.0
        for j in range(5):
            product = 1.0
            for k in range(5):
                if k != j:
                    product *= x[j] - x[k]
            top += y[a + ref[j]] / product
            bottom += (1.0 if j % 2 == 0 else -1.0) / product
        level = top / bottom
        if abs(level) > tolerance:
            return False
        for j in range(4):
            c[j] = y[a + ref[j]] - (level if j % 2 == 0 else -level)
        for order in range(1, 4):
            for j in range(3, order - 1, -1):
                c[j] = (c[j] - c[j - 1]) / (x[j] - x[j - order])
        worst, place, error_there = 0.0, 0, 0.0
        for i in range(count):
            t = i / half - 1.0
            error = y[a + i] - (c[0] + (t - x[0]) * (c[1] + (t - x[1]) * (c[2] + (t - x[2]) * c[3])))
            if abs(error) > worst:
                worst, place, error_there = abs(error), i, error
        if worst <= tolerance:
            return True
        if worst <= abs(level) * (1.0 + 1e-10):
            return False
        _exchange(ref, place, error_there * level >= 0.0)
    return False


@kernel("int64(float64[::1], int64, int64, float64)")
def longest_cubic(y: Samples, a: int, b: int, tolerance: float) -> int:
    """The last whole frame's sample (or `b`) that one cubic from sample `a` reaches within `tolerance`.

    At least the next whole frame, or `b`, is returned.

    Parameters
    ----------
    y : (n,) array
        Samples, in any unit.

    Returns
    -------
    int
        A place of a sample.
    """
    first = a // PER_FRAME + 1
    last = -(-b // PER_FRAME)
    good, bad, stride = first, last + 1, 4
    while good < last:
        trial = min(good + stride, last)
        if cubic_fits(y, a, min(trial * PER_FRAME, b), tolerance):
            good = trial
            stride *= 2
        else:
            bad = trial
            break
    while bad - good > 1:
        trial = (good + bad) // 2
        if cubic_fits(y, a, min(trial * PER_FRAME, b), tolerance):
            good = trial
        else:
            bad = trial
    return min(good * PER_FRAME, b)
