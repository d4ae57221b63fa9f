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
from lazzik.core.air.field import PLACE, AirField, FieldInputs, Rows, axes_of
from lazzik.core.air.stir import (
    AXES,
    CELLS,
    CHANGE,
    COLUMNS,
    OCTAVES,
    PATTERNS,
    ROUGHNESS,
    SEED,
    STRENGTH,
    WAY,
    WRAP,
    stir,
)
from lazzik.core.channel.phase import integrate
from lazzik.core.clock import Clock
from lazzik.core.document import LARGEST, Option, Quantity
from lazzik.core.hermite import fade
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
        """(frames, COLUMNS) PLACE first, then what `stir` takes."""
        clock = inputs.clock
        drift = drifted(
            lambda at: self._velocity(inputs, at),
            lambda first, last: inputs.jumps(("size", "drift"), first, last), clock, self.loop, np.eye(3),
        )  # fmt: skip
        octaves, roughness = inputs.number("octaves"), inputs.number("roughness")
        rows = np.zeros((len(clock.frames), COLUMNS))
        rows[:, :PLACE] = self.place(inputs)
        rows[:, STRENGTH] = inputs.number("strength") / (C1 * np.sqrt(_power(octaves, roughness)))
        rows[:, CELLS] = 1.0 / (CELL * inputs.number("size") / drift.fit)
        rows[:, AXES:WAY] = drift.axes.ravel()
        rows[:, WAY:WRAP] = drift.cells
        rows[:, WRAP] = drift.wrap
        rows[:, OCTAVES], rows[:, ROUGHNESS] = octaves, roughness
        rows[:, SEED] = np.floor(inputs.number("seed"))
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
                rows[:, PATTERNS], rows[:, PATTERNS + 1] = np.mod(np.floor(passed), 2), np.mod(np.floor(passed) + 1, 2)
                rows[:, CHANGE] = fade(passed % 1.0)
            return
        phase = integrate(inputs, ("life",), lambda life: 1.0 / np.maximum(life, SHORTEST), self.loop, least=2)
        which = np.floor(phase.cycles)
        wrap = phase.wrap or 2**40
        rows[:, PATTERNS], rows[:, PATTERNS + 1] = np.mod(which, wrap), np.mod(which + 1, wrap)
        rows[:, CHANGE] = fade(phase.cycles - which)


SHORTEST = 1e-3
"""Seconds: a life that is driven to nothing lasts so long."""


def _power(octaves: float | Samples, roughness: float | Samples) -> float | Samples:
    """Σ share² of the octaves, a fraction of one by that fraction."""
    total: float | Samples = 0.0
    for j in range(math.ceil(float(np.max(octaves)))):
        share = np.asarray(roughness) ** j * np.clip(np.asarray(octaves) - j, 0.0, 1.0)
        total = total + share * share
    return total
