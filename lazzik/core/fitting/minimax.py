"""Whether one cubic can stand for a stretch of samples, and how far each cubic can reach.

The best cubic in the largest-error sense is characterised by five samples where the error has the same size and
alternating signs (Chebyshev). The exchange of E. Remez (1934) on the discrete samples finds them; the levelled error of
any five samples is a lower bound of the best (de la Vallée Poussin), so most stretches are decided in two or three
rounds.
"""

from __future__ import annotations

import numpy as np

from lazzik.core.kernels import kernel
from lazzik.core.types import Places, Samples

PER_FRAME = 4
"""Samples per frame at which a bake is checked: the whole frame and three sub-frames."""

ROUNDS = 40

EXTREMES = 1.0 - np.cos(np.pi * np.arange(5) / 4)
"""Where a Chebyshev polynomial of the fourth degree is largest, from 0 to 2: the five to begin with."""


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


@kernel("float64(float64[::1])")
def farthest(errors: Samples) -> float:
    """The largest size among some errors; 0 of none. Four at a time: one maximum after the other waits for itself.

    Parameters
    ----------
    errors : (n,) array
        In any unit.

    Returns
    -------
    float
        In the same unit.
    """
    count = errors.shape[0]
    a = b = c = d = 0.0
    whole = count - count % 4
    for i in range(0, whole, 4):
        a, b = max(a, abs(errors[i])), max(b, abs(errors[i + 1]))
        c, d = max(c, abs(errors[i + 2])), max(d, abs(errors[i + 3]))
    for i in range(whole, count):
        a = max(a, abs(errors[i]))
    return max(max(a, b), max(c, d))


@kernel("void(float64[::1], float64[::1], float64[::1], float64[::1])", regroup=True)
def _errors(y: Samples, c: Samples, x: Samples, out: Samples) -> None:
    """How far samples are from a cubic.

    Parameters
    ----------
    c, x : (5,) arrays
        Newton's form of the cubic: its coefficients, and the places in [−1, 1] where it is set.
    out : (n,) array
        Filled: of as many samples, with their signs.
    """
    step = 2.0 / (out.shape[0] - 1)
    c0, c1, c2, c3, x0, x1, x2 = c[0], c[1], c[2], c[3], x[0], x[1], x[2]
    for i in range(out.shape[0]):
        t = i * step - 1.0
        out[i] = y[i] - (c0 + (t - x0) * (c1 + (t - x1) * (c2 + (t - x2) * c3)))


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
    part, room = y[a : b + 1], np.empty(count + 15)  # one array: getting four took as long as a round
    errors, x, c, signs = room[:count], room[count : count + 5], room[count + 5 : count + 10], room[count + 10 :]
    ref = np.empty(5, np.int64)
    for j in range(5):
        ref[j] = int(round(half * EXTREMES[j]))
    for j in range(1, 5):
        ref[j] = max(ref[j], ref[j - 1] + 1)
    ref[4] = count - 1
    for j in range(3, -1, -1):
        ref[j] = min(ref[j], ref[j + 1] - 1)
    for _ in range(ROUNDS):
        for j in range(5):
            x[j] = ref[j] / half - 1.0
            c[j], signs[j] = part[ref[j]], 1.0 if j % 2 == 0 else -1.0
        for order in range(1, 5):  # divided differences, of the samples and of a level error's signs
            for j in range(4, order - 1, -1):
                apart = 1.0 / (x[j] - x[j - order])
                c[j], signs[j] = (c[j] - c[j - 1]) * apart, (signs[j] - signs[j - 1]) * apart
        level = c[4] / signs[4]
        if abs(level) > tolerance:
            return False
        for j in range(4):
            c[j] -= level * signs[j]
        _errors(part, c, x, errors)
        worst = farthest(errors)
        if worst <= tolerance:
            return True
        if worst <= abs(level) * (1.0 + 1e-10):
            return False
        place = 0
        while abs(errors[place]) < worst:
            place += 1
        _exchange(ref, place, errors[place] * level >= 0.0)
    return False


@kernel("int64(float64[::1], int64, int64, float64, int64)")
def longest_cubic(y: Samples, a: int, b: int, tolerance: float, near: int) -> int:
    """The last whole frame's sample (or `b`) that one cubic from sample `a` reaches within `tolerance`.

    At least the next whole frame, or `b`, is returned. It is looked first about sample `near`.

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
    good, bad, stride = first, last + 1, 1
    trial = min(near // PER_FRAME, last)
    while trial > first and not cubic_fits(y, a, min(trial * PER_FRAME, b), tolerance):
        bad = trial
        trial -= stride
        stride *= 2
    if trial > first:
        good = trial
    while bad > last and good < last:
        trial = min(good + stride, last)
        if cubic_fits(y, a, min(trial * PER_FRAME, b), tolerance):
            good = trial
            stride *= 2
        else:
            bad = trial
    while bad - good > 1:
        trial = (good + bad) // 2
        if cubic_fits(y, a, min(trial * PER_FRAME, b), tolerance):
            good = trial
        else:
            bad = trial
    return min(good * PER_FRAME, b)
