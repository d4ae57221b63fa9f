"""Push: air that is blown away from the object, or drawn toward it.

    v = speed · 2·(r/R)/(1 + (r/R)²) · r̂

r is the distance from the object and R the one at which it is fastest; at the object itself the air stands still.
"""

from __future__ import annotations

import math
from typing import Annotated, ClassVar, Literal

import numpy as np

from lazzik.core.air.field import PLACE, AirField, FieldInputs, Rows, reached
from lazzik.core.document import Quantity
from lazzik.core.kernels import kernel
from lazzik.core.layers import Number  # with its layers resolved
from lazzik.core.types import PointBlock


class Push(AirField):
    """Away from it, or toward it."""

    title: ClassVar[str] = "Push"
    summary: ClassVar[str] = "Blows away from where it stands, or draws in: a fan, a vent, a passing vehicle."
    idle_at: ClassVar[dict[str, float]] = {"speed": 0.0}
    strongest: ClassVar[str] = "speed"

    kind: Literal["push"]
    speed: Annotated[
        Number,
        Quantity(
            "m/s", "How fast it blows away at its radius; under 0 it draws in.", (-10, 10), 0.05, low=-300, high=300
        ),
    ] = 3.0
    radius: Annotated[
        Number, Quantity("m", "Metres from it at which it is fastest.", (0.1, 10), 0.05, low=0.005, high=10_000)
    ] = 1.0

    def rows(self, inputs: FieldInputs) -> Rows:
        """(frames, 7) PLACE, speed, radius."""
        rows = np.empty((len(inputs.clock.frames), 7))
        rows[:, :PLACE] = self.place(inputs)
        rows[:, 5], rows[:, 6] = inputs.number("speed"), inputs.number("radius")
        return rows

    @staticmethod
    def blow(points: PointBlock, rows: Rows, out: PointBlock) -> None:
        """Add its velocity."""
        push(points, rows, out)


@kernel("void(float64[:, :, ::1], float64[:, ::1], float64[:, :, ::1])")
def push(points: PointBlock, rows: Rows, out: PointBlock) -> None:
    """Add the velocity of a push to `out`.

    Parameters
    ----------
    points : (frames or 1, n, 3) array
        Metres, in the scene.
    rows : (frames, 7) array
        As `Push.rows` gives them.
    out : (frames, n, 3) array
        Metres per second; added to.
    """
    for m in range(out.shape[0]):
        r = rows[m]
        frame = m if points.shape[0] > 1 else 0
        for n in range(out.shape[1]):
            x, y, z = points[frame, n, 0] - r[0], points[frame, n, 1] - r[1], points[frame, n, 2] - r[2]
            square = x * x + y * y + z * z
            share = reached(math.sqrt(square), r[3], r[4])[0]
            k = share * 2.0 * r[5] / r[6] / (1.0 + square / (r[6] * r[6]))
            out[m, n, 0] += k * x
            out[m, n, 1] += k * y
            out[m, n, 2] += k * z
