"""Whoever does work elsewhere: processes of this machine (pool.py), or those of a cluster (cluster.py).

A task is a function at the top of a module. It gets plain values and a Progress, and gives the same bits whoever does
it, on one kind of processor.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from typing import Any, Protocol, TypeVar

from lazzik.core.errors import LazzikError
from lazzik.core.progress import UNHEARD, Progress

Item = TypeVar("Item")

TRIES = 2
"""Times that work is begun whose process ends."""

LEAST = 8
"""Items in a block at least: less is done before it is sent."""

ROUNDS = 3
"""Blocks for each of those who work, so that nobody waits long for the last one."""


class WorkBroken(LazzikError):
    """Work that ended by a mistake of ours, or whose process ended."""


class TooMuchMemory(LazzikError):
    """Work that needs more memory than it may have."""


class Crew(Protocol):
    """Some who work at once. Safe between threads."""

    most: int
    """How many."""
    near: bool
    """Whether they see the files of this machine."""
    processors: tuple[str, ...]
    """The kinds of processors that they work on, where these are not this machine's."""

    def run(
        self, task: Callable[..., Any], *arguments: Any, progress: Progress = UNHEARD, memory: int = 0,
        seconds: float | None = None,
    ) -> Any:  # fmt: skip
        """What a task makes of its arguments. Raises Stopped if `progress` does, what the task refuses, and WorkBroken
        if it fails otherwise."""
        ...

    def close(self) -> None:
        """Let them go."""
        ...


def tried(crew: Crew, task: Callable[..., Any], *arguments: Any, progress: Progress) -> Any:
    """What a task makes of its arguments; where its process ended it is tried once more. Raises as `Crew.run` does."""
    for left in reversed(range(TRIES)):
        try:
            return crew.run(task, *arguments, progress=progress)
        except WorkBroken:
            if not left:
                raise
    raise AssertionError("the last try gives something or raises")


def blocks_of(count: int, workers: int) -> list[range]:
    """The places of so many items in blocks, for so many who work at once."""
    size = max(LEAST, -(-count // (workers * ROUNDS)))
    return [range(first, min(first + size, count)) for first in range(0, count, size)]


def hands_of(items: Sequence[Item], workers: int) -> list[Sequence[Item]]:
    """Items whose first ones take longest, dealt out for so many who work at once: the long ones to different hands."""
    hands = min(len(items), workers * ROUNDS)
    return [items[hand::hands] for hand in range(hands)]


def in_parts(
    crew: Crew, task: Callable[..., Any], source: Any, parts: Sequence[Sequence[Item]], *more: Any, progress: Progress
) -> list[Any]:
    """What a task makes of a source and of each part of some items, in their order, as many at once as the crew has.
    Raises as `Crew.run` does."""

    def made(pair: tuple[Sequence[Item], Progress]) -> Any:
        items, share = pair
        return tried(crew, task, source, items, *more, progress=share)

    with ThreadPoolExecutor(min(crew.most, len(parts))) as pool:
        begun = [pool.submit(made, pair) for pair in zip(parts, progress.shared(len(parts)), strict=True)]
        try:
            return [one.result() for one in begun]
        finally:
            for one in begun:
                one.cancel()
