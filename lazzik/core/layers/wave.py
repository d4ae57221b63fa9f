"""Wave: regular oscillation, sine and its kin.

    y = amplitude · s(φ + phase) + offset,   φ = ∫ 1/period dt in cycles (channel/phase.py)

s over one cycle p in [0, 1): sine sin 2πp · triangle, rising from 0 · square 1 then −1 · saw −1 up to 1 ·
pulse 1 for the first `width` of the cycle, else 0. Softness rounds the corners of all but the sine: s is averaged over
a stretch of softness/2 cycles, by the difference of its antiderivative S at both ends,

    s̃(p) = (S(p + h) − S(p − h)) / 2h,   h = softness/4

so it never leaves the range of s. In a loop the number of cycles is rounded to a whole one.
"""

from __future__ import annotations

import math
from typing import Annotated, Any, ClassVar, Literal, Self

import numpy as np
from numpy.typing import NDArray

from lazzik.core.channel.channel import Number, base_value
from lazzik.core.channel.inputs import Inputs, ManyInputs
from lazzik.core.channel.layer import SHARE, Family, Landing, Layer
from lazzik.core.channel.phase import Phase, integrate, rounded_note, steady_phases
from lazzik.core.channel.scaling import moved_base
from lazzik.core.document import Option, Quantity
from lazzik.core.kernels import kernel
from lazzik.core.types import SampleRows, Samples

SHAPED = ("amplitude", "offset", "width", "softness")
"""The numbers that the kernel takes, in their order."""
SHAPES = ("sine", "triangle", "square", "saw", "pulse")
EDGE = 1e-9
"""Cycles: a place this little short of a jump counts as on it, so that rounding can't hold it back a frame."""


class Wave(Layer):
    """Regular oscillation."""

    family: ClassVar[Family] = "periodic"
    title: ClassVar[str] = "Wave"
    summary: ClassVar[str] = "Regular back and forth: swing, breath, blinking, limbs that share a beat."
    loops: ClassVar[bool] = True
    together: ClassVar[bool] = True
    idle_at: ClassVar[dict[str, float]] = {"amplitude": 0.0}
    feel: ClassVar[tuple[str, str] | None] = ("period", "amplitude")

    kind: Literal["wave"]
    amplitude: Annotated[Number, Quantity("own", "How far the wave goes from its centre.", (0, 4), 0.01)] = 1.0
    period: Annotated[
        Number, Quantity("s", "Seconds from one beat to the next.", (0.1, 8), 0.01, low=0.001, group="time")
    ] = 1.0
    phase: Annotated[
        Number, Quantity("cyc", "Where in the cycle it begins; 0.25 is a quarter.", (-1, 1), 0.01, group="time")
    ] = 0.0
    offset: Annotated[Number, Quantity("own", "Added to the value: moves the centre.", (-4, 4), 0.01, rest=0.0)] = 0.0
    width: Annotated[
        Number,
        Quantity(
            "",
            "Share of the cycle that a pulse lasts.",
            (0, 1),
            0.01,
            low=0,
            high=1,
            only={"shape": ("pulse",)},
            label="pulse width",
        ),
    ] = 0.5
    softness: Annotated[
        Number,
        Quantity(
            "",
            "Rounds the corners of all shapes but the sine.",
            (0, 1),
            0.01,
            low=0,
            high=1,
            only={"shape": ("triangle", "square", "saw", "pulse")},
        ),
    ] = 0.0
    shape: Annotated[Literal["sine", "triangle", "square", "saw", "pulse"], Option("The form of one beat.")] = "sine"

    def signal(self, inputs: Inputs) -> Samples:
        """(frames,) amplitude · shape + offset."""
        out = np.empty(len(inputs.clock.frames))
        cycles = self._phase(inputs).cycles + inputs.number("phase")
        wave(cycles, SHAPES.index(self.shape), inputs.table(*SHAPED), out)
        return out

    def signals(self, inputs: ManyInputs) -> SampleRows:
        """(layers, frames) amplitude · shape + offset of each."""
        phases = steady_phases(1.0 / inputs.number("period"), inputs.clock, self.loop)
        cycles = phases.cycles + inputs.number("phase")
        out = np.empty(cycles.shape)
        waves(cycles, SHAPES.index(self.shape), inputs.table(*SHAPED), out)
        return out

    def _phase(self, inputs: Inputs) -> Phase:
        return integrate(inputs, ("period",), lambda period: 1.0 / period, self.loop)

    def moved_in_time(self, frames: float, fps: float, loop: float | None) -> Self:
        """So much of its cycle earlier in it."""
        period = base_value(self.period)
        rate = 1.0 / period if loop is None else max(1, round(loop / fps / period)) * fps / loop
        moved = super().moved_in_time(frames, fps, loop)
        return moved.replaced(phase=moved_base(moved.phase, -frames / fps * rate))

    def note(self, inputs: Inputs) -> str:
        """The period that a loop rounds to."""
        return rounded_note(self._phase(inputs), self.loop, inputs.clock.fps) if self.loop else ""

    @classmethod
    def suited(cls, landing: Landing) -> dict[str, Any]:
        """A reach that is well seen, and some four beats over the range."""
        seconds = landing.frames / landing.fps
        return {"amplitude": landing.reach, "period": float(f"{min(max(seconds / 4, 0.2), 2.0):.2g}")}

    def factor_about(self, landing: Landing) -> dict[str, Any]:
        """About 1, some way up and down."""
        return {"offset": 1.0, "amplitude": SHARE}


