"""A pattern that is carried along: how far it has gone, in cells of its lattice.

    P(t) = ∫ w/cell dt from the scene's first frame,   q = f·A·(p − o)/cell − A·P

A are the lattice's axes and f fits its cells to a loop; w is the velocity, cell the size of a cell. In a loop of L
frames the first axis lies along P(L) and f = N/|P(L)|, N the whole number nearest to |P(L)|: the pattern goes past N
whole cells, and is closed after them. What carries it is never slowed. Where less than one cell goes by, P has no drift
of its own over the loop, P(t) − P(L)·t/L, and whoever has the pattern lets it change in its place instead.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lazzik.core.channel.phase import Jumps, integral
from lazzik.core.clock import Clock
from lazzik.core.types import Points, Samples

Velocity = Callable[[Clock], Points]
"""(frames, 3) cells per second, in the scene's axes."""


@dataclass(frozen=True, eq=False)
class Drift:
    """How far a pattern has gone."""

    cells: Points
    """(frames, 3) cells along the lattice's axes."""
    axes: NDArray[np.float64]
    """(3, 3) the lattice's axes as rows, of unit length, right-handed."""
    fit: float
    """Times by which its cells are smaller than asked for."""
    wrap: int
    """Cells along the first axis after which it is closed; 0 if there is no loop, or too little goes by."""
    stalls: bool
    """Whether less than one cell goes by in the loop, though something does."""


def drifted(velocity: Velocity, jumps: Jumps, clock: Clock, loop: float | None, axes: NDArray[np.float64]) -> Drift:
    """How far a pattern has gone at the moments of a clock.

    Parameters
    ----------
    velocity : cells per second, by moments.
    jumps : frames between two at which that may jump.
    loop : frames after which it repeats; None is endless.
    axes : (3, 3) array
        The lattice's axes as rows, where no loop lays them.
    """
    if loop is None:
        return Drift(integral(velocity, jumps, clock) @ axes.T, axes, 1.0, 0, stalls=False)
    around = clock.rounds(loop)[0]
    way = integral(velocity, jumps, clock.at(clock.first + np.append(around, loop)))
    way, whole = way[:-1], way[-1]
    length = float(np.linalg.norm(whole))
    count = int(np.floor(length + 0.5)) if length >= 1.0 else 0
    if not count:
        rest = way - whole * (around / loop)[:, None]
        return Drift(rest @ axes.T, axes, 1.0, 0, stalls=length > 0.0)
    laid = _along(whole / length)
    return Drift((count / length) * (way @ laid.T), laid, count / length, count, stalls=False)


def _along(first: Samples) -> NDArray[np.float64]:
    """(3, 3) right-handed axes whose first is given; the second is level if that can be."""
    up = np.array([0.0, 1.0, 0.0]) if abs(first[1]) < 0.99 else np.array([1.0, 0.0, 0.0])
    third = np.cross(first, up)
    third /= np.linalg.norm(third)
    return np.stack([first, np.cross(third, first), third])
