"""As few keys as possible on a smooth stretch: seed, re-solve, prune.

1. Seed with the longest cubics at a fraction of the tolerance (`minimax.longest_cubic`).
2. Solve all values and slopes together: a banded least-squares problem in the Hermite basis, re-weighted by the error
   (C. L. Lawson, 1961) so that the largest error falls.
3. Where a segment still misses, put a key midway and solve its neighbourhood again.
4. Take out every key whose neighbourhood can do without it.
5. Put one key in the place of two neighbours where that can do.
Where the outcome is far above the fewest that any chain of cubics would need, the same is done from other seeds.
The ends of the stretch keep the sampled values. Slopes are per sample here.
"""

from __future__ import annotations

import numpy as np

from lazzik.core.fitting.minimax import PER_FRAME, cubic_fits, longest_cubic
from lazzik.core.hermite import hermite_at
from lazzik.core.kernels import kernel
from lazzik.core.types import Places, Samples

FRACTION = 0.5
"""The part of the tolerance at which seeds are laid: the room that joining the cubics smoothly costs. Measured over
noise, sines and springs, half gave the fewest keys for the time."""

OTHER = 0.35
"""The part of the tolerance for other seeds: sines, above all, come out better from it."""

WORTH = 1.4
"""How many times more keys than any chain of cubics needs make it worth to try other seeds."""

ROUNDS = 12
"""Re-weightings of one solve."""

REACH = 3
"""Keys on either side that are solved anew when one is put in or taken out."""

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


@kernel("void(float64[:, ::1], float64[::1], float64[::1], int64, int64, int64, float64[:, ::1], float64[::1], int64)")
def _gather(
    basis: Samples, weights: Samples, y: Samples, a: int, b: int, start: int, band: Samples, right: Samples, row: int
) -> None:
    """Add the normal equations of the segment on samples a … b − 1 to the system, from a row on."""
    s00 = s10 = s11 = s20 = s21 = s22 = s30 = s31 = s32 = s33 = 0.0
    r0 = r1 = r2 = r3 = 0.0
    for i in range(a - start, b - start):
        w, h0, h1, h2, h3 = weights[i], basis[i, 0], basis[i, 1], basis[i, 2], basis[i, 3]
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
    """(samples, 4) what the values and slopes at both ends of its segment give to each sample: the Hermite basis. The
    end of a segment is the next one's start."""
    start = keys[lo]
    basis = np.empty((keys[hi] - start, 4))
    for s in range(lo, hi):
        span = keys[s + 1] - keys[s]
        for i in range(span):
            u = i / span
            rest = 1.0 - u
            row = keys[s] + i - start
            basis[row, 0] = (1.0 + 2.0 * u) * rest * rest
            basis[row, 1] = u * rest * rest * span
            basis[row, 2] = u * u * (3.0 - 2.0 * u)
            basis[row, 3] = -u * u * rest * span
    return basis


