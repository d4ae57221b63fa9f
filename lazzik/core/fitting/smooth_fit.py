"""As few keys as possible on a smooth stretch: seed, re-solve, prune.

1. Seed with the longest cubics at a fraction of the tolerance (`minimax.longest_cubic`).
2. Solve all values and slopes together, so that the largest error is as small as can be (`chebyshev`).
3. Where a segment still misses, put a key midway and solve its neighbourhood again.
4. Take out every key whose neighbourhood can do without it.
5. Put one key in the place of two neighbours where that can do.
Where the outcome is far above the fewest that any chain of cubics would need, the same is done from other seeds.
The ends of the stretch keep the sampled values. Slopes are per sample here.
"""

from __future__ import annotations

import numpy as np

from lazzik.core.fitting.chebyshev import solve
from lazzik.core.fitting.joined_cubics import segment_error
from lazzik.core.fitting.minimax import PER_FRAME, cubic_fits, longest_cubic
from lazzik.core.kernels import kernel
from lazzik.core.types import Places, Samples

FRACTION = 0.5
"""The part of the tolerance at which seeds are laid: the room that joining the cubics smoothly costs. Measured over
noise, sines and springs, half gave the fewest keys for the time."""

OTHER = 0.35
"""The part of the tolerance for other seeds: sines, above all, come out better from it."""

WORTH = 1.4
"""How many times more keys than any chain of cubics needs make it worth to try other seeds."""

FIRST = 5
"""Frames from the beginning about which the second key of a seed is looked for."""

REACH = 3
"""Keys on either side that are solved anew when one is put in or taken out."""


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
    filling the arrays.

    Parameters
    ----------
    y : (n,) array
        Samples, in any unit.
    keys : (b − a + 2,) array
        Filled: places of samples, rising.
    values, slopes : (b − a + 2,) arrays
        Filled: in the unit of y, and per sample.

    Returns
    -------
    int
        How many keys.
    """
    count = 1
    keys[0] = a
    while keys[count - 1] < b:
        before = keys[count - 1]
        near = 2 * before - keys[count - 2] if count > 1 else before + FIRST * PER_FRAME
        keys[count] = longest_cubic(y, before, b, fraction * tolerance, near)
        count += 1
    for k in range(count):
        values[k] = y[keys[k]]
        slopes[k] = 0.0
    first, last = not np.isnan(slope_a), not np.isnan(slope_b)
    if first:
        slopes[0] = slope_a
    if last:
        slopes[count - 1] = slope_b
    worst = solve(y, keys, 0, count - 1, values, slopes, first, last, tolerance)
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
                    solve(y, keys, lo, hi, values, slopes, first, last, tolerance)
                    s += 1
            s += 1
        worst = 0.0
        for s in range(count - 1):
            worst = max(worst, segment_error(y, keys, s, values, slopes))
        if put == 0:
            break
    return count


@kernel("void(int64[::1], float64[::1], float64[::1], int64, int64)")
def take_out(keys: Places, values: Samples, slopes: Samples, k: int, count: int) -> None:
    """Close the gap that key k leaves among so many.

    Parameters
    ----------
    keys : (keys,) array
        Places of samples; those after k move up.
    values, slopes : (keys,) arrays
        Any units; those after k move up.
    """
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
    """Take out keys that their neighbourhood can do without. Returns how many are left.

    Parameters
    ----------
    y : (n,) array
        Samples, in any unit.
    keys : (keys,) array
        Places of samples, rising; those left move up.
    values, slopes : (keys,) arrays
        In the unit of y, and per sample; those left move up.

    Returns
    -------
    int
        How many keys.
    """
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
            take_out(keys, values, slopes, k, count)
            lo, hi = max(0, k - REACH), min(count - 2, k - 1 + REACH)
            first, last = lo > 0 or not np.isnan(slope_a), hi < count - 2 or not np.isnan(slope_b)
            if solve(y, keys, lo, hi, values, slopes, first, last, tolerance) <= tolerance:
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

    Parameters
    ----------
    y : (n,) array
        Samples, in any unit.
    keys : (keys,) array
        Places of samples, rising; those left move up.
    values, slopes : (keys,) arrays
        In the unit of y, and per sample; those left move up.

    Returns
    -------
    int
        How many keys.
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
        take_out(keys, values, slopes, k + 1, count)
        lo, hi = max(0, k - REACH), min(count - 2, k + REACH)
        first, last = lo > 0 or not np.isnan(slope_a), hi < count - 2 or not np.isnan(slope_b)
        if solve(y, keys, lo, hi, values, slopes, first, last, tolerance) <= tolerance:
            count -= 1
            k = max(1, k - 2)
        else:
            keys[:count], values[:count], slopes[:count] = kept_keys, kept_values, kept_slopes
            k += 1
    return count


@kernel("int64(float64[::1], int64, int64, float64, int64[::1], float64[::1], float64[::1], float64, float64, float64)")
def from_seed(
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
    """The keys that come of one seed: laid at a part of the tolerance, mended, pruned, merged. Returns how many.

    Parameters
    ----------
    y : (n,) array
        Samples, in any unit.
    keys : (b − a + 2,) array
        Filled: places of samples, rising.
    values, slopes : (b − a + 2,) arrays
        Filled: in the unit of y, and per sample.

    Returns
    -------
    int
        How many keys.
    """
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
    whose slope is given (not NaN) keeps it; slopes are per sample.

    Parameters
    ----------
    y : (n,) array
        Samples, in any unit.
    keys : (b − a + 2,) array
        Filled: places of samples, rising.
    values, slopes : (b − a + 2,) arrays
        Filled: in the unit of y, and per sample.

    Returns
    -------
    int
        How many keys.
    """
    count = from_seed(y, a, b, tolerance, keys, values, slopes, slope_a, slope_b, FRACTION)
    least, place, span = 1, a, FIRST * PER_FRAME
    while place < b and count > WORTH * least:
        further = longest_cubic(y, place, b, tolerance, place + span)
        place, span = further, further - place
        least += 1
    if count <= WORTH * least:
        return count
    other_keys, other_values, other_slopes = np.empty_like(keys), np.empty_like(values), np.empty_like(slopes)
    other = from_seed(y, a, b, tolerance, other_keys, other_values, other_slopes, slope_a, slope_b, OTHER)
    if other < count:
        count = other
        keys[:count], values[:count], slopes[:count] = other_keys[:count], other_values[:count], other_slopes[:count]
    return count
