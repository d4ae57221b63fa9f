"""Fitted bake: from samples to as few keys as keep the curve within a tolerance, at every sample, always.

The samples are cut where no smooth curve can follow: at jumps (one difference far larger than its neighbours), at
corners (one second difference far larger than its neighbours) and around holds (stretches of one value). Holds become
flat or step keys; the smooth stretches between go to `smooth_fit`, or to `thorough_fit` where fewer keys are worth ten
times the time. A stretch that still misses is keyed sample by sample, so the bound holds for any signal whatever. Keys
sit on whole frames, and between them only where nothing else can meet the tolerance.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from functools import cache

import numpy as np
from numpy.typing import NDArray
from pydantic import TypeAdapter

from lazzik.core.channel.keys import Go, Key, curve_through
from lazzik.core.document import LARGEST
from lazzik.core.fitting.minimax import PER_FRAME
from lazzik.core.fitting.smooth_fit import fit_smooth
from lazzik.core.fitting.thorough_fit import fit_thoroughly
from lazzik.core.kernels import kernel
from lazzik.core.types import Samples

Marks = NDArray[np.bool_]  # (n,) whether something is so at each sample

Find = Callable[..., int]
"""What finds keys on a smooth stretch: `fit_smooth`, or `fit_thoroughly`."""

ISOLATED = 6.0
"""How many times larger than its neighbours a difference must be to count as a jump or corner: fine noise has large
differences everywhere and must not be cut to pieces."""

HOLD_SAMPLES = 4
"""Equal samples in a row that make a hold: one frame's worth."""

MEETS = 0.25
"""Part of the tolerance, per sample, by which slopes at the two ends may differ and still count as one."""

LEAST = 1e-12
"""Tolerances are never smaller than this part of the largest value: float64 holds no more."""


@dataclass
class _Knot:
    """A key in the making. Slopes in units per second; None where nothing was fitted on that side."""

    value: float
    slope_in: float | None = None
    slope_out: float | None = None
    go: Go = "cubic"


@dataclass
class _Cuts:
    """Where the samples fall apart."""

    jumps: set[int] = field(default_factory=set)
    """i: the signal jumps between samples i and i + 1."""
    holds: list[tuple[int, int]] = field(default_factory=list)
    corners: set[int] = field(default_factory=set)


def fit(
    y: Samples, first: float, fps: float, tolerance: float, *, extremes: bool = False, thorough: bool = False
) -> tuple[Key, ...]:
    """Keys whose curve stays within `tolerance` of every sample; with `extremes`, the highest and lowest places that
    stand out by more than it have level keys of their own, with the sampled value. With `thorough` it is looked about
    ten times as long for keys that can be spared.

    `y` (n,): samples from frame `first` on, PER_FRAME to a frame.

    Parameters
    ----------
    y : (n,) array
        Samples from frame `first` on, PER_FRAME to a frame, in any unit.
    tolerance : float
        In the same unit.

    Returns
    -------
    tuple of Key
        In the order of their frames.

    Raises
    ------
    ValueError
        If a sample is not finite.
    """
    if not np.all(np.isfinite(y)):
        raise ValueError(f"sample {int(np.argmin(np.isfinite(y)))} is not finite")
    if np.ptp(y) == 0:
        return (Key(frame=first, value=float(y[0]), slope_in=0.0, slope_out=0.0),)
    tolerance = max(tolerance, LEAST * float(np.max(np.abs(y))), np.finfo(float).tiny)
    # a little is kept back for the rounding between samples and frames
    given = dict.fromkeys(extremes_of(y, tolerance), 0.0) if extremes else {}
    find = fit_thoroughly if thorough else fit_smooth
    knots = _fitted(y, fps, tolerance * (1 - 1e-6), given | _closed(y, tolerance), find)
    keys = _as_keys(knots, first)
    while len(misses := _misses(keys, y, first, fps, tolerance)):
        knots = _exact_around(knots, misses, y)
        keys = _as_keys(knots, first)
    return keys


def worst_error(keys: tuple[Key, ...], y: Samples, first: float, fps: float) -> float:
    """Largest |curve − sample|, `y` as for `fit`.

    Parameters
    ----------
    y : (n,) array
        As for `fit`.

    Returns
    -------
    float
        In the unit of y.
    """
    return float(np.max(np.abs(_curve_at_samples(keys, y, first, fps) - y)))


def _closed(y: Samples, tolerance: float) -> dict[int, float]:
    """For a motion that meets itself, in value and slope, the slope at both its ends: so that it still does."""
    last = len(y) - 1
    if last < 8 or abs(y[0] - y[last]) > 1e-9 * max(1.0, float(np.abs(y).max())):
        return {}
    leaves = (-3 * y[0] + 4 * y[1] - y[2]) / 2
    arrives = (3 * y[last] - 4 * y[last - 1] + y[last - 2]) / 2
    if abs(leaves - arrives) > MEETS * tolerance:
        return {}
    slope = float(y[1] - y[last - 1]) / 2
    return {0: slope, last: slope}


def jumps_of(y: Samples, tolerance: float) -> list[int]:
    """Samples between which and the next the signal jumps by more than twice the tolerance.

    Parameters
    ----------
    y : (n,) array
        As for `fit`.

    Returns
    -------
    list of int
        Ascending.
    """
    return sorted(_cut(y, tolerance).jumps)


