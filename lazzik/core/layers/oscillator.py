"""The damped oscillator that Settle and Follow share, solved exactly from one grid point to the next.

    e'' + 2ζω e' + ω² e = 0,   z = (ζ² − 1)(ωh)²

Over a step h, with E = e^(−ζωh), C = cosh √z and S = h · sinh √z / √z (cos and sin where z < 0, their series near 0):

    e(h)  = E·(C + ζωS)·e + E·S·e'
    e'(h) = −E·ω²S·e + E·(C − ζωS)·e'

E is drawn into C and S before they can overflow. The step is exact for numbers that stay, so it is stable for every
frequency and damping.

It goes from node to node, two sub-steps apart, each time in two halves. Driven numbers are taken at the middle of a
half (the exponential midpoint rule: W. Magnus, 'On the exponential solution of differential equations', Comm. Pure
Appl. Math. 7, 1954; second order). What sets it in motion is taken as the parabola through the step's two nodes and its
middle, to which the answer is exact: a straight move that bends at a node is met to rounding, an eased one to third
order.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from lazzik.core.channel.phase import Numbered
from lazzik.core.clock import SUBSTEPS, Clock
from lazzik.core.kernels import kernel
from lazzik.core.types import Samples

TURN = 2 * math.pi
"""Radians."""

Run = Callable[[NDArray[np.float64], NDArray[np.float64]], None]
"""Fills (nodes,) position and velocity, or (nodes, things), from the state that stands at their first place."""


@dataclass(frozen=True, eq=False)
class Grid:
    """Where an oscillator runs: from the scene's first frame on, or once around a loop."""

    clock: Clock
    """Its samples, and before them what else was asked for. In a loop they are those of one round."""
    lead: int
    """Samples of the clock before those of the step that ends at the first node."""
    step: float
    """Seconds from one node to the next."""
    place: Samples
    """(frames,) where the asked moments lie, in nodes from the first; below 0 is before it."""
    loop: bool

    @property
    def count(self) -> int:
        """How many nodes there are."""
        return (len(self.clock.frames) - self.lead - 3) // 2 + 1

    @cached_property
    def halves(self) -> Clock:
        """The middle of each half of each step."""
        width = 0.5 * self.step * self.clock.fps
        places = (np.arange(2 * self.count - 2) + 0.5) * width
        return self.clock.at(np.asarray(self.clock.first + places, dtype=np.float64))

    def samples(self, values: Samples) -> Samples:
        """What was read on the clock, from two samples before the first node to the last node.

        Parameters
        ----------
        values : (frames,) array
            As read on the grid's clock.

        Returns
        -------
        (2 nodes + 1,) array
            In the same unit.
        """
        return np.array(values[self.lead :])  # a copy of its own: kernels take no view that can't be written

    def slope_before(self, values: Samples) -> float:
        """The slope, per second, at which what was read on the clock comes to the first node.

        Parameters
        ----------
        values : (frames,) array
            As read on the grid's clock.

        Returns
        -------
        float
            In units per second.
        """
        x = values[self.lead - 1 : self.lead + 3] if self.lead else values[:3]
        if self.loop:  # that of the round before: the parabola of its last step
            return float(x[0] - 4 * x[1] + 3 * x[2]) / self.step
        return float(-2 * x[0] + 9 * x[1] - 18 * x[2] + 11 * x[3]) / (3 * self.step)


def grid_for(clock: Clock, loop: float | None) -> Grid:
    """The part of the fixed sub-step grid that covers the asked moments and the first frame, or one loop of so many
    frames. It is made once for all that swings over one clock."""
    made: Grid | None = clock.made.get((Grid, loop))
    if made is None:
        made = clock.made[Grid, loop] = _grid(clock, loop)
    return made


def _grid(clock: Clock, loop: float | None) -> Grid:
    if loop is not None:
        points = 2 * max(1, round(loop * SUBSTEPS / 2))
        width = loop / points
        inside = np.mod(np.arange(-2, points + 1), points) * width
        place = clock.rounds(loop)[0] / (2 * width)
        return Grid(clock.at(clock.first + inside), 0, 2 * width / clock.fps, place, True)
    place = clock.elapsed * (SUBSTEPS / 2)
    last = 2 * max(1, math.ceil(place.max(initial=0.0) - 1e-9))
    lead = max(1, -math.floor(2 * place.min(initial=0.0)) - 2)
    return Grid(clock.on_grid(-2 - lead, last), lead, 2 / SUBSTEPS / clock.fps, place, False)


