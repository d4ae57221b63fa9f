"""Where a swarm begins: a cubic lattice in what it fills, of an object as it is seen at that moment.

Of an object's body that is all that lies in it (inside.py). Of its hollow it is what the object encloses to the left
and right, before and behind and beneath, but for its own walls; of one that is a mere skin, as a box without thickness,
its inside. None begins in the body of what it meets.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lazzik.core.clock import Clock
from lazzik.core.errors import InvalidEdit
from lazzik.core.evaluate.airflow import world_of
from lazzik.core.evaluate.copies import chance
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.surface import surface_of
from lazzik.core.scene.node import Node
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.swarm import Swarm
from lazzik.core.simulate.contacts import MOST_WALLS, add_contacts
from lazzik.core.simulate.grid import TriangleGrid, first_met, grid_of
from lazzik.core.simulate.inside import crossings
from lazzik.core.types import Points

MOST_HELD = 100_000
"""Particles of a swarm."""

MOST_TRIED = 2_000_000
"""Points of the lattice about an object among which those inside are looked for."""

JITTER = 0.1
"""Spacings by which each is off its place in the lattice: rows would stay rows."""

NEAREST = 0.45
"""Spacings from a wall at which one may begin."""

SIDEWAYS = np.array([[1.0, 0.0, 0.0], [-1.0, 0.0, 0.0], [0.0, 0.0, 1.0], [0.0, 0.0, -1.0], [0.0, -1.0, 0.0]])
"""The ways in which a hollow is enclosed; above it may be open."""


@dataclass(frozen=True, eq=False)
class Filled:
    """Where particles begin, and how fast what they begin in goes."""

    places: Points
    """(n, 3) metres."""
    speeds: Points
    """(n, 3) metres per second."""


NOTHING = Filled(np.empty((0, 3)), np.empty((0, 3)))


def filled(scene: Scene, swarm: Swarm, spacing: float, full: float, clock: Clock, scope: Scope) -> Filled:
    """What a swarm begins as. Raises InvalidEdit if that is too many.

    Parameters
    ----------
    full : float
        The share of the height up to which it is filled.
    clock : Clock
        The moment at which it begins, and the next.
    """
    source = scene.by_id[swarm.of] if swarm.of is not None else None
    if source is None or source.shape is None:
        return NOTHING
    worlds = np.asarray(world_of(scene, source, clock, scope))
    surface = surface_of(scene, source, clock, scope)
    corners = np.ascontiguousarray(_moved(worlds[0], surface.points(0))[surface.rest.triangles])
    grid = grid_of(corners)
    tried = _lattice(source, corners, spacing)
    inside = _inside(grid, tried)
    if swarm.fills == "hollow":
        inside = _hollow(grid, tried, inside)
        inside &= ~_at_walls(grid, tried, NEAREST * spacing)
    places = tried[inside]
    if len(places) and full < 1.0:
        low, high = places[:, 1].min() - 0.5 * spacing, places[:, 1].max() + 0.5 * spacing
        places = places[places[:, 1] <= low + full * (high - low)]
    if len(places) > MOST_HELD:
        raise InvalidEdit(
            f"{len(places):,} particles {spacing:g} m apart fill {source.label}; at most {MOST_HELD:,} can be worked "
            "out: let them be farther apart",
            source.id,
        )
    for slug in swarm.met:
        if slug != swarm.of:
            places = places[~_within(scene, scene.by_id[slug], places, clock, scope)]
    ids = np.arange(len(places))
    jitter = np.stack([chance(ids, 0, axis) for axis in range(3)], axis=1) - 0.5
    places = np.ascontiguousarray(places + JITTER * spacing * jitter)
    seconds = float(clock.frames[1] - clock.frames[0]) / clock.fps
    return Filled(places, (_moved(worlds[1] @ np.linalg.pinv(worlds[0]), places) - places) / seconds)


def _lattice(node: Node, corners: NDArray[np.float64], spacing: float) -> Points:
    """(n, 3) the middles of the cells of a grid over the box about some triangles."""
    low, high = corners.min(axis=(0, 1)), corners.max(axis=(0, 1))
    sides = np.maximum(np.round((high - low) / spacing + 0.25), 1.0)
    if not np.all(np.isfinite(sides)) or np.prod(sides) > MOST_TRIED:
        raise InvalidEdit(
            f"{node.label} is far too large for particles that are {spacing:g} m apart: let them be farther apart",
            node.id,
        )
    steps = np.indices(sides.astype(int)).reshape(3, -1).T
    return np.ascontiguousarray(0.5 * (low + high) + (steps - 0.5 * (sides - 1.0)) * spacing)


def _inside(grid: TriangleGrid, places: Points) -> NDArray[np.bool_]:
    counts = np.zeros(len(places), dtype=np.int64)
    crossings(grid.corners, grid.low, grid.cell, grid.size, grid.starts, grid.members, places, counts)
    odd: NDArray[np.bool_] = counts % 2 == 1
    return odd


def _within(scene: Scene, node: Node, places: Points, clock: Clock, scope: Scope) -> NDArray[np.bool_]:
    """Which places lie in the body of an object; none in one that is open."""
    surface = surface_of(scene, node, clock, scope)
    place, _ = surface.rest.places
    ends = np.sort(place[surface.rest.triangles][:, [[0, 1], [1, 2], [2, 0]]].reshape(-1, 2), axis=1)
    _, sides = np.unique(ends[ends[:, 0] != ends[:, 1]], axis=0, return_counts=True)
    if not len(places) or np.any(sides % 2 == 1):
        return np.zeros(len(places), dtype=np.bool_)
    world = np.asarray(world_of(scene, node, clock, scope))[0]
    corners = _moved(world, surface.points(0))[surface.rest.triangles]
    return _inside(grid_of(np.ascontiguousarray(corners)), np.ascontiguousarray(places))


def _hollow(grid: TriangleGrid, places: Points, inside: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Which of them an object encloses, but for its walls if it has some of thickness."""
    far = 2.0 * float(np.linalg.norm(grid.size * grid.cell))
    normal = np.empty(3)
    enclosed = np.ones(len(places), dtype=np.bool_)
    for way in SIDEWAYS * far:
        for k in np.flatnonzero(enclosed).tolist():
            hit = first_met(
                grid.corners, grid.low, grid.cell, grid.size, grid.starts, grid.members, places[k], way, normal
            )
            enclosed[k] = hit < np.inf
    hollow = enclosed & ~inside
    return hollow if hollow.any() else enclosed & inside


def _at_walls(grid: TriangleGrid, places: Points, reach: float) -> NDArray[np.bool_]:
    counts, still = np.zeros(len(places), dtype=np.int64), np.eye(4)
    walls = np.empty((len(places), MOST_WALLS, 3)), np.empty((len(places), MOST_WALLS)), np.empty((len(places), 3))
    add_contacts(
        grid.corners, grid.low, grid.cell, grid.size, grid.starts, grid.members, grid.clear, still, still, 1.0,
        reach, np.ascontiguousarray(places + 1e-6 * reach), counts, *walls,
    )  # fmt: skip
    # what lies in a surface to the last bit has no way away from it, hence the hair's breadth
    touching: NDArray[np.bool_] = counts > 0
    return touching


def _moved(matrix: NDArray[np.float64], points: Points) -> Points:
    return np.asarray(np.einsum("ij,nj->ni", matrix[:3, :3], points) + matrix[:3, 3])
