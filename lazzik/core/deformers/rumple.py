"""Rumple: roughened by noise in space, still or drifting.

    d = A · Σ roughness^j · n(2^j · p / size + drift·t along the axis) / Σ roughness^j

n is the solid noise of solid.py, so |d| ≤ A. The drift is integrated.
"""

from __future__ import annotations

from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from lazzik.core.channel.phase import accumulate
from lazzik.core.deformers.base import Deformer, Extent, Moment, Numbers, Tracks, span_of, within
from lazzik.core.deformers.solid import solid_noise
from lazzik.core.document import Quantity
from lazzik.core.layers import Number  # with its layers resolved
from lazzik.core.types import Points, Samples


class Rumple(Deformer):
    """By noise."""

    title: ClassVar[str] = "Rumple"
    summary: ClassVar[str] = "Roughens it by noise in space: rocks, crumpled cloth, a surface that boils."
    idle_at: ClassVar[dict[str, float]] = {"height": 0.0}
    pushes: ClassVar[bool] = True
    segments: ClassVar[float] = 10.0

    kind: Literal["rumple"]
    height: Annotated[Number, Quantity("own", "The farthest it goes. Never exceeded.", (0, 0.3), 0.001)] = 0.1
    size: Annotated[Number, Quantity("own", "Metres from one bump to the next.", (0.02, 1), 0.01, low=1e-4)] = 0.3
    octaves: Annotated[
        Number, Quantity("", "How many layers of ever finer detail.", (1, 5), 1, low=1, high=8, whole=True)
    ] = 2.0
    roughness: Annotated[Number, Quantity("", "How strong each finer one is.", (0, 1), 0.01, low=0, high=1)] = 0.5
    drift: Annotated[Number, Quantity("Hz", "Bumps a second that pass along the axis.", (-2, 2), 0.01)] = 0.4
    seed: Annotated[Number, Quantity("", "Other bumps.", (0, 99), 1, low=0, high=2**31, whole=True)] = 0.0
    toward: Literal["normals", "side", "across", "axis"] = "normals"

    def plan(self, tracks: Tracks) -> dict[str, NDArray[np.float64]]:
        """Bumps that have passed."""
        return {"passed": accumulate(lambda at: tracks.number("drift", at), tracks.clock, None).cycles}

    def lifted(self, inside: Points, numbers: Numbers, moment: Moment) -> Samples:
        """(n,) the noise at points of the span."""
        total, weights, one = np.zeros(len(inside)), 0.0, np.empty(len(inside))
        for j in range(int(numbers["octaves"])):
            share = numbers["roughness"] ** j
            cells = inside * (2.0**j / numbers["size"])
            cells[:, 0] -= float(moment.of("passed")) * 2.0**j
            solid_noise(np.ascontiguousarray(cells), int(numbers["seed"]) + 131 * j, one)
            total += share * one
            weights += share
        return np.where(within(inside, numbers), numbers["height"] * total / weights, 0.0)

    def detail(self, numbers: Numbers, length: float) -> float:
        """An eighth of each wave, or so."""
        return numbers["size"] / self.segments

    @classmethod
    def suited(cls, extent: Extent) -> dict[str, Any]:
        """Some bumps along its longest side."""
        size = extent.size
        return span_of(extent) | {"height": float(f"{size / 10:.2g}"), "size": float(f"{size / 3:.3g}")}