LEAST = 1e-9
"""How far an eigenvalue of a round has to be from 1, or the round leaves a state as it is."""


def close(run: Run, position: NDArray[np.float64], velocity: NDArray[np.float64]) -> None:
    """Fill position and velocity around a loop, begun in the state that returns to itself: (I − Φ)·s = b.

    `run` is linear in the state plus a forcing. Where no such state exists (no damping, and the loop a whole number of
    its own swings) it begins as it would without a loop, and the seam shows what is missing.

    Parameters
    ----------
    position, velocity : (nodes, …) arrays
        Filled; the first row says where it would begin otherwise. In their unit, and that per second.
    """
    start = np.stack([position[0], velocity[0]])
    ends = np.empty((3, *start.shape))
    for end, begin in zip(ends, ((0.0, 0.0), (1.0, 0.0), (0.0, 1.0)), strict=True):
        position[0], velocity[0] = begin
        run(position, velocity)
        end[0], end[1] = position[-1], velocity[-1]
    return_to(ends.reshape(3, 2, -1), start.reshape(2, -1))
    position[0], velocity[0] = start
    run(position, velocity)


@kernel("void(float64[:, :, ::1], float64[:, ::1])")
def return_to(ends: NDArray[np.float64], states: NDArray[np.float64]) -> None:
    """Put the states in place that return to themselves, (I − Φ)·s = b, where there are such.

    |I − Φ| is the product of 1 − λ over both eigenvalues of Φ, whatever the units.

    Parameters
    ----------
    ends : (3, 2, things) array
        Position and velocity at the end: begun at rest, which is b, in position 1, and in velocity 1.
    states : (2, things) array
        Position and velocity to begin in; changed.
    """
    for n in range(states.shape[1]):
        x, y = ends[0, 0, n], ends[0, 1, n]
        a, b = 1.0 - (ends[1, 0, n] - x), x - ends[2, 0, n]
        c, d = y - ends[1, 1, n], 1.0 - (ends[2, 1, n] - y)
        volume = a * d - b * c
        if abs(volume) > LEAST * LEAST:
            states[0, n], states[1, n] = (d * x - b * y) / volume, (a * y - c * x) / volume


def on_grid(source: Numbered, name: str, grid: Grid) -> Samples:
    """One number at the grid's samples.

    Returns
    -------
    (2 nodes + 1,) array
        In the number's own unit; (1,) where it does not change.
    """
    value = source.number(name, grid.clock)
    return np.array([float(value)]) if isinstance(value, float | int) else grid.samples(value)


def spring_of(source: Numbered, grid: Grid) -> tuple[Samples, Samples]:
    """What a source's `frequency` and `damping` come to in the middle of each half step.

    Returns
    -------
    ((2 (nodes − 1),) array, (2 (nodes − 1),) array)
        Radians per second; ratios to the critical one. (1,) where neither changes.
    """
    frequency, damping = source.number("frequency", grid.halves), source.number("damping", grid.halves)
    both = np.broadcast_arrays(TURN * np.asarray(frequency), damping)
    omega, ratios = (np.array(each, dtype=np.float64, ndmin=1) for each in both)
    return omega, ratios


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


Step = tuple[float, float, float, float]
"""What `free` makes of a step."""


@kernel("UniTuple(float64, 2)(UniTuple(float64, 4), float64, float64, float64, float64)")
def pushed(step: Step, e: float, v: float, omega: float, push: float) -> tuple[float, float]:
    """The state of e'' + 2ζω e' + ω² e = push after a step."""
    lasting = push / (omega * omega)
    a, b, c, d = step
    return a * (e - lasting) + b * v + lasting, c * (e - lasting) + d * v


@kernel("int64(float64[::1], int64)")
def index_of(numbers: Samples, k: int) -> int:
    """Where the k-th of some numbers stands: at its own place, or at the only one where all are the same.

    Parameters
    ----------
    numbers : (n,) or (1,) array
    """
    return int(min(k, numbers.shape[0] - 1))


