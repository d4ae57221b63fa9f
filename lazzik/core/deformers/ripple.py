"""Ripple: rings run out from the origin, or straight waves along one axis; endless, or one pulse.

With r the distance from the axis (or along the side), λ the spacing, t seconds since `begin`, front q = speed·t:

    endless  d = H · e(r) · sin 2π(q − r)/λ    for r ≤ q, the front drawn in over one λ
    pulse    d = H · e(r) · exp(−((r − q)/width)²) · cos 2π(q − r)/λ

e(r) = exp(−r/far), or 1 where `far` is 0. It lives `life` frames and dies over `damping` frames after them; a life of 0
is endless. Inward, r counts from `rim` toward the middle. The speed is integrated.
"""

from __future__ import annotations

from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from lazzik.core.channel.phase import accumulate
from lazzik.core.clock import Clock
from lazzik.core.deformers.base import Deformer, Extent, Moment, Numbers, Tracks, within
from lazzik.core.deformers.masks import smooth
from lazzik.core.document import Quantity
from lazzik.core.layers import Number  # with its layers resolved
from lazzik.core.types import Points, Samples


class Ripple(Deformer):
    """Rings from a point."""

    title: ClassVar[str] = "Ripple"
    summary: ClassVar[str] = "Rings run out from a point or an object: pools, drums, a knock on a sheet."
    idle_at: ClassVar[dict[str, float]] = {"height": 0.0}
    pushes: ClassVar[bool] = True
    segments: ClassVar[float] = 8.0

    kind: Literal["ripple"]
    height: Annotated[Number, Quantity("own", "How high the rings are.", (0, 0.2), 0.001)] = 0.05
    spacing: Annotated[Number, Quantity("own", "Metres from ring to ring.", (0.02, 1), 0.01, low=1e-4)] = 0.25
    speed: Annotated[Number, Quantity("own/s", "Metres a second that they run.", (0, 2), 0.01, low=0)] = 0.5
    width: Annotated[Number, Quantity("own", "How wide one pulse is.", (0.02, 1), 0.01, low=1e-4)] = 0.25
    begin: Annotated[Number, Quantity("fr", "Frame on which it begins.", (0, 250), 1)] = 0.0
    life: Annotated[Number, Quantity("fr", "Frames that it lives; 0 is for ever.", (0, 250), 1, low=0)] = 0.0
    damping: Annotated[Number, Quantity("fr", "Frames over which it dies after them.", (0, 120), 1, low=0)] = 30.0
    far: Annotated[
        Number, Quantity("own", "Metres at which a third of the height is left; 0 does not fade.", (0, 2), 0.01, low=0)
    ] = 0.0
    rim: Annotated[Number, Quantity("own", "Where rings that run inward set out.", (0, 1), 0.01, low=0)] = 0.5
    form: Literal["endless", "pulse"] = "endless"
    shape: Literal["rings", "straight"] = "rings"
    runs: Literal["outward", "inward"] = "outward"
    toward: Literal["axis", "side", "across", "normals"] = "axis"

    def plan(self, tracks: Tracks) -> dict[str, NDArray[np.float64]]:
        """How far the front has run since it began: ∫ speed dt from `begin`, if that is one frame."""
        clock = tracks.clock
        run = accumulate(lambda at: tracks.number("speed", at), clock, None).cycles
        begin = np.asarray(tracks.number("begin"), dtype=float)
        started = Clock(clock.fps, clock.first, np.atleast_1d(begin))
        before = accumulate(lambda at: _held(tracks.number("speed", at), at), started, None).cycles
        return {"front": np.asarray(run - before)}

    def lifted(self, inside: Points, numbers: Numbers, moment: Moment) -> Samples:
        """(n,) the height of the rings at points of the span."""
        since = moment.frame - numbers["begin"]
        if since < 0:
            return np.zeros(len(inside))
        strength = numbers["height"]
        if numbers["life"] > 0 and since > numbers["life"]:
            left = (since - numbers["life"]) / numbers["damping"] if numbers["damping"] > 0 else 1.0
            strength *= 1.0 - float(smooth(np.array(left)))
        r = np.hypot(inside[:, 1], inside[:, 2]) if self.shape == "rings" else np.abs(inside[:, 1])
        if self.runs == "inward":
            r = numbers["rim"] - r
        q, spacing = float(moment.of("front")), numbers["spacing"]
        behind = q - r
        if self.form == "pulse":
            d = np.exp(-((behind / numbers["width"]) ** 2)) * np.cos(2 * np.pi * behind / spacing)
        else:
            d = np.sin(2 * np.pi * behind / spacing) * smooth(behind / spacing)
        d = np.where(r < 0, 0.0, d) if self.runs == "inward" else d
        if numbers["far"] > 0:
            d = d * np.exp(-np.maximum(r, 0.0) / numbers["far"])
        return np.where(within(inside, numbers), strength * d, 0.0)

    @property
    def varies(self) -> tuple[int, ...]:
        """Across its axis."""
        return (1,) if self.shape == "straight" else (1, 2)

    def way(self, inside: Points) -> Samples:
        """Away from the axis."""
        return inside[:, 1] if self.shape == "straight" else np.hypot(inside[:, 1], inside[:, 2])

    def detail(self, numbers: Numbers, length: float) -> float:
        """An eighth of each wave, or so."""
        return numbers["spacing"] / self.segments

    @classmethod
    def suited(cls, extent: Extent) -> dict[str, Any]:
        """Rings across its flattest side, its middle the source."""
        lengths = [high - low for low, high in zip(extent.low, extent.high, strict=True)]
        axis = "xyz"[int(np.argmin(lengths))]
        size = extent.size
        numbers = {"height": size / 40, "spacing": size / 6, "width": size / 6, "speed": size / 5, "rim": size / 2}
        low, high = extent.along(axis)  # type: ignore[arg-type]
        return {"axis": axis, "start": low - size, "end": high + size} | {
            k: float(f"{v:.3g}") for k, v in numbers.items()
        }


def _held(value: float | Samples, at: Clock) -> Samples:
    return np.broadcast_to(np.asarray(value, dtype=float), at.frames.shape)
