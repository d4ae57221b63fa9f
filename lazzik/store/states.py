"""States of scenes held in memory, so that an edit need not read the document again."""

from __future__ import annotations

from collections import OrderedDict
from threading import Lock

from lazzik.core.scene.scene import Scene

MOST = 256 * 2**20
"""Bytes held in all, as far as they can be told."""

PER_LETTER = 24
"""Bytes that a letter of a document's JSON takes once it is read: 17 for keys, 20 for layers, 27 for bare objects."""


class States:
    """The least recently used is forgotten first, and the one last kept stays whatever it weighs. Safe between threads.

    What two states of a scene share is held once. So a scene weighs what its document does, and each state of it what
    its step changed.
    """

    def __init__(self, most: int = MOST) -> None:
        self._most = most
        self._kept: OrderedDict[tuple[str, int], tuple[Scene, int]] = OrderedDict()
        self._letters: dict[str, int] = {}
        """The length of each scene's document."""
        self._counts: dict[str, int] = {}
        """How many states of each scene are held."""
        self._bytes = 0
        self._lock = Lock()

    def get(self, scene_id: str, number: int) -> Scene | None:
        """A state, if it is held."""
        with self._lock:
            kept = self._kept.get((scene_id, number))
            if kept is None:
                return None
            self._kept.move_to_end((scene_id, number))
            return kept[0]

    def latest(self, scene_id: str) -> Scene | None:
        """The state of a scene that was used last, of those that are held."""
        with self._lock:
            return next((kept[0] for key, kept in reversed(self._kept.items()) if key[0] == scene_id), None)

    def keep(self, scene_id: str, number: int, scene: Scene, *, document: int = 0, change: int = 0) -> None:
        """Hold a state that was read from a document of so many letters, or came about by a change of so many."""
        with self._lock:
            if (scene_id, number) in self._kept:
                return
            self._kept[scene_id, number] = (scene, change)
            self._counts[scene_id] = self._counts.get(scene_id, 0) + 1
            grown = max(document - self._letters.get(scene_id, 0), 0) + change
            self._letters[scene_id] = self._letters.get(scene_id, 0) + grown - change
            self._bytes += PER_LETTER * grown
            while self._bytes > self._most and len(self._kept) > 1:
                self._forget(next(iter(self._kept)))

    def forget(self, scene_id: str) -> None:
        """Hold nothing of a scene any more."""
        with self._lock:
            for key in [key for key in self._kept if key[0] == scene_id]:
                self._forget(key)

    @property
    def bytes(self) -> int:
        """What is held, as far as it can be told."""
        return self._bytes

    def _forget(self, key: tuple[str, int]) -> None:
        scene_id = key[0]
        _, change = self._kept.pop(key)
        self._counts[scene_id] -= 1
        letters = change
        if not self._counts[scene_id]:
            del self._counts[scene_id]
            letters += self._letters.pop(scene_id, 0)
        self._bytes -= PER_LETTER * letters
