"""Cubics that join in value and slope at given keys: their errors, and the normal equations of the values and slopes
that make them smaller. Slopes are per sample.

Between keys n samples apart the cubic is written in v = 2i/n − 1, by what it does evenly and oddly about the middle:

    p(v) = (v₀ + v₁)/2 + (v₁ − v₀)/2 · q + n/8·(m₀ − m₁) · w + n/8·(m₀ + m₁) · z
    q = (3v − v³)/2,   w = 1 − v²,   z = v³ − v

So p = A·u is linear in the unknowns u, two of each key, and the products AᵀWA and Aᵀg come from moments alone, Σ W v^k
and Σ g v^k over each segment: no row of A is stored. A segment has the sample of its first key and not that of its
last, which is the next one's. As a key has to do with its neighbours alone, AᵀWA is a chain of blocks of two.
"""

from __future__ import annotations

import numpy as np

from lazzik.core.fitting.minimax import farthest
from lazzik.core.kernels import kernel
from lazzik.core.types import Places, Samples

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


@kernel("float64(float64[::1])", regroup=True)
def arriving(weights: Samples) -> float:
    """Σ weights times what a slope of one per sample at the last key adds to the cubic of a segment.

    Parameters
    ----------
    weights : (samples,) array
        Any unit.

    Returns
    -------
    float
        In the same unit.
    """
    count = weights.shape[0]
    step = 2.0 / count
    total: float = 0.0
    for i in range(count):
        v = i * step - 1.0
        total += weights[i] * (v * v - 1.0) * (v + 1.0)
    return float(total * count / 8)


@kernel(
    "void(int64[::1], int64, int64, float64[::1], float64[::1], float64[::1], float64[:, ::1], float64[:, ::1])",
    regroup=True,
)
def gather(
    keys: Places, lo: int, hi: int, weights: Samples, one: Samples, two: Samples, blocks: Samples, rights: Samples
) -> None:
    """AᵀWA, Aᵀ·one and Aᵀ·two over keys lo … hi.

    Parameters
    ----------
    keys : (keys,) array
        Places of samples, rising.
    weights, one, two : (keys[hi] − keys[lo],) arrays
        Of each sample: W, and what each right side has.
    blocks : (hi − lo + 1, 7) array
        Filled, for each key: value with value, value with slope, slope with slope; then its value with the value and
        the slope of the key before, and its slope with them.
    rights : (hi − lo + 1, 4) array
        Filled, for each key: value and slope of Aᵀ·one, value and slope of Aᵀ·two.
    """
    start = keys[lo]
    blocks[0] = 0.0
    rights[0] = 0.0
    for k in range(hi - lo):
        a, b = keys[lo + k] - start, keys[lo + k + 1] - start
        count, of_weights, of_one, of_two = b - a, weights[a:b], one[a:b], two[a:b]
        step, f = 2.0 / count, 0.125 * count
        s0 = s1 = s2 = s3 = s4 = s5 = s6 = 0.0
        g0 = g1 = g2 = g3 = h0 = h1 = h2 = h3 = 0.0
        for i in range(count):  # the moments
            v = i * step - 1.0
            v2 = v * v
            v3 = v2 * v
            weight, g, h = of_weights[i], of_one[i], of_two[i]
            weight2, weight3 = weight * v2, weight * v3
            s0 += weight
            s1 += weight * v
            s2 += weight2
            s3 += weight3
            s4 += weight2 * v2
            s5 += weight2 * v3
            s6 += weight3 * v3
            g0 += g
            g1 += g * v
            g2 += g * v2
            g3 += g * v3
            h0 += h
            h1 += h * v
            h2 += h * v2
            h3 += h * v3
        # Σ W times q, w and z, and times their products
        q, qq = 1.5 * s1 - 0.5 * s3, 2.25 * s2 - 1.5 * s4 + 0.25 * s6
        w, z, qw, qz = s0 - s2, s3 - s1, 1.5 * s1 - 2.0 * s3 + 0.5 * s5, 2.0 * s4 - 1.5 * s2 - 0.5 * s6
        ww, wz, zz = s0 - 2.0 * s2 + s4, 2.0 * s3 - s1 - s5, s6 - 2.0 * s4 + s2
        blocks[k, 0] += 0.25 * (s0 + qq) - 0.5 * q
        blocks[k, 1] += 0.5 * f * (w + z - qw - qz)
        blocks[k, 2] += f * f * (ww + zz + 2.0 * wz)
        blocks[k + 1, 0] = 0.25 * (s0 + qq) + 0.5 * q
        blocks[k + 1, 1] = 0.5 * f * (z - w + qz - qw)
        blocks[k + 1, 2] = f * f * (ww + zz - 2.0 * wz)
        blocks[k + 1, 3] = 0.25 * (s0 - qq)
        blocks[k + 1, 4] = 0.5 * f * (w + z + qw + qz)
        blocks[k + 1, 5] = 0.5 * f * (z - w + qw - qz)
        blocks[k + 1, 6] = f * f * (zz - ww)
        gq, gw, gz = 1.5 * g1 - 0.5 * g3, g0 - g2, g3 - g1
        hq, hw, hz = 1.5 * h1 - 0.5 * h3, h0 - h2, h3 - h1
        rights[k, 0] += 0.5 * (g0 - gq)
        rights[k, 1] += f * (gz + gw)
        rights[k, 2] += 0.5 * (h0 - hq)
        rights[k, 3] += f * (hz + hw)
        rights[k + 1, 0], rights[k + 1, 1] = 0.5 * (g0 + gq), f * (gz - gw)
        rights[k + 1, 2], rights[k + 1, 3] = 0.5 * (h0 + hq), f * (hz - hw)


