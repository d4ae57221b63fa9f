"""Taper: the cross-section grows or shrinks along the axis.

f(u) = first + (last − first) · B(t),   t = (clamp(u, a, b) − a) / (b − a)

with Schlick's bias B as the curve between ('Fast alternatives to Perlin's bias and gain functions', Graphics Gems IV,
1994): straight at 0.5.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any, ClassVar, Literal

import numpy as np

from lazzik.core.deformers.base import Deformer, Moments, Numbers, along, span_of
from lazzik.core.deformers.extent import Extent
from lazzik.core.document import Quantity
from lazzik.core.layers import Number  # with its layers resolved
from lazzik.core.types import RowBlock, Shares


class Taper(Deformer):
    """Thinner toward an end."""

    title: ClassVar[str] = "Taper"
    summary: ClassVar[str] = "Thins or swells toward an end: masts, funnels, a bulge that travels."

    kind: Literal["taper"]
    first: Annotated[
        Number, Quantity("×", "Width at the start, times what it is.", (0, 2), 0.01, label="width at start")
    ] = 1.0
    last: Annotated[
        Number, Quantity("×", "Width at the end, times what it is.", (0, 2), 0.01, label="width at end")
    ] = 0.4
    curve: Annotated[
        Number,
        Quantity(
            "", "Where between it changes most: straight at 0.5.", (0.05, 0.95), 0.01, low=0.001, high=0.999, rest=0.5
        ),
    ] = 0.5

    def detail(self, numbers: Mapping[str, float], length: float) -> float:
        """A straight taper needs none between its ends."""
        return float("inf") if numbers["curve"] == 0.5 else length / self.segments

    def shaped(self, inside: RowBlock, counts: Shares, numbers: Numbers, moments: Moments) -> RowBlock:
        """(moments, 3, n) the thinned points, blended; a span without length thins nothing."""
        length = (numbers["end"] - numbers["start"])[:, None]
        first, last = numbers["first"][:, None], numbers["last"][:, None]
        t = (along(inside, numbers) - numbers["start"][:, None]) / np.where(length > 0, length, 1.0)
        bent = t / ((1.0 / numbers["curve"][:, None] - 2.0) * (1.0 - t) + 1.0)
        factor = np.where(length > 0, 1.0 + counts * (first + (last - first) * bent - 1.0), 1.0)
        out = inside.copy()
        out[:, 1:] *= factor[:, None]
        return out

    @classmethod
    def suited(cls, extent: Extent) -> dict[str, Any]:
        """Over its whole length."""
        return span_of(extent)
