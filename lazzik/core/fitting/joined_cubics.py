"""Cubics that join in value and slope at given keys: their errors, and the banded system for the values and slopes that
make them smaller. Slopes are per sample.

Between keys n samples apart the cubic is written in v = 2i/n − 1,

    p(v) = Σ_k c_k v^k,   c = Hᵀ·(v₀, n/2·m₀, v₁, n/2·m₁)

with H the Hermite basis over [−1, 1] in powers of v. So p = A·u is linear in the unknowns u, two of each key, and the
products AᵀWA and Aᵀg come from moments alone, Σ w v^k and Σ g v^k over each segment: no row of A is stored. A segment
has the sample of its first key and not that of its last, which is the next one's.
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

OF_PRODUCTS, OF_BASIS = 7, 4
"""Powers of v in a product, and in a cubic."""

LEAST = 1e-13
"""Part of the largest pivot that the smallest one has: keys on neighbouring samples leave slopes open."""


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


@kernel("void(float64, float64, float64, float64, int64, float64[::1])", regroup=True)
def cubic(v0: float, m0: float, v1: float, m1: float, span: int, out: Samples) -> None:
    """The cubic between two keys.

    Parameters
    ----------
    v0, v1 : float
        Values, in any unit.
    m0, m1 : float
        Slopes, per sample.
    span : int
        Samples from one key to the other.
    out : (samples,) array
        Filled from the first key on, in the same unit.
    """
    step = 2.0 / span
    c0, c1, c2, c3 = powers(v0, m0, v1, m1, 0.5 * span)
    for i in range(out.shape[0]):
        v = i * step - 1.0
        out[i] = c0 + v * (c1 + v * (c2 + v * c3))


@kernel("void(int64[::1], int64, int64, float64[::1], float64[::1], float64[::1])")
def joined(keys: Places, lo: int, hi: int, values: Samples, slopes: Samples, out: Samples) -> None:
    """The cubics from key lo to hi.

    Parameters
    ----------
    keys : (keys,) array
        Places of samples, rising.
    values, slopes : arrays
        Of keys lo … hi: in any unit, and per sample.
    out : (keys[hi] − keys[lo],) array
        Filled, in the same unit.
    """
    start = keys[lo]
    for s in range(lo, hi):
        j = s - lo
        part = out[keys[s] - start : keys[s + 1] - start]
        cubic(values[j], slopes[j], values[j + 1], slopes[j + 1], keys[s + 1] - keys[s], part)


@kernel("float64(float64[::1], int64[::1], int64, float64[::1], float64[::1])")
def segment_error(y: Samples, keys: Places, s: int, values: Samples, slopes: Samples) -> float:
    """Largest error of the segment from key s to s + 1, both included.

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
    a, b = keys[s], keys[s + 1]
    errors = np.empty(b - a + 1)
    cubic(values[s], slopes[s], values[s + 1], slopes[s + 1], b - a, errors)
    errors -= y[a : b + 1]
    return farthest(errors)


@kernel("void(float64[::1], float64[::1])", regroup=True)
def moments(weights: Samples, out: Samples) -> None:
    """Sums over the samples of a segment of weights times powers of v.

    Parameters
    ----------
    weights : (samples,) array
        Any unit.
    out : (4,) array
        Filled, by the power.
    """
    step = 2.0 / weights.shape[0]
    s0 = s1 = s2 = s3 = 0.0
    for i in range(weights.shape[0]):
        v = i * step - 1.0
        p0 = weights[i]
        p1 = p0 * v
        p2 = p1 * v
        s0 += p0
        s1 += p1
        s2 += p2
        s3 += p2 * v
    out[0], out[1], out[2], out[3] = s0, s1, s2, s3


@kernel("void(float64[::1], float64[::1])", regroup=True)
def _more_moments(weights: Samples, out: Samples) -> None:
    """The same, up to the sixth power: `out` (7,)."""
    step = 2.0 / weights.shape[0]
    s0 = s1 = s2 = s3 = s4 = s5 = s6 = 0.0
    for i in range(weights.shape[0]):
        v = i * step - 1.0
        v3 = v * v * v
        p0 = weights[i]
        p1 = p0 * v
        p2 = p1 * v
        p3 = p0 * v3
        s0 += p0
        s1 += p1
        s2 += p2
        s3 += p3
        s4 += p3 * v
        s5 += p2 * v3
        s6 += p3 * v3
    out[0], out[1], out[2], out[3], out[4], out[5], out[6] = s0, s1, s2, s3, s4, s5, s6


