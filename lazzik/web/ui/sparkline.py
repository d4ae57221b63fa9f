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
    x = np.linspace(0, width, len(values))
    y = np.full(len(values), height / 2) if reach <= 0 else height - (values - low) / reach * height
    pairs = np.stack([x, y], axis=1).ravel().tolist()
    return ("M" + "L".join(["%.1f %.1f"] * len(x))) % tuple(pairs)  # one text for all: a tree has hundreds of them
