"""Moments between the frames that are kept of a run, from the places and speeds at both ends."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from lazzik.core.simulate.particles import Moment
from lazzik.core.types import Samples

PARTS = 32
"""Of a frame: births are told apart by so much, far more than single precision takes from an age."""


def between(before: Moment, after: Moment, share: float, fps: float) -> Moment:
    """A moment between two frames of a run that follow each other: cubic Hermite segments for those that live at both,
    straight on for those that end in between, straight back for those that begin there.

    Parameters
    ----------
    share : float
        How far it is from the one to the other, 0 to 1.
    fps : float
        Frames a second.
    """
    if share <= 0.0 or share >= 1.0:
        return before if share <= 0.0 else after
    frames = after.frame - before.frame
    seconds = frames / fps
    here, there = _pairs(before, after, fps)
    ends = np.ones(len(before), dtype=bool)
    ends[here] = False
    begins = np.ones(len(after), dtype=bool)
    begins[there] = False
    ends &= before.ages + share * seconds < before.lives
    begins &= after.ages - (1.0 - share) * seconds >= 0.0

    a, b, s = before.only(here), after.only(there), share
    values = (2 * s**3 - 3 * s**2 + 1, -2 * s**3 + 3 * s**2)  # the basis of cubic Hermite segments, and its slopes
    slopes = ((s**3 - 2 * s**2 + s) * seconds, (s**3 - s**2) * seconds)
    d_values, d_slopes = (6 * s**2 - 6 * s) / seconds, (3 * s**2 - 4 * s + 1, 3 * s**2 - 2 * s)
    both = Moment(
        before.frame + share * frames, a.ids,
        values[0] * a.places + values[1] * b.places + slopes[0] * a.speeds + slopes[1] * b.speeds,
        d_values * (a.places - b.places) + d_slopes[0] * a.speeds + d_slopes[1] * b.speeds,
        a.ages + share * seconds, a.lives,
    )  # fmt: skip
    parts = (both, _moved(before.only(ends), share * seconds), _moved(after.only(begins), (share - 1.0) * seconds))
    return Moment(both.frame, *(np.concatenate([getattr(part, name) for part in parts]) for name in COLUMNS))


def mixed(one: Moment, other: Moment, share: float) -> Moment:
    """A moment between two of the same particles: each straight on from where it is in the one.

    Parameters
    ----------
    share : float
        How much of the other is mixed in, 0 to 1.
    """
    places, speeds = (
        (1.0 - share) * a + share * b for a, b in ((one.places, other.places), (one.speeds, other.speeds))
    )
    return Moment(one.frame, one.ids, places, speeds, one.ages, one.lives)


COLUMNS = ("ids", "places", "speeds", "ages", "lives")


def _moved(moment: Moment, seconds: float) -> Moment:
    return Moment(
        moment.frame, moment.ids, moment.places + seconds * moment.speeds, moment.speeds, moment.ages + seconds,
        moment.lives,
    )  # fmt: skip


def _pairs(before: Moment, after: Moment, fps: float) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
    """((n,), (n,)) where in both stand those that live at both: the same number, born at the same time (in a loop the
    same number comes again in every round)."""
    here, there = _told(before, fps, after.frame), _told(after, fps, after.frame)
    order = np.argsort(there)
    ahead = there[order]
    place = np.searchsorted(ahead, here - 1.0)
    found = place < len(ahead)
    found[found] = ahead[place[found]] <= here[found] + 1.0
    return np.flatnonzero(found), order[place[found]]


def _told(moment: Moment, fps: float, until: float) -> Samples:
    """(n,) what tells particles apart: their number, and how many PARTS of a frame before `until` they were born, less
    than half of which a number leaves to it."""
    born = (until - moment.frame + moment.ages * fps) * PARTS
    return np.asarray(moment.ids * 2.0**27 + np.round(np.minimum(born, 2.0**26)))
