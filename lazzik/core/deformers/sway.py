"""Sway: the root stays, the rest leans with the wind, slowly in the trunk and quickly toward the tip.

With s = (u − a)/L and two smooth noises of time, slow g and quick h, the axis is bent by

    κ(s)·L = θ·m·[g(t) + tip·h(t)·s²]

and the points follow it: the axis is integrated from the root in STEPS steps, so its length is kept. A second lean,
across the first and a quarter as strong, takes other noises. In a loop the noises repeat.

In the air, g and h are what the wind at the root does to two oscillators (layers/response.py), 1 at 10 m/s: one with
the trunk's period, one with the tip's, each in the wind's two components about the axis, so it leans where that blows.
"""

from __future__ import annotations

import math
from functools import partial
from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from lazzik.core.channel.phase import integrate
from lazzik.core.channel.repeats import Repeats
from lazzik.core.clock import Clock
from lazzik.core.deformers.base import Deformer, Moments, Numbers, Tracks, sideways, span_of
from lazzik.core.deformers.extent import Extent
from lazzik.core.document import LARGEST, Option, Quantity
from lazzik.core.kernels import kernel
from lazzik.core.layers import Number  # with its layers resolved
from lazzik.core.layers.breeze import USUAL
from lazzik.core.layers.octaves import octave_noise
from lazzik.core.layers.response import Spring, answer
from lazzik.core.types import RowBlock, Samples, Shares

STEPS = 64
"""Steps along the axis: the arc of each is straight to a ten-thousandth of its length for leans under a half turn."""

ACROSS = 0.25


class Sway(Deformer, Repeats):
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
    seed: Annotated[
        Number,
        Quantity("", "Another wind.", (0, 99), 1, low=0, high=LARGEST, whole=True, only={"wind": ("own",)}),
    ] = 0.0
    wind: Annotated[
        Literal["own", "air"],
        Option(
            "Which wind it leans in: one of its own, or the scene's air where its root stands.",
            label="leans in",
            words={"own": "a wind of its own", "air": "the air"},
        ),
    ] = "own"
    damping: Annotated[
        Number,
        Quantity(
            "", "How fast it comes to rest: under 1 it swings back.", (0, 1.2), 0.01, low=0, high=100, group="time",
            only={"wind": ("air",)},
        ),
    ] = 0.2  # fmt: skip

    @property
    def moves_itself(self) -> bool:
        """The wind blows."""
        return self.angle != 0.0

    @property
    def in_air(self) -> bool:
        """Whether it leans in the scene's air."""
        return self.wind == "air"

    def plan(self, tracks: Tracks) -> dict[str, NDArray[np.float64]]:
        """How far trunk and tip lean with the wind and across it, as shares of the angle."""
        if self.in_air:
            return {"winds": self._answers(tracks)}
        count = len(tracks.clock.frames)
        seeds = np.broadcast_to(np.asarray(tracks.number("seed"), dtype=float), count)
        out = np.empty((count, 4))
        for column, (name, salt) in enumerate((("period", 0), ("tip_period", 1), ("period", 2), ("tip_period", 3))):
            phase = integrate(tracks, (name,), lambda period: 1.0 / period, self.loop)
            numbers = np.stack([np.full(count, 1.5), np.full(count, 0.5), seeds * 7 + salt])
            one = np.empty(count)
            octave_noise(np.ascontiguousarray(phase.cycles), phase.wrap, 0, numbers, one)
            out[:, column] = _dwelling(one)
        out[:, 2:] *= ACROSS
        return {"winds": out}

    def _answers(self, tracks: Tracks) -> Samples:
        """(frames, 4) what the air at the root does to trunk and tip: in its direction, then across that."""
        airflow, clock = tracks.airflow(), tracks.clock
        out = np.empty((len(clock.frames), 4))

        def lean(at: Clock) -> Samples:
            turn = np.radians(tracks.number("direction", at))
            v, w = airflow.velocity(at).T[1:] / USUAL
            c, s = np.cos(turn), np.sin(turn)
            return np.stack([c * v + s * w, c * w - s * v], axis=1)

        for column, name in enumerate(("period", "tip_period")):
            spring = Spring(partial(self._frequency, tracks, name), partial(tracks.number, "damping"))
            out[:, column::2] = answer(lean, airflow, spring, clock, self.loop)
        return out

    def _frequency(self, tracks: Tracks, name: str, clock: Clock) -> Samples:
        """(frames,) hertz of a period."""
        return np.asarray(1.0 / np.asarray(tracks.number(name, clock)))

    def shaped(self, inside: RowBlock, counts: Shares, numbers: Numbers, moments: Moments) -> RowBlock:
        """(moments, 3, n) the points along the leaning axis."""
        trunk, tip, side, side_tip = moments.of("winds").T
        angle, turn = np.radians(numbers["angle"]), np.radians(numbers["direction"])
        bends = np.stack([np.radians(numbers["lean"]) + angle * trunk, angle * numbers["tip"] * tip,
                          angle * side, angle * numbers["tip"] * side_tip], 1)  # fmt: skip
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
    inside: RowBlock, counts: Shares, start: Samples, end: Samples, bends: Samples, turn: Samples, out: RowBlock
) -> None:
    """Fill `out` (moments, 3, n). start, end, turn (moments,); `bends` (moments, 4) in radians: trunk and tip with the
    wind, trunk and tip across it.

    The heading of the axis at s, with the wind, is trunk·s + tip·s³/3, in full strength; a point that counts less
    follows an axis that is bent less, found by scaling the headings.

    Parameters
    ----------
    inside : (moments or 1, 3, n) array
        Metres, in the deformer's coordinates, by rows.
    counts : (moments or 1, n) array
        How much it counts at each point.
    start, end : (moments,) arrays
        Metres along the axis.
    bends : (moments, 4) array
        Radians: trunk and tip with the wind, trunk and tip across it.
    turn : (moments,) array
        Radians of the wind about the axis.
    out : (moments, 3, n) array
        Filled.
    """
    for m in range(inside.shape[0]):
        length = end[m] - start[m]
        c, sn = math.cos(turn[m]), math.sin(turn[m])
        known_u, known_share = -math.inf, -math.inf
        pu = pv = pw = rest = ca = sa = cb = sb = 0.0
        for i in range(inside.shape[2]):
            u, x, y = inside[m, 0, i], inside[m, 1, i], inside[m, 2, i]
            share = counts[m, i]
            if length <= 0.0 or share == 0.0 or u <= start[m]:
                out[m, 0, i], out[m, 1, i], out[m, 2, i] = u, x, y
                continue
            v, w = c * x + sn * y, -sn * x + c * y
            if u != known_u or share != known_share:  # points of one ring share their place on the axis
                known_u, known_share = u, share
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
            out[m, 0, i], out[m, 1, i], out[m, 2, i] = u2, c * v2 - sn * w2, sn * v2 + c * w2
