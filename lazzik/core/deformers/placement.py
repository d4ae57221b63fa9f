"""Where a deformer sits within its object, and the coordinates it works in.

A point p of the object's space becomes (u, v, w): u along the deformer's axis, v and w across it,

    (u, v, w) = P · Rᵀ · (p − o)

with o and R the placement's position and turn, and P the cyclic order that puts the chosen axis first.
"""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from numpy.typing import NDArray

from lazzik.core.document import Frozen, Quantity, Slug
from lazzik.core.kernels import kernel
from lazzik.core.layers import Number  # with its layers resolved
from lazzik.core.types import Frames, PointBlock, Points, Quaternions, RowBlock

Axis = Literal["x", "y", "z"]


def _origin(axis: Axis) -> Quantity:
    help = f"Where the deformer's origin lies along the object's {axis}."
    return Quantity("own", help, (-1.5, 1.5), 0.01, label=f"origin {axis}", group="where", rest=0.0)


def _turn(axis: Axis) -> Quantity:
    help = f"How the deformer is turned about the object's {axis}."
    return Quantity("°", help, (-180, 180), 0.1, group="where", rest=0.0)


ORDERS: dict[Axis, list[int]] = {"x": [0, 1, 2], "y": [1, 2, 0], "z": [2, 0, 1]}


class Placement(Frozen):
    """Position and turn within the object; by choice the position is that of another object."""

    x: Annotated[Number, _origin("x")] = 0.0
    y: Annotated[Number, _origin("y")] = 0.0
    z: Annotated[Number, _origin("z")] = 0.0
    turn_x: Annotated[Number, _turn("x")] = 0.0
    turn_y: Annotated[Number, _turn("y")] = 0.0
    turn_z: Annotated[Number, _turn("z")] = 0.0
    of: Slug | None = None
    """The object whose origin it sits on; None is the object itself. x, y and z are added to it."""


def frames_of(places: Points, turns: Quaternions, axis: Axis) -> Frames:
    """For each moment the three rows P·Rᵀ, then the origin.

    Parameters
    ----------
    places : (moments, 3) array
        Metres.
    turns : (moments, 4) array
        x, y, z, w, of unit length.

    Returns
    -------
    (moments, 4, 3) array
        Three rows of unit length, then the origin in metres.
    """
    out: Frames = np.empty((len(places), 4, 3))
    fill_frames(places, turns, "xyz".index(axis), out)
    return out


@kernel("void(float64[:, ::1], float64[:, ::1], int64, float64[:, :, ::1])")
def fill_frames(places: Points, turns: Quaternions, first: int, out: Frames) -> None:
    """Fill `out` with frames.

    Parameters
    ----------
    places : (moments, 3) array
        Metres.
    turns : (moments, 4) array
        x, y, z, w, of unit length.
    first : int
        The axis of which the row comes first; the others follow in their cyclic order.
    out : (moments, 4, 3) array
        Filled.
    """
    a, b, c = (3 - first) % 3, (4 - first) % 3, (5 - first) % 3
    for m in range(out.shape[0]):
        x, y, z, w = turns[m, 0], turns[m, 1], turns[m, 2], turns[m, 3]
        out[m, a, 0], out[m, b, 1] = x * x - y * y - z * z + w * w, y * y - x * x - z * z + w * w
        out[m, a, 1], out[m, b, 0] = 2.0 * (x * y + z * w), 2.0 * (x * y - z * w)
        out[m, a, 2], out[m, c, 0] = 2.0 * (x * z - y * w), 2.0 * (x * z + y * w)
        out[m, b, 2], out[m, c, 1] = 2.0 * (y * z + x * w), 2.0 * (y * z - x * w)
        out[m, c, 2] = z * z - x * x - y * y + w * w
        out[m, 3, 0], out[m, 3, 1], out[m, 3, 2] = places[m, 0], places[m, 1], places[m, 2]


@kernel("void(float64[:, :, ::1], float64[:, :, ::1], float64[:, :, ::1])", fuse=True)
def enter(points: PointBlock, frames: Frames, out: RowBlock) -> None:
    """Fill `out` (moments, 3, n) with (u, v, w) of points; frames (moments or 1, 4, 3) as above.

    Parameters
    ----------
    points : (moments or 1, n, 3) array
        Metres, in the object's space.
    frames : (moments or 1, 4, 3) array
        As `frames_of` gives them.
    out : (moments, 3, n) array
        Filled: metres, in the deformer's coordinates, by rows.
    """
    for m in range(out.shape[0]):
        frame = frames[m if frames.shape[0] > 1 else 0]
        at = points[m if points.shape[0] > 1 else 0]
        ux, uy, uz = frame[0, 0], frame[0, 1], frame[0, 2]
        vx, vy, vz = frame[1, 0], frame[1, 1], frame[1, 2]
        wx, wy, wz = frame[2, 0], frame[2, 1], frame[2, 2]
        ox, oy, oz = frame[3, 0], frame[3, 1], frame[3, 2]
        for i in range(at.shape[0]):
            x, y, z = at[i, 0] - ox, at[i, 1] - oy, at[i, 2] - oz
            out[m, 0, i] = ux * x + uy * y + uz * z
            out[m, 1, i] = vx * x + vy * y + vz * z
            out[m, 2, i] = wx * x + wy * y + wz * z


@kernel("void(float64[:, :, ::1], float64[:, :, ::1], float64[:, :, ::1])", fuse=True)
def leave(inside: RowBlock, frames: Frames, out: PointBlock) -> None:
    """Fill `out` (moments, n, 3) with the points of (u, v, w).

    Parameters
    ----------
    inside : (moments, 3, n) array
        Metres, in the deformer's coordinates, by rows.
    frames : (moments or 1, 4, 3) array
        As `frames_of` gives them.
    out : (moments, n, 3) array
        Filled: metres, in the object's space.
    """
    for m in range(inside.shape[0]):
        frame = frames[m if frames.shape[0] > 1 else 0]
        ux, uy, uz = frame[0, 0], frame[0, 1], frame[0, 2]
        vx, vy, vz = frame[1, 0], frame[1, 1], frame[1, 2]
        wx, wy, wz = frame[2, 0], frame[2, 1], frame[2, 2]
        ox, oy, oz = frame[3, 0], frame[3, 1], frame[3, 2]
        for i in range(inside.shape[2]):
            u, v, w = inside[m, 0, i], inside[m, 1, i], inside[m, 2, i]
            out[m, i, 0] = ux * u + vx * v + wx * w + ox
            out[m, i, 1] = uy * u + vy * v + wy * w + oy
            out[m, i, 2] = uz * u + vz * v + wz * w + oz


@kernel("void(float64[:, :, ::1], float64[:, :, ::1], float64[:, :, ::1])", fuse=True)
def carry(points: PointBlock, matrices: NDArray[np.float64], out: PointBlock) -> None:
    """Fill `out` (moments, n, 3) with points in another space; matrices (moments or 1, 4, 4).

    Parameters
    ----------
    points : (moments, n, 3) array
        Metres, in one space.
    matrices : (moments or 1, 4, 4) array
        From there to the other one.
    out : (moments, n, 3) array
        Filled: metres, in the other space.
    """
    for m in range(points.shape[0]):
        a = matrices[m if matrices.shape[0] > 1 else 0]
        for i in range(points.shape[1]):
            x, y, z = points[m, i, 0], points[m, i, 1], points[m, i, 2]
            for k in range(3):
                out[m, i, k] = a[k, 0] * x + a[k, 1] * y + a[k, 2] * z + a[k, 3]
