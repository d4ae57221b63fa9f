"""The damped oscillator that Settle and Follow share, solved exactly from one grid point to the next.

    e'' + 2ζω e' + ω² e = 0,   z = (ζ² − 1)(ωh)²

Over a step h, with E = e^(−ζωh), C = cosh √z and S = h · sinh √z / √z (cos and sin where z < 0, their series near 0):

    e(h)  = E·(C + ζωS)·e + E·S·e'
    e'(h) = −E·ω²S·e + E·(C − ζωS)·e'

No step is approximated, so it is stable for every frequency and damping. E is drawn into C and S before they can
overflow.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from lazzik.core.channel.layer import Inputs
from lazzik.core.clock import SUBSTEPS, Clock
from lazzik.core.kernels import kernel
from lazzik.core.types import Samples

Run = Callable[[Samples, Samples], None]
"""Fills (grid,) position and velocity from the state that stands at their first place."""


@dataclass(frozen=True, eq=False)
class Grid:
    """Where an oscillator runs: from the scene's first frame on, or once around a loop."""

    clock: Clock
    """One moment before the first frame, the grid points, and one after the last."""
    step: float
    """Seconds from one grid point to the next."""
    place: Samples
    """(frames,) where the asked moments lie, in grid points from the first frame; below 0 is before it."""
    loop: bool

    @property
    def count(self) -> int:
        """How many grid points there are, without the moments at both ends."""
        return len(self.clock.frames) - 2


def grid_for(clock: Clock, loop: float | None) -> Grid:
    """The fixed sub-step grid that covers the asked moments, or one loop of so many frames."""
    if loop is not None:
        points = max(2, round(loop * SUBSTEPS))
        width = loop / points
        # one round: the moments at both ends are those of the round itself
        inside = np.mod(np.arange(-1, points + 2), points) * width
        place = np.mod(clock.elapsed, loop) / width
        return Grid(clock.at(clock.first + inside), width / clock.fps, place, True)
    place = clock.elapsed * SUBSTEPS
    last = max(1, math.ceil(place.max(initial=0.0) - 1e-9)) + 1
    frames = clock.first + np.arange(-1, last + 2) / SUBSTEPS
    return Grid(clock.at(frames), 1 / SUBSTEPS / clock.fps, place, False)


def closed(run: Run, count: int) -> tuple[Samples, Samples]:
    """Position and velocity around a loop, begun in the state that returns to itself: (I − Φ)·s = b.

    `run` is linear in the state plus a forcing. Where no such state exists (no damping, and the loop a whole number of
    its own swings) the one of least size that comes nearest is taken, and the seam shows what is missing.
    """
    position, velocity = np.zeros(count), np.zeros(count)

    def end(e: float, v: float) -> Samples:
        position[0], velocity[0] = e, v
        run(position, velocity)
        return np.array([position[-1], velocity[-1]])

    b = end(0.0, 0.0)
    turn = np.stack([end(1.0, 0.0) - b, end(0.0, 1.0) - b], axis=1)
    start = np.linalg.lstsq(np.eye(2) - turn, b, rcond=1e-9)[0]
    end(float(start[0]), float(start[1]))
    return position, velocity


def on_grid(inputs: Inputs, name: str, grid: Grid) -> Samples:
    """(grid + 2,) one of a layer's numbers all over the grid."""
    value = np.asarray(inputs.number(name, grid.clock), dtype=float)
    return np.array(np.broadcast_to(value, grid.clock.frames.shape))  # kernels take no view that can't be written


@kernel("UniTuple(float64, 4)(float64, float64, float64)")
def free(omega: float, damping: float, h: float) -> tuple[float, float, float, float]:
    """The step's matrix, row by row."""
    drop = damping * omega * h
    z = (damping * damping - 1.0) * (omega * h) * (omega * h)
    if abs(z) < 1e-6:
        e = math.exp(-drop)
        c = e * (1.0 + z / 2.0 + z * z / 24.0)
        s = e * h * (1.0 + z / 6.0 + z * z / 120.0)
    elif z < 0.0:
        w = math.sqrt(-z)
        e = math.exp(-drop)
        c, s = e * math.cos(w), e * h * math.sin(w) / w
    else:
        w = math.sqrt(z)
        slow, fast = math.exp(w - drop), math.exp(-w - drop)
        c, s = 0.5 * (slow + fast), 0.5 * h * (slow - fast) / w
    pull = damping * omega
    return c + pull * s, s, -omega * omega * s, c - pull * s


@kernel("void(float64[::1], float64[::1], float64[::1], float64[::1], float64, int64, float64[::1], float64[::1])")
def ring(
    x: Samples, omega: Samples, damping: Samples, strength: Samples, h: float, when: int, e: Samples, v: Samples
) -> None:
    """Ringing after the bends of x: at each grid point the velocity jumps by −strength times x's change of slope.

    x, omega, damping and strength (grid + 2,), one moment more at both ends than e and v (grid,); e[0] and v[0] are the
    state before the first bend, later v are those after it. `when`: 0 any bend, 1 where x slows, 2 where it speeds up.
    """
    count = e.shape[0]
    for k in range(count):
        if k > 0:
            a, b, c, d = free(omega[k], damping[k], h)
            e[k], v[k] = a * e[k - 1] + b * v[k - 1], c * e[k - 1] + d * v[k - 1]
        if k < count - 1:  # the last point's bend is the next round's
            before, after = (x[k + 1] - x[k]) / h, (x[k + 2] - x[k + 1]) / h
            slows = abs(after) < abs(before)
            if when == 0 or (when == 1 and slows) or (when == 2 and not slows):
                v[k] -= strength[k + 1] * (after - before)


@kernel("void(float64[::1], float64[::1], float64[::1], float64, float64[::1], float64[::1])")
def trail(u: Samples, omega: Samples, damping: Samples, h: float, y: Samples, v: Samples) -> None:
    """Follow u, straight between grid points. u, omega, damping (grid + 2,); y, v (grid,), begun at y[0] and v[0].

    Against u = a + b·t the lasting part of the answer is a + b·t − 2ζb/ω; what differs from it dies freely.
    """
    for k in range(1, y.shape[0]):
        b = (u[k + 1] - u[k]) / h
        lag = 2.0 * damping[k] * b / omega[k]
        m00, m01, m10, m11 = free(omega[k], damping[k], h)
        away, speed = y[k - 1] - (u[k] - lag), v[k - 1] - b
        y[k] = m00 * away + m01 * speed + u[k] + b * h - lag
        v[k] = m10 * away + m11 * speed + b
