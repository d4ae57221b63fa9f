"""The knots of a curve through samples, whatever these do.

Where no smooth curve can follow, the samples are cut: at jumps (one difference far larger than its neighbours), at
corners (one second difference far larger than its neighbours) and around holds (stretches of one value). Holds become
flat or step keys; the smooth stretches between go to `smooth_fit`, or to `thorough_fit`. A stretch that still misses is
keyed sample by sample, so the bound holds for any signal whatever.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from lazzik.core.channel.keys import GO_CODES, hermite
from lazzik.core.document import LARGEST
from lazzik.core.fitting.minimax import PER_FRAME
from lazzik.core.fitting.smooth_fit import fit_smooth
from lazzik.core.fitting.thorough_fit import fit_thoroughly
from lazzik.core.kernels import kernel
from lazzik.core.types import Places, Samples

Marks = NDArray[np.bool_]  # (n,) whether something is so at each sample

ISOLATED = 6.0
"""How many times larger than its neighbours a difference must be to count as a jump or corner: fine noise has large
differences everywhere and must not be cut to pieces."""

HOLD_SAMPLES = 4
"""Equal samples in a row that make a hold: one frame's worth."""

CUBIC, LINEAR, STEP = float(GO_CODES["cubic"]), float(GO_CODES["linear"]), float(GO_CODES["step"])


@kernel("void(float64[::1], float64, boolean[::1], boolean[::1], boolean[::1])")
def mark(y: Samples, tolerance: float, jump: Marks, level: Marks, corner: Marks) -> None:
    """Mark where the signal jumps to the next sample, where it stays as it is, and where it has a corner.

    Parameters
    ----------
    y : (n,) array
        Samples, in any unit.
    jump, level, corner : (n,) arrays
        Filled.
    """
    count = y.shape[0]
    step, bend = np.zeros(count + 2), np.zeros(count + 8)  # with nothing on either side
    largest = 1e-300
    for i in range(count):
        jump[i] = level[i] = corner[i] = False
        largest = max(largest, abs(y[i]))
    for i in range(count - 1):
        step[i + 1] = abs(y[i + 1] - y[i])
        level[i] = step[i + 1] <= 1e-12 * largest
    for i in range(1, count - 1):
        bend[i + 4] = abs((y[i + 1] - y[i]) - (y[i] - y[i - 1]))
    for i in range(count - 1):
        here = step[i + 1]
        jump[i] = here > 2.0 * tolerance and here > ISOLATED * max(step[i], step[i + 2])
        if jump[i]:
            bend[max(0, i - 1) + 4 : i + 3 + 4] = 0.0
    for i in range(count):
        k = i + 4
        here = bend[k]
        if here > 0.25 * tolerance and here >= max(bend[k - 1], bend[k + 1]):
            # a corner between two samples shows at both: the pair is compared with a frame's worth on either side
            around = max(bend[k - 2], bend[k + 2])
            around = max(around, max(bend[k - 3], bend[k + 3]))
            around = max(around, max(bend[k - 4], bend[k + 4]))
            corner[i] = here > ISOLATED * around


@kernel("int64(boolean[::1], int64)")
def _hold_end(level: Marks, place: int) -> int:
    """The last sample of the hold that begins at a sample; −1 if none does."""
    if not level[place] or (place > 0 and level[place - 1]):
        return -1
    end = place
    while level[end]:
        end += 1
    return end if end - place + 1 >= HOLD_SAMPLES else -1


@kernel("void(float64[:, ::1], int64, float64, float64)")
def _begin(rows: Samples, k: int, value: float, slope_in: float) -> None:
    """Knot k of so many (rows as for `knots`), whose curve is not known yet beyond it."""
    rows[1, k], rows[2, k], rows[3, k], rows[4, k] = value, slope_in, np.nan, CUBIC


