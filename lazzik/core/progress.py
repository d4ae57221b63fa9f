"""How far long work has come, and stopping it: whoever waits passes a Progress, and the work reports to it."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from functools import partial
from threading import Lock
from typing import TypeVar

Item = TypeVar("Item")


class Stopped(Exception):
    """The work was stopped by whoever waited for it; nothing is left behind."""


class Progress:
    """Receives how much is done, from 0 to 1, and what is being done. A subclass or `heard` hears of it.

    It never goes back: where a piece is begun again, for the worker that did it is gone, it stands still meanwhile.
    """

    def __init__(self, heard: Callable[[float, str], None] | None = None) -> None:
        self._heard = heard
        self._from, self._to = 0.0, 1.0
        self._last, self._said = 0.0, ""

    def report(self, share: float, said: str = "") -> None:
        """Tell how much of the present part is done. Raises Stopped if the work is wanted no longer."""
        self._last, self._said = max(self._last, self._from + (self._to - self._from) * share), said
        if self._heard:
            self._heard(self._last, said)

    def hear(self) -> None:
        """Within a part that tells nothing of its own: raises Stopped if the work is wanted no longer."""
        if self._heard:
            self._heard(self._last, self._said)

    def part(self, start: float, end: float) -> Progress:
        """A progress of its own for a part of the work."""
        inner = Progress(self._heard)
        width = self._to - self._from
        inner._from, inner._to = self._from + width * start, self._from + width * end
        inner._last, inner._said = inner._from, self._said
        return inner

    def shared(self, count: int) -> list[Progress]:
        """One for each of several pieces of work that are done at once, in threads: together they tell how far all are
        in the mean."""
        done, lock = [0.0] * count, Lock()

        def hear(place: int, share: float, said: str) -> None:
            with lock:
                done[place] = share
                self.report(sum(done) / count, said)

        return [Progress(partial(hear, place)) for place in range(count)]

    def over(self, items: Sequence[Item], said: Callable[[Item], str]) -> Iterator[Item]:
        """Go through items, reporting before each."""
        for place, item in enumerate(items):
            self.report(place / len(items), said(item))
            yield item


UNHEARD = Progress()
"""For work that nobody watches."""
