"""Results kept between evaluations. A document is a value, so a channel that is the same object has the same motion."""

from __future__ import annotations

from collections import OrderedDict
from threading import Lock
from typing import Any

from lazzik.core.cache import Storage
from lazzik.core.clock import Clock
from lazzik.core.types import Samples

MOST = 4 * 2**20
"""Samples kept in all (32 MB)."""


class Memo:
    """The motion of channels and objects on even clocks, the least recently used forgotten first. Safe between threads.

    What was computed on a finer clock is known on a coarser one too: no value depends on what was asked beside it. One
    memo may stand in front of another: it reads from both, and keeps what is new to itself.
    """

    def __init__(self, most: int = MOST, behind: Memo | None = None) -> None:
        self._kept: OrderedDict[Key, tuple[object, tuple[object, ...], Samples]] = OrderedDict()
        self._finest: dict[Key, Clock] = {}
        """The finest clock on which each thing is kept."""
        self._samples = 0
        self._most = most
        self._lock = Lock()
        self._behind = behind
        self.runs: Storage[Any] | None = None
        """Where simulations that were worked out are kept, if anywhere."""
        self.computed = 0
        """How many channels had to be computed."""

    def get(self, moving: object, clock: Clock, seen: tuple[object, ...] = ()) -> Samples | None:
        """The kept motion, (frames,) or (frames, …), or None. `seen` is all that it reads beside itself.

        Returns
        -------
        (frames,) or (frames, …) array, or None
            Not to be written to.
        """
        if clock.key is None:
            return None
        thing = _thing(moving, seen)
        with self._lock:
            for known in (clock, self._finest.get(thing)):
                kept = self._kept.get((*thing, known.key)) if known else None
                part = known.places_of(clock) if known and kept else None
                if kept and part:
                    self._kept.move_to_end((*thing, known.key))  # type: ignore[union-attr]
                    return kept[2][part]
        return self._behind.get(moving, clock, seen) if self._behind else None

    def put(self, moving: object, clock: Clock, motion: Samples, seen: tuple[object, ...] = ()) -> None:
        """Keep a motion. What it was made from is kept with it, so that no identity can come to mean another.

        Parameters
        ----------
        motion : (frames,) or (frames, …) array
            Not to be written to from now on.
        """
        thing = _thing(moving, seen)
        with self._lock:
            self.computed += motion.ndim == 1
            if clock.key is None or (*thing, clock.key) in self._kept:
                return
            self._kept[(*thing, clock.key)] = (moving, seen, motion)
            finest = self._finest.get(thing)
            if finest is None or len(finest.frames) < len(clock.frames):
                self._finest[thing] = clock
            self._samples += motion.size
            while self._samples > self._most:
                old, (_, _, oldest) = self._kept.popitem(last=False)
                self._samples -= oldest.size
                known = self._finest.get(old[:-1])
                if known is not None and known.key == old[-1]:
                    del self._finest[old[:-1]]


Key = tuple[object, ...]


def _thing(moving: object, seen: tuple[object, ...]) -> Key:
    return (id(moving), *map(id, seen))
