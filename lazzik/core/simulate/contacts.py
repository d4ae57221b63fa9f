"""Walls near particles: for each a few planes that part it from what it must not pass.

Of every triangle nearer than a reach, the plane across the way from its nearest point to the particle (C. Ericson,
'Real-time collision detection', 2005, 5.1.5) has the whole triangle behind it. Planes that look nearly the same way are
one, the nearest.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from lazzik.core.kernels import kernel
from lazzik.core.simulate.grid import room_about
from lazzik.core.types import Points, Samples

Ints = NDArray[np.int64]

MOST_WALLS = 4
"""Planes that one heeds."""

ALIKE = 0.9
"""The cosine of the angle within which two planes are one."""


@kernel("void(float64[:, ::1], float64[::1], float64[:, ::1], float64[::1])")
def nearest_on(corners: Points, place: Samples, room: Points, out: Samples) -> None:
    """The point of a triangle that is nearest to a place.

    Parameters
    ----------
    corners : (3, 3) array
        Metres.
    place : (3,) array
        Metres.
    room : (3, 3) array
        Written over.
    out : (3,) array
        Filled: metres.
    """
    e, f, d = room[0], room[1], room[2]
    ee, ef, ff, ed, fd = 0.0, 0.0, 0.0, 0.0, 0.0
    for k in range(3):
        e[k], f[k], d[k] = corners[1, k] - corners[0, k], corners[2, k] - corners[0, k], place[k] - corners[0, k]
        ee, ef, ff = ee + e[k] * e[k], ef + e[k] * f[k], ff + f[k] * f[k]
        ed, fd = ed + e[k] * d[k], fd + f[k] * d[k]
    below = ee * ff - ef * ef
    v, w = -1.0, -1.0
    if below > 1e-14 * ee * ff:
        v, w = (ff * ed - ef * fd) / below, (ee * fd - ef * ed) / below
    if not (v >= 0.0 and w >= 0.0 and v + w <= 1.0):  # the nearest on its three edges
        best = np.inf
        for edge in range(3):
            long = ee if edge == 0 else (ff if edge == 1 else ee - 2.0 * ef + ff)
            along = ed if edge == 0 else (fd if edge == 1 else ee - ef - ed + fd)
            s = min(max(along / long, 0.0), 1.0) if long > 0.0 else 0.0
            here_v = s if edge == 0 else (0.0 if edge == 1 else 1.0 - s)
            here_w = 0.0 if edge == 0 else s
            away = 0.0
            for k in range(3):
                away += (d[k] - here_v * e[k] - here_w * f[k]) ** 2
            if away < best:
                best, v, w = away, here_v, here_w
    for k in range(3):
        out[k] = corners[0, k] + v * e[k] + w * f[k]


@kernel("void(float64[:, :, ::1], float64[:, ::1], float64[::1])")
def bound_triangles(corners: NDArray[np.float64], middles: Points, wides: Samples) -> None:
    """The balls about triangles.

    Parameters
    ----------
    corners : (triangles, 3, 3) array
        Metres.
    middles, wides : (triangles, 3), (triangles,) arrays
        Filled: metres.
    """
    for t in range(len(corners)):
        wides[t] = 0.0
        for k in range(3):
            middles[t, k] = (corners[t, 0, k] + corners[t, 1, k] + corners[t, 2, k]) / 3.0
        for c in range(3):
            away = 0.0
            for k in range(3):
                away += (corners[t, c, k] - middles[t, k]) ** 2
            wides[t] = max(wides[t], np.sqrt(away))


@kernel("void(float64[::1], float64[:, ::1], float64[:, ::1], float64, float64[::1], float64[::1])")
def _speed_of(point: Samples, world0: Points, back1: Points, seconds: float, own: Samples, speed: Samples) -> None:
    """How fast a point of an object goes.

    Parameters
    ----------
    point : (3,) array
        Metres, in the scene, now.
    world0, back1 : (4, 4) arrays
        From the object's space to the scene's `seconds` ago, and back from the scene's now.
    own : (3,) array
        Written over with where it is in the object's space.
    speed : (3,) array
        Filled: metres per second.
    """
    for k in range(3):
        own[k] = back1[k, 0] * point[0] + back1[k, 1] * point[1] + back1[k, 2] * point[2] + back1[k, 3]
    for k in range(3):
        was = world0[k, 0] * own[0] + world0[k, 1] * own[1] + world0[k, 2] * own[2] + world0[k, 3]
        speed[k] = (point[k] - was) / seconds


@kernel(
    "void(float64[:, :, ::1], float64[::1], float64, int64[::1], int64[::1], int64[::1], int32[::1], float64[:, ::1],"
    " float64[:, ::1], float64, float64, float64[:, ::1], int64[::1], float64[:, :, ::1],"
    " float64[:, ::1], float64[:, ::1])"
)
def add_contacts(
    seen: NDArray[np.float64], low: Samples, cell: float, size: Ints, starts: Ints, members: Ints,
    clear: NDArray[np.int32], world0: Points, back1: Points, seconds: float, reach: float,
    places: Points, counts: Ints, normals: NDArray[np.float64], offsets: Points, carried: Points,
) -> None:  # fmt: skip
    """Add the walls of one object to those near particles; the nearest stands first.

    Parameters
    ----------
    seen : (triangles, 3, 3) array
        Their corners: metres, in the scene, now.
    low, size : (3,) arrays
        Where the grid begins, and its cells along each axis.
    starts, members, clear : arrays
        The triangles of each cell, and the room about it, as in `TriangleGrid`.
    world0, back1 : (4, 4) arrays
        From its space to the scene's `seconds` ago, and back from the scene's now.
    reach : float
        Metres.
    places : (n, 3) array
        Metres, in the scene.
    counts : (n,) array
        Walls of each; changed.
    normals : (n, MOST_WALLS, 3) array
        Of length one, away from the wall; changed.
    offsets : (n, MOST_WALLS) array
        Metres: where along the normal the wall is; changed.
    carried : (n, 3) array
        Metres per second that the nearest wall has; changed.
    """
    own, wide, point = np.empty(3), np.empty(3), np.empty(3)
    first, last = np.empty(3, dtype=np.int64), np.empty(3, dtype=np.int64)
    room, place = np.empty((3, 3)), np.empty(3)
    last_for = np.full(len(seen), -1, dtype=np.int64)  # a triangle lies in several cells
    middles, wides = np.empty((len(seen), 3)), np.empty(len(seen))
    bound_triangles(seen, middles, wides)
    for k in range(3):  # a ball of the scene is a box of the object's space at most so wide
        wide[k] = reach * np.sqrt(back1[k, 0] ** 2 + back1[k, 1] ** 2 + back1[k, 2] ** 2)
    for n in range(len(places)):
        near = True
        for k in range(3):
            place[k] = places[n, k]
            own[k] = (
                back1[k, 0] * places[n, 0] + back1[k, 1] * places[n, 1] + back1[k, 2] * places[n, 2] + back1[k, 3]
            )  # fmt: skip
            if not (own[k] + wide[k] >= low[k] and own[k] - wide[k] <= low[k] + cell * size[k]):  # not so: of NaN too
                near = False
        if not near or max(wide[0], wide[1], wide[2]) < room_about(low, cell, size, clear, own):
            continue
        for k in range(3):
            first[k] = min(max(np.int64(np.floor((own[k] - wide[k] - low[k]) / cell)), 0), size[k] - 1)
            last[k] = min(max(np.int64(np.floor((own[k] + wide[k] - low[k]) / cell)), 0), size[k] - 1)
        for i in range(first[0], last[0] + 1):
            for j in range(first[1], last[1] + 1):
                row = (i * size[1] + j) * size[2]
                for m in range(starts[row + first[2]], starts[row + last[2] + 1]):
                    t = members[m]
                    if last_for[t] == n:
                        continue
                    last_for[t] = n
                    away = 0.0
                    for k in range(3):
                        away += (place[k] - middles[t, k]) ** 2
                    if away >= (reach + wides[t]) ** 2:
                        continue
                    nearest_on(seen[t], place, room, point)
                    away = 0.0
                    for k in range(3):
                        away += (places[n, k] - point[k]) ** 2
                    away = np.sqrt(away)
                    if away >= reach or not away > 1e-12:
                        continue
                    _insert(n, away, point, places, counts, normals, offsets)
                    if abs(_away(n, 0, places, normals, offsets) - away) < 1e-12:  # it is the nearest now
                        _speed_of(point, world0, back1, seconds, own, carried[n])


@kernel("float64(int64, int64, float64[:, ::1], float64[:, :, ::1], float64[:, ::1])")
def _away(n: int, c: int, places: Points, normals: NDArray[np.float64], offsets: Points) -> float:
    """Metres from a particle to one of its walls."""
    away = -offsets[n, c]
    for k in range(3):
        away += normals[n, c, k] * places[n, k]
    return float(away)


@kernel("void(int64, float64, float64[::1], float64[:, ::1], int64[::1], float64[:, :, ::1], float64[:, ::1])")
def _insert(
    n: int, away: float, point: Samples, places: Points, counts: Ints, normals: NDArray[np.float64], offsets: Points
) -> None:
    """Add a wall to those of a particle, by how near it is; one that looks the same way as a nearer one is left out,
    and takes the place of those that are farther.

    Parameters
    ----------
    point : (3,) array
        Where on it is nearest.
    places, counts, normals, offsets : arrays
        As in `add_contacts`.
    """
    normal = ((places[n, 0] - point[0]) / away, (places[n, 1] - point[1]) / away, (places[n, 2] - point[2]) / away)
    offset = normal[0] * point[0] + normal[1] * point[1] + normal[2] * point[2]
    kept, slot = 0, -1
    count = counts[n]
    for c in range(count):  # those that stay move up
        alike = (
            normals[n, c, 0] * normal[0] + normals[n, c, 1] * normal[1] + normals[n, c, 2] * normal[2] > ALIKE
        )  # fmt: skip
        here = _away(n, c, places, normals, offsets)
        if alike and here <= away:
            return
        if alike:
            continue
        if kept != c:
            for k in range(3):
                normals[n, kept, k] = normals[n, c, k]
            offsets[n, kept] = offsets[n, c]
        kept += 1
    slot = kept if kept < MOST_WALLS else MOST_WALLS - 1
    if kept == MOST_WALLS and _away(n, slot, places, normals, offsets) <= away:
        counts[n] = kept
        return
    while slot > 0 and _away(n, slot - 1, places, normals, offsets) > away:
        for k in range(3):
            normals[n, slot, k] = normals[n, slot - 1, k]
        offsets[n, slot] = offsets[n, slot - 1]
        slot -= 1
    for k in range(3):
        normals[n, slot, k] = normal[k]
    offsets[n, slot] = offset
    counts[n] = min(kept + 1, MOST_WALLS)
