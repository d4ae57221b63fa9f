"""Fewer keys still, for more time: windows of keys are replaced by one key fewer, placed so that errors even out.

From the better of a few seeds (see `smooth_fit`), every run of w keys between two others is tried with w − 1:

1. The t-th new key lies between the place that t longest cubics reach from the key before the run, and the one from
   which longest cubics lead back from the key after it. Where these cross, no keys will do, and most runs end here.
2. The keys begin halfway. All values and slopes of the neighbourhood are solved. Where it misses, the solver tells how
   the error changes with the place of each key, those beside the run too (see `chebyshev`): all go down that slope, as
   far as it promises what is needed, and it is solved again, a few times.

Runs of 2 to LONGEST keys are gone through until none can do with fewer. Slopes are per sample.
"""

from __future__ import annotations

import numpy as np

from lazzik.core.fitting.chebyshev import solve_with_pulls
from lazzik.core.fitting.minimax import PER_FRAME, cubic_fits, farthest
from lazzik.core.fitting.smooth_fit import from_seed, take_out
from lazzik.core.kernels import kernel
from lazzik.core.types import Places, Samples

SEEDS = np.array([0.5, 0.35, 0.65, 0.8, 0.42])
"""Parts of the tolerance at which seeds are laid."""

REACH = 3
"""Keys on either side of a run that are solved and moved with it."""

LONGEST = 4
"""Keys in a run at most."""

TRIES = 8
"""Solves of one run."""

WORTH = 1.15
"""How many times the keys of the best outcome a seed may have, and still be worth the time."""

LIMIT = 2.0
"""How many tolerances the smallest largest error may be, and still be worth moving keys for."""

CLOSE = 1.0
"""How near the bound and the largest error are, in tolerances, when it is said which way keys should go: nearer costs
twice as much, and helps no more."""

MORE = 1.4
"""How many times further keys go than the slope of the error promises to be enough: it flattens out."""

LEAST = 0.2
"""Steps that did not help are halved; below this part nothing is tried any more."""


