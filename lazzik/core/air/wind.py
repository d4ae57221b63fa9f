"""Wind: air that blows one way, in gusts that travel with it.

    d(t) = R_y(σ·n'(t)) x̂,   P(t) = ∫ U·d/ℓ dt,   v = U·[1 + g·n₂((p − o)/ℓ − P(t))]·d

It blows along the object's own x̂. n' is noise of time, n₂ noise of two dimensions, along the wind and across it, laid
out about the object's place o and carried by the wind itself: turbulence that is frozen while it goes by (G. I. Taylor,
'The spectrum of turbulence', Proc. R. Soc. A 164, 1938). A gust thus crosses the scenery, and is felt at a distance D
downwind D/U later. The way is an integral, so nothing races when U, σ or ℓ are keyed.

n₂ is scaled by what it reaches in a usual stretch of 16 cells and softly limited beyond, so |n₂| ≤ 1. In a loop ℓ is
fitted to it (drift.py); where less than one cell goes by, n₂ has time as a third dimension, which is closed.
"""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from lazzik.core.air.drift import drifted
from lazzik.core.air.field import EVERYWHERE, PLACE, AirField, FieldInputs, Rows, axes_of, reached
from lazzik.core.air.turbulence import noise_2, noise_3
from lazzik.core.channel.phase import integrate
from lazzik.core.clock import Clock
from lazzik.core.document import LARGEST, Quantity
from lazzik.core.kernels import kernel
from lazzik.core.layers import Number  # with its layers resolved
from lazzik.core.layers.noise import REACH, shape_noise, softly_limited
from lazzik.core.layers.octaves import octave_noise
from lazzik.core.types import PointBlock, Points, Samples

REACH_2 = 0.452
"""What noise of two dimensions reaches in a usual stretch of 16 cells: the mean highest of its absolute value."""

REACH_3 = 0.396
"""The same of three dimensions."""

SWING_SALT = 1.0
"""Added to the seed for the noise that turns the wind."""


