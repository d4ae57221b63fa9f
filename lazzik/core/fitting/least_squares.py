"""Values and slopes of given keys: a banded least-squares problem in the Hermite basis, solved by a Cholesky factor and
re-weighted by the error (C. L. Lawson, 1961) so that the largest error falls. Slopes are per sample.

Within a segment of n samples the cubic is written in v = 2i/n − 1,

    p(v) = Σ_k c_k v^k,   c = Hᵀ·(v₀, n/2·m₀, v₁, n/2·m₁)

with H the Hermite basis over [−1, 1] in powers of v. The normal equations then come from the moments Σ w v^k and
Σ w y v^k alone: nothing is stored for a sample but its weight.
"""

from __future__ import annotations

import numpy as np

from lazzik.core.fitting.minimax import farthest
from lazzik.core.kernels import kernel
from lazzik.core.types import Places, Samples

HERMITE = np.array([[2.0, -3.0, 0.0, 1.0], [1.0, -1.0, -1.0, 1.0], [2.0, 3.0, 0.0, -1.0], [-1.0, -1.0, 1.0, 1.0]]) / 4.0
"""(4, 4) value and slope at the left end, then at the right, each a cubic over [−1, 1] by powers of v."""

PRODUCTS = np.array([[np.convolve(a, b) for b in HERMITE] for a in HERMITE])
"""(4, 4, 7) the products of two of them, by powers of v."""

MOMENTS, WITH_Y = 7, 4
"""Powers of v that are summed by weight, and by weight times sample."""

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


@kernel("void(float64[::1], float64[::1], float64[::1])", regroup=True)
def _moments(weights: Samples, y: Samples, out: Samples) -> None:
    """Sums over the samples of a segment: of weights times powers of v, then of weights times samples times powers."""
    step = 2.0 / y.shape[0]
    s0 = s1 = s2 = s3 = s4 = s5 = s6 = 0.0
    r0 = r1 = r2 = r3 = 0.0
    for i in range(y.shape[0]):
        v = i * step - 1.0
        w, z = weights[i], y[i]
        p1 = w * v
        p2 = p1 * v
        p3 = p2 * v
        v3 = v * v * v
        s0 += w
        s1 += p1
        s2 += p2
        s3 += p3
        s4 += p1 * v3
        s5 += p2 * v3
        s6 += p3 * v3
        r0 += w * z
        r1 += p1 * z
        r2 += p2 * z
        r3 += p3 * z
    out[0], out[1], out[2], out[3], out[4], out[5], out[6] = s0, s1, s2, s3, s4, s5, s6
    out[7], out[8], out[9], out[10] = r0, r1, r2, r3


@kernel("void(float64[::1], float64, float64[:, ::1], float64[::1], int64)")
def _gather(sums: Samples, half: float, band: Samples, right: Samples, row: int) -> None:
    """Add the normal equations of a segment of 2 · half samples to the system, from a row on."""
    for i in range(4):
        own = half if i % 2 else 1.0
        total = 0.0
        for k in range(WITH_Y):
            total += HERMITE[i, k] * sums[MOMENTS + k]
        right[row + i] += own * total
        for j in range(i + 1):
            total = 0.0
            for k in range(MOMENTS):
                total += PRODUCTS[i, j, k] * sums[k]
            band[row + i, i - j] += own * (half if j % 2 else 1.0) * total


@kernel("UniTuple(float64, 4)(float64, float64, float64, float64, float64)")
def powers(v0: float, m0: float, v1: float, m1: float, half: float) -> tuple[float, float, float, float]:
    """The cubic between two keys 2 · half samples apart, by powers of v."""
    m0, m1 = half * m0, half * m1
    return (
        0.25 * (2.0 * v0 + m0 + 2.0 * v1 - m1),
        0.25 * (-3.0 * v0 - m0 + 3.0 * v1 - m1),
        0.25 * (m1 - m0),
        0.25 * (v0 + m0 - v1 + m1),
    )


