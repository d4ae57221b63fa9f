"""Smooth: takes the nervousness out of what lies below without delaying it.

A zero-phase low pass: the mean of what lies around, weighted by a Gaussian of σ = √(ln 2) / (2π · cut-off), at which a
wave of the cut-off frequency keeps 1/√2 of its height. What lies below is read on the clock's fixed sub-step grid, also
before and after the frames asked for, so the ends are no special case.
"""

from __future__ import annotations

import math
from typing import Annotated, Any, ClassVar, Literal

import numpy as np

from lazzik.core.channel.channel import Number
from lazzik.core.channel.combine import Combine
from lazzik.core.channel.layer import Family, Inputs, Landing, Layer
from lazzik.core.clock import SUBSTEPS
from lazzik.core.document import Quantity
from lazzik.core.kernels import kernel
from lazzik.core.types import Samples

REACH = 4.0
"""Standard deviations on either side that are taken in; beyond lies less than 1e-4 of the weight."""


class Smooth(Layer):
    """Zero-phase low pass."""

    family: ClassVar[Family] = "logic"
    title: ClassVar[str] = "Smooth"
    summary: ClassVar[str] = "Calms what lies below without delay: takes out the quick, keeps the slow."
    needs: ClassVar[Literal["", "motion", "keys"]] = "motion"

    kind: Literal["smooth"]
    combine: Combine = "replace"
    cutoff: Annotated[
        Number, Quantity("Hz", "Quicker oscillations than this are taken out.", (0.1, 10), 0.01, low=0.02, high=1000)
    ] = 1.0

    def signal(self, inputs: Inputs) -> Samples:
        """(frames,) what lies below, smoothed."""
        clock = inputs.clock
        cutoff = np.broadcast_to(np.asarray(inputs.number("cutoff"), dtype=float), clock.frames.shape)
        spread = np.ascontiguousarray(math.sqrt(math.log(2)) / (2 * math.pi * cutoff) * clock.fps * SUBSTEPS)
        margin = int(math.ceil(REACH * spread.max())) + 2
        places = clock.elapsed * SUBSTEPS
        first = int(math.floor(places.min())) - margin
        last = int(math.ceil(places.max())) + margin
        below = inputs.below(clock.at(clock.first + np.arange(first, last + 1) / SUBSTEPS))
        out = np.empty(len(places))
        gaussian_mean(below, places - first, spread, out)
        return out

    @classmethod
    def suited(cls, landing: Landing) -> dict[str, Any]:
        """Slow enough to be seen at any frame rate."""
        return {"cutoff": 1.0}


@kernel("void(float64[::1], float64[::1], float64[::1], float64[::1])")
def gaussian_mean(samples: Samples, places: Samples, spread: Samples, out: Samples) -> None:
    """Fill `out` with the mean of `samples` around each place, Gaussian weights of the given spread (in samples)."""
    for i in range(places.shape[0]):
        reach = REACH * spread[i]
        low, high = math.ceil(places[i] - reach - 1.0), math.floor(places[i] + reach + 1.0)
        total, weights = 0.0, 0.0
        for j in range(low, high + 1):
            u = (j - places[i]) / spread[i]
            w = math.exp(-0.5 * u * u)
            total += w * samples[j]
            weights += w
        out[i] = total / weights
