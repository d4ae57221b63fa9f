"""A run of a swarm: where its particles are, sub-step after sub-step.

A frame is cut into SUBSTEPS equal parts, each with SWEEPS in which all that is too dense is pushed apart (pbf.py). A
sub-step takes all along by their speeds, stops them at what they meet, and sweeps; their speeds are what has become of
their places by then. Neighbours then even each other out and draw each other together, the air takes along what it
reaches, walls slow down what touches them.

The run begins as long before the first frame as the swarm has been there, filled as its object is then. None ever goes
and none comes: the numbers of the particles are those of the lattice.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from lazzik.core.clock import Clock
from lazzik.core.evaluate.airflow import field_rows
from lazzik.core.evaluate.scope import Run, Scope
from lazzik.core.scene.edits.swarms import swarm_of
from lazzik.core.scene.references import acts
from lazzik.core.scene.scene import Scene
from lazzik.core.simulate.colliders import BOUNCE, Colliders, Law
from lazzik.core.simulate.contacts import MOST_WALLS
from lazzik.core.simulate.filling import Filled, filled
from lazzik.core.simulate.motion import FARTHEST, FASTEST, GRAVITY
from lazzik.core.simulate.particles import Moment
from lazzik.core.simulate.pbf import (
    AT_REST,
    EVEN,
    OPEN,
    REACH,
    WALL,
    WALL_SLOPE,
    act_on_each_other,
    add_walls,
    find_pairs,
    keep_off,
    keys_of,
    push_apart,
    set_out,
    speeds_of,
    sum_densities,
    take_along,
)
from lazzik.core.simulate.stepped import SteppedRun
from lazzik.core.types import PointBlock, Points, Samples

SUBSTEPS = 4
"""Parts of a frame."""

SWEEPS = 4
"""Times that a sub-step pushes all apart."""

BLOCK = 8
"""Frames for which the scene is read at once."""

TOUCHING = 0.55
"""Spacings from a wall at which one touches it; it keeps half of one away."""

PASSES = 3
"""Times that it is stopped by one object after the other, where there are several: the last one it never passes."""

SETTLE = 0.25
"""Spacings that a wall moves one out of its way in a sweep at most."""

LEAST_APART = 1e-3
"""Metres that they are apart at least."""

MOST_PAIRS = 60
"""Pairs for each particle, in the mean, at most; at rest there are some 13. Those beyond are not heeded: what is
pressed together without bounds takes no more room and time than this."""

NEAR = 1.5
"""Spacings from a wall within which one heeds it."""


@dataclass(frozen=True, eq=False)
class SwarmState:
    """All that tells how a run goes on, in double precision."""

    step: int
    """Sub-steps since the run began."""
    places: Points
    """(n, 3) metres."""
    speeds: Points
    """(n, 3) metres per second."""


class SwarmRun(SteppedRun[SwarmState, Moment]):
    """The particles of one swarm."""

    def __init__(self, scene: Scene, slug: str, *, coarser: float = 1.0, block: int = BLOCK) -> None:
        """So many times as far apart, reading so many frames of the scene at once. Raises UnknownAddress, and
        InvalidEdit if it is none."""
        self.node, self.swarm = swarm_of(scene, slug)
        self.carried, self.substeps = self.swarm, SUBSTEPS
        self.scene, self.block_steps, self._origin = scene, block * SUBSTEPS, 0
        self.scope = Scope(scene, None, []).at(slug)  # nothing that was kept of another clock, to the last bit
        self.seconds = 1.0 / (scene.fps * SUBSTEPS)
        first = self.clock(np.array([float(scene.first)]))
        self.begins = -int(np.ceil(max(0.0, self.number("ahead", first)[0]) * scene.fps)) * SUBSTEPS
        self.spacing = max(float(self.number("spacing", first)[0]) * coarser, LEAST_APART)
        """Metres that they are apart at rest."""
        self.support = REACH * self.spacing
        """Metres over which they heed each other."""
        self._block: _Surroundings | None = None

    @cached_property
    def filled(self) -> Filled:
        """What it begins as. Raises InvalidEdit if that is too many."""
        frames = self.scene.first + (self.begins + np.array([0.0, 1.0])) / SUBSTEPS
        clock = self.clock(frames)
        return filled(self.scene, self.swarm, self.spacing, self.number("full", clock)[0], clock, self.scope)

    def start(self) -> SwarmState:
        """How the run begins."""
        return SwarmState(0, self.filled.places, self.filled.speeds)

    def begun(self, frame: int, places: Points, speeds: Points) -> SwarmState:
        """A state at a frame.

        Parameters
        ----------
        places, speeds : (n, 3) arrays
            Metres, metres per second.
        """
        self._origin = step = (frame - self.scene.first) * SUBSTEPS - self.begins
        return SwarmState(step, places, speeds)

    def pushed_apart(self, state: SwarmState, times: int) -> SwarmState:
        """A state whose particles have pushed each other apart for some sub-steps without becoming any faster."""
        still = np.zeros_like(state.speeds)
        places = state.places
        for _ in range(times):
            places = self.stepped(SwarmState(state.step, places, still), state.step + 1).places
        return replace(state, places=places)

    def moment(self, frame: int, state: SwarmState) -> Moment:
        """What is kept of a state."""
        n = len(state.places)
        ages = np.full(n, state.step * self.seconds)
        return Moment(frame, np.arange(n), state.places, state.speeds, ages, np.full(n, EVER))

    def stepped(self, state: SwarmState, until: int) -> SwarmState:
        """One sub-step on."""
        block = self._read(state.step)
        at, n = state.step - block.first, len(state.places)
        if not n:
            return replace(state, step=state.step + 1)
        to = np.empty((n, 3))
        set_out(state.places, state.speeds, block.fall[at] * self.seconds, self.seconds, to)
        block.stop(at, self.seconds, state.places, to)
        # those that are near each other lie near each other in memory too
        keys = keys_of(to, self.support)
        order = np.argsort(keys, kind="stable")
        was, places = np.take(state.places, order, axis=0), np.take(to, order, axis=0)
        pairs = self._pairs(np.take(keys, order), places)
        walls = block.walls(at, self.seconds, places, NEAR * self.spacing)
        swept = self._sweep(places, pairs, walls)
        block.stop(at, self.seconds, was, places)
        speeds, after = np.empty((n, 3)), np.empty((n, 3))
        speeds_of(was, places, self.seconds, FARTHEST, FASTEST, speeds)
        act_on_each_other(
            speeds, pairs.starts, pairs.others, swept.slopes, block.evens[at] * self.support**2 / EVEN,
            swept.gradients - swept.pushes, block.cohesion[at] * self.seconds * self.support / OPEN,
            SETTLE * self.spacing / self.seconds, after,
        )  # fmt: skip
        take_along(
            block.air(at, places), swept.gradients, places, block.gone[at], self.swarm.wind == "surface",
            OPEN / self.support, walls.counts, walls.normals, walls.offsets, walls.carried, TOUCHING * self.spacing,
            block.stays[at], after,
        )  # fmt: skip
        state = SwarmState(state.step + 1, np.empty((n, 3)), np.empty((n, 3)))
        state.places[order], state.speeds[order] = places, after
        return state

    def _pairs(self, keys: NDArray[np.int64], places: Points) -> Pairs:
        n = len(places)
        pairs = Pairs(np.empty(n + 1, dtype=np.int64), np.empty(MOST_PAIRS * n, dtype=np.int64))
        find_pairs(keys, places, self.support, pairs.starts, pairs.others)
        return pairs

    def _sweep(self, places: Points, pairs: Pairs, walls: Walls) -> Swept:
        """Push apart what is too dense."""
        n, radius, most = len(places), 0.5 * self.spacing, SETTLE * self.spacing
        densities, squares, shares, slopes = (np.empty(size) for size in (n, n, n, max(int(pairs.starts[-1]), 1)))
        gradients, moves, pushes = np.empty((n, 3)), np.empty((n, 3)), np.zeros((n, 3))
        scale = self.spacing**3 * 21.0 / (2.0 * np.pi * self.support**3) / AT_REST
        keep_off(places, walls.counts, walls.normals, walls.offsets, radius, most)
        for _ in range(SWEEPS):
            sum_densities(
                places, pairs.starts, pairs.others, self.support, scale, densities, gradients, squares, slopes
            )
            add_walls(
                places, walls.counts, walls.normals, walls.offsets, self.support, WALL, WALL_SLOPE, densities,
                gradients, pushes,
            )  # fmt: skip
            push_apart(
                places, pairs.starts, pairs.others, slopes, densities, gradients, squares, pushes, self.spacing,
                shares, moves,
            )  # fmt: skip
            keep_off(places, walls.counts, walls.normals, walls.offsets, radius, most)
        return Swept(gradients, pushes, slopes)

    def _read(self, step: int) -> _Surroundings:
        """The block that a sub-step lies in."""
        first = step - (step - self._origin) % self.block_steps
        if self._block is None or self._block.first != first:
            self._block = _Surroundings(self, first)
        return self._block


EVER = 1e9
"""Seconds that one lives."""


@dataclass(frozen=True, eq=False)
class Walls:
    """What is near particles of what they can't pass, as planes (contacts.py)."""

    counts: NDArray[np.int64]
    """(n,) of each; the nearest stands first."""
    normals: NDArray[np.float64]
    """(n, MOST_WALLS, 3) of length one, away from the wall."""
    offsets: NDArray[np.float64]
    """(n, MOST_WALLS) metres along the normal."""
    carried: Points
    """(n, 3) metres per second that the nearest has."""


