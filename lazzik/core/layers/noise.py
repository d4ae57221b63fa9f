"""Noise: smooth random motion that reaches its amplitude in a usual stretch and never leaves it.

One-dimensional gradient noise after K. Perlin ('An image synthesizer', SIGGRAPH 1985; quintic fade from 'Improving
noise', 2002). At lattice position u with cell c = ⌊u⌋, f = u − c and gradients g in [−1, 1]:

    n(u) = 2·[(1 − F(f))·g_c·f + F(f)·g_{c+1}·(f − 1)],   F(f) = f³(6f² − 15f + 10),   |n| ≤ 1

Octave j runs at 2^j times the frequency with weight roughness^j; the sum is divided by the sum of the weights. A
fraction of an octave counts by that fraction, so octaves can be driven too. Characters, per octave:

    smooth n · billow 2|n| − 1 · ridged 1 − 2|n| · steps: a fresh value held through each cell
    white: a fresh value on every frame, whatever the period

A sum of octaves seldom comes near ±1. With l and h the mean lowest and the mean highest that it reaches over 16 cells
(of white noise: 16 frames; tables over character, octaves and roughness, made by tools/noise_reach.py), it is mapped
and softly limited,

    r = (2n − h − l)/(h − l),   m = r where |r| ≤ a, else sign(r)·(a + (1 − a)·tanh((|r| − a)/(1 − a))),   a = 0.8

so |m| ≤ 1 always. v = (m + 1)/2 passes Schlick's bias and gain ('Fast alternatives to Perlin's bias and gain
functions', Graphics Gems IV, 1994), then side: both 2v − 1, above v, below v − 1. y = amplitude · that + offset.

Position: u = φ − shift·rate(first frame), φ the integral of 1/period (see channel/phase.py), so a keyed period never
makes the curve jump. In a loop the lattice of octave j is wrapped after n·2^j cells.
Gradients come from the splitmix64 finaliser (Steele, Lea, Flood, 'Fast splittable pseudorandom number generators',
OOPSLA 2014) of (cell, seed, octave): the same on every machine.
"""

from __future__ import annotations

import json
import math
from pathlib import Path
from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from lazzik.core.channel.channel import Number
from lazzik.core.channel.inputs import Inputs, ManyInputs
from lazzik.core.channel.layer import SHARE, Family, Landing, Layer
from lazzik.core.channel.phase import Phase, integrate, rounded_note, steady_phases
from lazzik.core.clock import Clock
from lazzik.core.document import LARGEST, Only, Option, Quantity
from lazzik.core.kernels import kernel
from lazzik.core.layers.octaves import BLOCK, EDGE, between, octaves_at
from lazzik.core.types import SampleRows, Samples

CHARACTERS = ("smooth", "billow", "ridged", "steps", "white")
SIDES = ("both", "above", "below")

Table = NDArray[np.float64]
REACH: Table = np.array(json.loads((Path(__file__).parent / "noise_reach.json").read_text()))
"""(characters, 2, octaves, roughness) the mean lowest and the mean highest over 16 cells; see `reach_of`."""

SOFT = 0.8
"""Part of the reach up to which the noise is as it is; beyond, it is softly limited."""


SHAPED = ("octaves", "roughness", "seed", "amplitude", "offset", "bias", "gain")
"""The numbers that the kernel takes, in their order."""

NOT_WHITE: Only = {"character": ("smooth", "billow", "ridged", "steps")}
"""White noise has a new value on each frame, whatever its period."""


