"""Undulate: a wave runs along the axis.

    d = A · sin 2π(u/λ − ∫speed/λ dt − phase)

in the chosen direction or along the surface's own normals. The speed is integrated: keying it never makes it jump.
"""

from __future__ import annotations

from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from lazzik.core.channel.phase import accumulate
from lazzik.core.deformers.base import Deformer, Extent, Moment, Numbers, Tracks, span_of, within
from lazzik.core.document import Quantity
from lazzik.core.layers import Number  # with its layers resolved
from lazzik.core.types import Points, Samples


class Undulate(Deformer):
    """A running wave."""

    title: ClassVar[str] = "Undulate"
    summary: ClassVar[str] = "A wave runs along it: flags, windsocks, eels. Fade holds an edge still."
    idle_at: ClassVar[dict[str, float]] = {"height": 0.0}
    pushes: ClassVar[bool] = True
    segments: ClassVar[float] = 8.0

    kind: Literal["undulate"]
    height: Annotated[Number, Quantity("own", "How far the wave goes.", (0, 0.3), 0.001)] = 0.1
    length: Annotated[Number, Quantity("own", "Metres from crest to crest.", (0.05, 2), 0.01, low=1e-4)] = 0.5
    speed: Annotated[Number, Quantity("own/s", "Metres a second that it runs, toward the end.", (-2, 2), 0.01)] = 0.5
    phase: Annotated[Number, Quantity("cyc", "Where in the cycle it begins.", (-1, 1), 0.01)] = 0.0
    toward: Literal["side", "across", "axis", "normals"] = "side"

    def plan(self, tracks: Tracks) -> dict[str, NDArray[np.float64]]:
        """Crests that have run past the start."""
        return {"crests": crests(tracks)}

    def lifted(self, inside: Points, numbers: Numbers, moment: Moment) -> Samples:
        """(n,) the wave's height at points of the span."""
        cycles = inside[:, 0] / numbers["length"] - moment.of("crests") - numbers["phase"]
        wave: Samples = numbers["height"] * np.sin(2 * np.pi * cycles)
        return np.where(within(inside, numbers), wave, 0.0)

    def detail(self, numbers: Numbers, length: float) -> float:
        """An eighth of each wave, or so."""
        return numbers["length"] / self.segments

    @classmethod
    def suited(cls, extent: Extent) -> dict[str, Any]:
        """A wave and a half along it, its start held."""
        span = span_of(extent)
        reach = float(f"{max(span['end'] - span['start'], 1e-3):.3g}")
        height, length = float(f"{reach / 12:.2g}"), float(f"{reach / 1.5:.3g}")
        return span | {"height": height, "length": length, "speed": length, "fade": "start"}


def crests(tracks: Tracks) -> NDArray[np.float64]:
    """(frames,) ∫ speed/length dt since the scene's first frame."""
    return accumulate(lambda at: tracks.number("speed", at) / tracks.number("length", at), tracks.clock, None).cycles
