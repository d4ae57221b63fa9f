"""What particles meet: the triangles of objects as they are seen, found by a grid, met by a sweep.

A particle's way over a sub-step is a straight line in the space of the object, from where it was at the beginning in
the object's place then to where it is at the end in the object's place at the end: so the object's own motion counts.
The first triangle that the line crosses stops it (T. Möller, B. Trumbore, 'Fast, minimum storage ray/triangle
intersection', J. Graphics Tools 2, 1997; edges count to both sides, so nothing slips between two triangles). There it
bounces, sticks or ends; what is left of the sub-step it goes on from there, carried along with the object.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lazzik.core.clock import Clock
from lazzik.core.evaluate.airflow import world_of
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.shapes import surface_moves
from lazzik.core.evaluate.surface import surface_of
from lazzik.core.kernels import kernel
from lazzik.core.scene.node import Node
from lazzik.core.scene.scene import Scene
from lazzik.core.simulate.contacts import add_contacts
from lazzik.core.simulate.grid import TriangleGrid, first_met, grid_of, room_about
from lazzik.core.types import Points, Samples

Ints = NDArray[np.int64]

ROUNDS = 4
"""Times that a particle may meet something in one sub-step."""

AWAY = 1e-6
"""Metres off a surface at which a particle is put that met it."""


class Colliders:
    """The objects that particles meet, over the moments of a clock."""

    def __init__(self, scene: Scene, nodes: Sequence[Node], clock: Clock, scope: Scope, every: int = 1) -> None:
        """What bends is looked at anew at every so many of the moments."""
        self.nodes, self.every = nodes, every
        self._worlds = [world_of(scene, node, clock, scope) for node in nodes]
        self._back = [_inverses(rows) for rows in self._worlds]
        self._moving = [surface_moves(scene, node) for node in nodes]
        self._surfaces = [surface_of(scene, node, clock, scope) for node in nodes]
        self._grids = [self._grid(place, 0) for place in range(len(nodes))]

    def _grid(self, place: int, moment: int) -> TriangleGrid:
        surface = self._surfaces[place]
        return grid_of(surface.points(moment)[surface.rest.triangles])

    def meet(
        self, moment: int, seconds: float, law: Law, places: Points, to: Points, speeds: Points, stuck: Ints,
        spots: Points, ended: NDArray[np.bool_],
    ) -> None:  # fmt: skip
        """Stop particles on their way from one moment to the next where they meet something.

        Parameters
        ----------
        places : (n, 3) array
            Metres: where they were.
        to : (n, 3) array
            Where they come; changed.
        speeds : (n, 3) array
            Metres per second; changed.
        stuck : (n,) array
            Which object each sticks to, −1 for none; changed.
        spots : (n, 3) array
            Where in its space; changed.
        ended : (n,) array
            Whether each has ended; changed.
        """
        for place in range(len(self.nodes)):
            if self._moving[place] and moment % self.every == 0:
                self._grids[place] = self._grid(place, moment)
            grid, world, back = self._grids[place], self._worlds[place], self._back[place]
            ends = [np.ascontiguousarray(rows[k]) for rows in (world, back) for k in (moment, moment + 1)]
            sweep(
                grid.corners, grid.low, grid.cell, grid.size, grid.starts, grid.members, grid.clear, ends[0],
                ends[1], ends[2], ends[3], seconds, law.meets,
                law.bounce, law.friction, law.thickness, place, places, to, speeds, stuck, spots, ended,
            )  # fmt: skip

    def near(
        self, moment: int, seconds: float, reach: float, places: Points, counts: Ints, normals: NDArray[np.float64],
        offsets: NDArray[np.float64], carried: Points,
    ) -> None:  # fmt: skip
        """Add what particles are near at a moment, as planes (see `add_contacts`).

        Parameters
        ----------
        reach : float
            Metres.
        places : (n, 3) array
            Metres.
        counts, normals, offsets, carried : (n,), (n, walls, 3), (n, walls), (n, 3) arrays
            Added to.
        """
        for place in range(len(self.nodes)):
            grid, worlds = self._grids[place], self._worlds[place]
            world = worlds[moment]
            seen = np.ascontiguousarray(np.einsum("ij,tcj->tci", world[:3, :3], grid.corners) + world[:3, 3])
            ends = [np.ascontiguousarray(row) for row in (worlds[moment - 1], self._back[place][moment])]
            add_contacts(
                seen, grid.low, grid.cell, grid.size, grid.starts, grid.members, grid.clear, ends[0], ends[1], seconds,
                reach, places, counts, normals, offsets, carried,
            )  # fmt: skip

    def carried(self, moment: int, stuck: Ints, spots: Points, to: Points) -> None:
        """Put particles that stick to an object where that is at a moment.

        Parameters
        ----------
        stuck : (n,) array
            Which object each sticks to.
        spots : (n, 3) array
            Where in its space.
        to : (n, 3) array
            Metres; changed.
        """
        for place in range(len(self.nodes)):
            mine = stuck == place
            world = self._worlds[place][moment]
            to[mine] = spots[mine] @ world[:3, :3].T + world[:3, 3]


def _inverses(matrices: NDArray[np.float64]) -> NDArray[np.float64]:
    """(moments, 4, 4) back from the scene; no numbers where an object is pressed flat: it is met by nothing then."""
    flat = ~(np.abs(np.linalg.det(matrices[:, :3, :3])) > 1e-15)
    back: NDArray[np.float64] = np.linalg.inv(np.where(flat[:, None, None], np.eye(4), matrices))
    back[flat] = np.nan
    return back


BOUNCE, STICK, END = range(3)


@dataclass(frozen=True)
class Law:
    """What a particle does where it meets something."""

    meets: int
    bounce: float
    friction: float
    thickness: float


@kernel("void(float64[:, ::1], float64[::1], float64[::1])")
def carry_over(matrix: Points, point: Samples, out: Samples) -> None:
    """A point in another space.

    Parameters
    ----------
    matrix : (4, 4) array
        From its space to the other.
    point : (3,) array
        Metres.
    out : (3,) array
        Filled.
    """
    for k in range(3):
        out[k] = matrix[k, 0] * point[0] + matrix[k, 1] * point[1] + matrix[k, 2] * point[2] + matrix[k, 3]


@kernel(
    "void(float64[::1], float64[::1], float64[:, ::1], float64[:, ::1], float64[:, ::1], float64, float64[::1],"
    " float64[::1], float64[::1])"
)
def lay_against(
    spot: Samples, normal: Samples, world0: Points, world1: Points, back1: Points, seconds: float, to: Samples,
    across: Samples, carried: Samples,
) -> None:  # fmt: skip
    """Where a particle is put that met an object: at the place of the object's surface by the end of the sub-step, a
    hair off it.

    Parameters
    ----------
    spot, normal : (3,) arrays
        In the object's space: metres, and of length one.
    world0, world1, back1 : (4, 4) arrays
        From its space to the scene's at the beginning and the end, and back from the latter.
    to, across, carried : (3,) arrays
        Filled: metres; the normal in the scene, by the transposed inverse; metres per second that the surface has.
    """
    length = 0.0
    for k in range(3):
        across[k] = back1[0, k] * normal[0] + back1[1, k] * normal[1] + back1[2, k] * normal[2]
        length += across[k] * across[k]
    carry_over(world0, spot, carried)
    carry_over(world1, spot, to)
    for k in range(3):
        across[k] /= np.sqrt(length)
        carried[k] = (to[k] - carried[k]) / seconds
        to[k] += across[k] * AWAY


@kernel("void(float64[::1], float64[::1], float64[::1], float64, float64)")
def bounce_off(speed: Samples, carried: Samples, across: Samples, bounce: float, friction: float) -> None:
    """What a particle's speed becomes: beside that of the surface, the part toward it turns and keeps a share, the part
    along it loses one.

    Parameters
    ----------
    speed : (3,) array
        Metres per second; changed.
    carried : (3,) array
        Metres per second that the surface has.
    across : (3,) array
        Its normal.
    """
    toward = 0.0
    for k in range(3):
        toward += (speed[k] - carried[k]) * across[k]
    if toward >= 0.0:
        return
    for k in range(3):
        flat = speed[k] - carried[k] - toward * across[k]
        speed[k] = carried[k] + flat * (1.0 - friction) - bounce * toward * across[k]


@kernel(
    "void(float64[:, :, ::1], float64[::1], float64, int64[::1], int64[::1], int64[::1], int32[::1], float64[:, ::1],"
    " float64[:, ::1], float64[:, ::1], float64[:, ::1], float64, int64, float64, float64, float64, int64,"
    " float64[:, ::1], float64[:, ::1], float64[:, ::1], int64[::1], float64[:, ::1], boolean[::1])"
)
def sweep(
    corners: NDArray[np.float64], low: Samples, cell: float, size: Ints, starts: Ints, members: Ints,
    clear: NDArray[np.int32], world0: Points, world1: Points, back0: Points, back1: Points, seconds: float, meets: int,
    bounce: float, friction: float, thickness: float, place: int, places: Points, to: Points, speeds: Points,
    stuck: Ints, spots: Points, ended: NDArray[np.bool_],
) -> None:  # fmt: skip
    """Stop particles where they meet one object (see `Colliders.meet`).

    Parameters
    ----------
    corners : (triangles, 3, 3) array
        Metres, in the object's space.
    low, size : (3,) arrays
        Where the grid begins, and its cells along each axis.
    starts, members, clear : arrays
        The triangles of each cell, and the room about it, as in `TriangleGrid`.
    world0, world1, back0, back1 : (4, 4) arrays
        From its space to the scene's at the beginning and the end, and back.
    places, to, speeds, spots : (n, 3) arrays
        Metres, metres per second.
    stuck, ended : (n,) arrays
        Changed.
    """
    begin, way, normal, spot = np.empty(3), np.empty(3), np.empty(3), np.empty(3)
    across, carried = np.empty(3), np.empty(3)
    for n in range(places.shape[0]):
        if ended[n] or stuck[n] >= 0:
            continue
        left = 1.0
        carry_over(back0, places[n], begin)
        for turn in range(ROUNDS):
            carry_over(back1, to[n], way)
            length = 0.0
            for k in range(3):
                way[k] -= begin[k]
                length += way[k] * way[k]
            length = np.sqrt(length)
            if not length > 0.0:
                break
            if length + thickness < room_about(low, cell, size, clear, begin):
                break
            further = (length + thickness) / length
            for k in range(3):
                way[k] *= further
            share = first_met(corners, low, cell, size, starts, members, begin, way, normal)
            if share == np.inf:
                break
            for k in range(3):  # before the surface by its thickness, along the way
                spot[k] = begin[k] + way[k] * share - way[k] / (length * further) * thickness
            lay_against(spot, normal, world0, world1, back1, seconds, to[n], across, carried)
            if meets == END:
                ended[n] = True
                break
            for k in range(3):
                begin[k] = spot[k] + normal[k] * AWAY
            if meets == STICK:
                stuck[n] = place
                spots[n, :] = begin
                speeds[n, :] = carried
                break
            bounce_off(speeds[n], carried, across, bounce, friction)
            left *= max(0.0, 1.0 - min(1.0, share * further))
            if turn < ROUNDS - 1:
                for k in range(3):
                    to[n, k] += (speeds[n, k] - carried[k]) * seconds * left
