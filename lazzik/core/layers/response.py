"""How a light structure answers the wind: a damped oscillator that is driven toward where the wind would hold it.

    θ'' + 2ζω θ' + ω² θ = ω²·u(t)

u is where it would lean for good. It is read twice a frame, taken as straight between, and split where it may jump;
over each such piece the answer is exact (oscillator.py), ω and ζ taken at its middle. It starts as if the wind had
blown before: a pre-roll begins in the lean of that moment, and is so long that nothing of the beginning is left on the
first frame. In a loop it starts in the state that returns to itself.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from lazzik.core.channel.airflow import Airflow
from lazzik.core.clock import Clock
from lazzik.core.kernels import kernel
from lazzik.core.layers.oscillator import TURN, close, free, trailed
from lazzik.core.types import Samples

PER_FRAME = 2
"""Samples of the air in a frame."""

FADED = 7.0
"""Times 1/(ζω) after which a beginning is forgotten: less than a thousandth of it is left."""

LONGEST = 32.0
"""Seconds that a pre-roll takes at most."""

SIDE = 1e-7
"""Frames before and after a jump at which its two values are read."""

ALIKE = 1e-12
"""Seconds by which two steps may differ and be one: what rounding makes of moments that lie evenly."""

FEW = 4
"""Things up to which one after the other goes faster than all together."""

NEAR = 8
"""Nodes within which the next one is looked for one by one."""

Over = Callable[[Clock], float | Samples]
"""Something over the moments of a clock: a float if it is constant."""


@dataclass(frozen=True, eq=False)
class Spring:
    """What answers: its frequency in hertz, and its damping as a ratio to the critical one."""

    frequency: Over
    damping: Over


def steady(frequency: float, damping: float) -> Spring:
    """One whose numbers don't change."""
    return Spring(lambda at: frequency, lambda at: damping)


def answer(lean: Over, airflow: Airflow, spring: Spring, clock: Clock, loop: float | None) -> NDArray[np.float64]:
    """Where things are at the moments of a clock that answer with the same spring.

    Parameters
    ----------
    lean : where the wind would hold each, (frames, things) by moments.
    airflow : says where that may jump.
    loop : frames after which all repeats; None is endless.

    Returns
    -------
    (frames, things) array
        In the unit of the lean.
    """
    pieces = pieces_for(clock, spring, airflow.jumps, loop)
    before, after = pieces.read(lambda at: np.asarray(lean(at)))
    omega, damping = TURN * pieces.middle(spring.frequency), pieces.middle(spring.damping)
    things = before.shape[1]
    return answer_to(
        before, after, np.repeat(omega[:, None], things, axis=1), np.repeat(damping[:, None], things, axis=1),
        pieces, clock,
    )  # fmt: skip


def answer_to(
    before: NDArray[np.float64],
    after: NDArray[np.float64],
    omega: NDArray[np.float64],
    damping: NDArray[np.float64],
    pieces: Pieces,
    clock: Clock,
) -> NDArray[np.float64]:
    """Where things are at the moments of a clock, each with a spring of its own.

    Parameters
    ----------
    before, after : (nodes, things) arrays
        Where the wind would hold each just before each node of the pieces, and just after it.
    omega, damping : (nodes − 1, things) or (1, things) arrays
        Radians per second; ratios to the critical one.

    Returns
    -------
    (frames, things) array
        In the unit of the lean.
    """
    seconds = pieces.seconds
    before, after, omega, damping = (np.ascontiguousarray(each) for each in (before, after, omega, damping))

    def run(y: NDArray[np.float64], v: NDArray[np.float64]) -> None:
        respond(seconds, before, after, omega, damping, y, v)

    y, v = np.empty(after.shape), np.empty(after.shape)
    y[0], v[0] = after[0], 0.0
    if pieces.loop is not None:
        close(run, y, v)
    else:
        run(y, v)
    place = pieces.place(clock)
    out = np.empty((len(place), after.shape[1]))
    respond_between(place, seconds, before, after, omega, damping, y, v, out)
    return out


