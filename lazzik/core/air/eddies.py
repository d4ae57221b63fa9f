"""Eddies: turbulence without sources or sinks, the curl of a noise (R. Bridson, J. Hourihan, M. Nordenstam, 'Curl-noise
for procedural fluid flow', SIGGRAPH 2007).

    v = strength/c · ∇×(reach·ψ(q)) · cell,   q = (p − o)/cell − ∫ w/cell dt

ψ are three noises of as many octaves as are asked for; octave j has 2^j times the frequency and a share of roughness^j
in the velocity, so (roughness/2)^j in ψ. c = C1 · √Σ share², so that the root mean square of |v| is `strength` for any
octaves. The reach stands inside the curl, so nothing is blown in or out at its edge. w is the drift: of the
winds where the field stands, of its own along its x, or both. In a loop the lattice is laid along the drift and fitted
to it (drift.py).

Within `life` seconds they turn into others: two patterns are blended by s, and divided by √((1 − s)² + s²), so that
they do not breathe. Without a life there is no second pattern, at half the cost.
"""

from __future__ import annotations

import math
from typing import Annotated, ClassVar, Literal

import numpy as np

from lazzik.core.air.drift import Drift, drifted
from lazzik.core.air.field import EVERYWHERE, PLACE, AirField, FieldInputs, Rows, axes_of, reached
from lazzik.core.air.turbulence import Whole, curl, potential
from lazzik.core.channel.phase import integrate
from lazzik.core.clock import Clock
from lazzik.core.document import LARGEST, Option, Quantity
from lazzik.core.hermite import fade
from lazzik.core.kernels import kernel
from lazzik.core.layers import Number  # with its layers resolved
from lazzik.core.types import PointBlock, Points, Samples

C1 = 1.208
"""Root mean square of |∇×ψ| of one octave: over a cell, c² = 8·⅔·∫ Σ_k (w_k²|f|² + 2·w·w_k·f_k + w²), where w is the
weight of the corner at the origin, w_k its slopes, and f the place."""

CELL = 2.72
"""Cells for a size: `size` is then the half width of the velocity's autocorrelation at one octave."""

OWN = {"carried": ("own", "both")}


