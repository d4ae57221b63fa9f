"""Independent pieces of work on all cores, in threads: compiled kernels and linear algebra let one another run.

Each piece works on arrays of its own and gives the same bits wherever and whenever it is done.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
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


@contextmanager
def alone() -> Iterator[None]:
    """Within it one piece follows the other: all cores are at work already, on other pieces in other processes."""
    token = _ALONE.set(True)
    try:
        yield
    finally:
        _ALONE.reset(token)


def at_once(work: Callable[[Item], Made], items: Sequence[Item]) -> list[Made]:
    """What some work makes of each item, in their order. The first error is raised once what was begun has ended."""
    if len(items) < 2 or cores() < 2 or _ALONE.get():
        return [work(item) for item in items]
    with ThreadPoolExecutor(min(cores(), MOST, len(items))) as pool:
        begun = [pool.submit(work, item) for item in items]
        try:
            return [one.result() for one in begun]
        except BaseException:
            for one in begun:
                one.cancel()
            raise
