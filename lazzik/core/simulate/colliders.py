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
from lazzik.core.types import Points, Samples

Ints = NDArray[np.int64]

CELLS = 32
"""Cells of a grid along the longest side of what it holds, at most."""

ROUNDS = 4
"""Times that a particle may meet something in one sub-step."""

AWAY = 1e-6
"""Metres off a surface at which a particle is put that met it."""


@dataclass(frozen=True, eq=False)
class TriangleGrid:
    """The triangles of an object, by cells of the space that they lie in."""

    corners: NDArray[np.float64]
    """(triangles, 3, 3) metres, in the object's space."""
    low: Points
    """(3,) metres: where the first cell begins."""
    cell: float
    """Metres of a cell."""
    size: Ints
    """(3,) cells along each axis."""
    starts: Ints
    """(cells + 1,) where the triangles of each cell begin in `members`."""
    members: Ints
    """Triangles, cell by cell."""


def grid_of(corners: NDArray[np.float64]) -> TriangleGrid:
    """Triangles sorted into cells.

    Parameters
    ----------
    corners : (triangles, 3, 3) array
        Metres.
    """
    lows, highs = corners.min(axis=1), corners.max(axis=1)
    low, high = lows.min(axis=0) - 1e-9, highs.max(axis=0) + 1e-9
    cell = max(float((high - low).max()) / CELLS, 1e-9)
    size = np.maximum(1, np.ceil((high - low) / cell)).astype(np.int64)
    first = np.clip(((lows - low) / cell).astype(np.int64), 0, size - 1)
    last = np.clip(((highs - low) / cell).astype(np.int64), 0, size - 1)
    counts = np.zeros(int(size.prod()) + 1, dtype=np.int64)
    count_cells(first, last, size, counts)
    starts = np.cumsum(counts)
    members = np.empty(int(starts[-1]), dtype=np.int64)
    fill_cells(first, last, size, starts[:-1].copy(), members)
    return TriangleGrid(np.ascontiguousarray(corners), low, cell, size, starts, members)


class Colliders:
    """The objects that particles meet, over the moments of a clock."""

    def __init__(self, scene: Scene, nodes: Sequence[Node], clock: Clock, scope: Scope, every: int = 1) -> None:
        """What bends is looked at anew at every so many of the moments."""
        self.nodes, self.every = nodes, every
        self._worlds = [world_of(scene, node, clock, scope) for node in nodes]
        self._back = [np.linalg.inv(rows) for rows in self._worlds]
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
                grid.corners, grid.low, grid.cell, grid.size, grid.starts, grid.members, ends[0],
                ends[1], ends[2], ends[3], seconds, law.meets,
                law.bounce, law.friction, law.thickness, place, places, to, speeds, stuck, spots, ended,
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


BOUNCE, STICK, END = range(3)


@dataclass(frozen=True)
class Law:
    """What a particle does where it meets something."""

    meets: int
    bounce: float
    friction: float
    thickness: float


@kernel("void(int64[:, ::1], int64[:, ::1], int64[::1], int64[::1])")
def count_cells(first: Ints, last: Ints, size: Ints, counts: Ints) -> None:
    """Count the triangles of each cell into the place after it.

    Parameters
    ----------
    first, last : (triangles, 3) arrays
        The cells that each spans.
    size : (3,) array
        Cells along each axis.
    counts : (cells + 1,) array
        Added to.
    """
    for t in range(first.shape[0]):
        for i in range(first[t, 0], last[t, 0] + 1):
            for j in range(first[t, 1], last[t, 1] + 1):
                for k in range(first[t, 2], last[t, 2] + 1):
                    counts[(i * size[1] + j) * size[2] + k + 1] += 1


@kernel("void(int64[:, ::1], int64[:, ::1], int64[::1], int64[::1], int64[::1])")
def fill_cells(first: Ints, last: Ints, size: Ints, heads: Ints, members: Ints) -> None:
    """Fill `members` with the triangles of each cell.

    Parameters
    ----------
    first, last : (triangles, 3) arrays
        The cells that each spans.
    size : (3,) array
        Cells along each axis.
    heads : (cells,) array
        Where the next one of each cell goes; changed.
    members : (all,) array
        Filled.
    """
    for t in range(first.shape[0]):
        for i in range(first[t, 0], last[t, 0] + 1):
            for j in range(first[t, 1], last[t, 1] + 1):
                for k in range(first[t, 2], last[t, 2] + 1):
                    cell = (i * size[1] + j) * size[2] + k
                    members[heads[cell]] = t
                    heads[cell] += 1


