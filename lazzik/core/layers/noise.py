"""Noise: smooth random motion that never leaves its amplitude.

One-dimensional gradient noise after K. Perlin ('An image synthesizer', SIGGRAPH 1985; quintic fade from 'Improving
noise', 2002). At lattice position u with cell c = ⌊u⌋, f = u − c and gradients g in [−1, 1]:

    n(u) = 2·[(1 − F(f))·g_c·f + F(f)·g_{c+1}·(f − 1)],   F(f) = f³(6f² − 15f + 10),   |n| ≤ 1

Octave j runs at 2^j times the frequency with weight roughness^j; the sum is divided by the sum of the weights. A
fraction of an octave counts by that fraction, so octaves can be driven too. Characters, per octave:

    smooth n · billow 2|n| − 1 · ridged 1 − 2|n| · steps: a fresh value held through each cell
    white: a fresh value on every frame, whatever the period

The sum, as v = (n + 1)/2, passes Schlick's bias and gain ('Fast alternatives to Perlin's bias and gain functions',
Graphics Gems IV, 1994), then side: both 2v − 1, above v, below v − 1. y = amplitude times that.

Position: u = φ − shift·rate(first frame), φ the integral of 1/period (see channel/phase.py), so a keyed period never
makes the curve jump. In a loop the lattice of octave j is wrapped after n·2^j cells.
Gradients come from the splitmix64 finaliser (Steele, Lea, Flood, 'Fast splittable pseudorandom number generators',
OOPSLA 2014) of (cell, seed, octave): the same on every machine.
"""

from __future__ import annotations

import math
from typing import Annotated, Any, ClassVar, Literal

import numpy as np

from lazzik.core.channel.channel import Number
from lazzik.core.channel.layer import Family, Inputs, Landing, Layer, table
from lazzik.core.channel.phase import accumulate, loop_note
from lazzik.core.document import Quantity
from lazzik.core.kernels import kernel
from lazzik.core.types import Samples

CHARACTERS = ("smooth", "billow", "ridged", "steps", "white")
SIDES = ("both", "above", "below")
Whole = int | np.int64

EDGE = 1e-9
"""Cells: a position this little short of a cell's edge counts as on it, so that rounding can't hold a step back."""


class Noise(Layer):
    """Smooth random motion: wind, flicker, drift, unsteady hands."""

    family: ClassVar[Family] = "random"
    title: ClassVar[str] = "Noise"
    summary: ClassVar[str] = "Random but smooth: wind, drift, flicker, unsteady hands."
    loops: ClassVar[bool] = True
    idle_at: ClassVar[dict[str, float]] = {"amplitude": 0.0}
    feel: ClassVar[tuple[str, str] | None] = ("period", "amplitude")

    kind: Literal["noise"]
    amplitude: Annotated[
        Number, Quantity("own", "The farthest the motion goes from its centre. Never exceeded.", (0, 4), 0.01)
    ] = 1.0
    period: Annotated[
        Number,
        Quantity("s", "Seconds from one random value to the next. Longer is calmer.", (0.1, 8), 0.01, low=0.001),
    ] = 1.0
    octaves: Annotated[Number, Quantity("", "How many layers of ever finer detail.", (1, 8), 0.1, low=1, high=10)] = 1.0
    roughness: Annotated[
        Number,
        Quantity("", "How strong each finer octave is beside the coarser.", (0, 1), 0.01, low=0, high=1),
    ] = 0.5
    seed: Annotated[
        Number, Quantity("", "Another seed is another pattern.", (0, 99), 1, low=0, high=2**31, whole=True)
    ] = 0.0
    shift: Annotated[Number, Quantity("s", "Moves the motion later in time.", (-10, 10), 0.01)] = 0.0
    bias: Annotated[
        Number,
        Quantity("", "Dwells low (under 0.5) or high (over 0.5).", (0.02, 0.98), 0.01, low=0.001, high=0.999),
    ] = 0.5
    gain: Annotated[
        Number,
        Quantity(
            "",
            "Dwells at the extremes (under 0.5) or in the middle (over 0.5).",
            (0.02, 0.98),
            0.01,
            low=0.001,
            high=0.999,
        ),
    ] = 0.5
    character: Literal["smooth", "billow", "ridged", "steps", "white"] = "smooth"
    side: Literal["both", "above", "below"] = "both"

    def signal(self, inputs: Inputs) -> Samples:
        """(frames,) amplitude · shaped noise."""
        clock = inputs.clock
        numbers = table(inputs, "amplitude", "octaves", "roughness", "seed", "bias", "gain")
        shift = inputs.number("shift")
        white = self.character == "white"
        wrap = 0
        if white:
            position = clock.elapsed - shift * clock.fps + EDGE * 1e3
            if self.loop is not None:
                position = np.mod(position, self.loop)
        else:
            phase = accumulate(lambda at: 1.0 / inputs.number("period", at), clock, self.loop)
            position, wrap = phase.cycles - shift * phase.start_rate, phase.wrap
        out = np.empty(clock.frames.shape[0])
        octave_noise(position, wrap, CHARACTERS.index(self.character), SIDES.index(self.side), numbers, out)
        return out

    def note(self, fps: float) -> str:
        """The period that a loop rounds to."""
        return "" if self.character == "white" else loop_note(self.period, self.loop, fps)

    @classmethod
    def suited(cls, landing: Landing) -> dict[str, Any]:
        """A reach that is well seen, and about eight humps over the range."""
        seconds = landing.frames / landing.fps
        period = float(f"{min(max(seconds / 8, 0.2), 3.0):.2g}")
        return {"amplitude": landing.reach, "period": period, "octaves": 2.0}


