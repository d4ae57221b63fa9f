"""Small curves drawn on the server, as SVG path data."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray


def spark(values: NDArray[np.float64], width: float, height: float, points: int = 48) -> str:
    """The `d` of a polyline that samples the values evenly over the width."""
    picked = values[_evenly(len(values), points)]
    return line(picked, width, height, float(values.min()), float(values.max()))


@lru_cache(maxsize=64)
def _evenly(count: int, points: int) -> NDArray[np.int64]:
    """Places of so many points at most among the values: the same for every row of a tree."""
    return np.unique(np.linspace(0, count - 1, points).round().astype(np.int64))


def line(values: NDArray[np.float64], width: float, height: float, low: float, high: float) -> str:
    """The `d` of a polyline through evenly spaced values, `low` at the bottom and `high` at the top."""
    reach = high - low
    y = np.full(len(values), height / 2) if reach <= 0 else height - (values - low) / reach * height
    return _across(len(values), width) % tuple(y.tolist())


@lru_cache(maxsize=64)
def _across(count: int, width: float) -> str:
    """A polyline through so many places evenly over the width, whose heights are to be filled in: a tree has hundreds
    of them."""
    return "M" + "L".join([f"{x:.1f} %.1f" for x in np.linspace(0, width, count).tolist()])
