"""Sway: the root stays, the rest leans with the wind, slowly in the trunk and quickly toward the tip.

With s = (u − a)/L and two smooth noises of time, slow g and quick h, the axis is bent by

    κ(s)·L = θ·m·[g(t) + tip·h(t)·s²]

and the points follow it: the axis is integrated from the root in STEPS steps, so its length is kept. A second lean,
across the first and a quarter as strong, takes other noises. In a loop the noises repeat.
"""

from __future__ import annotations

import math
from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from lazzik.core.channel.phase import integrate
from lazzik.core.deformers.base import Deformer, Moments, Numbers, Tracks, sideways, span_of
from lazzik.core.deformers.extent import Extent
from lazzik.core.document import LARGEST, Finite, Quantity
from lazzik.core.kernels import kernel
from lazzik.core.layers import Number  # with its layers resolved
from lazzik.core.layers.noise import octave_noise
from lazzik.core.types import PointBlock, Samples, Shares

STEPS = 64
"""Steps along the axis: the arc of each is straight to a ten-thousandth of its length for leans under a half turn."""

ACROSS = 0.25


class Sway(Deformer):
    """In the wind."""

    title: ClassVar[str] = "Sway"
    summary: ClassVar[str] = "Leans in the wind from a root that stays: trees, grass, masts, pennants."
    idle_at: ClassVar[dict[str, float]] = {"angle": 0.0}

    kind: Literal["sway"]
    angle: Annotated[Number, Quantity("°", "How far it leans at most.", (0, 60), 0.1, label="leans at most")] = 18.0
    period: Annotated[
        Number, Quantity("s", "Seconds from one lean of the trunk to the next.", (0.2, 8), 0.01, low=0.01, group="time")
    ] = 1.8
    tip: Annotated[Number, Quantity("×", "How much the tip adds of its own.", (0, 3), 0.01, label="tip adds")] = 0.8
    tip_period: Annotated[
        Number, Quantity("s", "Seconds of the tip's own motion.", (0.05, 3), 0.01, low=0.01, group="time")
    ] = 0.45
    lean: Annotated[
        Number, Quantity("°", "How far it leans at all times.", (-60, 60), 0.1, label="steady lean", rest=0.0)
    ] = 0.0
    direction: Annotated[Number, Quantity("°", "Which way, about its axis.", (-180, 180), 1)] = 0.0
    seed: Annotated[Number, Quantity("", "Another wind.", (0, 99), 1, low=0, high=LARGEST, whole=True)] = 0.0
    loop: Annotated[Finite, Field(gt=0)] | None = None
    """Frames after which it repeats; None is endless."""

    @property
    def moves_itself(self) -> bool:
        """The wind blows."""
        return self.angle != 0.0

    def plan(self, tracks: Tracks) -> dict[str, NDArray[np.float64]]:
        """The four noises: trunk and tip, with the wind and across it."""
        count = len(tracks.clock.frames)
        seeds = np.broadcast_to(np.asarray(tracks.number("seed"), dtype=float), count)
        out = np.empty((count, 4))
        for column, (name, salt) in enumerate((("period", 0), ("tip_period", 1), ("period", 2), ("tip_period", 3))):
            phase = integrate(tracks, (name,), lambda period: 1.0 / period, self.loop)
            numbers = np.stack([np.full(count, 1.5), np.full(count, 0.5), seeds * 7 + salt])
            one = np.empty(count)
            octave_noise(np.ascontiguousarray(phase.cycles), phase.wrap, 0, numbers, one)
            out[:, column] = _dwelling(one)
        return {"winds": out}

    def shaped(self, inside: PointBlock, counts: Shares, numbers: Numbers, moments: Moments) -> PointBlock:
        """(moments, n, 3) the points along the leaning axis."""
        trunk, tip, side, side_tip = moments.of("winds").T
        angle, turn = np.radians(numbers["angle"]), np.radians(numbers["direction"])
        bends = np.stack([np.radians(numbers["lean"]) + angle * trunk, angle * numbers["tip"] * tip,
                          ACROSS * angle * side, ACROSS * angle * numbers["tip"] * side_tip], 1)  # fmt: skip
        out = np.empty_like(inside)
        follow_axis(inside, counts, numbers["start"], numbers["end"], bends, turn, out)
        return out

    @classmethod
    def suited(cls, extent: Extent) -> dict[str, Any]:
        """From its foot upward, or along whatever is longest."""
        return span_of(extent) | sideways(extent)


