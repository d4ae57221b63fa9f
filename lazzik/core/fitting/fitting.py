"""Fitted bake: from samples to as few keys as keep the curve within a tolerance, at every sample, always.

Keys sit on whole frames, and between them only where nothing else can meet the tolerance. Where they go is found in
`knots`; here they are asked for and made.
"""

from __future__ import annotations

import math
from functools import cache

import numpy as np
from pydantic import TypeAdapter

from lazzik.core.channel.keys import GO_CODES, Key, curve_through
from lazzik.core.fitting.knots import knots, mark
from lazzik.core.fitting.minimax import PER_FRAME
from lazzik.core.types import Samples

GOES = {float(code): go for go, code in GO_CODES.items()}

MEETS = 0.25
"""Part of the tolerance, per sample, by which slopes at the two ends may differ and still count as one."""

LEAST = 1e-12
"""Tolerances are never smaller than this part of the largest value: float64 holds no more."""


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
    low, high = float(y.min()), float(y.max())
    if not (math.isfinite(low) and math.isfinite(high)):
        raise ValueError(f"sample {int(np.argmin(np.isfinite(y)))} is not finite")
    if low == high:
        return (Key(frame=first, value=low, slope_in=0.0, slope_out=0.0),)
    largest = max(-low, high)
    tolerance = max(tolerance, LEAST * largest, np.finfo(float).tiny)
    given = np.full(len(y), np.nan)
    if extremes:
        given[extremes_of(y, tolerance)] = 0.0
    meeting = _meeting_slope(y, tolerance, largest)
    if meeting is not None:
        given[0] = given[-1] = meeting
    places, rows = np.empty(len(y), np.int64), np.empty((5, len(y)))
    count = knots(np.ascontiguousarray(y), first, fps, tolerance, given, thorough, places, rows)
    columns = zip(*rows[:, :count].tolist(), strict=True)
    return _many_keys().validate_python(
        [{"frame": f, "value": v, "slope_in": a, "slope_out": b, "go": GOES[go]} for f, v, a, b, go in columns]
    )


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


def _meeting_slope(y: Samples, tolerance: float, largest: float) -> float | None:
    """For a motion that meets itself, in value and slope, the slope at both its ends, per sample: so that it still
    does."""
    if len(y) < 9 or abs(y[0] - y[-1]) > 1e-9 * max(1.0, largest):
        return None
    leaves = (-3 * y[0] + 4 * y[1] - y[2]) / 2
    arrives = (3 * y[-1] - 4 * y[-2] + y[-3]) / 2
    return float(y[1] - y[-2]) / 2 if abs(leaves - arrives) <= MEETS * tolerance else None


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
    jump, level, corner = np.empty((3, len(y)), np.bool_)
    mark(np.ascontiguousarray(y), tolerance, jump, level, corner)
    return [int(place) for place in np.flatnonzero(jump)]


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


@cache
def _many_keys() -> TypeAdapter[tuple[Key, ...]]:
    """Checks keys in a third of the time that each by itself takes."""
    return TypeAdapter(tuple[Key, ...])


def _curve_at_samples(keys: tuple[Key, ...], y: Samples, first: float, fps: float) -> Samples:
    frames = first + np.arange(len(y)) / PER_FRAME
    return curve_through(keys, fps).at(frames, fps)
