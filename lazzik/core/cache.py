"""What is kept so that it need not be worked out again: by what it weighs, not by how many there are of it."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Hashable
from threading import Lock
from typing import Generic, Protocol, TypeVar

Value = TypeVar("Value")


class Storage(Protocol[Value]):
    """Where parts of long work are kept from one time to the next, in order."""

    def read(self, key: str, place: int) -> Value | None:
        """A part; None if it is not there."""
        ...

    def put(self, key: str, place: int, part: Value) -> None:
        """Keep a part."""
        ...


class BoundedCache(Generic[Value]):
    """Values by key, the least recently used forgotten first once they weigh more than `most` bytes together. One that
    alone weighs more is not kept. Safe between threads."""

    def __init__(self, most: int) -> None:
        self._most = most
        self._values: OrderedDict[Hashable, tuple[Value, int]] = OrderedDict()
        self._lock = Lock()
        self.bytes = 0
        """What the kept values weigh together."""

    def get(self, key: Hashable) -> Value | None:
        """The value, if it is kept."""
        with self._lock:
            kept = self._values.get(key)
            if kept is None:
                return None
            self._values.move_to_end(key)
            return kept[0]

    def put(self, key: Hashable, value: Value, weight: int) -> Value:
        """Keep a value; it is returned."""
        with self._lock:
            if key not in self._values and weight <= self._most:
                self._values[key] = (value, weight)
                self.bytes += weight
                while self.bytes > self._most:
                    self.bytes -= self._values.popitem(last=False)[1][1]
        return value
