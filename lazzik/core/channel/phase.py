"""Phase is an integral: wherever there is a rate, its keys bend the curve and never make it jump.

    φ(t) = ∫ rate dt from the scene's first frame, in cycles

A constant rate needs no integral. A driven one is read on the clock's fixed sub-step grid, which is split where the
rate jumps (a step key, an edge of a window), taken as straight between its knots and integrated exactly there, so φ at
a frame is the same whatever frames were asked for.

In a loop of L frames the rate r of the first loop is used, and φ(L) = n exactly, n the whole number nearest to the true
total T = ∫₀ᴸ r dt, with its sign, and no nearer to nothing than the kind's least. Where r(0) ≠ r(L), the rate is drawn
to the mean m of both within B = L · SEAM of either end, so that the slope meets too,

    r̃ = r + (m − r(0)) · (1 − S(t/B)) + (m − r(L)) · (1 − S((L − t)/B)),   S(u) = u²(3 − 2u) of u held to [0, 1]

and what is missing is spread evenly: φ(t) = ∫ r̃ dt + (n − ∫₀ᴸ r̃ dt) · t/L. Away from the seam that leaves the change of
the rate, as it was keyed, alone; a constant rate is scaled by it.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from lazzik.core.clock import SUBSTEPS, Clock
from lazzik.core.hermite import smoothstep
from lazzik.core.types import SampleRows, Samples

Rate = Callable[..., Any]
"""Cycles per second from the numbers that it is made of: each a float, or (frames,)."""

At = Callable[[Clock], NDArray[np.float64]]
"""Something at the moments of a clock, (frames, …)."""

Jumps = Callable[[float, float], Samples]
"""Frames between two at which something may jump, (jumps,), ascending."""

SEAM = 0.125
"""Part of a loop on either side of its seam in which a rate that does not meet itself is drawn together."""

SIDE = 1e-7
"""Frames before and after a jump at which its two values are read."""


class Numbered(Protocol):
    """Whatever has numbers by name: what is Driven, an object's aim."""

    def number(self, name: str, clock: Clock) -> float | Samples:
        """A number on a clock: a float, or (frames,).

        Returns
        -------
        float or (frames,) array
            In the number's own unit.
        """
        ...


class Driven(Protocol):
    """Whatever has numbers that a rate can be made of: a layer's inputs, a deformer's tracks."""

    @property
    def clock(self) -> Clock:
        """The moments asked for."""
        ...

    def constant(self, name: str) -> float | None:
        """A number that can't change; None for one that can."""
        ...

    def number(self, name: str, clock: Clock | None = None) -> float | Samples:
        """A number on a clock: a float, or (frames,).

        Returns
        -------
        float or (frames,) array
            In the number's own unit.
        """
        ...

    def jumps(self, names: tuple[str, ...], first: float, last: float) -> Samples:
        """Frames between two at which one of the numbers may jump.

        Returns
        -------
        (jumps,) array
            Frames, ascending.
        """
        ...


@dataclass(eq=False, slots=True)
class Phase:
    """Cycles since the scene's first frame, and in a loop the whole cycles after which they begin again.

    (Made for every layer: a frozen one would take four times as long to make.)
    """

    cycles: Samples
    start_rate: float
    """The rate at the first frame, in cycles per second."""
    wrap: int
    """Whole cycles in a loop, with their sign; 0 if there is no loop."""
    total: float = 0.0
    """Cycles that the loop would have had by itself."""


def integrate(
    source: Driven,
    names: tuple[str, ...],
    rate: Rate,
    loop: float | None = None,
    *,
    least: int = 1,
    clock: Clock | None = None,
) -> Phase:
    """Integrate the rate that `rate` makes of some numbers of a source.

    Parameters
    ----------
    names : the numbers, in the order in which `rate` takes them.
    rate : their values to cycles per second.
    loop : frames after which the motion repeats; None is endless.
    least : the fewest whole cycles in a loop: 1 for what would be nothing at rest, 0 for what may rest or run back.
    clock : the moments, if they are not those asked for.
    """
    asked = clock or source.clock
    constants = [source.constant(name) for name in names]
    if None not in constants:
        return _steady(float(rate(*constants)), asked, loop, least)
    grid = asked.grid.elapsed
    elapsed = asked.elapsed
    if loop is not None:
        elapsed, whole = asked.rounds(loop)
        grid = np.append(np.arange(math.ceil(loop * SUBSTEPS)) / SUBSTEPS, loop)
    knots, after, before = _read(partial(_on, source, names, rate), partial(source.jumps, names), asked, grid)
    if loop is None:
        way, _ = _integral(knots, after, before, elapsed)
        start = float(after[np.searchsorted(knots, 0.0)])
        return Phase(way / asked.fps, start, 0)
    total = float(_integral(knots, after, before, elapsed)[1]) / asked.fps
    after, before = _drawn_together(knots, after, before, loop)
    way, drawn = _integral(knots, after, before, elapsed)
    wrap = _whole(total, least)
    spread = (wrap - float(drawn) / asked.fps) / loop
    cycles = way / asked.fps + elapsed * spread + whole * wrap
    return Phase(cycles, float(after[0]) + spread * asked.fps, wrap, total)


def integral(rate: At, jumps: Jumps, asked: Clock) -> NDArray[np.float64]:
    """∫ rate dt from the scene's first frame, of a rate that may have parts.

    Parameters
    ----------
    rate : per second, (frames, …).
    jumps : frames between two at which it may jump.

    Returns
    -------
    (frames, …) array
        At the moments of the clock.
    """

    def over(clock: Clock) -> NDArray[np.float64]:
        value = rate(clock)
        return np.broadcast_to(value, (len(clock.frames), *value.shape[1:]))

    out, _ = _integral(*_read(over, jumps, asked, asked.grid.elapsed), asked.elapsed)
    return np.asarray(out / asked.fps)


