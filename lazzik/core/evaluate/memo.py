"""Results kept between evaluations. A document is a value, so a channel that is the same object has the same motion."""

from __future__ import annotations

from collections import OrderedDict
from threading import Lock

from lazzik.core.channel.channel import Channel
from lazzik.core.clock import Clock
from lazzik.core.types import Samples

MOST = 4 * 2**20
"""Samples kept in all (32 MB)."""


class Memo:
    """The motion of whole channels on even clocks, the least recently used forgotten first. Safe between threads.

    One may stand in front of another: it reads from both, and keeps what is new to itself.
    """

    def __init__(self, most: int = MOST, behind: Memo | None = None) -> None:
        self._kept: OrderedDict[tuple[object, ...], tuple[Channel, tuple[object, ...], Samples]] = OrderedDict()
        self._samples = 0
        self._most = most
        self._lock = Lock()
        self._behind = behind
        self.computed = 0
        """How many channels had to be computed."""

    def get(self, channel: Channel, clock: Clock, seen: tuple[object, ...] = ()) -> Samples | None:
        """The kept motion, or None. `seen` is all that the channel reads beside itself."""
        if clock.key is None:
            return None
        key = _key(channel, clock, seen)
        with self._lock:
            if key in self._kept:
                self._kept.move_to_end(key)
                return self._kept[key][2]
        return self._behind.get(channel, clock, seen) if self._behind else None

    def put(self, channel: Channel, clock: Clock, motion: Samples, seen: tuple[object, ...] = ()) -> None:
        """Keep a motion. What it was made from is kept with it, so that no identity can come to mean another."""
        key = _key(channel, clock, seen)
        with self._lock:
            self.computed += 1
            if clock.key is None or key in self._kept:
                return
            self._kept[key] = (channel, seen, motion)
            self._samples += len(motion)
            while self._samples > self._most:
                _, (_, _, oldest) = self._kept.popitem(last=False)
                self._samples -= len(oldest)


def _key(channel: Channel, clock: Clock, seen: tuple[object, ...]) -> tuple[object, ...]:
    return (id(channel), clock.key, *map(id, seen))
