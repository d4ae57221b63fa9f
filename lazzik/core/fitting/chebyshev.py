"""Values and slopes of given keys whose largest error is as small as can be: the linear programme of Chebyshev
approximation,

    min t,   −t ≤ r ≤ t,   r = A·u − y

solved by a primal-dual interior point method (S. J. Wright, 'Primal-dual interior-point methods', SIAM 1997, ch. 5).

With slacks s± = t ∓ r and multipliers λ± ≥ 0 of the bounds, an optimum has Aᵀ(λ⁺ − λ⁻) = 0, Σ(λ⁺ + λ⁻) = 1 and no
λ± s± but zero. Newton's step toward λ± s± = τ is, with W = λ⁺/s⁺ + λ⁻/s⁻, g = λ⁺/s⁺ − λ⁻/s⁻ and h = τ/s⁺ − τ/s⁻,

    | AᵀWA   −Aᵀg | |du|   | −Aᵀh               |
    | −gᵀA     ΣW | |dt| = | Σ(τ/s⁺ + τ/s⁻) − 1 |

a chain of blocks with one row more. The least squares that it begins with leave Aᵀr = 0, so λ⁺ − λ⁻ in proportion to r
fits from the first step on, and Σ(λ⁺ − λ⁻) r never exceeds the smallest largest error: most questions whether a
tolerance can be met end after a few steps, with an answer that meets it or with a bound above it.
"""

from __future__ import annotations

import numpy as np

from lazzik.core.fitting.joined_cubics import arriving, eliminate, gather, joined, powers
from lazzik.core.fitting.minimax import farthest
from lazzik.core.kernels import kernel
from lazzik.core.types import Places, Samples

STEPS = 30
"""Steps of one solve at most; few take ten."""

TOWARD = 0.1
"""τ of a step, as a part of the mean λ± s±."""

SHORT = 0.95
"""Part of the way to the nearest bound that a step goes."""


@kernel(
    "UniTuple(float64, 2)(float64[::1], float64[::1], float64[::1], float64, float64, float64[::1], float64[::1], "
    "float64[::1], float64[::1], float64[::1])",
    regroup=True,
)
def _newton(
    r: Samples, above: Samples, below: Samples, t: float, tau: float, a: Samples, b: Samples, weights: Samples,
    g: Samples, h: Samples,
) -> tuple[float, float]:  # fmt: skip
    """Fill 1/s⁺, 1/s⁻, W, g and h (samples,); Σ(τ/s⁺ + τ/s⁻) and ΣW."""
    pushed, total = 0.0, 0.0
    for i in range(r.shape[0]):
        a[i], b[i] = 1.0 / (t - r[i]), 1.0 / (t + r[i])
        p, q = above[i] * a[i], below[i] * b[i]
        weights[i], g[i], h[i] = p + q, p - q, tau * (a[i] - b[i])
        pushed += tau * (a[i] + b[i])
        total += p + q
    return pushed, total


@kernel(
    "void(float64[::1], float64[::1], float64[::1], float64[::1], float64[::1], float64, float64, float64[::1], "
    "float64[::1])",
    regroup=True,
)
def _nearest(
    dr: Samples, above: Samples, below: Samples, a: Samples, b: Samples, dt: float, tau: float, slack: Samples,
    multiplier: Samples,
) -> None:  # fmt: skip
    """Fill, as 1 over their number, how many whole steps come to the bound of a slack, and of a multiplier (samples,);
    0 where they go away from it."""
    for i in range(dr.shape[0]):
        x, z = (dr[i] - dt) * a[i], (-dr[i] - dt) * b[i]
        slack[i] = max(max(x, z), 0.0)
        multiplier[i] = max(max(1.0 - tau * a[i] / above[i] - x, 1.0 - tau * b[i] / below[i] - z), 0.0)


@kernel(
    "UniTuple(float64, 3)(float64[::1], float64[::1], float64[::1], float64[::1], float64[::1], float64[::1], float64, "
    "float64, float64, float64, float64)",
    regroup=True,
)
def _advance(
    r: Samples, dr: Samples, above: Samples, below: Samples, a: Samples, b: Samples, t: float, dt: float, tau: float,
    far: float, dual: float,
) -> tuple[float, float, float]:  # fmt: skip
    """Go a part of the step, `far` of errors and t and `dual` of multipliers: Σ(λ⁺ − λ⁻) r, Σ λ± s± and Σ λ± then."""
    bound, gap, total = 0.0, 0.0, 0.0
    for i in range(r.shape[0]):
        p = above[i] + dual * (tau * a[i] - above[i] - above[i] * a[i] * (dt - dr[i]))
        q = below[i] + dual * (tau * b[i] - below[i] - below[i] * b[i] * (dt + dr[i]))
        x = r[i] + far * dr[i]
        bound += (p - q) * x
        gap += p * (t + far * dt - x) + q * (t + far * dt + x)
        total += p + q
        above[i], below[i], r[i] = p, q, x
    return bound, gap, total