@kernel("float64(float64, int64, float64)")
def plain(p: float, shape: int, width: float) -> float:
    """The shape at a place in the cycle, in [−1, 1]; p in [0, 1)."""
    if shape == 0:
        return math.sin(2.0 * math.pi * p)
    if shape == 1:
        return 4.0 * p if p < 0.25 else 2.0 - 4.0 * p if p < 0.75 else 4.0 * p - 4.0
    if shape == 2:
        return 1.0 if p < 0.5 else -1.0
    if shape == 3:
        return 2.0 * p - 1.0
    return 1.0 if p < width else 0.0


@kernel("float64(float64, int64, float64)")
def summed(place: float, shape: int, width: float) -> float:
    """The antiderivative of a cornered shape from 0 to any place, in cycles."""
    whole = math.floor(place)
    p = place - whole
    if shape == 1:
        if p < 0.25:
            return 2.0 * p * p
        if p < 0.75:
            return 2.0 * p - 2.0 * p * p - 0.25
        return 2.0 * (1.0 - p) * (1.0 - p)
    if shape == 2:
        return p if p < 0.5 else 1.0 - p
    if shape == 3:
        return p * p - p
    return whole * width + min(p, width)


@kernel("void(float64[::1], int64, float64[:, ::1], float64[::1])")
def wave(cycles: Samples, shape: int, numbers: Samples, out: Samples) -> None:
    """Fill `out` at `cycles`. `numbers` (4, 1 or frames): amplitude, offset, width, softness.

    Parameters
    ----------
    cycles : (frames,) array
        Turns that have passed.
    numbers : (4, 1 or frames) array
        Amplitude and offset in the channel's unit, width, softness.
    out : (frames,) array
        Filled, in the channel's unit.
    """
    driven = numbers.shape[1] > 1
    for i in range(cycles.shape[0]):
        k = i if driven else 0
        width, half = numbers[2, k], 0.25 * numbers[3, k]
        place = cycles[i]
        if half < 1e-6 or shape == 0:
            if shape >= 2:  # only what jumps has an edge that rounding could fall short of
                place += EDGE
            s = plain(place - math.floor(place), shape, width)
        else:
            s = (summed(place + half, shape, width) - summed(place - half, shape, width)) / (2.0 * half)
        out[i] = numbers[0, k] * min(1.0, max(-1.0, s)) + numbers[1, k]


@kernel("void(float64[:, ::1], int64, float64[:, :, ::1], float64[:, ::1])")
def waves(cycles: SampleRows, shape: int, numbers: NDArray[np.float64], out: SampleRows) -> None:
    """Fill each row of `out` as `wave` fills one.

    Parameters
    ----------
    cycles : (rows, frames) array
        Turns that have passed.
    numbers : (rows, 4, 1 or frames) array
        Amplitude and offset in the channel's unit, width, softness.
    out : (rows, frames) array
        Filled, in the channel's unit.
    """
    for row in range(out.shape[0]):
        wave(cycles[row], shape, numbers[row], out[row])