class Eddies(AirField):
    """Turns about itself."""

    title: ClassVar[str] = "Eddies"
    summary: ClassVar[str] = "Turbulence: large eddies bend whole swarms, small ones jitter."
    idle_at: ClassVar[dict[str, float]] = {"strength": 0.0}
    pushed_along: ClassVar[bool] = True
    strongest: ClassVar[str] = "strength"

    kind: Literal["eddies"]
    strength: Annotated[
        Number, Quantity("m/s", "How fast the air goes in them, as a root mean square.", (0, 10), 0.05, low=0, high=300)
    ] = 1.2
    size: Annotated[
        Number, Quantity("m", "How large the largest of them are.", (0.1, 10), 0.05, low=0.005, high=10_000)
    ] = 1.5
    octaves: Annotated[Number, Quantity("", "How many layers of ever finer detail.", (1, 6), 0.1, low=1, high=8)] = 2.0
    roughness: Annotated[
        Number, Quantity("", "How strong each finer octave is beside the coarser.", (0, 1), 0.01, low=0, high=1)
    ] = 0.5
    seed: Annotated[
        Number, Quantity("", "Another seed is other eddies.", (0, 99), 1, low=0, high=LARGEST, whole=True)
    ] = 0.0
    carried: Annotated[
        Literal["wind", "own", "both", "nothing"],
        Option(
            "What they drift with: the winds where the field stands, a speed of their own along its x, or both.",
            label="drift with",
            words={"wind": "the wind", "own": "a speed of their own"},
            group="time",
        ),
    ] = "wind"
    drift: Annotated[
        Number,
        Quantity(
            "m/s", "How fast they go along the object's x.", (-5, 5), 0.05, low=-300, high=300, group="time", only=OWN
        ),
    ] = 1.0
    life: Annotated[
        Number,
        Quantity(
            "s", "Seconds in which they turn into others; none at 0.", (0, 10), 0.1, low=0, high=10_000, group="time",
            rest=0.0,
        ),
    ] = 0.0  # fmt: skip

    def rows(self, inputs: FieldInputs) -> Rows:
        """(frames, COLUMNS) PLACE, amplitude, metres of a cell, axes, way, wrap, octaves, roughness, seed, two patterns
        and how far it is from one to the other."""
        clock = inputs.clock
        drift = drifted(
            lambda at: self._velocity(inputs, at),
            lambda first, last: inputs.jumps(("size", "drift"), first, last), clock, self.loop, np.eye(3),
        )  # fmt: skip
        octaves, roughness = inputs.number("octaves"), inputs.number("roughness")
        rows = np.zeros((len(clock.frames), COLUMNS))
        rows[:, :PLACE] = self.place(inputs)
        rows[:, 5] = inputs.number("strength") / (C1 * np.sqrt(_power(octaves, roughness)))
        rows[:, 6] = CELL * inputs.number("size") / drift.fit
        rows[:, 7:16] = drift.axes.ravel()
        rows[:, 16:19] = drift.cells
        rows[:, 19] = drift.wrap
        rows[:, 20], rows[:, 21] = octaves, roughness
        rows[:, 22] = np.floor(inputs.number("seed"))
        self._patterns(inputs, drift, rows)
        return rows

    @staticmethod
    def blow(points: PointBlock, rows: Rows, out: PointBlock) -> None:
        """Add its velocity."""
        stir(points, rows, out)

    def _velocity(self, inputs: FieldInputs, clock: Clock) -> Points:
        """(frames, 3) cells per second that they drift."""
        out = np.zeros((len(clock.frames), 3))
        if self.carried in ("wind", "both"):
            out += inputs.wind(clock)
        if self.carried in ("own", "both"):
            own = np.broadcast_to(np.asarray(inputs.number("drift", clock)), len(out))
            out += own[:, None] * axes_of(inputs.world(clock))[:, 0]
        cell = CELL * np.broadcast_to(np.asarray(inputs.number("size", clock)), len(out))
        return np.asarray(out / cell[:, None])

    def _patterns(self, inputs: FieldInputs, drift: Drift, rows: Rows) -> None:
        """Which two patterns there are at each moment, and how far it is from one to the other."""
        clock = inputs.clock
        if inputs.constant("life") == 0.0:
            if drift.stalls and self.loop is not None:  # there is no way for them to go: they turn into others instead
                passed: Samples = clock.rounds(self.loop)[0] / self.loop * 2
                rows[:, 23], rows[:, 24] = np.mod(np.floor(passed), 2), np.mod(np.floor(passed) + 1, 2)
                rows[:, 25] = fade(passed % 1.0)
            return
        phase = integrate(inputs, ("life",), lambda life: 1.0 / np.maximum(life, SHORTEST), self.loop, least=2)
        which = np.floor(phase.cycles)
        wrap = phase.wrap or 2**40
        rows[:, 23], rows[:, 24] = np.mod(which, wrap), np.mod(which + 1, wrap)
        rows[:, 25] = fade(phase.cycles - which)


SHORTEST = 1e-3
"""Seconds: a life that is driven to nothing lasts so long."""

COLUMNS = 26

MOST_OCTAVES = 16
"""Numbers of patterns that one of them takes up."""

ASIDE = 0.37
"""Cells by which the lattice of each octave lies aside of the one before, so that their corners do not meet."""


def _power(octaves: float | Samples, roughness: float | Samples) -> float | Samples:
    """Σ share² of the octaves, a fraction of one by that fraction."""
    total: float | Samples = 0.0
    for j in range(math.ceil(float(np.max(octaves)))):
        share = np.asarray(roughness) ** j * np.clip(np.asarray(octaves) - j, 0.0, 1.0)
        total = total + share * share
    return total


