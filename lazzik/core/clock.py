"""Frames and seconds. Evaluation samples a clock; what has memory runs on a grid that no request can move."""

from __future__ import annotations

from collections.abc import Hashable
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from lazzik.core.types import Samples

SUBSTEPS = 8
"""Grid steps per frame for whatever is integrated: fine enough that a straight line between two of them is exact
to well under a thousandth of a cycle for any period a frame rate can show."""


@dataclass(frozen=True, eq=False)
class Clock:
    """The moments at which a scene is asked for.

    `frames` may hold any frame numbers, whole or not, in any order; `first` is the scene's first frame, where t = 0.
    """

    fps: float
    first: int
    frames: Samples
    key: tuple[float, ...] | None = None
    """What tells an even clock from another, for keeping results; None is never kept."""

    @classmethod
    def over(cls, fps: float, first: int, last: int, *, start: int | None = None, per_frame: int = 1) -> Clock:
        """Every frame from `first` (or `start`) to `last`, each cut into `per_frame` equal parts."""
        begin = first if start is None else start
        frames = begin + np.arange((last - begin) * per_frame + 1) / per_frame
        return cls(fps, first, frames, (fps, first, begin, last, per_frame))

    def places_of(self, other: Clock) -> slice | None:
        """Where another even clock's moments lie among this even one's; None if some do not."""
        if self.key is None or other.key is None or self.key[:2] != other.key[:2]:
            return None
        (begin, end, fine), (first, last, coarse) = self.key[2:], other.key[2:]
        start = (first - begin) * fine
        if first < begin or last > end or fine % coarse or start != int(start):
            return None
        return slice(int(start), int(start + (last - first) * fine) + 1, int(fine // coarse))

    @cached_property
    def elapsed(self) -> Samples:
        """Frames since the scene's first.

        Returns
        -------
        (frames,) array
            Frames.
        """
        return self.frames - self.first

    def at(self, frames: Samples) -> Clock:
        """The same scene's clock, asked at other frames.

        Parameters
        ----------
        frames : (frames,) array
            May be fractions.

        Returns
        -------
        Clock
            With these frames.
        """
        return Clock(self.fps, self.first, frames)

    @cached_property
    def latest(self) -> float:
        """The last of the moments, or the scene's first frame if that is later."""
        return float(self.frames.max(initial=float(self.first)))

    @cached_property
    def start(self) -> Clock:
        """The scene's first frame alone."""
        return self.at(np.array([float(self.first)]))

    @cached_property
    def once(self) -> Clock:
        """The first of the moments alone: what stands still is the same at all of them."""
        return self.at(self.frames[:1])

    def on_grid(self, low: int, high: int) -> Clock:
        """The points `low` to `high` of the sub-step grid, counted from the scene's first frame.

        They are multiples of 1/SUBSTEPS frame, whatever was asked.
        """
        frames = self.first + np.arange(low, high + 1) / SUBSTEPS
        return Clock(self.fps, self.first, frames, (self.fps, self.first, frames[0], frames[-1], SUBSTEPS))

    @cached_property
    def made(self) -> dict[Hashable, Any]:
        """What was made of these moments alone, for all that is asked for at them."""
        return {}

    def rounds(self, loop: float) -> tuple[Samples, Samples]:
        """How far into a loop the moments lie, and how many loops are over by then. Not to be written to.

        Parameters
        ----------
        loop : float
            Frames after which all comes again; more than 0.

        Returns
        -------
        (frames,) array, (frames,) array
            Frames from 0 to below `loop`; whole numbers, below 0 before the scene's first frame.
        """
        found: tuple[Samples, Samples] | None = self.made.get(("rounds", loop))
        if found is None:
            whole, into = np.divmod(self.elapsed, loop)
            found = self.made["rounds", loop] = into, whole
        return found

    @cached_property
    def grid(self) -> Clock:
        """The part of the sub-step grid that covers the first frame and all that was asked."""
        low = min(0, int(np.floor(self.elapsed.min() * SUBSTEPS))) if self.elapsed.size else 0
        high = max(0, int(np.ceil(self.elapsed.max() * SUBSTEPS))) + 1 if self.elapsed.size else 1
        return self.on_grid(low, high)
