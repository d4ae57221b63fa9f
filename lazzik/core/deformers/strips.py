"""Points by strips, in which each coordinate lies in a row of its own: what a processor works out several at once."""

from __future__ import annotations

from lazzik.core.kernels import kernel
from lazzik.core.types import Points, Samples

STRIP = 128
"""Points of a strip: its rows, and what is worked out of them, stay at hand."""


@kernel("int64(float64[:, ::1], int64, float64[:, ::1])")
def take(points: Points, first: int, strip: Samples) -> int:
    """Fill the rows of `strip` with the points from one on. Returns how many these are.

    Parameters
    ----------
    points : (n, 3) array
        In any unit.
    strip : (3, STRIP) array
        Filled as far as there are points.

    Returns
    -------
    int
        STRIP, or fewer at the end.
    """
    count = min(STRIP, points.shape[0] - first)
    for i in range(count):
        strip[0, i], strip[1, i], strip[2, i] = points[first + i, 0], points[first + i, 1], points[first + i, 2]
    return int(count)


@kernel("void(float64[:, ::1], int64, int64, float64[:, ::1])")
def put(strip: Samples, first: int, count: int, points: Points) -> None:
    """Put so many of the strip's points in their places again.

    Parameters
    ----------
    strip : (3, STRIP) array
        A row for each coordinate.
    points : (n, 3) array
        Filled from `first` on.
    """
    for i in range(count):
        points[first + i, 0], points[first + i, 1], points[first + i, 2] = strip[0, i], strip[1, i], strip[2, i]