@kernel("void(float64[::1], int64, int64, float64, int64[::1], int64[::1])")
def reaches(y: Samples, a: int, b: int, tolerance: float, forth: Places, back: Places) -> None:
    """How far a cubic leads from each sample on which a key may lie: those of whole frames, a and b.

    Who starts later comes at least as far, so all of them together take about two questions a frame.

    Parameters
    ----------
    y : (n,) array
        Samples, in any unit.
    forth, back : (b − a + 1,) arrays
        Filled, by places from a on: the last such sample that one cubic reaches within `tolerance`, and the first from
        which one leads there.
    """
    for i in range(b - a + 1):  # no key leads anywhere from a place between frames: runs that begin or end there stay
        forth[i], back[i] = a + i, b
    there = a
    here = a
    while here < b:
        there = max(there, min(b, (here // PER_FRAME + 1) * PER_FRAME))
        while there < b:
            further = min(b, there + PER_FRAME)
            if not cubic_fits(y, here, further, tolerance):
                break
            there = further
        forth[here - a] = there
        place = there
        while place > here and back[place - a] > here:
            back[place - a] = here
            place = (place - 1) // PER_FRAME * PER_FRAME
        here = min(b, (here // PER_FRAME + 1) * PER_FRAME)
    forth[b - a] = b


@kernel("boolean(int64, int64, int64, int64[::1], int64[::1], int64, int64[::1], int64[::1])")
def rooms(
    before: int, after: int, count: int, forth: Places, back: Places, start: int, low: Places, high: Places
) -> bool:
    """Between which places each of so many keys has to lie; False if there are none for one.

    Parameters
    ----------
    forth, back : arrays
        As `reaches` fills them, from sample `start` on.
    low, high : (count or more,) arrays
        Filled: places of samples.

    Returns
    -------
    bool
    """
    latest = (after - 1) // PER_FRAME * PER_FRAME
    earliest = (before // PER_FRAME + 1) * PER_FRAME
    place = before
    for t in range(count):
        place = min(forth[place - start], latest)
        high[t] = place
    if high[0] <= before or forth[high[count - 1] - start] < after:
        return False
    place = after
    for t in range(count - 1, -1, -1):
        place = max(back[place - start], earliest)
        low[t] = place
        if low[t] > high[t]:
            return False
    return True


@kernel(
    "boolean(float64[::1], float64, int64[::1], float64[::1], float64[::1], int64, int64, int64, boolean, boolean, "
    "int64[::1], int64[::1])"
)
def evened_out(
    y: Samples,
    tolerance: float,
    keys: Places,
    values: Samples,
    slopes: Samples,
    count: int,
    first: int,
    run: int,
    slope_a_given: bool,
    slope_b_given: bool,
    low: Places,
    high: Places,
) -> bool:
    """Move the `run` keys from `first` on within their rooms, and those about them, until all segments hold. Whether
    they do.

    Parameters
    ----------
    y : (n,) array
        Samples, in any unit.
    keys : (keys,) array
        Places of samples, rising; those of the run and about it are moved.
    values, slopes : (keys,) arrays
        In the unit of y, and per sample; filled about the run.
    low, high : (run or more,) arrays
        Between which places each of the run lies.

    Returns
    -------
    bool
    """
    lo, hi = max(0, first - REACH), min(count - 1, first + run - 1 + REACH)
    hold_first, hold_last = lo > 0 or slope_a_given, hi < count - 1 or slope_b_given
    found, pulls = np.empty(hi - lo + 1), np.zeros(hi - lo + 1)
    best, kept, part = np.inf, keys[lo : hi + 1].copy(), 1.0
    for _ in range(TRIES):
        found[:] = 0.0
        worst = solve_with_pulls(y, keys, lo, hi, values, slopes, hold_first, hold_last, tolerance, LIMIT, CLOSE, found)
        if worst <= tolerance:
            return True
        if worst < best:
            best, kept[:], pulls[:] = worst, keys[lo : hi + 1], found
        else:
            part *= 0.5
        steepest = farthest(pulls)
        if steepest == 0.0 or part < LEAST:
            return False
        down = part * MORE * (best - tolerance) / (np.sum(pulls * pulls) * PER_FRAME)
        moved = False
        for j in range(1, hi - lo):
            k = lo + j
            frames = -int(round(down * pulls[j]))
            if frames == 0 and abs(pulls[j]) == steepest:
                frames = -1 if pulls[j] > 0.0 else 1
            least, most = keys[k - 1] + PER_FRAME, kept[j + 1] - PER_FRAME
            if first <= k < first + run:
                least, most = max(least, low[k - first]), min(most, high[k - first])
            keys[k] = kept[j]
            if frames != 0 and least <= most:
                keys[k] = max(least, min(most, (kept[j] // PER_FRAME + frames) * PER_FRAME))
            moved = moved or keys[k] != kept[j]
        if not moved:
            return False
    return False


@kernel(
    "int64(float64[::1], float64, int64[::1], float64[::1], float64[::1], int64, float64, float64, int64[::1], "
    "int64[::1])"
)
def shorten_runs(
    y: Samples,
    tolerance: float,
    keys: Places,
    values: Samples,
    slopes: Samples,
    count: int,
    slope_a: float,
    slope_b: float,
    forth: Places,
    back: Places,
) -> int:
    """Put one key fewer in the place of runs of keys, until none can do with fewer. Returns how many are left.

    Parameters
    ----------
    y : (n,) array
        Samples, in any unit.
    keys : (keys,) array
        Places of samples, rising; those left move up.
    values, slopes : (keys,) arrays
        In the unit of y, and per sample; those left move up.
    forth, back : (samples,) arrays
        As `reaches` fills them, from the first key on.

    Returns
    -------
    int
        How many keys.
    """
    low, high = np.empty(LONGEST, np.int64), np.empty(LONGEST, np.int64)
    a_given, b_given = not np.isnan(slope_a), not np.isnan(slope_b)
    # a run that failed is not tried again before a key about it has changed: both by the places of keys
    start = keys[0]
    changed = np.ones(keys[count - 1] - start + 1, np.int64)
    failed = np.zeros((LONGEST + 1, len(changed)), np.int64)
    moment = 1
    run = 2
    while run <= LONGEST:
        shorter = False
        k = 1
        while k + run < count:
            after = k + run
            latest = 0
            for i in range(max(0, k - 1 - REACH), min(count, after + 1 + REACH)):
                latest = max(latest, changed[keys[i] - start])
            if failed[run, keys[k] - start] >= latest:
                k += 1
                continue
            failed[run, keys[k] - start] = moment
            if not rooms(keys[k - 1], keys[after], run - 1, forth, back, start, low, high):
                k += 1
                continue
            kept_keys, kept_values, kept_slopes = keys[:count].copy(), values[:count].copy(), slopes[:count].copy()
            take_out(keys, values, slopes, after - 1, count)
            for t in range(run - 1):
                place = (low[t] + high[t]) // (2 * PER_FRAME) * PER_FRAME
                place = max(place, keys[k + t - 1] // PER_FRAME * PER_FRAME + PER_FRAME)
                keys[k + t], values[k + t] = place, y[place]
            rising = True
            for t in range(run):
                rising = rising and keys[k + t] > keys[k + t - 1]
            if rising and evened_out(
                y, tolerance, keys, values, slopes, count - 1, k, run - 1, a_given, b_given, low, high
            ):
                count -= 1
                shorter = True
                moment += 1
                for i in range(max(1, k - REACH), min(count - 1, k + run - 1 + REACH)):
                    changed[keys[i] - start] = moment
                k = max(1, k - run)
            else:
                keys[:count], values[:count], slopes[:count] = kept_keys, kept_values, kept_slopes
                k += 1
        run = 2 if shorter and run > 2 else run + 1
    return count


@kernel("int64(float64[::1], int64, int64, float64, int64[::1], float64[::1], float64[::1], float64, float64)")
def fit_thoroughly(
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
    """The fewest keys found on samples a … b, as `fit_smooth`. Returns how many; the arrays are filled.

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
    forth, back = np.empty(b - a + 1, np.int64), np.empty(b - a + 1, np.int64)
    reaches(y, a, b, tolerance, forth, back)
    least, place = 1, a
    while place < b:
        place = forth[place - a]
        least += 1
    best = -1
    other_keys, other_values, other_slopes = np.empty_like(keys), np.empty_like(values), np.empty_like(slopes)
    for fraction in SEEDS:
        count = from_seed(y, a, b, tolerance, other_keys, other_values, other_slopes, slope_a, slope_b, fraction)
        if best > 0 and count > WORTH * best:
            continue
        count = shorten_runs(y, tolerance, other_keys, other_values, other_slopes, count, slope_a, slope_b, forth, back)
        if best < 0 or count < best:
            best = count
            keys[:best], values[:best], slopes[:best] = other_keys[:best], other_values[:best], other_slopes[:best]
        if best <= least:
            break
    return best