@dataclass(frozen=True, eq=False)
class Pieces:
    """The moments between which the air is taken as straight."""

    grid: Clock
    """Where it is read once: even moments, those beside a jump left out."""
    jumps: Samples
    """(jumps,) frames at which it is read from both sides."""
    loop: float | None

    @cached_property
    def _order(self) -> NDArray[np.intp]:
        return np.argsort(np.concatenate([self.grid.frames, self.jumps]), kind="stable")

    @cached_property
    def nodes(self) -> Samples:
        """When the air is read.

        Returns
        -------
        (nodes,) array
            Frames, ascending.
        """
        if not len(self.jumps):
            return self.grid.frames
        return np.asarray(np.concatenate([self.grid.frames, self.jumps])[self._order])

    @cached_property
    def seconds(self) -> Samples:
        """The same from the first on.

        Returns
        -------
        (nodes,) array
            Seconds.
        """
        return np.asarray((self.nodes - self.nodes[0]) / self.grid.fps)

    def read(self, of: Callable[[Clock], NDArray[np.float64]]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Something just before each node, and just after it.

        Parameters
        ----------
        of : what gives it at the moments of a clock, (frames, …).

        Returns
        -------
        ((nodes, …) array, (nodes, …) array)
            As `of` gives it.
        """
        even = of(self.grid)
        if not len(self.jumps):
            return even, even
        before, after = (
            np.concatenate([even, of(self.grid.at(self.jumps + side))])[self._order] for side in (-SIDE, SIDE)
        )
        return before, after

    def middle(self, of: Over) -> Samples:
        """Something in the middle of each piece.

        Returns
        -------
        (nodes − 1,) array
            As `of` gives it; (1,) where it does not change.
        """
        return np.array(of(self._middles), dtype=np.float64, ndmin=1)

    @cached_property
    def _middles(self) -> Clock:
        return self.grid.at(0.5 * (self.nodes[1:] + self.nodes[:-1]))

    def place(self, clock: Clock) -> Samples:
        """Where moments lie.

        Returns
        -------
        (frames,) array
            Seconds from the first node.
        """
        if self.loop is not None:
            return np.asarray(clock.rounds(self.loop)[0] / clock.fps)
        return np.asarray((clock.frames - self.nodes[0]) / clock.fps)


def pieces_for(clock: Clock, spring: Spring, jumps: Callable[[float, float], Samples], loop: float | None) -> Pieces:
    """The moments at which the air has to be read, for what is asked at those of a clock.

    Parameters
    ----------
    jumps : frames between two at which the air may jump, (jumps,).
    loop : frames after which all repeats; None is endless.
    """
    grid = nodes_for(clock, spring, loop)
    found = jumps(float(grid.frames[0]), float(grid.frames[-1]))
    if len(found):
        found = found[(found > grid.frames[0] + 2 * SIDE) & (found < grid.frames[-1] - 2 * SIDE)]
    if not len(found):  # the same for all that asks for the air at these moments
        pieces: Pieces | None = grid.made.get((Pieces, loop))
        if pieces is None:
            pieces = grid.made[Pieces, loop] = Pieces(grid, found, loop)
        return pieces
    return Pieces(grid.at(grid.frames[np.abs(grid.frames[:, None] - found).min(axis=1) > 2 * SIDE]), found, loop)


def nodes_for(clock: Clock, spring: Spring, loop: float | None) -> Clock:
    """The moments at which the air is read: from the pre-roll on, or once around a loop."""
    if loop is not None and loop == int(loop):  # an even clock, which whatever is kept is kept by
        return _even(clock, clock.first, clock.first + int(loop))
    if loop is not None:
        inside = np.arange(math.ceil(loop * PER_FRAME)) / PER_FRAME
        return clock.at(clock.first + np.append(inside, loop))
    first = clock.start
    damping, frequency = (np.asarray(of(first)).item() for of in (spring.damping, spring.frequency))
    pace = damping * TURN * frequency
    seconds = min(FADED / pace, LONGEST) if pace > 0 else LONGEST
    # one of a few lengths, so that what stands in one air asks for the same moments
    before = math.ceil(2.0 ** math.ceil(math.log2(max(seconds, 1.0))) * clock.fps)
    last = max(clock.first + 1, math.ceil(clock.latest))
    return _even(clock, clock.first - before, last)


def _even(clock: Clock, start: int, last: int) -> Clock:
    """The moments from one frame to another, made once for all that asks for the air at those of a clock."""
    made: Clock | None = clock.made.get((start, last))
    if made is None:
        made = clock.made[start, last] = Clock.over(clock.fps, clock.first, last, start=start, per_frame=PER_FRAME)
    return made


@kernel(
    "UniTuple(float64, 2)(float64, float64, float64, float64, float64, float64, float64, float64, float64, float64)"
)
def straight(
    m00: float, m01: float, m10: float, m11: float, late: float, y: float, v: float, a: float, b: float, h: float
) -> tuple[float, float]:
    """The state after a step of h seconds in which the lean goes straight from a to b.

    The lasting part of the answer to a + s·t is a + s·(t − 2ζ/ω), 2ζ/ω being how late it is; what differs from it dies
    freely, by the step's matrix.
    """
    slope = (b - a) / h
    level = a - late * slope
    away, speed = y - level, v - slope
    return m00 * away + m01 * speed + level + slope * h, m10 * away + m11 * speed + slope


@kernel(
    "void(float64[::1], float64[:, ::1], float64[:, ::1], float64[:, ::1], float64[:, ::1], float64[:, ::1],"
    " float64[:, ::1])"
)
def respond_together(
    seconds: Samples,
    before: NDArray[np.float64],
    after: NDArray[np.float64],
    omega: NDArray[np.float64],
    damping: NDArray[np.float64],
    y: NDArray[np.float64],
    v: NDArray[np.float64],
) -> None:
    """As `respond`, of many.

    Parameters
    ----------
    seconds, before, after, omega, damping, y, v : arrays
        As of `respond`.
    """
    things = y.shape[1]
    step = np.empty((5, things))
    m00, m01, m10, m11, late = step[0], step[1], step[2], step[3], step[4]
    driven, usual = omega.shape[0] > 1 or damping.shape[0] > 1, math.nan
    for k in range(1, y.shape[0]):
        h = seconds[k] - seconds[k - 1]
        if driven or not abs(h - usual) <= ALIKE:
            usual = h
            w, d = omega[min(k, omega.shape[0]) - 1], damping[min(k, damping.shape[0]) - 1]
            for n in range(things):
                m00[n], m01[n], m10[n], m11[n] = free(w[n], d[n], h)
                late[n] = 2.0 * d[n] / w[n]
        a, b, p, q, y1, v1 = after[k - 1], before[k], y[k - 1], v[k - 1], y[k], v[k]
        for n in range(things):
            y1[n], v1[n] = straight(m00[n], m01[n], m10[n], m11[n], late[n], p[n], q[n], a[n], b[n], h)


@kernel(
    "void(float64[::1], float64[:, ::1], float64[:, ::1], float64[:, ::1], float64[:, ::1], float64[:, ::1],"
    " float64[:, ::1])"
)
def respond(
    seconds: Samples,
    before: NDArray[np.float64],
    after: NDArray[np.float64],
    omega: NDArray[np.float64],
    damping: NDArray[np.float64],
    y: NDArray[np.float64],
    v: NDArray[np.float64],
) -> None:
    """Go on from node to node, begun at y[0] and v[0].

    Few things go one after the other. Many take a step together before they take the next: it waits for the one before,
    but they do not wait for each other.

    Parameters
    ----------
    seconds : (nodes,) array
        When they are.
    before, after : (nodes, things) arrays
        The lean of each just before each node, and just after it.
    omega, damping : (nodes − 1, things) or (1, things) arrays
        Radians per second; ratios to the critical one.
    y, v : (nodes, things) arrays
        Filled from 1 on: where each is, and its velocity per second.
    """
    nodes, things = y.shape
    if things > FEW:
        respond_together(seconds, before, after, omega, damping, y, v)
        return
    driven = omega.shape[0] > 1 or damping.shape[0] > 1
    for n in range(things):
        p, q, usual = y[0, n], v[0, n], math.nan
        m00 = m01 = m10 = m11 = late = 0.0
        for k in range(1, nodes):
            h = seconds[k] - seconds[k - 1]
            if driven or not abs(h - usual) <= ALIKE:
                usual = h
                w, d = omega[min(k, omega.shape[0]) - 1, n], damping[min(k, damping.shape[0]) - 1, n]
                m00, m01, m10, m11 = free(w, d, h)
                late = 2.0 * d / w
            p, q = straight(m00, m01, m10, m11, late, p, q, after[k - 1, n], before[k, n], h)
            y[k, n], v[k, n] = p, q


@kernel(
    "void(float64[::1], float64[::1], float64[:, ::1], float64[:, ::1], float64[:, ::1], float64[:, ::1],"
    " float64[:, ::1], float64[:, ::1], float64[:, ::1])"
)
def respond_between(
    place: Samples,
    seconds: Samples,
    before: NDArray[np.float64],
    after: NDArray[np.float64],
    omega: NDArray[np.float64],
    damping: NDArray[np.float64],
    y: NDArray[np.float64],
    v: NDArray[np.float64],
    out: NDArray[np.float64],
) -> None:
    """Fill `out` with where things are at any moments, gone on from the node before; before the first one, where they
    are there.

    Parameters
    ----------
    place : (frames,) array
        Seconds from the first node.
    seconds, before, after, omega, damping : arrays
        As of `respond`.
    y, v : (nodes, things) arrays
        Where each is at the nodes, and its velocity per second.
    out : (frames, things) array
        Filled.
    """
    last, k = y.shape[0] - 2, 0
    for f in range(place.shape[0]):
        t = max(place[f], 0.0)
        # the last node before it: moments mostly follow each other, so it is near that of the one before
        if seconds[k] >= t + ALIKE or seconds[min(k + NEAR, last)] < t + ALIKE:
            k = min(max(np.searchsorted(seconds, t + ALIKE) - 1, 0), last)
        while k < last and seconds[k + 1] < t + ALIKE:
            k += 1
        beyond = t - seconds[k]
        if beyond < ALIKE:
            out[f] = y[k]
            continue
        w, d = omega[min(k, omega.shape[0] - 1)], damping[min(k, damping.shape[0] - 1)]
        for n in range(out.shape[1]):
            slope = (before[k + 1, n] - after[k, n]) / (seconds[k + 1] - seconds[k])
            out[f, n], _ = trailed(y[k, n], v[k, n], w[n], d[n], after[k, n], slope, 0.0, beyond)
