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
from lazzik.core.air.field import PLACE, AirField, FieldInputs, Rows, axes_of
from lazzik.core.air.tiles import MANY, TILE, acting, columns_of, product, see_over_time, seen
from lazzik.core.air.turbulence import noise_2, noise_2_over_time, noise_3
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

VELOCITY, GUSTS, ALONG, ACROSS, WAY = PLACE, PLACE + 3, PLACE + 4, PLACE + 7, PLACE + 10
"""Columns behind PLACE: the mean velocity (3), the share of gusts, two axes of their lattice (3 each), cells that they
have travelled along both (2)."""

THIRD, CELLS, WRAP, CLOSED, SEED = WAY + 2, WAY + 3, WAY + 4, WAY + 5, WAY + 6
"""Columns behind those: the place along a third axis, cells per metre, cells after which the lattice is closed along
the first and the third; 0 where it is not; its seed."""

COLUMNS = SEED + 1


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
        """(frames, COLUMNS) PLACE first, then what `blow` takes."""
        clock = inputs.clock
        start = axes_of(inputs.world(clock.start))[0]
        names = ("speed", "gust_length", "swing")
        drift = drifted(
            lambda at: self._velocity(inputs, at) / _column(inputs.number("gust_length", at)),
            lambda first, last: inputs.jumps(names, first, last), clock, self.loop, start,
        )  # fmt: skip
        rows = np.zeros((len(clock.frames), COLUMNS))
        rows[:, :PLACE] = self.place(inputs)
        rows[:, VELOCITY:GUSTS] = self._velocity(inputs, clock)
        rows[:, GUSTS] = inputs.number("gusts")
        rows[:, ALONG:ACROSS], rows[:, ACROSS:WAY] = drift.axes[0], drift.axes[2]
        rows[:, WAY], rows[:, WAY + 1] = drift.cells[:, 0], drift.cells[:, 2]
        rows[:, CELLS] = drift.fit / inputs.number("gust_length")
        rows[:, WRAP] = drift.wrap
        if drift.stalls and self.loop is not None:  # its gusts change in their place instead, about as often
            cells = max(2, round(self.loop / clock.fps / 2))
            rows[:, THIRD] = clock.rounds(self.loop)[0] / self.loop * cells
            rows[:, CLOSED] = cells
        rows[:, SEED] = np.floor(inputs.number("seed"))
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


def _column(number: float | Samples) -> float | NDArray[np.float64]:
    return number if isinstance(number, float | int) else number[:, None]


@kernel("UniTuple(float64, 2)(float64[::1], int64, float64, float64, float64)", inlined=True)
def laid(columns: Samples, m: int, x: float, y: float, z: float) -> tuple[float, float]:
    """The place of the lattice of gusts, as it has travelled, so many metres from the wind: along it, and across.

    Parameters
    ----------
    columns : (COLUMNS · TILE,) array
        Of a tile.
    """
    along = product(columns, m + ALONG * TILE, TILE, x, y, z)
    across = product(columns, m + ACROSS * TILE, TILE, x, y, z)
    per = columns[m + CELLS * TILE]
    return along * per - columns[m + WAY * TILE], across * per - columns[m + (WAY + 1) * TILE]


@kernel("void(float64[::1], int64, int64, int64, float64, float64[:, :, ::1])", inlined=True)
def add_gust(columns: Samples, m: int, frame: int, n: int, share: float, out: PointBlock) -> None:
    """Add so much of its mean velocity at a point.

    Parameters
    ----------
    columns : (COLUMNS · TILE,) array
        Of a tile.
    out : (frames, n, 3) array
        Metres per second; added to.
    """
    out[frame, n, 0] += share * columns[m + VELOCITY * TILE]
    out[frame, n, 1] += share * columns[m + (VELOCITY + 1) * TILE]
    out[frame, n, 2] += share * columns[m + (VELOCITY + 2) * TILE]


@kernel("void(float64[:, :, ::1], float64[::1], int64, int64, float64[:, :, ::1])")
def blow_over_time(points: PointBlock, columns: Samples, first: int, count: int, out: PointBlock) -> None:
    """As `blow` for gusts that travel, at the moments of a tile, one point after the other.

    Parameters
    ----------
    points, out : arrays
        As of `blow`.
    columns : (COLUMNS · TILE,) array
        Of a tile.
    """
    metres, within, places = np.empty(3 * TILE), np.empty(3 * TILE), np.empty(2 * TILE)
    gusts, salts, wrap = np.empty(TILE), np.empty(TILE, np.int64), np.int64(columns[WRAP * TILE])
    for m in range(count):
        salts[m] = np.int64(columns[m + SEED * TILE])
    for n in range(out.shape[1]):
        if not see_over_time(points, first, n, count, columns, metres, within):
            continue
        for m in range(count):
            places[m], places[m + TILE] = laid(columns, m, metres[m], metres[m + TILE], metres[m + 2 * TILE])
        noise_2_over_time(places, salts, wrap, gusts, count)
        for m in range(count):
            share = within[m] * (1.0 + columns[m + GUSTS * TILE] * softly_limited(gusts[m] / REACH_2))
            add_gust(columns, m, first + m, n, share, out)


@kernel("void(float64[:, :, ::1], float64[::1], int64, int64, float64[:, :, ::1])")
def blow_each(points: PointBlock, columns: Samples, first: int, count: int, out: PointBlock) -> None:
    """As `blow`, at the moments of a tile, one after the other.

    Parameters
    ----------
    points, out : arrays
        As of `blow`.
    columns : (COLUMNS · TILE,) array
        Of a tile.
    """
    for m in range(count):
        frame = first + m if points.shape[0] > 1 else 0
        wrap, closed = np.int64(columns[m + WRAP * TILE]), np.int64(columns[m + CLOSED * TILE])
        seed, gusts = np.int64(columns[m + SEED * TILE]), columns[m + GUSTS * TILE]
        for n in range(out.shape[1]):
            x, y, z = seen(points, frame, n, columns, m)
            share, _, _ = acting(columns, m, x, y, z)
            if share == 0.0:
                continue
            if gusts != 0.0:
                along, across = laid(columns, m, x, y, z)
                if closed > 0:
                    gust = noise_3(along, across, columns[m + THIRD * TILE], closed, seed) / REACH_3
                else:
                    gust = noise_2(along, across, wrap, seed) / REACH_2
                share *= 1.0 + gusts * softly_limited(gust)
            add_gust(columns, m, first + m, n, share, out)


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
    frames = out.shape[0]
    for first in range(0, frames, TILE):
        count = min(TILE, frames - first)
        columns = columns_of(rows, first, count)
        if frames >= MANY and columns[CLOSED * TILE] == 0.0:
            blow_over_time(points, columns, first, count, out)
        else:
            blow_each(points, columns, first, count, out)
