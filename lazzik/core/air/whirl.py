"""Whirl: air that turns about the object's y, as in a dust devil or behind a corner.

    k(r) = 2·(r/R)/(1 + (r/R)²),   v = speed·k·θ̂ − inflow·k·r̂ + lift/(1 + (r/R)²)·ŷ

r is the distance from the axis and R the radius at which it is fastest: a vortex that turns like a wheel within R and
dies as 1/r beyond (M. P. Scully, 'Computation of helicopter rotor wake geometry', MIT, 1975).
"""

from __future__ import annotations

import math
from typing import Annotated, ClassVar, Literal

import numpy as np

from lazzik.core.air.field import PLACE, AirField, FieldInputs, Rows, axes_of, reached
from lazzik.core.document import Quantity
from lazzik.core.kernels import kernel
from lazzik.core.layers import Number  # with its layers resolved
from lazzik.core.types import PointBlock


class Whirl(AirField):
    """Turns about an axis."""

    title: ClassVar[str] = "Whirl"
    summary: ClassVar[str] = "Turns about its axis, and may draw in and lift: a dust devil, the corner of a house."
    strongest: ClassVar[str] = "speed"

    kind: Literal["whirl"]
    speed: Annotated[
        Number, Quantity("m/s", "How fast it turns at its radius.", (-10, 10), 0.05, low=-300, high=300)
    ] = 3.0
    radius: Annotated[
        Number, Quantity("m", "Metres from its axis at which it is fastest.", (0.1, 10), 0.05, low=0.005, high=10_000)
    ] = 1.0
    inflow: Annotated[
        Number, Quantity("m/s", "How fast it draws in there.", (-5, 5), 0.05, low=-300, high=300, rest=0.0)
    ] = 0.0
    lift: Annotated[
        Number, Quantity("m/s", "How fast it rises along its axis.", (-5, 5), 0.05, low=-300, high=300, rest=0.0)
    ] = 0.0

    def rows(self, inputs: FieldInputs) -> Rows:
        """(frames, 12) PLACE, axis, speed, inflow, lift, radius."""
        rows = np.empty((len(inputs.clock.frames), 12))
        rows[:, :PLACE] = self.place(inputs)
        rows[:, 5:8] = axes_of(inputs.world(inputs.clock))[:, 1]
        for column, name in enumerate(("speed", "inflow", "lift", "radius"), 8):
            rows[:, column] = inputs.number(name)
        return rows

    @staticmethod
    def blow(points: PointBlock, rows: Rows, out: PointBlock) -> None:
        """Add its velocity."""
        turn(points, rows, out)


@kernel("void(float64[:, :, ::1], float64[:, ::1], float64[:, :, ::1])")
def turn(points: PointBlock, rows: Rows, out: PointBlock) -> None:
    """Add the velocity of a whirl to `out`.

    Parameters
    ----------
    points : (frames or 1, n, 3) array
        Metres, in the scene.
    rows : (frames, 12) array
        As `Whirl.rows` gives them.
    out : (frames, n, 3) array
        Metres per second; added to.
    """
    for m in range(out.shape[0]):
        r = rows[m]
        frame = m if points.shape[0] > 1 else 0
        for n in range(out.shape[1]):
            x, y, z = points[frame, n, 0] - r[0], points[frame, n, 1] - r[1], points[frame, n, 2] - r[2]
            share = reached(math.sqrt(x * x + y * y + z * z), r[3], r[4])[0]
            if share == 0.0:
                continue
            height = x * r[5] + y * r[6] + z * r[7]
            x, y, z = x - height * r[5], y - height * r[6], z - height * r[7]
            u2 = (x * x + y * y + z * z) / (r[11] * r[11])
            # θ̂ = axis × r̂; k/r = 2/R/(1 + (r/R)²), so the axis itself needs no care
            core = share / (1.0 + u2)
            around, inward = 2.0 * core * r[8] / r[11], 2.0 * core * r[9] / r[11]
            out[m, n, 0] += around * (r[6] * z - r[7] * y) - inward * x + core * r[10] * r[5]
            out[m, n, 1] += around * (r[7] * x - r[5] * z) - inward * y + core * r[10] * r[6]
            out[m, n, 2] += around * (r[5] * y - r[6] * x) - inward * z + core * r[10] * r[7]