@kernel("float64(int64, int64, int64)")
def lattice(cell: Whole, seed: Whole, octave: Whole) -> float:
    """A value in [−1, 1] for a cell: the splitmix64 finaliser of a weighted sum of the three whole numbers."""
    z = (
        np.uint64(cell) * np.uint64(0x9E3779B97F4A7C15)
        + np.uint64(seed) * np.uint64(0xD1342543DE82EF95)
        + np.uint64(octave) * np.uint64(0xA0761D6478BD642F)
        + np.uint64(0x632BE59BD9B4E019)
    )
    z = (z ^ (z >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
    z = (z ^ (z >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
    z = z ^ (z >> np.uint64(31))
    return float(z >> np.uint64(11)) * (2.0 / 9007199254740991.0) - 1.0


@kernel("float64(float64, float64, float64)")
def shaped(v: float, bias: float, gain: float) -> float:
    """Schlick's bias, then his gain, of v in [0, 1]. Both are the identity at 0.5."""
    v = v / ((1.0 / bias - 2.0) * (1.0 - v) + 1.0)
    bend = (1.0 / gain - 2.0) * (1.0 - 2.0 * v)
    return v / (bend + 1.0) if v < 0.5 else (bend - v) / (bend - 1.0)


@kernel("void(float64[::1], int64, int64, int64, float64[:, ::1], float64[::1])")
def octave_noise(position: Samples, wrap: int, character: int, side: int, numbers: Samples, out: Samples) -> None:
    """Fill `out` with amplitude · noise at `position` (cells). `wrap` > 0 closes the lattice after so many cells.

    `numbers` (6, 1 or frames): amplitude, octaves, roughness, seed, bias, gain.
    `character` and `side` are places in CHARACTERS and SIDES.
    """
    driven = numbers.shape[1] > 1
    for i in range(position.shape[0]):
        k = i if driven else 0
        octaves = numbers[1, k]
        roughness = numbers[2, k]
        seed = np.int64(math.floor(numbers[3, k]))
        total = 0.0
        weights = 0.0
        weight = 1.0
        frequency = 1
        for j in range(math.ceil(octaves)):
            share = weight * min(1.0, octaves - j)
            u = position[i] * frequency
            cell = np.int64(math.floor(u + EDGE))
            here, after = cell, cell + 1
            if wrap > 0:
                here, after = here % (wrap * frequency), after % (wrap * frequency)
            if character >= 3:
                n = lattice(here, seed, j)
            else:
                f = u - cell
                fade = f * f * f * (f * (f * 6.0 - 15.0) + 10.0)
                n = 2.0 * ((1.0 - fade) * lattice(here, seed, j) * f + fade * lattice(after, seed, j) * (f - 1.0))
                if character == 1:
                    n = 2.0 * abs(n) - 1.0
                elif character == 2:
                    n = 1.0 - 2.0 * abs(n)
            total += share * n
            weights += share
            weight *= roughness
            if character != 4:
                frequency *= 2
        v = shaped(min(1.0, max(0.0, 0.5 * (total / weights + 1.0))), numbers[4, k], numbers[5, k])
        v = min(1.0, max(0.0, v))
        if side == 0:
            v = 2.0 * v - 1.0
        elif side == 2:
            v = v - 1.0
        out[i] = numbers[0, k] * v