@kernel("float64(float64[::1], int64[::1], int64, float64[::1], float64[::1])")
def segment_error(y: Samples, keys: Places, s: int, values: Samples, slopes: Samples) -> float:
    """Largest error of the segment from key s to s + 1.

    Parameters
    ----------
    y : (n,) array
        Samples, in any unit.
    keys : (keys,) array
        Places of samples, rising.
    values, slopes : (keys,) arrays
        In the unit of y, and per sample.

    Returns
    -------
    float
        In the unit of y.
    """
    errors = np.empty(keys[s + 1] - keys[s] + 1)
    _segment_errors(y[keys[s] : keys[s + 1] + 1], values[s], slopes[s], values[s + 1], slopes[s + 1], errors)
    return farthest(errors)


@kernel("void(float64[::1], float64, float64, float64, float64, float64[::1])", regroup=True)
def _segment_errors(y: Samples, v0: float, m0: float, v1: float, m1: float, out: Samples) -> None:
    """How far the samples from one key to the next are from the cubic between them.

    Parameters
    ----------
    out : (samples,) array
        Filled, with signs.
    """
    span = y.shape[0] - 1
    step = 2.0 / span
    c0, c1, c2, c3 = powers(v0, m0, v1, m1, 0.5 * span)
    for i in range(y.shape[0]):
        v = i * step - 1.0
        out[i] = c0 + v * (c1 + v * (c2 + v * c3)) - y[i]


@kernel("UniTuple(float64, 2)(float64[::1], float64[::1], float64)", regroup=True)
def _weigh(errors: Samples, weights: Samples, tolerance: float) -> tuple[float, float]:
    """Weigh each sample by its error for the next round (Lawson); the weighted sum of squares and the sum of weights
    before it."""
    squares, total, least = 0.0, 0.0, 1e-3 * tolerance
    for i in range(weights.shape[0]):
        error, w = abs(errors[i]), weights[i]
        squares += w * error * error
        total += w
        weights[i] = w * (error + least)
    return squares, total


@kernel(
    "void(float64[::1], int64[::1], int64, int64, float64[::1], float64[::1], boolean, boolean, float64[::1], "
    "float64[:, ::1], float64[::1])"
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
    weights: Samples,
    band: Samples,
    right: Samples,
) -> None:
    """Values and slopes of keys lo … hi with the least weighted squares of errors; `band` and `right` are room to work
    in."""
    start, count = keys[lo], len(right)
    sums = np.empty(MOMENTS + WITH_Y)
    band[:] = 0.0
    right[:] = 0.0
    for s in range(lo, hi):
        a, b = keys[s], keys[s + 1]
        _moments(weights[a - start : b - start], y[a:b], sums)
        _gather(sums, 0.5 * (b - a), band, right, 2 * (s - lo))
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
    weights, errors = np.ones(length), np.empty(length + 1)
    band = np.empty((count, 4))
    right = np.empty(count)
    best = np.inf
    best_values = values[lo : hi + 1].copy()
    best_slopes = slopes[lo : hi + 1].copy()
    for turn in range(rounds):
        _least_squares(y, keys, lo, hi, values, slopes, hold_first, hold_last, weights, band, right)
        for s in range(lo, hi):
            a, b = keys[s], keys[s + 1]
            part = errors[a - start : b - start + 1]  # its last sample is the next one's first
            _segment_errors(y[a : b + 1], values[s], slopes[s], values[s + 1], slopes[s + 1], part)
        worst = farthest(errors)
        squares, total = _weigh(errors[:length], weights, tolerance)
        if worst < best:
            best = worst
            best_values[:] = values[lo : hi + 1]
            best_slopes[:] = slopes[lo : hi + 1]
        # no values and slopes have a smaller weighted square, so none have a largest error below its root
        hopeless = squares > total * tolerance * tolerance
        stuck = (turn == 1 and best > HOPELESS * tolerance) or (turn == 4 and best > FAR * tolerance)
        if best <= tolerance or stuck or hopeless:
            break
        share = 1.0 / farthest(weights)
        for row in range(length):
            weights[row] = weights[row] * share + 1e-6
    values[lo : hi + 1] = best_values
    slopes[lo : hi + 1] = best_slopes
    return best
