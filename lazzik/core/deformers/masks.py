"""Masks: where and how much a deformer acts, read on the points at rest in the deformer's coordinates.

Every mask gives m in [0, 1] for each point; `invert` gives 1 − m.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Annotated, ClassVar, Literal

import numpy as np
from pydantic import Field

from lazzik.core.channel.layer import numbers_of
from lazzik.core.deformers.handles import Handle
from lazzik.core.deformers.solid import solid_noise
from lazzik.core.document import Frozen, Quantity
from lazzik.core.geometry.assets import weights_asset
from lazzik.core.geometry.pictures import brightness
from lazzik.core.layers import Number  # with its layers resolved
from lazzik.core.types import Points, Samples

Reach = Annotated[Number, Quantity("own", "Metres.", (0, 1.5), 0.01, low=0)]
Place = Annotated[Number, Quantity("own", "Metres along the deformer's axes.", (-1, 1), 0.01)]


class Mask(Frozen):
    """What every mask shares."""

    title: ClassVar[str]
    kind: str
    invert: bool = False

    def at(self, inside: Points, numbers: dict[str, float]) -> Samples:
        """(n,) how much the deformer counts at points in its own coordinates."""
        m = np.clip(self.amounts(inside, numbers), 0.0, 1.0)
        return 1.0 - m if self.invert else m

    def amounts(self, inside: Points, numbers: dict[str, float]) -> Samples:
        """(n,) before it is held and inverted."""
        raise NotImplementedError

    @classmethod
    def suited(cls, start: float, end: float) -> dict[str, float]:
        """Numbers with which a new mask suits what a deformer spans."""
        return {}

    def handles(self, numbers: dict[str, float]) -> Iterator[Handle]:
        """Points that set its numbers when they are dragged."""
        yield from ()


class BallMask(Mask):
    """Full inside a ball, none beyond its soft rim."""

    title: ClassVar[str] = "Ball"
    kind: Literal["ball"]
    along: Place = 0.0
    side: Place = 0.0
    across: Place = 0.0
    radius: Reach = 0.5
    rim: Annotated[Number, Quantity("own", "Metres over which it fades beyond the radius.", (0, 1.5), 0.01, low=0)] = (
        0.25
    )

    @classmethod
    def suited(cls, start: float, end: float) -> dict[str, float]:
        """In the middle of the span, half as wide."""
        reach = (end - start) / 4
        return {"along": (start + end) / 2, "radius": reach, "rim": reach / 2}

    def handles(self, numbers: dict[str, float]) -> Iterator[Handle]:
        """Its middle, and a point on its surface."""
        u, v, w = numbers["along"], numbers["side"], numbers["across"]
        yield Handle("middle", "Middle of the mask", (u, v, w), ("along", "side", "across"))
        yield Handle("radius", "Radius of the mask", (u + numbers["radius"], v, w), ("radius",), u, length=True)

    def amounts(self, inside: Points, numbers: dict[str, float]) -> Samples:
        away = np.linalg.norm(inside - [numbers["along"], numbers["side"], numbers["across"]], axis=1)
        return 1.0 - smooth((away - numbers["radius"]) / max(numbers["rim"], 1e-9))


class GradientMask(Mask):
    """None before one place along the axis, full after another."""

    title: ClassVar[str] = "Gradient"
    kind: Literal["gradient"]
    nothing: Annotated[Number, Quantity("own", "Where along the axis it begins.", (-1, 1), 0.01)] = -0.5
    full: Annotated[Number, Quantity("own", "Where along the axis it is full.", (-1, 1), 0.01)] = 0.5

    @classmethod
    def suited(cls, start: float, end: float) -> dict[str, float]:
        """From one end of the span to the other."""
        return {"nothing": start, "full": end}

    def handles(self, numbers: dict[str, float]) -> Iterator[Handle]:
        """Where it is none, and where it is full."""
        yield Handle("nothing", "Where the mask begins", (numbers["nothing"], 0, 0), ("nothing",))
        yield Handle("full", "Where the mask is full", (numbers["full"], 0, 0), ("full",))

    def amounts(self, inside: Points, numbers: dict[str, float]) -> Samples:
        low, high = numbers["nothing"], numbers["full"]
        reach = high - low
        if abs(reach) < 1e-9:
            return (inside[:, 0] >= low).astype(np.float64)
        return smooth((inside[:, 0] - low) / reach)


class NoiseMask(Mask):
    """Patches of a size, here more and there less."""

    title: ClassVar[str] = "Noise"
    kind: Literal["noise"]
    size: Annotated[Number, Quantity("own", "Metres from one patch to the next.", (0.02, 1), 0.01, low=1e-4)] = 0.3
    contrast: Annotated[Number, Quantity("×", "How sharply patches end.", (0.5, 8), 0.1, low=0.01)] = 2.0
    seed: Annotated[Number, Quantity("", "Other patches.", (0, 99), 1, low=0, high=2**31, whole=True)] = 0.0

    def amounts(self, inside: Points, numbers: dict[str, float]) -> Samples:
        out = np.empty(len(inside))
        solid_noise(np.ascontiguousarray(inside / numbers["size"]), int(numbers["seed"]), out)
        return 0.5 + 0.5 * numbers["contrast"] * out


class PictureMask(Mask):
    """The brightness of a picture laid across the axis."""

    title: ClassVar[str] = "Picture"
    kind: Literal["picture"]
    asset: Annotated[str, Field(pattern=r"^[0-9a-f]{64}$")]
    width: Annotated[Number, Quantity("own", "Metres that the picture is wide.", (0.05, 2), 0.01, low=1e-4)] = 1.0
    height: Annotated[Number, Quantity("own", "Metres that the picture is high.", (0.05, 2), 0.01, low=1e-4)] = 1.0

    def amounts(self, inside: Points, numbers: dict[str, float]) -> Samples:
        return brightness(self.asset, inside[:, 1] / numbers["width"] + 0.5, inside[:, 2] / numbers["height"] + 0.5)


class WeightsMask(Mask):
    """A weight for each point: painted here, or brought along by an imported mesh."""

    title: ClassVar[str] = "Painted"
    kind: Literal["weights"]
    asset: Annotated[str, Field(pattern=r"^[0-9a-f]{64}$")]

    def amounts(self, inside: Points, numbers: dict[str, float]) -> Samples:
        weights = weights_asset(self.asset)
        if len(weights) != len(inside):  # the mesh was cut anew since: nothing is painted on it
            return np.zeros(len(inside))
        return weights


MASKS: tuple[type[Mask], ...] = (BallMask, GradientMask, NoiseMask, PictureMask, WeightsMask)
AnyMask = Annotated[BallMask | GradientMask | NoiseMask | PictureMask | WeightsMask, Field(discriminator="kind")]


def mask_numbers(mask: Mask) -> list[str]:
    """Names of a mask's numbers."""
    return list(numbers_of(type(mask)))


def smooth(u: Samples) -> Samples:
    """Smoothstep of u held to [0, 1]."""
    u = np.clip(u, 0.0, 1.0)
    return u * u * (3.0 - 2.0 * u)
