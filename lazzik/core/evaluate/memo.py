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
    """The motion of whole channels on even clocks, the least recently used forgotten first. Safe between threads."""

    def __init__(self, most: int = MOST) -> None:
        self._kept: OrderedDict[tuple[object, ...], tuple[Channel, Samples]] = OrderedDict()
        self._samples = 0
        self._most = most
        self._lock = Lock()
        self.computed = 0
        """How many channels had to be computed."""

    def get(self, channel: Channel, clock: Clock) -> Samples | None:
        """The kept motion, or None."""
        if clock.key is None:
            return None
        with self._lock:
            key = (id(channel), clock.key)
            if key not in self._kept:
                return None
            self._kept.move_to_end(key)
            return self._kept[key][1]

    def put(self, channel: Channel, clock: Clock, motion: Samples) -> None:
        """Keep a motion. The channel is kept with it, so that its identity can't come to mean another."""
        with self._lock:
            self.computed += 1
            if clock.key is None or (id(channel), clock.key) in self._kept:
                return
            self._kept[id(channel), clock.key] = (channel, motion)
            self._samples += len(motion)
            while self._samples > self._most:
                _, (_, oldest) = self._kept.popitem(last=False)
                self._samples -= len(oldest)
