"""Twist: turned about the axis, the more the farther along.

φ(u) = θ · m · (clamp(u, a, b) − held) / (b − a)
"""

from __future__ import annotations

import math
from typing import Annotated, Any, ClassVar, Literal

import numpy as np

from lazzik.core.deformers.base import Deformer, Extent, Moment, Numbers, span_of
from lazzik.core.document import Quantity
from lazzik.core.kernels import kernel
from lazzik.core.layers import Number  # with its layers resolved
from lazzik.core.types import Points, Samples


class Twist(Deformer):
    """About its axis."""

    title: ClassVar[str] = "Twist"
    summary: ClassVar[str] = "Turns one end against the other: ribbons, wrung cloth, plates under load."
    idle_at: ClassVar[dict[str, float]] = {"angle": 0.0}

    kind: Literal["twist"]
    angle: Annotated[Number, Quantity("°", "How far the end is turned against the start.", (-360, 360), 1)] = 90.0
    held: Literal["start", "middle", "end"] = "start"

    def shaped(self, inside: Points, counts: Samples, numbers: Numbers, moment: Moment) -> Points:
        """(n, 3) the turned points; the angle is what the counts blend."""
        out = np.empty_like(inside)
        start, end = numbers["start"], numbers["end"]
        held = {"start": start, "middle": 0.5 * (start + end), "end": end}[self.held]
        wring(inside, counts, start, end, held, math.radians(numbers["angle"]), out)
        return out

    def detail(self, numbers: Numbers, length: float) -> float:
        """A segment for every fifteen degrees, and at least four."""
        return length / max(4.0, abs(numbers["angle"]) / 15.0)

    @classmethod
    def suited(cls, extent: Extent) -> dict[str, Any]:
        """A quarter turn over its whole length."""
        return span_of(extent)


@kernel("void(float64[:, ::1], float64[::1], float64, float64, float64, float64, float64[:, ::1])")
def wring(inside: Points, counts: Samples, start: float, end: float, held: float, angle: float, out: Points) -> None:
    """Fill `out` (n, 3). Angle in radians; a span without length turns nothing."""
    length = end - start
    for i in range(inside.shape[0]):
        u, v, w = inside[i, 0], inside[i, 1], inside[i, 2]
        phi = angle * counts[i] * (min(max(u, start), end) - held) / length if length > 0.0 else 0.0
        out[i, 0] = u
        if phi == 0.0:
            out[i, 1], out[i, 2] = v, w
        else:
            c, s = math.cos(phi), math.sin(phi)
            out[i, 1], out[i, 2] = c * v - s * w, s * v + c * w