def extremes_of(y: Samples, prominence: float) -> list[int]:
    """Samples at which the signal is higher or lower than all about it, by more than `prominence` (as topography has
    it: how far one must come down to reach higher ground).

    Parameters
    ----------
    y : (n,) array
        As for `fit`.

    Returns
    -------
    list of int
        Ascending.
    """
    from scipy.signal import find_peaks  # slow to import, and few bakes ask for it

    found = [find_peaks(side, prominence=prominence)[0] for side in (y, -y)]
    return [int(place) for place in np.sort(np.concatenate(found))]


def _fitted(y: Samples, fps: float, tolerance: float, given: dict[int, float], find: Find) -> dict[int, _Knot]:
    """Knots by sample place. At `given` places the curve passes the sample with that slope, per sample."""
    cuts = _cut(y, tolerance)
    knots: dict[int, _Knot] = {}
    starts = [a for a, _ in cuts.holds]
    ends = dict(cuts.holds)
    last = len(y) - 1
    place = 0
    while True:
        here = knots.setdefault(place, _Knot(float(y[place])))
        if place == last:
            return knots
        if place in cuts.jumps:
            here.go = "linear"
            place += 1
        elif place in ends:
            end = ends[place]
            here.slope_out = 0.0
            if end in cuts.jumps:
                here.go = "step"
                place = end + 1
            else:
                knots[end] = _Knot(float(y[end]), slope_in=0.0)
                place = end
        else:
            end = min([last, *(s for s in starts if s > place), *(c for c in cuts.corners if c > place)])
            end = min([end, *(j for j in cuts.jumps if j > place), *(e for e in given if e > place)])
            _fit_piece(y, place, end, fps, tolerance, knots, given, find)
            place = end


def _fit_piece(
    y: Samples,
    a: int,
    b: int,
    fps: float,
    tolerance: float,
    knots: dict[int, _Knot],
    given: dict[int, float],
    find: Find,
) -> None:
    """Fit samples a … b and add the knots; the one at a is there already and gets a slope on this side. At a given
    place it is the given one (per sample)."""
    room = b - a + 2
    places, values, slopes = np.empty(room, np.int64), np.empty(room), np.empty(room)
    count = find(y, a, b, tolerance, places, values, slopes, given.get(a, np.nan), given.get(b, np.nan))
    per_second = np.clip(slopes[:count] * PER_FRAME * fps, -LARGEST, LARGEST).tolist()
    knots[a].slope_out = per_second[0]
    for place, value, slope in zip(places[1:count].tolist(), values[1:count].tolist(), per_second[1:], strict=True):
        knots[place] = _Knot(value, slope, slope)


def _cut(y: Samples, tolerance: float) -> _Cuts:
    """Find jumps, holds and corners."""
    jump, level, corner = (np.zeros(len(y), np.bool_) for _ in range(3))
    _mark(y, tolerance, jump, level, corner)
    edges = np.flatnonzero(np.diff(np.concatenate(([0], level[:-1].astype(np.int8), [0]))))
    holds = [
        (a, b) for a, b in zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True) if b - a + 1 >= HOLD_SAMPLES
    ]
    return _Cuts(set(np.flatnonzero(jump).tolist()), holds, set(np.flatnonzero(corner).tolist()))


@kernel("void(float64[::1], float64, boolean[::1], boolean[::1], boolean[::1])")
def _mark(y: Samples, tolerance: float, jump: Marks, level: Marks, corner: Marks) -> None:
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


def _exact_around(knots: dict[int, _Knot], misses: list[int], y: Samples) -> dict[int, _Knot]:
    """Key every sample of the segments that miss, joined by straight lines."""
    places = sorted(knots)
    out = dict(knots)
    for miss in misses:
        after = int(np.searchsorted(places, miss, side="left"))
        a, b = places[max(0, after - 1)], places[min(after, len(places) - 1)]
        for place in range(a, b + 1):
            out[place] = _Knot(float(y[place]), 0.0, 0.0, "linear")
    return out


def _as_keys(knots: dict[int, _Knot], first: float) -> tuple[Key, ...]:
    rows = []
    for place in sorted(knots):
        knot = knots[place]
        slope_in = knot.slope_in if knot.slope_in is not None else knot.slope_out or 0.0
        slope_out = knot.slope_out if knot.slope_out is not None else slope_in
        frame = first + place / PER_FRAME
        rows.append({"frame": frame, "value": knot.value, "slope_in": slope_in, "slope_out": slope_out, "go": knot.go})
    return _many_keys().validate_python(rows)


@cache
def _many_keys() -> TypeAdapter[tuple[Key, ...]]:
    """Checks keys in a third of the time that each by itself takes."""
    return TypeAdapter(tuple[Key, ...])


def _misses(keys: tuple[Key, ...], y: Samples, first: float, fps: float, tolerance: float) -> list[int]:
    missed: list[int] = np.flatnonzero(np.abs(_curve_at_samples(keys, y, first, fps) - y) > tolerance).tolist()
    return missed


def _curve_at_samples(keys: tuple[Key, ...], y: Samples, first: float, fps: float) -> Samples:
    frames = first + np.arange(len(y)) / PER_FRAME
    return curve_through(keys, fps).at(frames, fps)
