"""Twist: turned about the axis, by one angle at the start of its span and another at its end.

φ(u) = m · (θ₀ + (θ₁ − θ₀) · (clamp(u, a, b) − a) / (b − a))
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Annotated, Any, ClassVar, Literal

import numpy as np

from lazzik.core.deformers.base import Deformer, Moments, Numbers, span_of
from lazzik.core.deformers.extent import Extent
from lazzik.core.document import Quantity
from lazzik.core.kernels import kernel
from lazzik.core.layers import Number  # with its layers resolved
from lazzik.core.types import PointBlock, Samples, Shares


class Twist(Deformer):
    """About its axis."""

    title: ClassVar[str] = "Twist"
    summary: ClassVar[str] = "Turns one end against the other: ribbons, wrung cloth, plates under load."

    kind: Literal["twist"]
    start_angle: Annotated[
        Number, Quantity("°", "How far it is turned at the start.", (-360, 360), 1, label="angle at start")
    ] = 0.0
    angle: Annotated[
        Number, Quantity("°", "How far it is turned at the end.", (-360, 360), 1, label="angle at end")
    ] = 90.0

    def shaped(self, inside: PointBlock, counts: Shares, numbers: Numbers, moments: Moments) -> PointBlock:
        """(moments, n, 3) the turned points; the angle is what the counts blend."""
        out = np.empty_like(inside)
        first, last = np.radians(numbers["start_angle"]), np.radians(numbers["angle"])
        wring(inside, counts, numbers["start"], numbers["end"], first, last, out)
        return out

    def detail(self, numbers: Mapping[str, float], length: float) -> float:
        """A segment for every fifteen degrees, and at least four."""
        return length / max(4.0, abs(numbers["angle"] - numbers["start_angle"]) / 15.0)

    @classmethod
    def suited(cls, extent: Extent) -> dict[str, Any]:
        """A quarter turn over its whole length."""
        return span_of(extent)


@kernel(
    "void(float64[:, :, ::1], float64[:, ::1], float64[::1], float64[::1], float64[::1], float64[::1],"
    " float64[:, :, ::1])"
)
def wring(
    inside: PointBlock, counts: Shares, start: Samples, end: Samples, first: Samples, last: Samples, out: PointBlock
) -> None:
    """Fill `out` (moments, n, 3). start, end and the angles there in radians, (moments,); a span without length turns
    nothing.

    Parameters
    ----------
    inside : (moments or 1, n, 3) array
        Metres, in the deformer's coordinates.
    counts : (moments or 1, n) array
        How much it counts at each point.
    start, end : (moments,) arrays
        Metres along the axis.
    first, last : (moments,) arrays
        Radians there.
    out : (moments, n, 3) array
        Filled.
    """
    for m in range(inside.shape[0]):
        length = end[m] - start[m]
        for i in range(inside.shape[1]):
            u, v, w = inside[m, i, 0], inside[m, i, 1], inside[m, i, 2]
            phi = 0.0
            if length > 0.0:
                t = (min(max(u, start[m]), end[m]) - start[m]) / length
                phi = counts[m, i] * (first[m] + (last[m] - first[m]) * t)
            out[m, i, 0] = u
            if phi == 0.0:
                out[m, i, 1], out[m, i, 2] = v, w
            else:
                c, s = math.cos(phi), math.sin(phi)
                out[m, i, 1], out[m, i, 2] = c * v - s * w, s * v + c * w
