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
from lazzik.core.types import PointBlock, Samples, Shares

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

    def shaped(self, inside: PointBlock, counts: Shares, numbers: Numbers, moments: Moments) -> PointBlock:
        """(moments, n, 3) the stretched points. `counts` is weight · mask: the fade is part of what is summed up."""
        out = inside.copy()
        at = along(inside, numbers)
        for k, (start, end) in enumerate(zip(numbers["start"], numbers["end"], strict=True)):
            if end <= start:
                continue
            u, share = inside[k, :, 0], counts[k] * (numbers["factor"][k] - 1.0)
            places = np.linspace(start, end, STEPS + 1)
            p = self._profile(places, u, start, end, numbers["fade_length"][k])
            from scipy.integrate import cumulative_simpson

            summed = cumulative_simpson(p, x=places, initial=0.0)
            held = {"start": 0.0, "middle": summed[STEPS // 2], "end": summed[-1]}[self.held]
            out[k, :, 0] = u + share * (np.interp(at[k], places, summed) - held)
            if self.volume == "kept":
                here = np.interp(at[k], places, p)
                out[k, :, 1:] *= (1.0 / np.sqrt(np.maximum(1.0 + share * here, 1e-3)))[:, None]
        return out

    def _profile(self, places: Samples, u: Samples, start: float, end: float, fade_length: float) -> Samples:
        """(places,) how much of the stretch acts along the span."""
        at = np.zeros((1, len(places), 3))
        at[0, :, 0] = places
        p = np.empty((1, len(places)))
        one = [np.array([value]) for value in (start, end, fade_length, 1.0)]
        edge_fade(at, one[0], one[1], one[2], FADES.index(self.fade), one[3], p)
        length = end - start
        for faded, reach, away in (
            (self.fade in ("start", "both"), start - float(u.min()), places - start),
            (self.fade in ("end", "both"), float(u.max()) - end, end - places),
        ):
            if not faded:
                low, high = BEYOND
                goes_on = smoothstep(np.array((reach / length - low) / (high - low)))
                p[0] *= 1.0 - goes_on * (1.0 - smoothstep(away / (ZONE * length)))
        return np.asarray(p[0])

    def detail(self, numbers: Mapping[str, float], length: float) -> float:
        """Any mesh will do: straight stays straight."""
        return float("inf")

    @classmethod
    def suited(cls, extent: Extent) -> dict[str, Any]:
        """Over its whole length."""
        return span_of(extent)