class Noise(Layer):
    """Smooth random motion: wind, flicker, drift, unsteady hands."""

    family: ClassVar[Family] = "random"
    title: ClassVar[str] = "Noise"
    summary: ClassVar[str] = "Random but smooth: wind, drift, flicker, unsteady hands."
    loops: ClassVar[bool] = True
    together: ClassVar[bool] = True
    idle_at: ClassVar[dict[str, float]] = {"amplitude": 0.0}
    feel: ClassVar[tuple[str, str] | None] = ("period", "amplitude")

    kind: Literal["noise"]
    amplitude: Annotated[
        Number, Quantity("own", "How far the motion goes from its centre. Never exceeded.", (0, 4), 0.01)
    ] = 1.0
    period: Annotated[
        Number,
        Quantity(
            "s",
            "Seconds from one random value to the next. Longer is calmer.",
            (0.1, 8),
            0.01,
            low=0.001,
            group="time",
            only=NOT_WHITE,
        ),
    ] = 1.0
    octaves: Annotated[Number, Quantity("", "How many layers of ever finer detail.", (1, 8), 0.1, low=1, high=10)] = 1.0
    roughness: Annotated[
        Number,
        Quantity("", "How strong each finer octave is beside the coarser.", (0, 1), 0.01, low=0, high=1),
    ] = 0.5
    seed: Annotated[
        Number, Quantity("", "Another seed is another pattern.", (0, 99), 1, low=0, high=LARGEST, whole=True)
    ] = 0.0
    shift: Annotated[
        Number,
        Quantity("s", "Moves the motion later in time.", (-10, 10), 0.01, group="time", rest=0.0),
    ] = 0.0
    bias: Annotated[
        Number,
        Quantity("", "Dwells low (under 0.5) or high (over 0.5).", (0.02, 0.98), 0.01, low=0.001, high=0.999, rest=0.5),
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
            rest=0.5,
        ),
    ] = 0.5
    offset: Annotated[Number, Quantity("own", "Added to the value: moves the centre.", (-4, 4), 0.01, rest=0.0)] = 0.0
    character: Annotated[
        Literal["smooth", "billow", "ridged", "steps", "white"],
        Option(
            "What the pattern is like: rounded, with valleys or crests folded over, in steps, or fresh on every frame."
        ),
    ] = "smooth"
    side: Annotated[
        Literal["both", "above", "below"],
        Option(
            "To which side of its centre the motion goes.",
            words={"above": "upward", "below": "downward"},
            rest="both",
        ),
    ] = "both"

    def signal(self, inputs: Inputs) -> Samples:
        """(frames,) amplitude · shaped noise."""
        clock = inputs.clock
        shift = inputs.number("shift")
        if self.character == "white":
            position, wrap = self._white(clock, shift), 0
        else:
            phase = self._phase(inputs)
            position, wrap = phase.cycles - shift * phase.start_rate, phase.wrap
        out = np.empty(clock.frames.shape[0])
        numbers = inputs.table(*SHAPED)
        noise(position, wrap, CHARACTERS.index(self.character), numbers, REACH, SIDES.index(self.side), out)
        return out

    def signals(self, inputs: ManyInputs) -> SampleRows:
        """(layers, frames) amplitude · shaped noise of each."""
        clock, shift = inputs.clock, inputs.number("shift")
        if self.character == "white":
            position, wraps = self._white(clock, shift), np.zeros(len(shift), np.int64)
        else:
            phases = steady_phases(1.0 / inputs.number("period"), clock, self.loop)
            position, wraps = phases.later(shift), phases.wraps
        out, numbers = np.empty(position.shape), inputs.table(*SHAPED)
        noises(position, wraps, CHARACTERS.index(self.character), numbers, REACH, SIDES.index(self.side), out)
        return out

    def _white(self, clock: Clock, shift: float | Samples | SampleRows) -> NDArray[np.float64]:
        """Where white noise is read: a cell is a frame."""
        position = np.asarray(clock.elapsed - shift * clock.fps + EDGE * 1e3)
        return position if self.loop is None else np.mod(position, self.loop)

    def _phase(self, inputs: Inputs) -> Phase:
        return integrate(inputs, ("period",), lambda period: 1.0 / period, self.loop)

    def note(self, inputs: Inputs) -> str:
        """The period that a loop rounds to."""
        if self.loop is None or self.character == "white":
            return ""
        return rounded_note(self._phase(inputs), self.loop, inputs.clock.fps)

    @classmethod
    def suited(cls, landing: Landing) -> dict[str, Any]:
        """A reach that is well seen, and about eight humps over the range."""
        seconds = landing.frames / landing.fps
        period = float(f"{min(max(seconds / 8, 0.2), 3.0):.2g}")
        return {"amplitude": landing.reach, "period": period, "octaves": 2.0}

    def factor_about(self, landing: Landing) -> dict[str, Any]:
        """About 1, some way up and down."""
        return {"offset": 1.0, "amplitude": SHARE}


@kernel("float64(float64, float64, float64)")
def shaped(v: float, bias: float, gain: float) -> float:
    """Schlick's bias, then his gain, of v in [0, 1]. Both are the identity at 0.5."""
    v = v / ((1.0 / bias - 2.0) * (1.0 - v) + 1.0)
    bend = (1.0 / gain - 2.0) * (1.0 - 2.0 * v)
    return v / (bend + 1.0) if v < 0.5 else (bend - v) / (bend - 1.0)


@kernel("UniTuple(float64, 2)(float64[:, :, ::1], float64, float64)")
def reach_of(reach: Table, octaves: float, roughness: float) -> tuple[float, float]:
    """The mean lowest and the mean highest over 16 cells, straight between the table's places.

    `reach` (2, octaves, roughness): at every quarter of an octave from 1 to 3, at every half to 10, and at every tenth
    of roughness.
    """
    o = (octaves - 1.0) * 4.0 if octaves < 3.0 else 8.0 + (octaves - 3.0) * 2.0
    r = roughness * 10.0
    i, k = min(int(o), reach.shape[1] - 2), min(int(r), reach.shape[2] - 2)
    u, v = o - i, r - k
    low = (1.0 - u) * ((1.0 - v) * reach[0, i, k] + v * reach[0, i, k + 1])
    low += u * ((1.0 - v) * reach[0, i + 1, k] + v * reach[0, i + 1, k + 1])
    high = (1.0 - u) * ((1.0 - v) * reach[1, i, k] + v * reach[1, i, k + 1])
    high += u * ((1.0 - v) * reach[1, i + 1, k] + v * reach[1, i + 1, k + 1])
    return low, high