@kernel(
    "void(int64[::1], int64, int64, float64[::1], float64[::1], float64[::1], float64[:, ::1], float64[::1], "
    "float64[::1])"
)
def gather(
    keys: Places, lo: int, hi: int, weights: Samples, one: Samples, two: Samples,
    band: Samples, right_one: Samples, right_two: Samples,
) -> None:  # fmt: skip
    """AᵀWA, Aᵀ·one and Aᵀ·two over keys lo … hi.

    Parameters
    ----------
    keys : (keys,) array
        Places of samples, rising.
    weights, one, two : (keys[hi] − keys[lo],) arrays
        Of each sample: W, and what each right side has.
    band : (unknowns, 4) array
        Filled: band[r, d] couples r with r − d.
    right_one, right_two : (unknowns,) arrays
        Filled.
    """
    start = keys[lo]
    sums, first, second = np.empty(OF_PRODUCTS), np.empty(OF_BASIS), np.empty(OF_BASIS)
    band[:] = 0.0
    right_one[:] = 0.0
    right_two[:] = 0.0
    for s in range(lo, hi):
        a, b, row = keys[s] - start, keys[s + 1] - start, 2 * (s - lo)
        half = 0.5 * (b - a)
        _more_moments(weights[a:b], sums)
        moments(one[a:b], first)
        moments(two[a:b], second)
        for i in range(4):
            own = half if i % 2 else 1.0
            for k in range(OF_BASIS):
                right_one[row + i] += own * HERMITE[i, k] * first[k]
                right_two[row + i] += own * HERMITE[i, k] * second[k]
            for j in range(i + 1):
                total = 0.0
                for k in range(OF_PRODUCTS):
                    total += PRODUCTS[i, j, k] * sums[k]
                band[row + i, i - j] += own * (half if j % 2 else 1.0) * total


@kernel("void(float64[:, ::1], float64[::1], float64[::1], int64)")
def fix(band: Samples, right_one: Samples, right_two: Samples, row: int) -> None:
    """Make one unknown of a system zero.

    Parameters
    ----------
    band : (unknowns, 4) array
        As `gather` fills it; changed.
    right_one, right_two : (unknowns,) arrays
        As `gather` fills them; changed.
    """
    for d in range(1, 4):
        band[row, d] = 0.0
        if row + d < right_one.shape[0]:
            band[row + d, d] = 0.0
    band[row, 0] = 1.0
    right_one[row] = right_two[row] = 0.0


@kernel("void(float64[:, ::1], float64[::1], float64[::1])")
def cholesky(band: Samples, right_one: Samples, right_two: Samples) -> None:
    """Solve a symmetric banded system of half width 3 in place.

    Parameters
    ----------
    band : (unknowns, 4) array
        As `gather` fills it; left as its factor.
    right_one, right_two : (unknowns,) arrays
        Two right sides; left as the answers.
    """
    count = right_one.shape[0]
    least = LEAST * np.max(band[:, 0]) + 1e-300
    for r in range(count):
        band[r, 0] = band[r, 0] * (1.0 + 1e-12) + least
        for d in range(min(3, r), -1, -1):
            total = band[r, d]
            for e in range(d + 1, min(3, r) + 1):
                total -= band[r, e] * band[r - d, e - d]
            if d == 0:
                band[r, 0] = np.sqrt(max(total, least))
            else:
                band[r, d] = total / band[r - d, 0]
    for r in range(count):
        for d in range(1, min(3, r) + 1):
            right_one[r] -= band[r, d] * right_one[r - d]
            right_two[r] -= band[r, d] * right_two[r - d]
        right_one[r] /= band[r, 0]
        right_two[r] /= band[r, 0]
    for r in range(count - 1, -1, -1):
        for d in range(1, min(3, count - 1 - r) + 1):
            right_one[r] -= band[r + d, d] * right_one[r + d]
            right_two[r] -= band[r + d, d] * right_two[r + d]
        right_one[r] /= band[r, 0]
        right_two[r] /= band[r, 0]
