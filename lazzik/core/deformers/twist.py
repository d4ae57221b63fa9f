"""Twist: turned about the axis, by one angle at the start of its span and another at its end.

φ(u) = m · (θ₀ + (θ₁ − θ₀) · (clamp(u, a, b) − a) / (b − a))
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any, ClassVar, Literal

import numpy as np

from lazzik.core.deformers.base import Deformer, Moments, Numbers, span_of
from lazzik.core.deformers.extent import Extent
from lazzik.core.document import Quantity
from lazzik.core.kernels import kernel
from lazzik.core.layers import Number  # with its layers resolved
from lazzik.core.trigonometry import sine_and_cosine
from lazzik.core.types import RowBlock, Samples, Shares


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

    def shaped(self, inside: RowBlock, counts: Shares, numbers: Numbers, moments: Moments) -> RowBlock:
        """(moments, 3, n) the turned points; the angle is what the counts blend."""
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
    " float64[:, :, ::1])",
    fuse=True,
)
def wring(
    inside: RowBlock, counts: Shares, start: Samples, end: Samples, first: Samples, last: Samples, out: RowBlock
) -> None:
    """Fill `out` (moments, 3, n). start, end and the angles there in radians, (moments,); a span without length turns
    nothing.

    Parameters
    ----------
    inside : (moments or 1, 3, n) array
        Metres, in the deformer's coordinates, by rows.
    counts : (moments or 1, n) array
        How much it counts at each point.
    start, end : (moments,) arrays
        Metres along the axis.
    first, last : (moments,) arrays
        Radians there.
    out : (moments, 3, n) array
        Filled.
    """
    for m in range(inside.shape[0]):
        low, high = start[m], end[m]
        length = high - low
        begins = first[m] if length > 0.0 else 0.0
        rises = (last[m] - first[m]) / length if length > 0.0 else 0.0
        for i in range(inside.shape[2]):
            u, v, w = inside[m, 0, i], inside[m, 1, i], inside[m, 2, i]
            phi = counts[m, i] * (begins + rises * (min(max(u, low), high) - low))
            s, c = sine_and_cosine(phi)
            out[m, 0, i] = u
            out[m, 1, i] = v if phi == 0.0 else c * v - s * w
            out[m, 2, i] = w if phi == 0.0 else s * v + c * w
