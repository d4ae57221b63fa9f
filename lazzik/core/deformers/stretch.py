"""Stretch: longer or shorter along the axis, and by choice as much thinner or thicker that the volume is kept.

    u' = h + f·(clamp(u, a, b) − h) + (u − clamp(u, a, b)),   v, w times 1/√f where the volume is kept

h is the place that is held. Beyond the span the shape moves on as it is, its width too, so nothing tears.
"""

from __future__ import annotations

from typing import Annotated, Any, ClassVar, Literal

import numpy as np

from lazzik.core.deformers.base import Deformer, Extent, Moment, Numbers, span_of
from lazzik.core.document import Quantity
from lazzik.core.layers import Number  # with its layers resolved
from lazzik.core.types import Points, Samples


class Stretch(Deformer):
    """Longer and thinner."""

    title: ClassVar[str] = "Stretch"
    summary: ClassVar[str] = "Pulls long or squashes flat, keeping its volume: landings, entrances, breath."
    idle_at: ClassVar[dict[str, float]] = {"factor": 1.0}

    kind: Literal["stretch"]
    factor: Annotated[Number, Quantity("×", "Length, times what it is.", (0.3, 3), 0.01, low=0.01, high=100)] = 1.4
    volume: Literal["kept", "free"] = "kept"
    held: Literal["start", "middle", "end"] = "start"

    def shaped(self, inside: Points, counts: Samples, numbers: Numbers, moment: Moment) -> Points:
        """(n, 3) the stretched points; the factor is what the counts blend, so that the volume is kept in between."""
        start, end = numbers["start"], numbers["end"]
        held = {"start": start, "middle": 0.5 * (start + end), "end": end}[self.held]
        f = np.maximum(1.0 + counts * (numbers["factor"] - 1.0), 1e-3)
        u = inside[:, 0]
        a = np.clip(u, start, max(start, end))
        out = np.empty_like(inside)
        out[:, 0] = np.where(f == 1.0, u, held + f * (a - held) + (u - a))
        width = 1.0 / np.sqrt(f) if self.volume == "kept" else 1.0
        out[:, 1], out[:, 2] = inside[:, 1] * width, inside[:, 2] * width
        return out

    def detail(self, numbers: Numbers, length: float) -> float:
        """Any mesh will do: straight stays straight."""
        return float("inf")

    @classmethod
    def suited(cls, extent: Extent) -> dict[str, Any]:
        """Over its whole length."""
        return span_of(extent)