@kernel("UniTuple(float64, 2)(float64[:, ::1], float64[:, ::1], boolean, boolean)", regroup=True)
def eliminate(blocks: Samples, rights: Samples, hold_first: bool, hold_last: bool) -> tuple[float, float]:
    """Solve (AᵀWA)·x = Aᵀ·one and Aᵀ·two in place, by L·D·Lᵀ; (Aᵀ·one)ᵀ times either answer.

    The first and the last value are zero, and the first and the last slope where they are held: for them 1/D is.

    Parameters
    ----------
    blocks : (keys, 7) array
        As `gather` fills it; left as its factor.
    rights : (keys, 4) array
        As `gather` fills it; left as the answers.

    Returns
    -------
    float, float
    """
    last = blocks.shape[0] - 1
    least = 0.0
    for k in range(last + 1):
        least = max(least, max(blocks[k, 0], blocks[k, 2]))
    least = LEAST * least + 1e-300
    of_value = of_slope = lower = 0.0  # of the key before: 1/D of its value and slope, and L between them
    first = second = 0.0
    for k in range(last + 1):
        vv, vm, mm = blocks[k, 0] * (1.0 + 1e-12) + least, blocks[k, 1], blocks[k, 2] * (1.0 + 1e-12) + least
        if k > 0:
            value_value, value_slope = blocks[k, 3], blocks[k, 4] - lower * blocks[k, 3]
            slope_value, slope_slope = blocks[k, 5], blocks[k, 6] - lower * blocks[k, 5]
            blocks[k, 3], blocks[k, 4] = value_value * of_value, value_slope * of_slope
            blocks[k, 5], blocks[k, 6] = slope_value * of_value, slope_slope * of_slope
            vv -= blocks[k, 3] * value_value + blocks[k, 4] * value_slope
            vm -= blocks[k, 3] * slope_value + blocks[k, 4] * slope_slope
            mm -= blocks[k, 5] * slope_value + blocks[k, 6] * slope_slope
            rights[k, 0] -= blocks[k, 3] * rights[k - 1, 0] + blocks[k, 4] * rights[k - 1, 1]
            rights[k, 1] -= blocks[k, 5] * rights[k - 1, 0] + blocks[k, 6] * rights[k - 1, 1]
            rights[k, 2] -= blocks[k, 3] * rights[k - 1, 2] + blocks[k, 4] * rights[k - 1, 3]
            rights[k, 3] -= blocks[k, 5] * rights[k - 1, 2] + blocks[k, 6] * rights[k - 1, 3]
        of_value = 0.0 if k == 0 or k == last else 1.0 / max(vv, least)
        lower = vm * of_value
        of_slope = 0.0 if (k == 0 and hold_first) or (k == last and hold_last) else 1.0 / max(mm - lower * vm, least)
        rights[k, 1] -= lower * rights[k, 0]
        rights[k, 3] -= lower * rights[k, 2]
        blocks[k, 0], blocks[k, 1], blocks[k, 2] = of_value, lower, of_slope
        first += of_value * rights[k, 0] * rights[k, 0] + of_slope * rights[k, 1] * rights[k, 1]
        second += of_value * rights[k, 0] * rights[k, 2] + of_slope * rights[k, 1] * rights[k, 3]
    for k in range(last, -1, -1):
        for side in range(0, 4, 2):
            value, slope = rights[k, side] * blocks[k, 0], rights[k, side + 1] * blocks[k, 2]
            if k < last:
                value -= blocks[k + 1, 3] * rights[k + 1, side] + blocks[k + 1, 5] * rights[k + 1, side + 1]
                slope -= blocks[k + 1, 4] * rights[k + 1, side] + blocks[k + 1, 6] * rights[k + 1, side + 1]
            rights[k, side], rights[k, side + 1] = value - blocks[k, 1] * slope, slope
    return first, second