@kernel("UniTuple(float64, 2)(float64, float64, float64[::1], float64[::1], int64, float64, float64, float64)")
def rung(
    e: float, v: float, omega: Samples, damping: Samples, k: int, push: float, h: float, t: float
) -> tuple[float, float]:
    """The state t seconds into the step from node k, of h seconds.

    Parameters
    ----------
    omega, damping : (2 (nodes − 1),) or (1,) arrays
        Radians per second; ratios to the critical one.

    Returns
    -------
    tuple of float
        Position, and velocity per second.
    """
    half, j = min(t, 0.5 * h), index_of(omega, 2 * k)
    e, v = pushed(free(omega[j], damping[j], half), e, v, omega[j], push)
    if t > half:
        j = index_of(omega, 2 * k + 1)
        e, v = pushed(free(omega[j], damping[j], t - half), e, v, omega[j], push)
    return e, v


@kernel(
    "UniTuple(float64, 2)(UniTuple(float64, 4), float64, float64, float64, float64, float64, float64, float64, float64)"
)
def drawn(
    step: Step, y: float, v: float, omega: float, damping: float, a: float, b: float, c: float, t: float
) -> tuple[float, float]:
    """The state of y'' + 2ζω y' + ω² (y − u) = 0 against u = a + b·t + c·t², after a step of t seconds.

    The lasting part of the answer is A + B·t + c·t², B = b − 4ζc/ω, A = a − 2ζB/ω − 2c/ω²; what differs from it dies
    freely.
    """
    slope = b - 4.0 * damping * c / omega
    level = a - 2.0 * damping * slope / omega - 2.0 * c / (omega * omega)
    m00, m01, m10, m11 = step
    away, speed = y - level, v - slope
    return (
        m00 * away + m01 * speed + level + slope * t + c * t * t,
        m10 * away + m11 * speed + slope + 2.0 * c * t,
    )


@kernel("UniTuple(float64, 2)(float64, float64, float64, float64, float64, float64, float64, float64)")
def trailed(
    y: float, v: float, omega: float, damping: float, a: float, b: float, c: float, t: float
) -> tuple[float, float]:
    """As `drawn`, of a step that is taken once."""
    return drawn(free(omega, damping, t), y, v, omega, damping, a, b, c, t)


@kernel("UniTuple(float64, 3)(float64[::1], int64, float64)")
def parabola(u: Samples, k: int, h: float) -> tuple[float, float, float]:
    """a, b and c of the parabola a + b·t + c·t² through the samples of the step from node k, of h seconds.

    Parameters
    ----------
    u : (2 nodes + 1,) array
        From two samples before the first node.
    """
    i = 2 * k + 2
    return (
        u[i],
        (-3.0 * u[i] + 4.0 * u[i + 1] - u[i + 2]) / h,
        2.0 * (u[i] - 2.0 * u[i + 1] + u[i + 2]) / (h * h),
    )


@kernel("UniTuple(float64, 2)(float64, float64, float64[::1], float64[::1], float64[::1], int64, float64, float64)")
def followed(
    y: float, v: float, u: Samples, omega: Samples, damping: Samples, k: int, h: float, t: float
) -> tuple[float, float]:
    """The state t seconds into the step from node k, of h seconds, trailing the parabola through u there.

    Parameters
    ----------
    u : (2 nodes + 1,) array
        What is followed.
    omega, damping : (2 (nodes − 1),) or (1,) arrays
        Radians per second; ratios to the critical one.

    Returns
    -------
    tuple of float
        Position, and velocity per second.
    """
    a, b, c = parabola(u, k, h)
    half, j = min(t, 0.5 * h), index_of(omega, 2 * k)
    y, v = trailed(y, v, omega[j], damping[j], a, b, c, half)
    if t > half:
        a, b = a + half * (b + half * c), b + 2.0 * half * c
        j = index_of(omega, 2 * k + 1)
        y, v = trailed(y, v, omega[j], damping[j], a, b, c, t - half)
    return y, v


@kernel("boolean(float64, float64, int64)")
def heard(before: float, after: float, when: int) -> bool:
    """Whether a change from one difference to the next counts: 0 any, 1 where it slows, 2 where it speeds up."""
    slows = abs(after) < abs(before)
    return when == 0 or (when == 1 and slows) or (when == 2 and not slows)


