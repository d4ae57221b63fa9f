"""Small curves drawn on the server, as SVG path data."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray


def spark(values: NDArray[np.float64], width: float, height: float, points: int = 48) -> str:
    """The `d` of a polyline that samples the values evenly over the width."""
    picked = values[np.unique(np.linspace(0, len(values) - 1, points).round().astype(int))]
    return line(picked, width, height, float(values.min()), float(values.max()))


def line(values: NDArray[np.float64], width: float, height: float, low: float, high: float) -> str:
    """The `d` of a polyline through evenly spaced values, `low` at the bottom and `high` at the top."""
    reach = high - low
    x = np.linspace(0, width, len(values))
    y = np.full(len(values), height / 2) if reach <= 0 else height - (values - low) / reach * height
    return "M" + "L".join(f"{a:.1f} {b:.1f}" for a, b in zip(x, y, strict=True))
