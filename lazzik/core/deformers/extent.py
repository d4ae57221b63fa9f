"""How large an object is at rest, so that what is put on it suits it."""

from __future__ import annotations

from dataclasses import dataclass

from lazzik.core.deformers.placement import Axis


@dataclass(frozen=True)
class Extent:
    """How large an object is at rest, so that a new deformer suits it: metres."""

    low: tuple[float, float, float]
    high: tuple[float, float, float]

    @property
    def size(self) -> float:
        """The largest extent."""
        return max(b - a for a, b in zip(self.low, self.high, strict=True))

    @property
    def longest(self) -> Axis:
        """The axis along which the object is longest."""
        lengths = [b - a for a, b in zip(self.low, self.high, strict=True)]
        axes: tuple[Axis, ...] = ("x", "y", "z")
        # as long along several: upright first
        return max(axes, key=lambda axis: lengths["xyz".index(axis)] * (1.001 if axis == "y" else 1.0))

    def along(self, axis: Axis) -> tuple[float, float]:
        """Where the object begins and ends along an axis."""
        return self.low["xyz".index(axis)], self.high["xyz".index(axis)]
