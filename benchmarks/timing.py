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


def in_turn(*acts: Callable[[], object], runs: int = 7) -> list[float]:
    """Seconds of the fastest run of each, taken in turn: a machine that slows down slows all of them."""
    times: list[list[float]] = [[] for _ in acts]
    for _ in range(runs):
        for row, act in zip(times, acts, strict=True):
            row.append(best(act, runs=1))
    return [min(row) for row in times]


def goal(figure: float, most: float, unit: str = "times") -> str:
    """A figure beside the most that it should be, and whether it is."""
    return f"{figure:.3g} {unit} (goal {most:g}: {'holds' if figure <= most else 'does not hold'})"


def at_least(figure: float, least: float, unit: str = "times") -> str:
    """A figure beside the least that it should be, and whether it is."""
    return f"{figure:.3g} {unit} (goal {least:g}: {'holds' if figure >= least else 'does not hold'})"