@kernel("UniTuple(float64, 2)(float64[::1])", regroup=True)
def _sizes(r: Samples) -> tuple[float, float]:
    """Σ|r| and Σr²."""
    size, squares = 0.0, 0.0
    for i in range(r.shape[0]):
        size += abs(r[i])
        squares += r[i] * r[i]
    return size, squares


@kernel("void(int64[::1], int64, int64, float64[::1], float64[::1], float64[::1], float64[::1])")
def _pulls(keys: Places, lo: int, hi: int, values: Samples, slopes: Samples, net: Samples, pulls: Samples) -> None:
    """How the smallest largest error changes with the place of each key between lo and hi.

    A key that moves by δ along the cubic after it leaves that one as it is; the one before it has to arrive with
    another slope, κδ, where κ is by how much the second derivative leaps at the key. At an optimum the multipliers
    weigh what any change does to the error: dt/dδ = κ Σ (λ⁺ − λ⁻) of the basis of that slope, over the segment before
    the key.
    """
    start = keys[lo]
    for j in range(1, hi - lo):
        a, k, b = keys[lo + j - 1], keys[lo + j], keys[lo + j + 1]
        before, after = 0.5 * (k - a), 0.5 * (b - k)
        _, _, p2, p3 = powers(values[j - 1], slopes[j - 1], values[j], slopes[j], before)
        _, _, q2, q3 = powers(values[j], slopes[j], values[j + 1], slopes[j + 1], after)
        leap = (2.0 * q2 - 6.0 * q3) / (after * after) - (2.0 * p2 + 6.0 * p3) / (before * before)
        pulls[j] = arriving(net[a - start : k - start]) * leap


@kernel("boolean(float64[::1], int64[::1], int64, int64, float64[::1], float64[::1], boolean, boolean, float64[::1])")
def _least_squares(
    y: Samples, keys: Places, lo: int, hi: int, values: Samples, slopes: Samples, hold_first: bool, hold_last: bool,
    r: Samples,
) -> bool:  # fmt: skip
    """Give keys lo … hi the values and slopes with the least squares of errors, which fill r (samples,). Whether there
    are any that can be written."""
    part, blocks, rights = y[keys[lo] : keys[hi]], np.empty((hi - lo + 1, 7)), np.empty((hi - lo + 1, 4))
    joined(keys, lo, hi, values, slopes, r)
    r -= part
    gather(keys, lo, hi, np.ones_like(r), r, r, blocks, rights)
    squares, _ = eliminate(blocks, rights, hold_first, hold_last)
    if not np.isfinite(squares):
        return False
    for k in range(hi - lo + 1):
        values[k] -= rights[k, 0]
        slopes[k] -= rights[k, 1]
    joined(keys, lo, hi, values, slopes, r)
    r -= part
    return True


@kernel("float64(float64[::1], float64, float64, float64[::1], float64[::1])")
def _first_multipliers(r: Samples, t: float, size: float, above: Samples, below: Samples) -> float:
    """Fill λ⁺ and λ⁻ (samples,), their difference in proportion to r, whose Σ|r| is `size`; Σ λ± s±."""
    room = 0.1 * size / r.shape[0]
    share, gap = 1.0 / (size + 2 * r.shape[0] * room), 0.0
    for i in range(r.shape[0]):
        above[i], below[i] = share * (max(r[i], 0.0) + room), share * (max(-r[i], 0.0) + room)
        gap += above[i] * (t - r[i]) + below[i] * (t + r[i])
    return gap


