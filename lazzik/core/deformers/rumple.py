"""Rumple: roughened by noise in space, still or drifting.

    d = A · Σ roughness^j · n(2^j · p / size + drift·t along the axis) / Σ roughness^j

n is the solid noise of solid.py, so |d| ≤ A. The drift is integrated.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from lazzik.core.channel.phase import integrate
from lazzik.core.deformers.base import Deformer, Moments, Numbers, Tracks, along, span_of
from lazzik.core.deformers.extent import Extent
from lazzik.core.deformers.solid import solid_noise
from lazzik.core.document import LARGEST, Option, Quantity
from lazzik.core.layers import Number  # with its layers resolved
from lazzik.core.types import RowBlock, Shares


class Rumple(Deformer):
    """By noise."""

    title: ClassVar[str] = "Rumple"
    summary: ClassVar[str] = "Roughens it by noise in space: rocks, crumpled cloth, a surface that boils."
    idle_at: ClassVar[dict[str, float]] = {"height": 0.0}
    pushes: ClassVar[bool] = True
    segments: ClassVar[float] = 10.0

    kind: Literal["rumple"]
    height: Annotated[Number, Quantity("own", "The farthest it goes. Never exceeded.", (0, 0.3), 0.001)] = 0.1
    size: Annotated[
        Number, Quantity("own", "Metres from one bump to the next.", (0.02, 1), 0.01, low=1e-4, label="bump size")
    ] = 0.3
    octaves: Annotated[
        Number, Quantity("", "How many layers of ever finer detail.", (1, 5), 1, low=1, high=8, whole=True)
    ] = 2.0
    roughness: Annotated[Number, Quantity("", "How strong each finer one is.", (0, 1), 0.01, low=0, high=1)] = 0.5
    drift: Annotated[
        Number, Quantity("Hz", "Bumps a second that pass along the axis.", (-2, 2), 0.01, group="time")
    ] = 0.4
    seed: Annotated[Number, Quantity("", "Other bumps.", (0, 99), 1, low=0, high=LARGEST, whole=True)] = 0.0
    toward: Annotated[
        Literal["normals", "side", "across", "axis"],
        Option(
            "Which way points are pushed: off the surface, across the axis one way or the other, or along it.",
            label="pushes",
            words={"side": "sideways", "axis": "lengthways", "normals": "outward"},
        ),
    ] = "normals"

    @property
    def moves_itself(self) -> bool:
        """Its bumps pass."""
        return self.drift != 0.0 and self.height != 0.0

    def plan(self, tracks: Tracks) -> dict[str, NDArray[np.float64]]:
        """Bumps that have passed."""
        return {"passed": integrate(tracks, ("drift",), lambda drift: drift).cycles}

    def lifted(self, inside: RowBlock, numbers: Numbers, moments: Moments) -> Shares:
        """(moments, n) the noise; beyond the span it is that at its end."""
        at = inside / numbers["size"][:, None, None]
        at[:, 0] = along(inside, numbers) / numbers["size"][:, None] - moments.of("passed")[:, None]
        count = inside.shape[2]
        total, weights, one = np.zeros((len(inside), count)), np.zeros(len(inside)), np.empty((len(inside), count))
        for j in range(int(numbers["octaves"].max())):
            share = np.where(j < numbers["octaves"], numbers["roughness"] ** j, 0.0)
            solid_noise(at * 2.0**j, numbers["seed"] + 131.0 * j, one)
            total += share[:, None] * one
            weights += share
        return np.asarray((numbers["height"] / weights)[:, None] * total)

    def detail(self, numbers: Mapping[str, float], length: float) -> float:
        """An eighth of each wave, or so."""
        return numbers["size"] / self.segments

    @classmethod
    def suited(cls, extent: Extent) -> dict[str, Any]:
        """Some bumps along its longest side."""
        size = extent.size
        return span_of(extent) | {"height": float(f"{size / 6:.2g}"), "size": float(f"{size / 3:.3g}")}
