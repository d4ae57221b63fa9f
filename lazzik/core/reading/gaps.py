"""A curve without its gaps and outliers."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike, NDArray

from lazzik.core.document import LARGEST
from lazzik.core.errors import InvalidEdit
from lazzik.core.types import Samples

FEWEST, MOST = 64, 60_000
"""Samples of a curve."""

FARTHEST = LARGEST / 10.0
"""In the curve's unit: what is made of it may go some times as far, and numbers of a scene have an end."""

MOST_MISSING = 0.2
OUTLYING, ALONE = 8.0, 4.0
"""Deviations (by the median) from its neighbours at which a sample is an outlier, and how many times farther off it is
than others near it."""

MOST_OUT = 0.02
"""Part of a curve that may be outliers."""


def at_whole_frames(frames: ArrayLike, values: ArrayLike) -> Samples:
    """A curve of frames and values at its whole frames; not a number where none was near.

    Parameters
    ----------
    frames, values : (n,) arrays
        Rising frames, and values in any unit.

    Returns
    -------
    (whole frames,) array
        In the unit of the values.

    Raises
    ------
    InvalidEdit
        Where there are not as many frames as values, or fewer than two.
    """
    at, y = np.asarray(frames, dtype=float), np.asarray(values, dtype=float)
    if len(at) != len(y) or len(at) < 2:
        raise InvalidEdit("A curve is as many frames as values, two at least", "values")
    whole = np.arange(np.ceil(at[0]), np.floor(at[-1]) + 1)
    if len(whole) > MOST:
        raise InvalidEdit(f"A curve is read from {FEWEST} to {MOST:,} samples; this one has {len(whole):,}", "frames")
    samples: Samples = np.interp(whole, at, y)
    after = np.clip(np.searchsorted(at, whole), 0, len(at) - 1)
    nearest = np.minimum(np.abs(at[after] - whole), np.abs(at[np.maximum(after - 1, 0)] - whole))
    samples[nearest > 1.0] = np.nan
    return samples


def without_gaps(samples: Samples) -> tuple[Samples, list[str]]:
    """The curve with what is missing bridged, and what was done, in sentences.

    Parameters
    ----------
    samples : (n,) array
        Evenly spaced; what is missing is not a number.

    Returns
    -------
    (n,) array, list of str
        In the curve's unit.

    Raises
    ------
    InvalidEdit
        Where there are too few samples, too many, or too many are missing, or they go too far.
    """
    if not FEWEST <= len(samples) <= MOST:
        raise InvalidEdit(f"A curve is read from {FEWEST} to {MOST:,} samples; this one has {len(samples):,}")
    there = np.isfinite(samples)
    if there.any() and float(np.abs(samples[there]).max()) > FARTHEST:
        raise InvalidEdit(f"A curve is read within ±{FARTHEST:g}; this one goes farther: choose a larger unit for it")
    if np.mean(~there) > MOST_MISSING:
        raise InvalidEdit(f"{100 * np.mean(~there):.0f} % of the samples are missing; {MOST_MISSING:.0%} may be")
    remarks = []
    places = np.arange(len(samples), dtype=float)
    y = np.interp(places, places[there], samples[there])
    if not there.all():
        remarks.append(f"{int((~there).sum())} missing samples were bridged; what was there can't be told.")
    out = _outliers(y)
    if 0 < out.sum() <= MOST_OUT * len(y):
        y = np.interp(places, places[~out], y[~out])
        remarks.append("One outlier was left out." if out.sum() == 1 else f"{int(out.sum())} outliers were left out.")
    return y, remarks


def _outliers(y: Samples) -> NDArray[np.bool_]:
    """(n,) which samples stand alone: far off the middle of their neighbours, where nothing two or three samples away
    is bent nearly so. What rings or moves fast bends all along."""
    bends = np.zeros(len(y) + 6)
    bends[4:-4] = np.abs(y[1:-1] - 0.5 * (y[:-2] + y[2:]))
    here = bends[3:-3]
    around = np.max([np.roll(bends, shift)[3:-3] for shift in (-3, -2, 2, 3)], axis=0)
    usual = max(1.4826 * float(np.median(here)), float(np.median(np.abs(np.diff(y)))))
    return np.asarray((here > OUTLYING * usual) & (here > ALONE * around) & (here > 0.0))