def _dwelling(noise: Samples) -> Samples:
    """(frames,) noise in [−1, 1] that dwells at its extremes: Schlick's gain of 0.35."""
    v = 0.5 * (noise + 1.0)
    bend = (1.0 / 0.35 - 2.0) * (1.0 - 2.0 * v)
    return np.where(v < 0.5, v / (bend + 1.0), (bend - v) / (bend - 1.0)) * 2.0 - 1.0


@kernel(
    "void(float64[:, :, ::1], float64[:, ::1], float64[::1], float64[::1], float64[:, ::1], float64[::1],"
    " float64[:, :, ::1])"
)
def follow_axis(
    inside: PointBlock, counts: Shares, start: Samples, end: Samples, bends: Samples, turn: Samples, out: PointBlock
) -> None:
    """Fill `out` (moments, n, 3). start, end, turn (moments,); `bends` (moments, 4) in radians: trunk and tip with the
    wind, trunk and tip across it.

    The heading of the axis at s, with the wind, is trunk·s + tip·s³/3, in full strength; a point that counts less
    follows an axis that is bent less, found by scaling the headings.

    Parameters
    ----------
    inside : (moments or 1, n, 3) array
        Metres, in the deformer's coordinates.
    counts : (moments or 1, n) array
        How much it counts at each point.
    start, end : (moments,) arrays
        Metres along the axis.
    bends : (moments, 4) array
        Radians: trunk and tip with the wind, trunk and tip across it.
    turn : (moments,) array
        Radians of the wind about the axis.
    out : (moments, n, 3) array
        Filled.
    """
    for m in range(inside.shape[0]):
        length = end[m] - start[m]
        c, sn = math.cos(turn[m]), math.sin(turn[m])
        for i in range(inside.shape[1]):
            u, x, y = inside[m, i, 0], inside[m, i, 1], inside[m, i, 2]
            share = counts[m, i]
            if length <= 0.0 or share == 0.0 or u <= start[m]:
                out[m, i, 0], out[m, i, 1], out[m, i, 2] = u, x, y
                continue
            v, w = c * x + sn * y, -sn * x + c * y
            s = min((u - start[m]) / length, 1.0)
            # the way from the root to s along the bent axis, by the midpoint rule
            steps = max(1, int(math.ceil(s * STEPS)))
            d = s / steps
            pu, pv, pw = 0.0, 0.0, 0.0
            for k in range(steps):
                q = (k + 0.5) * d
                a = share * (bends[m, 0] * q + bends[m, 1] * q * q * q / 3.0)
                b = share * (bends[m, 2] * q + bends[m, 3] * q * q * q / 3.0)
                cosb = math.cos(b)
                pu += math.cos(a) * cosb
                pv += math.sin(a) * cosb
                pw += math.sin(b)
            pu, pv, pw = pu * d * length, pv * d * length, pw * d * length
            a = share * (bends[m, 0] * s + bends[m, 1] * s * s * s / 3.0)
            b = share * (bends[m, 2] * s + bends[m, 3] * s * s * s / 3.0)
            ca, sa, cb, sb = math.cos(a), math.sin(a), math.cos(b), math.sin(b)
            rest = u - start[m] - s * length
            # the frame at s: along (ca·cb, sa·cb, sb), the way of v (−sa, ca, 0), the way of w across both
            u2 = start[m] + pu + rest * ca * cb - v * sa - w * ca * sb
            v2 = pv + rest * sa * cb + v * ca - w * sa * sb
            w2 = pw + rest * sb + w * cb
            out[m, i, 0], out[m, i, 1], out[m, i, 2] = u2, c * v2 - sn * w2, sn * v2 + c * w2