class Wind(AirField):
    """Blows one way, in gusts."""

    title: ClassVar[str] = "Wind"
    summary: ClassVar[str] = "Blows one way over all the scenery, in gusts that travel with it."
    idle_at: ClassVar[dict[str, float]] = {"speed": 0.0}
    strongest: ClassVar[str] = "speed"

    kind: Literal["wind"]
    speed: Annotated[Number, Quantity("m/s", "How fast it blows on average.", (0, 20), 0.1, low=-300, high=300)] = 6.0
    gusts: Annotated[
        Number,
        Quantity("", "How far gusts and lulls go from that speed, as a share of it.", (0, 1), 0.01, low=0, high=4),
    ] = 0.45
    gust_length: Annotated[
        Number, Quantity("m", "Metres from one gust to the lull behind it.", (1, 40), 0.1, low=0.05, high=10_000)
    ] = 9.0
    swing: Annotated[
        Number, Quantity("°", "How far it turns to either side.", (0, 60), 0.1, low=0, high=360, group="time")
    ] = 12.0
    swing_period: Annotated[
        Number,
        Quantity("s", "Seconds from one turn to the next.", (0.5, 20), 0.1, low=0.05, group="time", label="swings in"),
    ] = 4.0
    seed: Annotated[
        Number, Quantity("", "Another seed is other gusts.", (0, 99), 1, low=0, high=LARGEST, whole=True)
    ] = 0.0

    def rows(self, inputs: FieldInputs) -> Rows:
        """(frames, columns) PLACE, velocity, gusts, two axes of the lattice, way along them, third place, cells per
        metre, wraps, seed."""
        clock = inputs.clock
        start = axes_of(inputs.world(clock.start))[0]
        names = ("speed", "gust_length", "swing")
        drift = drifted(
            lambda at: self._velocity(inputs, at) / _column(inputs.number("gust_length", at)),
            lambda first, last: inputs.jumps(names, first, last), clock, self.loop, start,
        )  # fmt: skip
        rows = np.zeros((len(clock.frames), COLUMNS))
        rows[:, :PLACE] = self.place(inputs)
        rows[:, 5:8] = self._velocity(inputs, clock)
        rows[:, 8] = inputs.number("gusts")
        rows[:, 9:12], rows[:, 12:15] = drift.axes[0], drift.axes[2]
        rows[:, 15], rows[:, 16] = drift.cells[:, 0], drift.cells[:, 2]
        rows[:, 18] = drift.fit / inputs.number("gust_length")
        rows[:, 19] = drift.wrap
        if drift.stalls and self.loop is not None:  # its gusts change in their place instead, about as often
            cells = max(2, round(self.loop / clock.fps / 2))
            rows[:, 17] = clock.rounds(self.loop)[0] / self.loop * cells
            rows[:, 20] = cells
        rows[:, 21] = np.floor(inputs.number("seed"))
        return rows

    @staticmethod
    def blow(points: PointBlock, rows: Rows, out: PointBlock) -> None:
        """Add its velocity."""
        blow(points, rows, out)

    def _velocity(self, inputs: FieldInputs, clock: Clock) -> Points:
        """(frames, 3) metres per second: U·d."""
        axes = axes_of(inputs.world(clock))
        turn = np.radians(self._swing(inputs, clock))[:, None]
        way = np.cos(turn) * axes[:, 0] - np.sin(turn) * axes[:, 2]
        return np.asarray(_column(inputs.number("speed", clock)) * way)

    def _swing(self, inputs: FieldInputs, clock: Clock) -> Samples:
        """(frames,) degrees by which it is turned."""
        if inputs.constant("swing") == 0.0:
            return np.zeros(len(clock.frames))
        phase = integrate(inputs, ("swing_period",), lambda period: 1.0 / period, self.loop, clock=clock)
        count = len(clock.frames)
        octaves, shape = np.empty((3, count)), np.empty((4, count))
        octaves[0], octaves[1], octaves[2] = 1.0, 0.5, inputs.number("seed", clock) * 2 + SWING_SALT
        shape[0], shape[1], shape[2], shape[3] = inputs.number("swing", clock), 0.0, 0.5, 0.5
        out = np.empty(count)
        octave_noise(np.ascontiguousarray(phase.cycles), phase.wrap, 0, octaves, out)
        shape_noise(octaves, shape, REACH[0], 0, out)
        return out


COLUMNS = 22


def _column(number: float | Samples) -> float | NDArray[np.float64]:
    return number if isinstance(number, float | int) else number[:, None]


@kernel("void(float64[:, :, ::1], float64[:, ::1], float64[:, :, ::1])")
def blow(points: PointBlock, rows: Rows, out: PointBlock) -> None:
    """Add the velocity of a wind to `out`.

    Parameters
    ----------
    points : (frames or 1, n, 3) array
        Metres, in the scene.
    rows : (frames, COLUMNS) array
        As `Wind.rows` gives them.
    out : (frames, n, 3) array
        Metres per second; added to.
    """
    for m in range(out.shape[0]):
        r = rows[m]
        frame = m if points.shape[0] > 1 else 0
        wrap, closed, seed = np.int64(r[19]), np.int64(r[20]), np.int64(r[21])
        for n in range(out.shape[1]):
            x, y, z = points[frame, n, 0] - r[0], points[frame, n, 1] - r[1], points[frame, n, 2] - r[2]
            share = 1.0
            if r[4] < EVERYWHERE:
                share = reached(np.sqrt(x * x + y * y + z * z), r[3], r[4])[0]
                if share == 0.0:
                    continue
            if r[8] != 0.0:
                along = (x * r[9] + y * r[10] + z * r[11]) * r[18] - r[15]
                across = (x * r[12] + y * r[13] + z * r[14]) * r[18] - r[16]
                if closed > 0:
                    gust = noise_3(along, across, r[17], closed, seed) / REACH_3
                else:
                    gust = noise_2(along, across, wrap, seed) / REACH_2
                share *= 1.0 + r[8] * softly_limited(gust)
            out[m, n, 0] += share * r[5]
            out[m, n, 1] += share * r[6]
            out[m, n, 2] += share * r[7]
