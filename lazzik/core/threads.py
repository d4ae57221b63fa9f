"""Independent pieces of work on all cores, in threads: compiled kernels and linear algebra let one another run.

Each piece works on arrays of its own and gives the same bits wherever and whenever it is done.
"""

from __future__ import annotations

import os
from collections import deque
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor, wait
from contextlib import contextmanager
from contextvars import ContextVar
from typing import TypeVar

Item = TypeVar("Item")
Made = TypeVar("Made")

MOST = 8
"""Threads at once, and so pieces that are held at once."""


def cores() -> int:
    """Processors that this process may use."""
    return len(os.sched_getaffinity(0)) if hasattr(os, "sched_getaffinity") else os.cpu_count() or 1


_ALONE: ContextVar[bool] = ContextVar("alone", default=False)

_idle: list[ThreadPoolExecutor] = []
"""Helpers that nobody needs just now: to begin a thread takes longer than some of the work does."""
if hasattr(os, "register_at_fork"):
    os.register_at_fork(after_in_child=_idle.clear)  # threads stay behind


@contextmanager
def alone() -> Iterator[None]:
    """Within it one piece follows the other: all cores are at work already, on other pieces in other processes."""
    token = _ALONE.set(True)
    try:
        yield
    finally:
        _ALONE.reset(token)


def at_once(work: Callable[[Item], Made], items: Sequence[Item]) -> list[Made]:
    """What some work makes of each item, in their order. The first error is raised once what was begun has ended.

    The thread that asks works as well: it and its helpers take one item after the other until none is left.
    """
    if len(items) < 2 or cores() < 2 or _ALONE.get():
        return [work(item) for item in items]
    made: dict[int, Made] = {}
    places = deque(range(len(items)))

    def take() -> None:
        while places:
            try:
                place = places.popleft()
            except IndexError:  # another one was quicker
                return
            try:
                made[place] = work(items[place])
            except BaseException:
                places.clear()  # what has not begun is left
                raise

    helpers = _helpers()
    begun = [helpers.submit(take) for _ in range(min(cores(), MOST, len(items)) - 1)]
    try:
        take()
    finally:
        wait(begun)
        _idle.append(helpers)
    for one in begun:
        one.result()
    return [made[place] for place in range(len(items))]


def _helpers() -> ThreadPoolExecutor:
    try:
        return _idle.pop()
    except IndexError:
        return ThreadPoolExecutor(min(cores(), MOST) - 1)
