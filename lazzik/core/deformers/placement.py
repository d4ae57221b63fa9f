"""Where a deformer sits within its object, and the coordinates it works in.

A point p of the object's space becomes (u, v, w): u along the deformer's axis, v and w across it,

    (u, v, w) = P · Rᵀ · (p − o)

with o and R the placement's position and turn, and P the cyclic order that puts the chosen axis first.
"""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from numpy.typing import NDArray
from scipy.spatial.transform import Rotation as Turn

from lazzik.core.document import Frozen, Quantity, Slug
from lazzik.core.kernels import kernel
from lazzik.core.layers import Number  # with its layers resolved
from lazzik.core.types import Points

Axis = Literal["x", "y", "z"]

Across = Annotated[
    Number, Quantity("own", "Where the deformer's origin lies, in the object's space.", (-1.5, 1.5), 0.01)
]
Turned = Annotated[Number, Quantity("°", "How the deformer is turned within the object.", (-180, 180), 0.1)]

ORDERS: dict[Axis, list[int]] = {"x": [0, 1, 2], "y": [1, 2, 0], "z": [2, 0, 1]}


class Placement(Frozen):
    """Position and turn within the object; by choice the position is that of another object."""

    x: Across = 0.0
    y: Across = 0.0
    z: Across = 0.0
    turn_x: Turned = 0.0
    turn_y: Turned = 0.0
    turn_z: Turned = 0.0
    of: Slug | None = None
    """The object whose origin it sits on; None is the object itself. x, y and z are added to it."""


def frames_of(places: Points, turns: Points, axis: Axis) -> NDArray[np.float64]:
    """(frames, 4, 3) for each moment the three rows P·Rᵀ, then the origin.

    `places` (frames, 3) metres, `turns` (frames, 3) degrees about x, y, z.
    """
    inverse = Turn.from_euler("XYZ", turns, degrees=True).as_matrix().transpose(0, 2, 1)
    out: NDArray[np.float64] = np.concatenate([inverse[:, ORDERS[axis], :], places[:, None, :]], axis=1)
    return out


@kernel("void(float64[:, ::1], float64[:, ::1], float64[:, ::1])")
def enter(points: Points, frame: Points, out: Points) -> None:
    """Fill `out` (n, 3) with (u, v, w) of points; frame (4, 3) as above."""
    for i in range(points.shape[0]):
        x, y, z = points[i, 0] - frame[3, 0], points[i, 1] - frame[3, 1], points[i, 2] - frame[3, 2]
        for k in range(3):
            out[i, k] = frame[k, 0] * x + frame[k, 1] * y + frame[k, 2] * z


@kernel("void(float64[:, ::1], float64[:, ::1], float64[:, ::1])")
def leave(inside: Points, frame: Points, out: Points) -> None:
    """Fill `out` (n, 3) with the points of (u, v, w)."""
    for i in range(inside.shape[0]):
        u, v, w = inside[i, 0], inside[i, 1], inside[i, 2]
        for k in range(3):
            out[i, k] = frame[0, k] * u + frame[1, k] * v + frame[2, k] * w + frame[3, k]
