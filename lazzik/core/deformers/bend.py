"""Bend: the axis becomes an arc, and lengths along it are kept.

Within the span, s = u − a from the place that is held, κ = θ·m / L,

    u' = a + (1/κ − v)·sin κs,   v' = 1/κ − (1/κ − v)·cos κs

and beyond it the shape goes straight on. v is the way it bends, turned about the axis by `direction`.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any, ClassVar, Literal

import numpy as np

from lazzik.core.deformers.base import Deformer, Moments, Numbers, sideways, span_of
from lazzik.core.deformers.extent import Extent
from lazzik.core.document import Option, Quantity
from lazzik.core.kernels import kernel
from lazzik.core.layers import Number  # with its layers resolved
from lazzik.core.trigonometry import sine_and_cosine
from lazzik.core.types import RowBlock, Samples, Shares

HELD = ("start", "middle", "end")


class Bend(Deformer):
    """Into an arc."""

    title: ClassVar[str] = "Bend"
    summary: ClassVar[str] = "Curves it into an arc: aerials, stalks, a bar into a ring. A half turn is just 180°."
    idle_at: ClassVar[dict[str, float]] = {"angle": 0.0}

    kind: Literal["bend"]
    angle: Annotated[Number, Quantity("°", "The whole arc's angle.", (-180, 180), 0.1)] = 45.0
    direction: Annotated[Number, Quantity("°", "Which way it bends, about its axis.", (-180, 180), 1)] = 0.0
    held: Annotated[
        Literal["start", "middle", "end"],
        Option(
            "The place along the axis that stays as it is while the rest bends.",
            label="anchored",
            words={"start": "its start", "middle": "its middle", "end": "its end"},
        ),
    ] = "start"

    def shaped(self, inside: RowBlock, counts: Shares, numbers: Numbers, moments: Moments) -> RowBlock:
        """(moments, 3, n) the points along the arc; the angle is what the counts blend."""
        out = np.empty_like(inside)
        start, end = numbers["start"], numbers["end"]
        held = (start, 0.5 * (start + end), end)[HELD.index(self.held)]
        angle, turn = np.radians(numbers["angle"]), np.radians(numbers["direction"])
        arc(inside, counts, start, end, held, angle, turn, out)
        return out

    def detail(self, numbers: Mapping[str, float], length: float) -> float:
        """A segment for every fifteen degrees, and at least four."""
        return length / max(4.0, abs(numbers["angle"]) / 15.0)

    @classmethod
    def suited(cls, extent: Extent) -> dict[str, Any]:
        """An eighth of a turn over its whole length, across its thinnest side."""
        return span_of(extent) | sideways(extent)


@kernel(
    "void(float64[:, :, ::1], float64[:, ::1], float64[::1], float64[::1], float64[::1], float64[::1], float64[::1],"
    " float64[:, :, ::1])",
    fuse=True,
)
def arc(
    inside: RowBlock,
    counts: Shares,
    start: Samples,
    end: Samples,
    held: Samples,
    angle: Samples,
    turn: Samples,
    out: RowBlock,
) -> None:
    """Fill `out` (moments, 3, n). start, end, held, angle, turn (moments,), angles in radians; a span without length
    bends nothing.

    Parameters
    ----------
    inside : (moments or 1, 3, n) array
        Metres, in the deformer's coordinates, by rows.
    counts : (moments or 1, n) array
        How much it counts at each point.
    start, end, held : (moments,) arrays
        Metres along the axis; `held` is what stays where it is.
    angle, turn : (moments,) arrays
        Radians: of the whole arc, and of its plane about the axis.
    out : (moments, 3, n) array
        Filled.
    """
    for m in range(inside.shape[0]):
        low, high, still = start[m], end[m], held[m]
        length = high - low
        curved = angle[m] / length if length > 0.0 else 0.0
        s, c = sine_and_cosine(turn[m])
        for i in range(inside.shape[2]):
            u, x, y = inside[m, 0, i], inside[m, 1, i], inside[m, 2, i]
            k = curved * counts[m, i]
            v, w = c * x + s * y, -s * x + c * y
            a = min(max(u, low), high)
            way, rest = a - still, u - a
            phi = k * way
            sine, cosine = sine_and_cosine(phi)
            # sin φ/κ and (1 − cos φ)/κ, where κ may be nothing; no branch, as several points are worked out at once
            slight = abs(phi) < 1e-5
            radius = 1.0 / k
            along = way * (1.0 - phi * phi / 6.0) if slight else sine * radius
            side = way * phi * (0.5 - phi * phi / 24.0) if slight else (1.0 - cosine) * radius
            u2 = still + along - v * sine + rest * cosine
            v2 = side + v * cosine + rest * sine
            straight = k == 0.0
            out[m, 0, i] = u if straight else u2
            out[m, 1, i] = x if straight else c * v2 - s * w
            out[m, 2, i] = y if straight else s * v2 + c * w