@kernel(
    "float64(float64[:, :, ::1], float64[::1], float64, int64[::1], int64[::1], int64[::1], float64[::1],"
    " float64[::1], float64[::1])"
)
def first_met(
    corners: NDArray[np.float64], low: Samples, cell: float, size: Ints, starts: Ints, members: Ints, begin: Samples,
    way: Samples, normal: Samples,
) -> float:  # fmt: skip
    """How far along a way the first triangle is crossed, as a share of it; infinity if none is.

    Parameters
    ----------
    corners : (triangles, 3, 3) array
        Metres.
    low, size : (3,) arrays
        Where the grid begins, and its cells along each axis.
    starts, members : arrays
        The triangles of each cell.
    begin, way : (3,) arrays
        Metres.
    normal : (3,) array
        Filled with that of the triangle, against the way.
    """
    best = np.inf
    a = np.empty(3, dtype=np.int64)
    b = np.empty(3, dtype=np.int64)
    for k in range(3):
        near, far = begin[k], begin[k] + way[k]
        if near > far:
            near, far = far, near
        if not (far >= low[k] and near <= low[k] + cell * size[k]):  # not so: of NaN too
            return best
        a[k] = min(max(np.int64(np.floor((near - low[k]) / cell)), 0), size[k] - 1)
        b[k] = min(max(np.int64(np.floor((far - low[k]) / cell)), 0), size[k] - 1)
    for i in range(a[0], b[0] + 1):
        for j in range(a[1], b[1] + 1):
            for k in range(a[2], b[2] + 1):
                here = (i * size[1] + j) * size[2] + k
                for m in range(starts[here], starts[here + 1]):
                    t = members[m]
                    ex, ey, ez = (corners[t, 1, 0] - corners[t, 0, 0], corners[t, 1, 1] - corners[t, 0, 1],
                                  corners[t, 1, 2] - corners[t, 0, 2])  # fmt: skip
                    fx, fy, fz = (corners[t, 2, 0] - corners[t, 0, 0], corners[t, 2, 1] - corners[t, 0, 1],
                                  corners[t, 2, 2] - corners[t, 0, 2])  # fmt: skip
                    px, py, pz = (way[1] * fz - way[2] * fy, way[2] * fx - way[0] * fz, way[0] * fy - way[1] * fx)
                    det = ex * px + ey * py + ez * pz
                    if det == 0.0:
                        continue
                    sx, sy, sz = (begin[0] - corners[t, 0, 0], begin[1] - corners[t, 0, 1], begin[2] - corners[t, 0, 2])
                    u = (sx * px + sy * py + sz * pz) / det
                    if u < -1e-9 or u > 1.0 + 1e-9:
                        continue
                    qx, qy, qz = (sy * ez - sz * ey, sz * ex - sx * ez, sx * ey - sy * ex)
                    v = (way[0] * qx + way[1] * qy + way[2] * qz) / det
                    if v < -1e-9 or u + v > 1.0 + 1e-9:
                        continue
                    s = (fx * qx + fy * qy + fz * qz) / det
                    if 0.0 <= s <= 1.0 and s < best:
                        best = s
                        nx, ny, nz = ey * fz - ez * fy, ez * fx - ex * fz, ex * fy - ey * fx
                        length = np.sqrt(nx * nx + ny * ny + nz * nz)
                        side = -1.0 if nx * way[0] + ny * way[1] + nz * way[2] > 0.0 else 1.0
                        if length > 0.0:
                            normal[0], normal[1], normal[2] = side * nx / length, side * ny / length, side * nz / length
    return best


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
    "void(float64[:, :, ::1], float64[::1], float64, int64[::1], int64[::1], int64[::1], float64[:, ::1],"
    " float64[:, ::1], float64[:, ::1], float64[:, ::1], float64, int64, float64, float64, float64, int64,"
    " float64[:, ::1], float64[:, ::1], float64[:, ::1], int64[::1], float64[:, ::1], boolean[::1])"
)
def sweep(
    corners: NDArray[np.float64], low: Samples, cell: float, size: Ints, starts: Ints, members: Ints, world0: Points,
    world1: Points, back0: Points, back1: Points, seconds: float, meets: int, bounce: float, friction: float,
    thickness: float, place: int, places: Points, to: Points, speeds: Points, stuck: Ints, spots: Points,
    ended: NDArray[np.bool_],
) -> None:  # fmt: skip
    """Stop particles where they meet one object (see `Colliders.meet`).

    Parameters
    ----------
    corners : (triangles, 3, 3) array
        Metres, in the object's space.
    low, size : (3,) arrays
        Where the grid begins, and its cells along each axis.
    starts, members : arrays
        The triangles of each cell, as in `TriangleGrid`.
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