@kernel(
    "float64(int64[::1], int64, int64, float64[::1], float64[::1], boolean, boolean, float64[::1], float64, float64, "
    "float64, float64, float64, float64[::1])"
)
def _interior_point(
    keys: Places, lo: int, hi: int, values: Samples, slopes: Samples, hold_first: bool, hold_last: bool, r: Samples,
    best: float, size: float, tolerance: float, limit: float, close: float, pulls: Samples,
) -> float:  # fmt: skip
    """From least squares with errors r (samples,), `best` the largest, `size` their sum, on: as `solve_with_pulls`."""
    n, count = r.shape[0], values.shape[0]
    room = np.empty((8, n))  # one array: getting eight took as long as a step
    dr, above, below, a, b, weights, g, h = room[0], room[1], room[2], room[3], room[4], room[5], room[6], room[7]
    blocks, rights, dv, dm = np.empty((count, 7)), np.empty((count, 4)), np.empty(count), np.empty(count)
    best_values, best_slopes = values.copy(), slopes.copy()
    t = 1.1 * best
    gap = _first_multipliers(r, t, size, above, below)
    for _ in range(STEPS):
        tau = TOWARD * gap / (2 * n)
        pushed, total = _newton(r, above, below, t, tau, a, b, weights, g, h)
        gather(keys, lo, hi, weights, g, h, blocks, rights)
        of_itself, of_other = eliminate(blocks, rights, hold_first, hold_last)
        dt = (pushed - 1.0 - of_other) / (total - of_itself)
        if not np.isfinite(dt):
            break
        for k in range(count):
            dv[k], dm[k] = dt * rights[k, 0] - rights[k, 2], dt * rights[k, 1] - rights[k, 3]
        joined(keys, lo, hi, dv, dm, dr)
        _nearest(dr, above, below, a, b, dt, tau, g, h)
        far, dual = SHORT / max(farthest(g), SHORT), SHORT / max(farthest(h), SHORT)
        bound, gap, total = _advance(r, dr, above, below, a, b, t, dt, tau, far, dual)
        t += far * dt
        for k in range(count):
            values[k] += far * dv[k]
            slopes[k] += far * dm[k]
        worst = farthest(r)
        if worst < best:
            best = worst
            best_values[:], best_slopes[:] = values, slopes
        if best <= tolerance or bound > limit * tolerance * total or not gap > 1e-6 * tolerance:
            break
        if bound > tolerance * total and gap < close * tolerance:
            above -= below
            _pulls(keys, lo, hi, values, slopes, above, pulls)
            break
    values[:], slopes[:] = best_values, best_slopes
    return best


@kernel(
    "float64(float64[::1], int64[::1], int64, int64, float64[::1], float64[::1], boolean, boolean, float64, float64, "
    "float64, float64[::1])"
)
def solve_with_pulls(
    y: Samples,
    keys: Places,
    lo: int,
    hi: int,
    values: Samples,
    slopes: Samples,
    hold_first: bool,
    hold_last: bool,
    tolerance: float,
    limit: float,
    close: float,
    pulls: Samples,
) -> float:
    """As `solve`, and where the tolerance can't be met, but `limit` times as much may be: how the smallest largest
    error changes as each key between the outer ones comes later.

    Parameters
    ----------
    y, keys, values, slopes : arrays
        As for `solve`.
    limit : float
        From 1 on: the search ends where the largest error can't come below so many tolerances.
    close : float
        How near the bound and the largest error are, in tolerances, when it is told.
    pulls : (hi − lo + 1,) array
        Filled, in the unit of y per sample.

    Returns
    -------
    float
        In the unit of y.
    """
    values, slopes = values[lo : hi + 1], slopes[lo : hi + 1]
    off = abs(values[-1] - y[keys[hi]])  # nothing here can change it
    r = np.empty(keys[hi] - keys[lo])
    if not _least_squares(y, keys, lo, hi, values, slopes, hold_first, hold_last, r):
        return np.inf
    best: float = max(farthest(r), off)
    size, squares = _sizes(r)
    if best <= tolerance or off > tolerance or squares > limit * tolerance * size:
        return best
    return _interior_point(
        keys, lo, hi, values, slopes, hold_first, hold_last, r, best, size, tolerance, limit, close, pulls
    )


@kernel("float64(float64[::1], int64[::1], int64, int64, float64[::1], float64[::1], boolean, boolean, float64)")
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
) -> float:
    """Values and slopes of keys lo … hi that keep the tolerance over their segments, or the best found before it was
    sure that none do; returns the largest error.

    `keys` are sample places, rising. The outer values stay; the outer slopes stay where `hold_…` says so.

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
    tolerance : float
        In the unit of y.

    Returns
    -------
    float
        In the unit of y.
    """
    return solve_with_pulls(y, keys, lo, hi, values, slopes, hold_first, hold_last, tolerance, 1.0, 0.0, np.empty(0))