@kernel(
    "UniTuple(float64, 4)(float64[::1], int64[::1], int64, int64, float64[::1], float64[::1], float64[:, ::1], "
    "float64[::1], float64)"
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
            fitted = basis[row, 0] * v0 + basis[row, 1] * m0 + basis[row, 2] * v1 + basis[row, 3] * m1
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


@kernel("float64(float64[::1], int64[::1], int64, float64[::1], float64[::1])")
def segment_error(y: Samples, keys: Places, s: int, values: Samples, slopes: Samples) -> float:
    """Largest error of the segment from key s to s + 1."""
    left, span = keys[s], keys[s + 1] - keys[s]
    worst = 0.0
    for i in range(span + 1):
        fitted = hermite_at(i / span, span, values[s], slopes[s], values[s + 1], slopes[s + 1])
        worst = max(worst, abs(fitted - y[left + i]))
    return worst


@kernel("int64(int64, int64)")
def midway(a: int, b: int) -> int:
    """A whole frame's sample near the middle between two samples, or any sample if there is none; −1 if too close."""
    if b - a < 2:
        return -1
    middle = int(round(0.5 * (a + b) / PER_FRAME)) * PER_FRAME
    if a < middle < b:
        return middle
    return (a + b) // 2


@kernel("int64(float64[::1], int64, int64, float64, int64[::1], float64[::1], float64[::1], float64, float64, float64)")
def seed_and_mend(
    y: Samples,
    a: int,
    b: int,
    tolerance: float,
    keys: Places,
    values: Samples,
    slopes: Samples,
    slope_a: float,
    slope_b: float,
    fraction: float,
) -> int:
    """Keys on samples a … b from seeds at a part of the tolerance, mended until every segment holds. Returns how many,
    filling the arrays."""
    count = 1
    keys[0] = a
    while keys[count - 1] < b:
        keys[count] = longest_cubic(y, keys[count - 1], b, fraction * tolerance)
        count += 1
    for k in range(count):
        values[k] = y[keys[k]]
        slopes[k] = 0.0
    first, last = not np.isnan(slope_a), not np.isnan(slope_b)
    if first:
        slopes[0] = slope_a
    if last:
        slopes[count - 1] = slope_b
    worst = solve(y, keys, 0, count - 1, values, slopes, first, last, tolerance, ROUNDS)
    while worst > tolerance:
        put = 0
        s = 0
        while s < count - 1:
            if segment_error(y, keys, s, values, slopes) > tolerance:
                place = midway(keys[s], keys[s + 1])
                if place >= 0:
                    keys[s + 2 : count + 1] = keys[s + 1 : count].copy()
                    values[s + 2 : count + 1] = values[s + 1 : count].copy()
                    slopes[s + 2 : count + 1] = slopes[s + 1 : count].copy()
                    keys[s + 1] = place
                    values[s + 1] = y[place]
                    slopes[s + 1] = 0.0
                    count += 1
                    put += 1
                    lo, hi = max(0, s + 1 - REACH), min(count - 1, s + 1 + REACH)
                    first, last = lo > 0 or not np.isnan(slope_a), hi < count - 1 or not np.isnan(slope_b)
                    solve(y, keys, lo, hi, values, slopes, first, last, tolerance, ROUNDS)
                    s += 1
            s += 1
        worst = 0.0
        for s in range(count - 1):
            worst = max(worst, segment_error(y, keys, s, values, slopes))
        if put == 0:
            break
    return count


@kernel("void(int64[::1], float64[::1], float64[::1], int64, int64)")
def _take_out(keys: Places, values: Samples, slopes: Samples, k: int, count: int) -> None:
    """Close the gap that key k leaves among so many."""
    for i in range(k, count - 1):
        keys[i], values[i], slopes[i] = keys[i + 1], values[i + 1], slopes[i + 1]


@kernel("int64(float64[::1], float64, int64[::1], float64[::1], float64[::1], int64, float64, float64)")
def prune(
    y: Samples,
    tolerance: float,
    keys: Places,
    values: Samples,
    slopes: Samples,
    count: int,
    slope_a: float,
    slope_b: float,
) -> int:
    """Take out keys that their neighbourhood can do without. Returns how many are left."""
    fresh = np.ones(count, np.bool_)  # not tried since its neighbourhood last changed
    removed = True
    while removed:
        removed = False
        k = 1
        while k < count - 1:
            if not fresh[k] or not cubic_fits(y, keys[k - 1], keys[k + 1], tolerance):
                fresh[k] = False
                k += 1
                continue
            kept_keys, kept_values, kept_slopes = (
                keys[:count].copy(),
                values[:count].copy(),
                slopes[:count].copy(),
            )
            _take_out(keys, values, slopes, k, count)
            lo, hi = max(0, k - REACH), min(count - 2, k - 1 + REACH)
            first, last = lo > 0 or not np.isnan(slope_a), hi < count - 2 or not np.isnan(slope_b)
            if solve(y, keys, lo, hi, values, slopes, first, last, tolerance, ROUNDS) <= tolerance:
                count -= 1
                removed = True
                fresh[k:count] = fresh[k + 1 : count + 1].copy()
                fresh[max(0, lo - REACH) : hi + REACH + 1] = True
            else:
                keys[:count], values[:count], slopes[:count] = kept_keys, kept_values, kept_slopes
                fresh[k] = False
                k += 1
    return count


@kernel("int64(float64[::1], int64, int64, int64, int64, float64)")
def _meeting_place(y: Samples, before: int, a: int, b: int, after: int, tolerance: float) -> int:
    """The middle of the whole frames' samples that one cubic reaches from `before` and another leaves to `after`; −1 if
    there are none.

    Looked for between samples a and b, of which `before` reaches a and b reaches `after`. A cubic that reaches a
    sample reaches all before it: so where neither reaches the middle, none can meet, and else one half is left.
    """
    low, high = -(-a // PER_FRAME), b // PER_FRAME
    while low <= high:
        middle = (low + high) // 2
        reached = cubic_fits(y, before, middle * PER_FRAME, tolerance)
        leaves = cubic_fits(y, middle * PER_FRAME, after, tolerance)
        if reached and leaves:
            first = last = middle
            while first > low and cubic_fits(y, (first - 1) * PER_FRAME, after, tolerance):
                first -= 1
            while last < high and cubic_fits(y, before, (last + 1) * PER_FRAME, tolerance):
                last += 1
            return (first + last) // 2 * PER_FRAME
        if reached:
            low = middle + 1
        elif leaves:
            high = middle - 1
        else:
            return -1
    return -1


@kernel("int64(float64[::1], float64, int64[::1], float64[::1], float64[::1], int64, float64, float64)")
def merge_pairs(
    y: Samples,
    tolerance: float,
    keys: Places,
    values: Samples,
    slopes: Samples,
    count: int,
    slope_a: float,
    slope_b: float,
) -> int:
    """Put one key in the place of two neighbours where that can do. Returns how many are left.

    Wherever it lies, one cubic must reach it from the key before the two, and one lead on to the key after them: that
    is asked first, and nearly always settles it.
    """
    k = 1
    while k < count - 2:
        place = _meeting_place(y, keys[k - 1], keys[k], keys[k + 1], keys[k + 2], tolerance)
        if place < 0:
            k += 1
            continue
        kept_keys, kept_values, kept_slopes = keys[:count].copy(), values[:count].copy(), slopes[:count].copy()
        keys[k], values[k] = place, y[place]
        slopes[k] = 0.5 * (kept_slopes[k] + kept_slopes[k + 1])
        _take_out(keys, values, slopes, k + 1, count)
        lo, hi = max(0, k - REACH), min(count - 2, k + REACH)
        first, last = lo > 0 or not np.isnan(slope_a), hi < count - 2 or not np.isnan(slope_b)
        if solve(y, keys, lo, hi, values, slopes, first, last, tolerance, ROUNDS) <= tolerance:
            count -= 1
            k = max(1, k - 2)
        else:
            keys[:count], values[:count], slopes[:count] = kept_keys, kept_values, kept_slopes
            k += 1
    return count


@kernel("int64(float64[::1], int64, int64, float64, int64[::1], float64[::1], float64[::1], float64, float64, float64)")
def _from_seed(
    y: Samples,
    a: int,
    b: int,
    tolerance: float,
    keys: Places,
    values: Samples,
    slopes: Samples,
    slope_a: float,
    slope_b: float,
    fraction: float,
) -> int:
    """The keys that come of one seed. Returns how many."""
    count = seed_and_mend(y, a, b, tolerance, keys, values, slopes, slope_a, slope_b, fraction)
    count = prune(y, tolerance, keys, values, slopes, count, slope_a, slope_b)
    return merge_pairs(y, tolerance, keys, values, slopes, count, slope_a, slope_b)


@kernel("int64(float64[::1], int64, int64, float64, int64[::1], float64[::1], float64[::1], float64, float64)")
def fit_smooth(
    y: Samples,
    a: int,
    b: int,
    tolerance: float,
    keys: Places,
    values: Samples,
    slopes: Samples,
    slope_a: float,
    slope_b: float,
) -> int:
    """The fewest keys found on samples a … b. Returns how many; the arrays (room for b − a + 2) are filled. An end
    whose slope is given (not NaN) keeps it; slopes are per sample."""
    count = _from_seed(y, a, b, tolerance, keys, values, slopes, slope_a, slope_b, FRACTION)
    least, place = 1, a
    while place < b:
        place = longest_cubic(y, place, b, tolerance)
        least += 1
    if count <= WORTH * least:
        return count
    other_keys, other_values, other_slopes = np.empty_like(keys), np.empty_like(values), np.empty_like(slopes)
    other = _from_seed(y, a, b, tolerance, other_keys, other_values, other_slopes, slope_a, slope_b, OTHER)
    if other < count:
        count = other
        keys[:count], values[:count], slopes[:count] = other_keys[:count], other_values[:count], other_slopes[:count]
    return count