@dataclass(frozen=True, eq=False)
class Pairs:
    """Particles that heed each other, each pair once."""

    starts: NDArray[np.int64]
    """(n + 1,) where the pairs of each begin."""
    others: NDArray[np.int64]
    """(pairs or more,) the other end of each."""


@dataclass(frozen=True, eq=False)
class Swept:
    """What was found in the last sweep."""

    gradients: Points
    """(n, 3) Σ∇W, 1/m, walls counted in."""
    pushes: Points
    """(n, 3) the walls' part of it."""
    slopes: Samples
    """(pairs,) ∇W in times of xᵢ − xⱼ, 1/m²."""


class _Surroundings:
    """What a run reads of the scene over some frames."""

    def __init__(self, run: SwarmRun, first: int) -> None:
        self.first = first
        scene, swarm = run.scene, run.swarm
        begin, span = scene.first + (first + run.begins) // SUBSTEPS, run.block_steps // SUBSTEPS
        scope = replace(run.scope, run=Run())
        clock = Clock.over(scene.fps, scene.first, begin + span, start=begin, per_frame=SUBSTEPS)
        read = {name: run.number(name, clock) for name in NUMBERS}
        self.fall = -GRAVITY * read["gravity"]
        self.evens = -np.expm1(-np.maximum(read["viscosity"], 0.0) * run.seconds)
        self.cohesion = np.maximum(read["cohesion"], 0.0)
        answers = np.maximum(read["answers"], 0.0)
        self.gone = np.where(answers > 0.0, -np.expm1(-run.seconds / np.maximum(answers, 1e-12)), 1.0)
        friction = np.clip(read["friction"], 0.0, 1.0)
        self.stays = (1.0 - friction) ** (1.0 / SUBSTEPS)
        nodes = [scene.by_id[slug] for slug in swarm.met if scene.by_id[slug].shape is not None]
        self.colliders = Colliders(scene, nodes, clock, scope) if nodes else None
        blowing = [node for node in scene.fields if acts(node)] if swarm.wind != "still" else []
        self.fields = [(type(node.field).blow, field_rows(node, clock, scope)) for node in blowing if node.field]
        if swarm.wind == "still":
            self.gone = np.zeros_like(self.gone)

    def stop(self, at: int, seconds: float, places: Points, to: Points) -> None:
        """Stop particles on their way where they meet something.

        Parameters
        ----------
        places, to : (n, 3) arrays
            Metres: where they were, and where they come; the latter changed.
        """
        if self.colliders is None:
            return
        n = len(places)
        free, nowhere = np.full(n, -1), np.zeros((n, 3))
        for _ in range(PASSES):
            before = to.copy()
            self.colliders.meet(at, seconds, LAW, places, to, nowhere, free, nowhere, np.zeros(n, dtype=np.bool_))
            if len(self.colliders.nodes) < 2 or np.array_equal(before, to):  # out of one, into none
                break

    def walls(self, at: int, seconds: float, places: Points, reach: float) -> Walls:
        """What is near by the end of a sub-step.

        Parameters
        ----------
        places : (n, 3) array
            Metres.
        reach : float
            Metres.
        """
        n = len(places)
        walls = Walls(
            np.zeros(n, dtype=np.int64), np.empty((n, MOST_WALLS, 3)), np.empty((n, MOST_WALLS)), np.zeros((n, 3))
        )
        if self.colliders is not None:
            self.colliders.near(
                at + 1, seconds, reach, places, walls.counts, walls.normals, walls.offsets, walls.carried
            )
        return walls

    def air(self, at: int, places: Points) -> Points:
        """(n, 3) the air at places."""
        out: PointBlock = np.zeros((1, *places.shape))
        for blow, rows in self.fields:
            blow(places[None], np.ascontiguousarray(rows[at : at + 1]), out)
        return np.asarray(out[0])


LAW = Law(BOUNCE, 0.0, 0.0, 0.0)
"""What happens where something is met: it goes no farther."""

NUMBERS = ("viscosity", "cohesion", "gravity", "answers", "friction")
"""What of a swarm is read for each sub-step."""