@kernel("UniTuple(float64, 3)(float64, float64, float64, float64, float64, int64, int64, boolean)")
def summed(
    a: float, b: float, c: float, octaves: float, roughness: float, wrap: Whole, salt: Whole, itself: bool
) -> tuple[float, float, float]:
    """∇×ψ of all octaves at a place of the lattice, or ψ itself."""
    x = y = z = 0.0
    share, frequency = 1.0, 1
    for j in range(math.ceil(octaves)):
        k = share * min(1.0, octaves - j)
        aside = ASIDE * j
        p, q, r = a * frequency, b * frequency + aside, c * frequency + aside
        if itself:
            k /= frequency
            u, v, w = potential(p, q, r, wrap * frequency, salt + j)
        else:
            u, v, w = curl(p, q, r, wrap * frequency, salt + j)
        x, y, z = x + k * u, y + k * v, z + k * w
        share *= roughness
        frequency *= 2
    return x, y, z


@kernel("UniTuple(float64, 3)(float64, float64, float64, float64[::1], boolean)")
def blended(a: float, b: float, c: float, row: Samples, itself: bool) -> tuple[float, float, float]:
    """∇×ψ at a place of the lattice, or ψ itself, of both patterns.

    Parameters
    ----------
    row : (COLUMNS,) array
        As `Eddies.rows` gives them for a moment.
    """
    wrap, s, seed = np.int64(row[19]), row[25], np.int64(row[22]) * 1_000_003
    x, y, z = summed(a, b, c, row[20], row[21], wrap, (seed + np.int64(row[23])) * MOST_OCTAVES, itself)
    if s > 0.0:
        u, v, w = summed(a, b, c, row[20], row[21], wrap, (seed + np.int64(row[24])) * MOST_OCTAVES, itself)
        blend = 1.0 / math.sqrt((1.0 - s) * (1.0 - s) + s * s)
        near, far = (1.0 - s) * blend, s * blend
        x, y, z = near * x + far * u, near * y + far * v, near * z + far * w
    return x, y, z


@kernel("void(float64[:, :, ::1], float64[:, ::1], float64[:, :, ::1])")
def stir(points: PointBlock, rows: Rows, out: PointBlock) -> None:
    """Add the velocity of eddies to `out`.

    Parameters
    ----------
    points : (frames or 1, n, 3) array
        Metres, in the scene.
    rows : (frames, COLUMNS) array
        As `Eddies.rows` gives them.
    out : (frames, n, 3) array
        Metres per second; added to.
    """
    for m in range(out.shape[0]):
        r = rows[m]
        frame = m if points.shape[0] > 1 else 0
        per = 1.0 / r[6]
        for n in range(out.shape[1]):
            x, y, z = points[frame, n, 0] - r[0], points[frame, n, 1] - r[1], points[frame, n, 2] - r[2]
            share, slope, away = 1.0, 0.0, 1.0
            if r[4] < EVERYWHERE:
                away = math.sqrt(x * x + y * y + z * z)
                share, slope = reached(away, r[3], r[4])
                if share == 0.0:
                    continue
            a = r[7] * x + r[8] * y + r[9] * z
            b = r[10] * x + r[11] * y + r[12] * z
            c = r[13] * x + r[14] * y + r[15] * z
            qa, qb, qc = a * per - r[16], b * per - r[17], c * per - r[18]
            u, v, w = blended(qa, qb, qc, r, False)
            u, v, w = share * u, share * v, share * w
            if slope != 0.0:  # ∇reach × ψ
                px, py, pz = blended(qa, qb, qc, r, True)
                k = slope * r[6] / away
                u, v, w = u + k * (b * pz - c * py), v + k * (c * px - a * pz), w + k * (a * py - b * px)
            out[m, n, 0] += r[5] * (r[7] * u + r[10] * v + r[13] * w)
            out[m, n, 1] += r[5] * (r[8] * u + r[11] * v + r[14] * w)
            out[m, n, 2] += r[5] * (r[9] * u + r[12] * v + r[15] * w)
