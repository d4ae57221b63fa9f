"""The best of a few runs: what else the machine does can only add to a time."""

from __future__ import annotations

import time
from collections.abc import Callable


def best(act: Callable[[], object], runs: int = 5) -> float:
    """Seconds of the fastest run."""
    times = []
    for _ in range(runs):
        began = time.perf_counter()
        act()
        times.append(time.perf_counter() - began)
    return min(times)
