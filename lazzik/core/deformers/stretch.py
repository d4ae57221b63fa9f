"""Stretch: longer or shorter along the axis, and by choice as much thinner or thicker that the volume is kept.

    λ(u) = 1 + (f − 1)·m·p(u),   u' = h + ∫ λ du from h,   v, w times 1/√λ where the volume is kept

h is the place that is held, p the edge fade within the span. Beyond the span λ is 1: what lies there moves along, its
width untouched. Where the shape goes on beyond an end that is not faded, p falls there over an eighth of the span, so
that nothing tears; the volume is kept all the way. A span without length stretches nothing.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any, ClassVar, Literal

import numpy as np

from lazzik.core.deformers.base import Deformer, Moments, Numbers, along, span_of
from lazzik.core.deformers.extent import Extent
from lazzik.core.deformers.fades import FADES, edge_fade
from lazzik.core.document import Option, Quantity
from lazzik.core.hermite import smoothstep
from lazzik.core.layers import Number  # with its layers resolved
from lazzik.core.types import RowBlock, Samples, Shares

ZONE = 0.125
"""Part of the span over which the stretch falls toward an end beyond which the shape goes on."""

BEYOND = (0.002, 0.05)
"""Parts of the span by which a shape reaches beyond an end before that matters, and until it does wholly."""

STEPS = 1024
"""Steps in which the stretch is summed up along the span."""


class Stretch(Deformer):
    """Longer and thinner."""

    title: ClassVar[str] = "Stretch"
    summary: ClassVar[str] = "Pulls long or squashes flat, keeping its volume: landings, entrances, breath."
    idle_at: ClassVar[dict[str, float]] = {"factor": 1.0}
    fades_itself: ClassVar[bool] = True
    pointwise: ClassVar[bool] = False  # how far it stretches goes by how far the points reach

    kind: Literal["stretch"]
    factor: Annotated[
        Number, Quantity("×", "Length, times what it is.", (0.3, 3), 0.01, low=0.01, high=100, label="length")
    ] = 1.4
    volume: Annotated[
        Literal["kept", "free"],
        Option(
            "Whether what grows longer grows thinner, so that the volume stays.",
            words={"kept": "stays", "free": "changes"},
        ),
    ] = "kept"
    held: Annotated[
        Literal["start", "middle", "end"],
        Option(
            "The place along the axis that stays where it is.",
            label="anchored",
            words={"start": "its start", "middle": "its middle", "end": "its end"},
        ),
    ] = "start"

    def shaped(self, inside: RowBlock, counts: Shares, numbers: Numbers, moments: Moments) -> RowBlock:
        """(moments, 3, n) the stretched points. `counts` is weight · mask: the fade is part of what is summed up."""
        from scipy.integrate import cumulative_simpson

        out, at = inside.copy(), along(inside, numbers)
        spans = np.stack([numbers["start"], numbers["end"], numbers["fade_length"], inside[:, 0].min(axis=1),
                          inside[:, 0].max(axis=1)], axis=1)  # fmt: skip
        alike, which = np.unique(spans, axis=0, return_inverse=True)
        for row, (start, end, fade_length, low, high) in enumerate(alike.tolist()):
            if end <= start:
                continue
            now = which.ravel() == row  # the moments that stretch over the same
            places = np.linspace(start, end, STEPS + 1)
            p = self._profile(places, low, high, start, end, fade_length)
            summed = cumulative_simpson(p, x=places, initial=0.0)
            anchored = {"start": 0.0, "middle": summed[STEPS // 2], "end": summed[-1]}[self.held]
            share = counts[now] * (numbers["factor"][now] - 1.0)[:, None]
            out[now, 0] += share * (np.interp(at[now], places, summed) - anchored)
            if self.volume == "kept":
                here = np.interp(at[now], places, p)
                out[now, 1:] *= (1.0 / np.sqrt(np.maximum(1.0 + share * here, 1e-3)))[:, None]
        return out

    def _profile(
        self, places: Samples, low: float, high: float, start: float, end: float, fade_length: float
    ) -> Samples:
        """(places,) how much of the stretch acts along the span, of points from `low` to `high`."""
        at = np.zeros((1, 3, len(places)))
        at[0, 0] = places
        p = np.empty((1, len(places)))
        one = [np.array([value]) for value in (start, end, fade_length, 1.0)]
        edge_fade(at, one[0], one[1], one[2], FADES.index(self.fade), one[3], p)
        length = end - start
        for faded, reach, away in (
            (self.fade in ("start", "both"), start - low, places - start),
            (self.fade in ("end", "both"), high - end, end - places),
        ):
            if not faded:
                nearest, farthest = BEYOND
                goes_on = smoothstep(np.array((reach / length - nearest) / (farthest - nearest)))
                p[0] *= 1.0 - goes_on * (1.0 - smoothstep(away / (ZONE * length)))
        return np.asarray(p[0])

    def detail(self, numbers: Mapping[str, float], length: float) -> float:
        """Any mesh will do: straight stays straight."""
        return float("inf")

    @classmethod
    def suited(cls, extent: Extent) -> dict[str, Any]:
        """Over its whole length."""
        return span_of(extent)