@kernel("int64(float64[::1], float64, float64, float64[::1], boolean, int64[::1], float64[:, ::1])")
def _laid(
    y: Samples, fps: float, tolerance: float, given: Samples, thorough: bool, places: Places, rows: Samples
) -> int:
    """Fill knots as for `knots`, but for their frames; slopes that nothing was fitted for are NaN. How many."""
    last = y.shape[0] - 1
    jump, level, corner = np.empty(last + 1, np.bool_), np.empty(last + 1, np.bool_), np.empty(last + 1, np.bool_)
    mark(y, tolerance, jump, level, corner)
    found, values, slopes = np.empty(last + 2, np.int64), np.empty(last + 2), np.empty(last + 2)
    k, place = 0, 0
    places[0] = 0
    _begin(rows, 0, y[0], np.nan)
    while place < last:
        end = _hold_end(level, place)
        if jump[place]:
            rows[4, k] = LINEAR
            place += 1
        elif end >= 0:
            rows[3, k] = 0.0
            place = end
            if jump[end]:
                rows[4, k] = STEP
                place = end + 1
        else:
            end = place + 1
            while end < last and not (
                corner[end] or jump[end] or _hold_end(level, end) >= 0 or not np.isnan(given[end])
            ):
                end += 1
            if thorough:
                count = fit_thoroughly(y, place, end, tolerance, found, values, slopes, given[place], given[end])
            else:
                count = fit_smooth(y, place, end, tolerance, found, values, slopes, given[place], given[end])
            for i in range(count):
                slope = min(max(slopes[i] * PER_FRAME * fps, -LARGEST), LARGEST)
                if i > 0:
                    places[k + i] = found[i]
                    _begin(rows, k + i, values[i], slope)
                rows[3, k + i] = slope
            k += count - 1
            place = end
            continue
        k += 1
        places[k] = place
        _begin(rows, k, y[place], 0.0 if rows[4, k - 1] == CUBIC else np.nan)
    return k + 1


@kernel("int64(float64[::1], int64, boolean[::1], int64[::1], float64[:, ::1])")
def _exact_around(y: Samples, count: int, missed: Marks, places: Places, rows: Samples) -> int:
    """Key every sample of the segments of so many knots that miss, joined by straight lines. How many then."""
    old_places, old = places[:count].copy(), rows[:, :count].copy()
    k, straight_before = 0, False
    for s in range(count):
        a = old_places[s]
        straight = s < count - 1 and bool(np.any(missed[a + 1 : old_places[s + 1] + 1]))
        places[k], rows[:, k] = a, old[:, s]
        if missed[a] or (straight and straight_before):
            rows[1, k] = y[a]
        if straight:
            rows[4, k] = LINEAR
            for place in range(a + 1, old_places[s + 1]):
                k += 1
                places[k] = place
                rows[1, k], rows[2, k], rows[3, k], rows[4, k] = y[place], 0.0, 0.0, LINEAR
        straight_before = straight
        k += 1
    return k


@kernel("int64(float64[::1], float64, float64, float64, float64[::1], boolean, int64[::1], float64[:, ::1])")
def knots(
    y: Samples,
    first: float,
    fps: float,
    tolerance: float,
    given: Samples,
    thorough: bool,
    places: Places,
    rows: Samples,
) -> int:
    """Knots whose curve stays within a tolerance of all samples.

    Parameters
    ----------
    y : (n,) array
        Samples from frame `first` on, PER_FRAME to a frame, in any unit.
    tolerance : float
        In the same unit.
    given : (n,) array
        At which samples the curve passes with which slope, per sample; elsewhere NaN.
    thorough : bool
        Whether it is looked about ten times as long for keys that can be spared.
    places : (n,) array
        Filled: the sample of each knot, rising.
    rows : (5, n) array
        Filled: the frame of each knot, its value, its slopes in and out in units per second, and how its curve goes
        on (a place in GO_CODES).

    Returns
    -------
    int
        How many there are.
    """
    n = y.shape[0]
    frames, curve, missed = np.empty(n), np.empty(n), np.empty(n, np.bool_)
    for i in range(n):
        frames[i] = first + i / PER_FRAME
    # a little is kept back for the rounding between samples and frames
    count = _laid(y, fps, tolerance * (1 - 1e-6), given, thorough, places, rows)
    while True:
        for k in range(count):
            rows[0, k] = frames[places[k]]
            if np.isnan(rows[2, k]):
                rows[2, k] = 0.0 if np.isnan(rows[3, k]) else rows[3, k]
            if np.isnan(rows[3, k]):
                rows[3, k] = rows[2, k]
        hermite(frames, fps, rows[0, :count], rows[1, :count], rows[2, :count], rows[3, :count], rows[4, :count], curve)
        misses = False
        for i in range(n):
            missed[i] = abs(curve[i] - y[i]) > tolerance
            misses = misses or missed[i]
        if not misses:
            return count
        count = _exact_around(y, count, missed, places, rows)
