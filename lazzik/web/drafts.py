"""States that nobody stored, while somebody looks at them."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable
from threading import Lock

from lazzik.core.scene.scene import Scene

MOST_DRAFTS = 8
"""States that nobody stored, held in memory: with them goes the motion that was worked out for them."""


class Drafts:
    """States that nobody stored, made once and held while they are looked at. Safe between threads."""

    def __init__(self) -> None:
        self._held: OrderedDict[tuple[str, int, str], Scene] = OrderedDict()
        self._lock = Lock()

    def get(self, key: tuple[str, int, str], make: Callable[[], Scene]) -> Scene:
        """One of them: of a scene, a revision and a word."""
        with self._lock:
            if key in self._held:
                self._held.move_to_end(key)
                return self._held[key]
        made = make()
        with self._lock:
            self._held[key] = made
            if len(self._held) > MOST_DRAFTS:
                self._held.popitem(last=False)
        return made
