"""Undulate: a wave runs along the axis.

    d = A · sin 2π(u/λ − ∫speed/λ dt − phase)

in the chosen direction or along the surface's own normals. The speed is integrated: keying it never makes it jump.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from lazzik.core.channel.phase import integrate
from lazzik.core.deformers.base import Deformer, Moments, Numbers, Tracks, span_of, thinnest_way
from lazzik.core.deformers.extent import Extent
from lazzik.core.document import Option, Quantity
from lazzik.core.kernels import kernel
from lazzik.core.layers import Number  # with its layers resolved
from lazzik.core.trigonometry import sine_and_cosine
from lazzik.core.types import RowBlock, Samples, Shares


class Undulate(Deformer):
    """A running wave."""

    title: ClassVar[str] = "Undulate"
    summary: ClassVar[str] = "A wave runs along it: flags, windsocks, eels. Fade holds an edge still."
    idle_at: ClassVar[dict[str, float]] = {"height": 0.0}
    pushes: ClassVar[bool] = True
    segments: ClassVar[float] = 8.0

    kind: Literal["undulate"]
    height: Annotated[Number, Quantity("own", "How far the wave goes.", (0, 0.3), 0.001)] = 0.1
    length: Annotated[
        Number, Quantity("own", "Metres from crest to crest.", (0.05, 2), 0.01, low=1e-4, label="wavelength")
    ] = 0.5
    speed: Annotated[
        Number, Quantity("own/s", "Metres a second that it runs, toward the end.", (-2, 2), 0.01, group="time")
    ] = 0.5
    phase: Annotated[
        Number, Quantity("cyc", "Where in the cycle it begins.", (-1, 1), 0.01, group="time", rest=0.0)
    ] = 0.0
    toward: Annotated[
        Literal["side", "across", "axis", "normals"],
        Option(
            "Which way points are pushed: across the axis one way or the other, along it, or off the surface.",
            label="pushes",
            words={"side": "sideways", "axis": "lengthways", "normals": "outward"},
        ),
    ] = "side"

    @property
    def moves_itself(self) -> bool:
        """Its waves run."""
        return self.speed != 0.0 and self.height != 0.0

    def plan(self, tracks: Tracks) -> dict[str, NDArray[np.float64]]:
        """Crests that have run past the start."""
        return {"crests": crests(tracks)}

    def lifted(self, inside: RowBlock, numbers: Numbers, moments: Moments) -> Shares:
        """(moments, n) the wave's height; beyond the span it is that at its end."""
        passed = np.empty(len(inside))
        passed[:] = moments.of("crests") + numbers["phase"]
        out = np.empty((len(inside), inside.shape[2]))
        start, end, length, height = (numbers[name] for name in ("start", "end", "length", "height"))
        wave(inside, start, end, length, height, passed, out)
        return out

    def detail(self, numbers: Mapping[str, float], length: float) -> float:
        """An eighth of each wave, or so."""
        return numbers["length"] / self.segments

    @classmethod
    def suited(cls, extent: Extent) -> dict[str, Any]:
        """A wave and a half along it, across its thinnest side, its start held."""
        span = span_of(extent)
        toward = ("side", "across")[thinnest_way(extent, span["axis"]) - 1]
        reach = float(f"{max(span['end'] - span['start'], 1e-3):.3g}")
        height, length = float(f"{reach / 12:.2g}"), float(f"{reach / 1.5:.3g}")
        return span | {"height": height, "length": length, "speed": length, "fade": "start", "toward": toward}


def crests(tracks: Tracks) -> NDArray[np.float64]:
    """∫ speed/length dt since the scene's first frame.

    Returns
    -------
    (frames,) array
        Crests.
    """
    return integrate(tracks, ("speed", "length"), lambda speed, length: speed / length).cycles


@kernel(
    "void(float64[:, :, ::1], float64[::1], float64[::1], float64[::1], float64[::1], float64[::1], float64[:, ::1])",
    fuse=True,
)
def wave(
    inside: RowBlock, start: Samples, end: Samples, length: Samples, height: Samples, passed: Samples, out: Shares
) -> None:
    """Fill `out` (moments, n) with the height of the wave at each point, metres.

    Parameters
    ----------
    inside : (moments, 3, n) array
        Metres, in the deformer's coordinates, by rows.
    start, end, length, height : (moments,) arrays
        Metres: the span, from crest to crest, and how far it goes.
    passed : (moments,) array
        Cycles that it is behind.
    out : (moments, n) array
        Filled.
    """
    for m in range(inside.shape[0]):
        low, high = start[m], max(start[m], end[m])
        long, tall, behind = length[m], height[m], passed[m]
        for i in range(inside.shape[2]):
            cycles = min(max(inside[m, 0, i], low), high) / long - behind
            out[m, i] = tall * sine_and_cosine(2.0 * math.pi * cycles)[0]
