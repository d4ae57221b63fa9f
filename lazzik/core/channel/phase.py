"""Phase is an integral: wherever there is a rate, its keys bend the curve and never make it jump.

    φ(t) = ∫ rate dt from the scene's first frame, in cycles

A constant rate needs no integral. A driven one is read on the clock's fixed sub-step grid, taken as straight between
its points, and integrated exactly there, so φ at a frame is the same whatever frames were asked for.
In a loop of L frames the rate of the first loop is used, scaled so that a whole number of cycles n fits, and
φ(L) = n exactly.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from lazzik.core.clock import SUBSTEPS, Clock
from lazzik.core.types import Samples

Rate = Callable[[Clock], float | Samples]
"""A rate in cycles per second, at any moments."""


@dataclass(frozen=True, eq=False)
class Phase:
    """Cycles since the scene's first frame, and in a loop the whole cycles after which they begin again."""

    cycles: Samples
    start_rate: float
    """The rate at the first frame, in cycles per second."""
    wrap: int
    """Whole cycles in a loop; 0 if there is no loop."""


def accumulate(rate: Rate, clock: Clock, loop: float | None) -> Phase:
    """Integrate a rate. `loop` in frames."""
    elapsed = clock.elapsed if loop is None else np.mod(clock.elapsed, loop)
    inside = clock if loop is None else clock.at(clock.first + elapsed)
    value = rate(inside)
    if isinstance(value, float | int):
        start, cycles = float(value), elapsed * (value / clock.fps)
        total = 0.0 if loop is None else value * loop / clock.fps
    else:
        asked = elapsed if loop is None else np.append(elapsed, loop)
        grid = clock.at(clock.first + asked).grid
        on_grid = np.broadcast_to(rate(grid), grid.frames.shape)
        integral = _integral(on_grid, grid, asked) / clock.fps
        start = float(on_grid[int(round(-grid.elapsed[0] * SUBSTEPS))])
        cycles, total = (integral, 0.0) if loop is None else (integral[:-1], float(integral[-1]))
    if loop is None:
        return Phase(cycles, start, 0)
    wrap = max(1, round(abs(total)))
    # a rate that adds up to nothing still has to make its one round
    scale = wrap / total if total else 0.0
    whole = np.floor_divide(clock.elapsed, loop)
    closed = cycles * scale if total else elapsed * (wrap / loop)
    return Phase(closed + whole * wrap, start * (scale or 1.0), wrap)


def _integral(rate: Samples, grid: Clock, elapsed: Samples) -> Samples:
    """(frames,) ∫ rate d(frame) from the first frame to each of `elapsed`; rate straight between grid points."""
    step = 1.0 / SUBSTEPS
    pieces = 0.5 * step * (rate[1:] + rate[:-1])
    zero = int(round(-grid.elapsed[0] * SUBSTEPS))
    total = np.concatenate(([0.0], np.cumsum(pieces[zero:])))
    if zero:
        total = np.concatenate((-np.cumsum(pieces[:zero][::-1])[::-1], total))
    place = elapsed * SUBSTEPS
    k = np.clip(np.floor(place).astype(int) + zero, 0, len(pieces) - 1)
    beyond = (place + zero - k) * step
    slope = (rate[k + 1] - rate[k]) / step
    out: Samples = total[k] + beyond * rate[k] + 0.5 * slope * beyond * beyond
    return out


def loop_note(period: object, loop: float | None, fps: float) -> str:
    """What a loop makes of a constant period, for the person to read: '9 × 0.926 s'; '' if there is nothing to say."""
    if loop is None or not isinstance(period, float | int):
        return ""
    cycles = max(1, round(loop / fps / period))
    return f"{cycles} × {loop / fps / cycles:.3g} s"