def _steady(rate: float, asked: Clock, loop: float | None, least: int) -> Phase:
    """The phase of a rate that never changes."""
    if loop is None:
        return Phase(asked.elapsed * (rate / asked.fps), rate, 0)
    total = rate * loop / asked.fps
    wrap = _whole(total, least)
    return Phase(_around(asked, loop, wrap), wrap * asked.fps / loop, wrap, total)


def _around(asked: Clock, loop: float, wrap: Any) -> NDArray[np.float64]:
    """Cycles of which a whole number fills each loop."""
    elapsed, whole = asked.rounds(loop)
    return np.asarray(elapsed * (wrap / loop) + whole * wrap)


@dataclass(frozen=True, eq=False)
class Phases:
    """The phases of many at once, as `Phase` has them for one."""

    cycles: NDArray[Any]
    """(rows, frames)."""
    start_rates: SampleRows
    """(rows, 1) cycles per second."""
    wraps: NDArray[np.int64]
    """(rows,) whole cycles in a loop."""

    def later(self, shift: SampleRows) -> SampleRows:
        """The cycles of motions that come later: cycles − shift · rate at the first frame.

        Parameters
        ----------
        shift : (rows, 1) array
            Seconds.

        Returns
        -------
        (rows, frames) array
            Cycles.
        """
        return self.cycles - shift * self.start_rates if shift.any() else self.cycles


def steady_phases(rates: SampleRows, asked: Clock, loop: float | None, *, least: int = 1) -> Phases:
    """What `integrate` makes of many rates that never change.

    Parameters
    ----------
    rates : (rows, 1) array
        Cycles per second.
    """
    if loop is None:
        return Phases(asked.elapsed * (rates / asked.fps), rates, np.zeros(len(rates), np.int64))
    wraps = np.array([_whole(float(total), least) for total in rates[:, 0] * loop / asked.fps], dtype=np.int64)
    return Phases(
        _around(asked, loop, wraps[:, None]), np.asarray(wraps[:, None] * asked.fps / loop, np.float64), wraps
    )


def _whole(total: float, least: int) -> int:
    """The whole number nearest to a total, no nearer to nothing than `least`."""
    nearest = math.floor(abs(total) + 0.5)
    return int(math.copysign(max(least, nearest), total)) if total else least


def _read(
    rate: At, jumps: Jumps, asked: Clock, grid: Samples
) -> tuple[Samples, NDArray[np.float64], NDArray[np.float64]]:
    """(knots,) frames since the first, ascending; (knots, …) the rate just after each, and just before it.

    The knots are the grid's points and the places between its ends at which the rate jumps.
    """
    edges = jumps(asked.first + grid[0], asked.first + grid[-1]) - asked.first
    edges = edges[(edges > grid[0] + 2 * SIDE) & (edges < grid[-1] - 2 * SIDE)]
    if not len(edges):
        clock = asked.grid if grid is asked.grid.elapsed else asked.at(asked.first + grid)
        value = rate(clock)
        return grid, value, value
    nearest = np.clip(np.searchsorted(edges, grid), 1, len(edges)) - np.array([[1], [0]])
    apart = np.abs(grid - edges[np.minimum(nearest, len(edges) - 1)]).min(axis=0)
    knots = np.union1d(grid[apart > 2 * SIDE], edges)
    split = np.isin(knots, edges)
    value = rate(asked.at(asked.first + np.concatenate((knots + SIDE * split, edges - SIDE))))
    after, before = value[: len(knots)], value[: len(knots)].copy()
    before[split] = value[len(knots) :]
    return knots, after, before


def _on(source: Driven, names: tuple[str, ...], rate: Rate, clock: Clock) -> Samples:
    value = rate(*(source.number(name, clock) for name in names))
    return np.broadcast_to(np.asarray(value, dtype=np.float64), clock.frames.shape)


def _drawn_together(knots: Samples, after: Samples, before: Samples, loop: float) -> tuple[Samples, Samples]:
    """The rate at both sides of each knot, meeting itself at the seam."""
    apart = 0.5 * (before[-1] - after[0])
    u, v = (np.minimum(1.0, away / (SEAM * loop)) for away in (knots, loop - knots))
    drawn = apart * (smoothstep(v) - smoothstep(u))
    return after + drawn, before + drawn


def _integral(
    knots: Samples, after: NDArray[np.float64], before: NDArray[np.float64], elapsed: Samples
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """((frames, …), (…)) ∫ rate d(frame) from the first frame to each of `elapsed`, and over all knots.

    Between knots the rate is straight, from `after` the one to `before` the next.
    """
    column = (slice(None), *(None for _ in after.shape[1:]))
    width = np.diff(knots)[column]
    whole = np.zeros(after.shape)
    np.cumsum(0.5 * width * (before[1:] + after[:-1]), axis=0, out=whole[1:])
    whole -= whole[np.searchsorted(knots, 0.0)]
    k = np.clip(np.searchsorted(knots, elapsed, side="right") - 1, 0, len(width) - 1)
    beyond = (elapsed - knots[k])[column]
    slope = (before[k + 1] - after[k]) / width[k]
    return whole[k] + beyond * after[k] + 0.5 * slope * beyond * beyond, whole[-1]


def rounded_note(phase: Phase, loop: float | None, fps: float) -> str:
    """What a loop made of a period, for the person to read: '9 × 0.926 s'; '' if there is nothing to say."""
    if loop is None or not phase.wrap:
        return ""
    return f"{phase.wrap} × {loop / fps / phase.wrap:.3g} s"