@kernel("float64(float64)")
def softly_limited(r: float) -> float:
    """r within ±SOFT, beyond it ever closer to ±1, with the same slope."""
    beyond = abs(r) - SOFT
    if beyond <= 0.0:
        return r
    return math.copysign(SOFT + (1.0 - SOFT) * math.tanh(beyond / (1.0 - SOFT)), r)


@kernel("void(float64[:, ::1], float64[:, ::1], float64[:, :, ::1], int64, float64[::1])")
def shape_noise(octaves: Samples, shape: Samples, reach: Table, side: int, out: Samples) -> None:
    """Turn `out`, a mean of octaves, into amplitude · shaped noise + offset.

    `octaves` (3, 1 or frames): octaves, roughness, seed. `shape` (4, 1 or frames): amplitude, offset, bias, gain.
    `side` is a place in SIDES.

    Parameters
    ----------
    octaves : (3, 1 or frames) array
        Octaves, roughness, seed.
    shape : (4, 1 or frames) array
        Amplitude and offset in the channel's unit, bias, gain.
    reach : (octaves, roughnesses) array
        The largest mean of octaves.
    out : (frames,) array
        A mean of octaves; filled, in the channel's unit.
    """
    count, driven = out.shape[0], shape.shape[1] > 1
    low, high = reach_of(reach, octaves[0, 0], octaves[1, 0])
    if octaves.shape[1] > 1:
        for i in range(count):
            low, high = reach_of(reach, octaves[0, i], octaves[1, i])
            out[i] = (2.0 * out[i] - high - low) / (high - low)
    else:
        for i in range(count):
            out[i] = (2.0 * out[i] - high - low) / (high - low)
    for i in range(count):
        if abs(out[i]) > SOFT:  # one in twenty
            out[i] = softly_limited(out[i])
    for i in range(count):
        out[i] = 0.5 * (out[i] + 1.0)
    if driven or shape[2, 0] != 0.5 or shape[3, 0] != 0.5:
        for i in range(count):
            k = i if driven else 0
            out[i] = shaped(out[i], shape[2, k], shape[3, k])
    if side == 0:
        for i in range(count):
            out[i] = 2.0 * out[i] - 1.0
    elif side == 2:
        for i in range(count):
            out[i] = out[i] - 1.0
    if driven:
        for i in range(count):
            out[i] = shape[0, i] * out[i] + shape[1, i]
    else:
        amplitude, offset = shape[0, 0], shape[1, 0]
        for i in range(count):
            out[i] = amplitude * out[i] + offset


@kernel("void(float64[::1], int64, int64, float64[:, ::1], float64[:, :, :, ::1], int64, float64[::1])")
def noise(
    position: Samples, wrap: int, character: int, numbers: Samples, reach: Table, side: int, out: Samples
) -> None:
    """Fill `out` with shaped noise: `octave_noise`, then `shape_noise`, in one call.

    Parameters
    ----------
    position : (frames,) array
        Cells.
    numbers : (7, 1 or frames) array
        Octaves, roughness, seed, amplitude and offset in the channel's unit, bias, gain.
    reach : (characters, 2, octaves, roughnesses) array
        The mean lowest and highest of each character.
    out : (frames,) array
        Filled, in the channel's unit.
    """
    for first in range(0, position.shape[0], BLOCK):
        end = min(first + BLOCK, position.shape[0])
        some, here = between(numbers, first, end), out[first:end]
        mean = here.reshape((1, end - first))
        octaves_at(position[first:end], wrap, character, some.reshape((1, some.shape[0], some.shape[1])), mean)
        shape_noise(some[:3], some[3:], reach[character], side, here)


@kernel("void(float64[:, ::1], int64[::1], int64, float64[:, :, ::1], float64[:, :, :, ::1], int64, float64[:, ::1])")
def noises(
    position: SampleRows,
    wraps: NDArray[np.int64],
    character: int,
    numbers: NDArray[np.float64],
    reach: Table,
    side: int,
    out: SampleRows,
) -> None:
    """Fill each row of `out` as `noise` fills one. Rows beside each other that are read at the same positions, as those
    of one period are, go through their octaves together.

    Parameters
    ----------
    position : (rows, frames) array
        Cells.
    wraps : (rows,) array
        Whole cells; 0 is endless.
    numbers : (rows, 7, 1 or frames) array
        Octaves, roughness, seed, amplitude and offset in the channel's unit, bias, gain.
    reach : (characters, 2, octaves, roughnesses) array
        As of `noise`.
    out : (rows, frames) array
        Filled, in the channel's unit.
    """
    rows, row = out.shape[0], 0
    while row < rows:
        end = row + 1
        if out.shape[1] <= BLOCK:
            while end < rows and wraps[end] == wraps[row] and np.array_equal(position[end], position[row]):
                end += 1
        if end == row + 1:
            noise(position[row], wraps[row], character, numbers[row], reach, side, out[row])
        else:
            octaves_at(position[row], wraps[row], character, numbers[row:end], out[row:end])
            for k in range(row, end):
                shape_noise(numbers[k, :3], numbers[k, 3:], reach[character], side, out[k])
        row = end