@kernel("float64(float64[::1], float64[::1], int64, float64, int64)")
def push_of(x: Samples, strength: Samples, k: int, h: float, when: int) -> float:
    """−s·x'' within the step from node k; `when` as in `ring`.

    Parameters
    ----------
    x, strength : arrays
        As of `ring`.

    Returns
    -------
    float
        In units per second².
    """
    i = 2 * k + 2
    if not heard(x[i + 1] - x[i], x[i + 2] - x[i + 1], when):
        return 0.0
    bent: float = (x[i] - 2.0 * x[i + 1] + x[i + 2]) * (4.0 / (h * h))
    return -strength[index_of(strength, i + 1)] * bent  # type: ignore[no-any-return]


@kernel(
    "void(float64[::1], float64, float64[::1], float64[::1], float64[::1], float64, int64, float64[::1], float64[::1])"
)
def ring(
    x: Samples,
    slope: float,
    omega: Samples,
    damping: Samples,
    strength: Samples,
    h: float,
    when: int,
    e: Samples,
    v: Samples,
) -> None:
    """Ringing after the bends of x: pushed by −s·x'' within each step, and at each node its velocity jumps by −s times
    the change of slope from one parabola to the next.

    e[0] and v[0] are the state before the first bend, later v are those after it. `when`: 0 any bend, 1 where x slows,
    2 where it speeds up.

    Parameters
    ----------
    x : (2 nodes + 1,) array
        In the channel's unit, from two samples before the first node, to which it comes at `slope` per second.
    strength : (2 nodes + 1,) or (1,) array
        Times.
    omega, damping : (2 (nodes − 1),) or (1,) arrays
        Radians per second; ratios to the critical one, by halves of steps.
    e, v : (nodes,) arrays
        Filled from 1 on: the ringing, and its velocity per second after the bend.
    """
    count = e.shape[0]
    w = d = math.nan
    step = (0.0, 0.0, 0.0, 0.0)
    apart = 1 if omega.shape[0] > 1 else 0
    for k in range(count):
        i = 2 * k + 2
        if k > 0:
            push = push_of(x, strength, k - 1, h, when)
            e[k], v[k] = e[k - 1], v[k - 1]
            for half in range(2 * k - 2, 2 * k):
                j = half * apart
                if omega[j] != w or damping[j] != d:  # the matrix of a step is that of the one before, mostly
                    w, d = omega[j], damping[j]
                    step = free(w, d, 0.5 * h)
                e[k], v[k] = pushed(step, e[k], v[k], w, push)
        if k < count - 1 and heard(x[i] - x[i - 1], x[i + 1] - x[i], when):  # the last node's bend is the next round's
            before = (x[i - 2] - 4.0 * x[i - 1] + 3.0 * x[i]) / h if k > 0 else slope
            after = (-3.0 * x[i] + 4.0 * x[i + 1] - x[i + 2]) / h
            v[k] -= strength[index_of(strength, i)] * (after - before)


@kernel("void(float64[::1], float64[::1], float64[::1], float64, float64[::1], float64[::1])")
def trail(u: Samples, omega: Samples, damping: Samples, h: float, y: Samples, v: Samples) -> None:
    """Follow u from node to node, begun at y[0] and v[0].

    Parameters
    ----------
    u : (2 nodes + 1,) array
        In the channel's unit, from two samples before the first node.
    omega, damping : (2 (nodes − 1),) or (1,) arrays
        Radians per second; ratios to the critical one, by halves of steps.
    y, v : (nodes,) arrays
        Filled from 1 on: the trailing value, and its velocity per second.
    """
    w = d = math.nan
    step = (0.0, 0.0, 0.0, 0.0)
    apart = 1 if omega.shape[0] > 1 else 0
    t = 0.5 * h
    for k in range(1, y.shape[0]):
        a, b, c = parabola(u, k - 1, h)
        y[k], v[k] = y[k - 1], v[k - 1]
        for half in range(2 * k - 2, 2 * k):
            j = half * apart
            if omega[j] != w or damping[j] != d:  # as in `ring`
                w, d = omega[j], damping[j]
                step = free(w, d, t)
            y[k], v[k] = drawn(step, y[k], v[k], w, d, a, b, c, t)
            a, b = a + t * (b + t * c), b + 2.0 * t * c
