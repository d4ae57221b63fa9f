"""Values and slopes of given keys: a banded least-squares problem in the Hermite basis, solved by a Cholesky factor and
re-weighted by the error (C. L. Lawson, 1961) so that the largest error falls. Slopes are per sample.
"""

from __future__ import annotations

import numpy as np

from lazzik.core.kernels import kernel
from lazzik.core.types import Places, Samples

HOPELESS = 1.7
"""A solve whose error exceeds the tolerance so many times after two rounds will not come down in the rest."""

FAR = 1.1
"""The same after five."""


@kernel("void(float64[:, ::1], float64[::1], int64, float64)")
def _fix(band: Samples, right: Samples, row: int, value: float) -> None:
    """Make one unknown of the banded system known. band[r, d] couples r with r − d."""
    count = right.shape[0]
    for d in range(1, 4):
        if row - d >= 0:
            right[row - d] -= band[row, d] * value
            band[row, d] = 0.0
        if row + d < count:
            right[row + d] -= band[row + d, d] * value
            band[row + d, d] = 0.0
    band[row, 0] = 1.0
    right[row] = value


@kernel("void(float64[:, ::1], float64[::1])")
def _cholesky(band: Samples, right: Samples) -> None:
    """Solve the symmetric banded system in place (half width 3); the answer is left in `right`."""
    count = right.shape[0]
    for r in range(count):
        for d in range(min(3, r), -1, -1):
            total = band[r, d]
            for e in range(d + 1, min(3, r) + 1):
                total -= band[r, e] * band[r - d, e - d]
            if d == 0:
                band[r, 0] = np.sqrt(max(total, 1e-300))
            else:
                band[r, d] = total / band[r - d, 0]
    for r in range(count):
        for d in range(1, min(3, r) + 1):
            right[r] -= band[r, d] * right[r - d]
        right[r] /= band[r, 0]
    for r in range(count - 1, -1, -1):
        for d in range(1, min(3, count - 1 - r) + 1):
            right[r] -= band[r + d, d] * right[r + d]
        right[r] /= band[r, 0]


@kernel(
    "void(float64[:, ::1], float64[::1], float64[::1], int64, int64, int64, float64[:, ::1], float64[::1], int64)",
    regroup=True,
)
def _gather(
    basis: Samples, weights: Samples, y: Samples, a: int, b: int, start: int, band: Samples, right: Samples, row: int
) -> None:
    """Add the normal equations of the segment on samples a … b − 1 to the system, from a row on."""
    s00 = s10 = s11 = s20 = s21 = s22 = s30 = s31 = s32 = s33 = 0.0
    r0 = r1 = r2 = r3 = 0.0
    for i in range(a - start, b - start):
        w, h0, h1, h2, h3 = weights[i], basis[0, i], basis[1, i], basis[2, i], basis[3, i]
        p0, p1, p2, p3 = w * h0, w * h1, w * h2, w * h3
        s00 += p0 * h0
        s10 += p1 * h0
        s11 += p1 * h1
        s20 += p2 * h0
        s21 += p2 * h1
        s22 += p2 * h2
        s30 += p3 * h0
        s31 += p3 * h1
        s32 += p3 * h2
        s33 += p3 * h3
        here = y[start + i]
        r0 += p0 * here
        r1 += p1 * here
        r2 += p2 * here
        r3 += p3 * here
    band[row, 0] += s00
    band[row + 1, 0] += s11
    band[row + 1, 1] += s10
    band[row + 2, 0] += s22
    band[row + 2, 1] += s21
    band[row + 2, 2] += s20
    band[row + 3, 0] += s33
    band[row + 3, 1] += s32
    band[row + 3, 2] += s31
    band[row + 3, 3] += s30
    right[row] += r0
    right[row + 1] += r1
    right[row + 2] += r2
    right[row + 3] += r3


@kernel("float64[:, ::1](int64[::1], int64, int64)")
def _basis(keys: Places, lo: int, hi: int) -> Samples:
    """(4, samples) what the values and slopes at both ends of its segment give to each sample: the Hermite basis. The
    end of a segment is the next one's start."""
    start = keys[lo]
    basis = np.empty((4, keys[hi] - start))
    for s in range(lo, hi):
        span = keys[s + 1] - keys[s]
        for i in range(span):
            u = i / span
            rest = 1.0 - u
            row = keys[s] + i - start
            basis[0, row] = (1.0 + 2.0 * u) * rest * rest
            basis[1, row] = u * rest * rest * span
            basis[2, row] = u * u * (3.0 - 2.0 * u)
            basis[3, row] = -u * u * rest * span
    return basis


@kernel(
    "UniTuple(float64, 4)(float64[::1], int64[::1], int64, int64, float64[::1], float64[::1], float64[:, ::1], "
    "float64[::1], float64)",
    regroup=True,
)
def _weigh(
    y: Samples,
    keys: Places,
    lo: int,
    hi: int,
    values: Samples,
    slopes: Samples,
    basis: Samples,
    weights: Samples,
    tolerance: float,
) -> tuple[float, float, float, float]:
    """Weigh each sample by its error for the next round (Lawson); the largest error, the largest new weight, the
    weighted sum of squares and the sum of weights."""
    start = keys[lo]
    worst, largest, squares, total = 0.0, 0.0, 0.0, 0.0
    for s in range(lo, hi):
        v0, m0, v1, m1 = values[s], slopes[s], values[s + 1], slopes[s + 1]
        for row in range(keys[s] - start, keys[s + 1] - start):
            fitted = basis[0, row] * v0 + basis[1, row] * m0 + basis[2, row] * v1 + basis[3, row] * m1
            error = abs(fitted - y[start + row])
            worst = max(worst, error)
            w = weights[row]
            squares += w * error * error
            total += w
            w *= error + 1e-3 * tolerance
            weights[row] = w
            largest = max(largest, w)
    return worst, largest, squares, total


@kernel(
    "void(float64[::1], int64[::1], int64, int64, float64[::1], float64[::1], boolean, boolean, float64[:, ::1], "
    "float64[::1], float64[:, ::1], float64[::1])"
)
def _least_squares(
    y: Samples,
    keys: Places,
    lo: int,
    hi: int,
    values: Samples,
    slopes: Samples,
    hold_first: bool,
    hold_last: bool,
    basis: Samples,
    weights: Samples,
    band: Samples,
    right: Samples,
) -> None:
    """Values and slopes of keys lo … hi with the least weighted squares of errors; `band` and `right` are room to work
    in."""
    start, count = keys[lo], len(right)
    band[:] = 0.0
    right[:] = 0.0
    for s in range(lo, hi):
        _gather(basis, weights, y, keys[s], keys[s + 1], start, band, right, 2 * (s - lo))
    for row in range(count):
        band[row, 0] = band[row, 0] * (1.0 + 1e-12) + 1e-14
    _fix(band, right, 0, values[lo])
    _fix(band, right, count - 2, values[hi])
    if hold_first:
        _fix(band, right, 1, slopes[lo])
    if hold_last:
        _fix(band, right, count - 1, slopes[hi])
    _cholesky(band, right)
    for k in range(lo, hi + 1):
        values[k] = right[2 * (k - lo)]
        slopes[k] = right[2 * (k - lo) + 1]


@kernel("float64(float64[::1], int64[::1], int64, int64, float64[::1], float64[::1], boolean, boolean, float64, int64)")
def solve(
    y: Samples,
    keys: Places,
    lo: int,
    hi: int,
    values: Samples,
    slopes: Samples,
    hold_first: bool,
    hold_last: bool,
    tolerance: float,
    rounds: int,
) -> float:
    """Values and slopes of keys lo … hi that make the largest error over their segments small; returns that error.

    `keys` are sample places, rising. The outer values stay; the outer slopes stay where `hold_…` says so. The best
    round found is kept. Stops as soon as the tolerance is met.

    Parameters
    ----------
    y : (n,) array
        Samples, in any unit.
    keys : (keys,) array
        Places of samples, rising.
    values : (keys,) array
        In the unit of y; those of keys lo + 1 … hi − 1 are filled.
    slopes : (keys,) array
        In units per sample; filled, those at the ends only if they are free.

    Returns
    -------
    float
        In the unit of y.
    """
    start, end = keys[lo], keys[hi]
    count = 2 * (hi - lo + 1)
    length = end - start
    weights = np.ones(length)
    basis = _basis(keys, lo, hi)
    band = np.empty((count, 4))
    right = np.empty(count)
    best = np.inf
    best_values = values[lo : hi + 1].copy()
    best_slopes = slopes[lo : hi + 1].copy()
    at_end = abs(values[hi] - y[end])
    for turn in range(rounds):
        _least_squares(y, keys, lo, hi, values, slopes, hold_first, hold_last, basis, weights, band, right)
        worst, largest, squares, total = _weigh(y, keys, lo, hi, values, slopes, basis, weights, tolerance)
        worst = max(worst, at_end)
        if worst < best:
            best = worst
            best_values[:] = values[lo : hi + 1]
            best_slopes[:] = slopes[lo : hi + 1]
        # no values and slopes have a smaller weighted square, so none have a largest error below its root
        hopeless = squares > total * tolerance * tolerance
        stuck = (turn == 1 and best > HOPELESS * tolerance) or (turn == 4 and best > FAR * tolerance)
        if best <= tolerance or stuck or hopeless:
            break
        for row in range(length):
            weights[row] = weights[row] / largest + 1e-6
    values[lo : hi + 1] = best_values
    slopes[lo : hi + 1] = best_slopes
    return best
