"""Masks: where and how much a deformer acts, read on the points at rest in the deformer's coordinates.

Every mask gives m in [0, 1] for each point; `invert` gives 1 − m.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from pydantic import Field

from lazzik.core.channel.layer import numbers_of
from lazzik.core.deformers.extent import Extent
from lazzik.core.deformers.handle import Handle
from lazzik.core.deformers.placement import ORDERS, Axis
from lazzik.core.deformers.solid import solid_noise
from lazzik.core.document import LARGEST, Frozen, Quantity
from lazzik.core.geometry.assets import AssetStore, unpack_weights
from lazzik.core.geometry.pictures import brightness
from lazzik.core.hermite import smoothstep
from lazzik.core.layers import Number  # with its layers resolved
from lazzik.core.types import RowBlock, Samples, Shares


def _centre(way: str) -> Quantity:
    return Quantity(
        "own", f"Where its centre lies, {way} the axis.", (-1, 1), 0.01, label=f"centre {way}", group="mask"
    )


class Mask(Frozen):
    """What every mask shares."""

    title: ClassVar[str]
    pointwise: ClassVar[bool] = True
    """Whether what it gives to a point depends on where that is alone."""
    kind: str
    invert: bool = False

    def at(self, inside: RowBlock, numbers: dict[str, Samples], axis: Axis, assets: AssetStore) -> Shares:
        """How much the deformer counts at points in its own coordinates, along this axis.

        Parameters
        ----------
        inside : (moments or 1, 3, n) array
            Metres, in the deformer's coordinates, by rows.
        numbers : dict of (moments or 1,) arrays
            The mask's own, each in its unit.

        Returns
        -------
        (moments, n) array
            0 to 1.

        Raises
        ------
        UnknownAsset, InvalidAsset
            If what it is made from is not there, or damaged.
        """
        m = np.clip(self.amounts(inside, numbers, axis, assets), 0.0, 1.0)
        return 1.0 - m if self.invert else m

    def amounts(self, inside: RowBlock, numbers: dict[str, Samples], axis: Axis, assets: AssetStore) -> Shares:
        """Before it is clamped and inverted. `numbers` (moments,) each.

        Parameters
        ----------
        inside : (moments or 1, 3, n) array
            Metres, in the deformer's coordinates, by rows.
        numbers : dict of (moments or 1,) arrays
            The mask's own, each in its unit.

        Returns
        -------
        (moments, n) array
            May lie outside 0 to 1.
        """
        raise NotImplementedError

    @classmethod
    def suited(cls, start: float, end: float, extent: Extent) -> dict[str, Any]:
        """Numbers with which a new mask suits what a deformer spans."""
        return {}

    def handles(self, numbers: dict[str, float]) -> Iterator[Handle]:
        """Points that set its numbers when they are dragged."""
        yield from ()


class BallMask(Mask):
    """Full inside a ball, none beyond its soft rim."""

    title: ClassVar[str] = "Ball"
    kind: Literal["ball"]
    along: Annotated[Number, _centre("along")] = 0.0
    side: Annotated[Number, _centre("beside")] = 0.0
    across: Annotated[Number, _centre("across")] = 0.0
    radius: Annotated[Number, Quantity("own", "Metres in which it is full.", (0, 1.5), 0.01, low=0, group="mask")] = 0.5
    rim: Annotated[
        Number,
        Quantity(
            "own",
            "Metres over which it fades beyond the radius.",
            (0, 1.5),
            0.01,
            low=0,
            label="soft edge",
            group="mask",
        ),
    ] = 0.25

    @classmethod
    def suited(cls, start: float, end: float, extent: Extent) -> dict[str, Any]:
        """In the middle of the span, half as wide."""
        reach = (end - start) / 4
        return {"along": (start + end) / 2, "radius": reach, "rim": reach / 2}

    def handles(self, numbers: dict[str, float]) -> Iterator[Handle]:
        """Its middle, and a point on its surface."""
        u, v, w = numbers["along"], numbers["side"], numbers["across"]
        yield Handle("middle", "Middle of the mask", (u, v, w), ("along", "side", "across"))
        yield Handle("radius", "Radius of the mask", (u + numbers["radius"], v, w), ("radius",), u, length=True)

    def amounts(self, inside: RowBlock, numbers: dict[str, Samples], axis: Axis, assets: AssetStore) -> Shares:
        middle = np.stack([numbers["along"], numbers["side"], numbers["across"]], 1)
        away = np.linalg.norm(inside - middle[..., None], axis=1) - numbers["radius"][:, None]
        return 1.0 - smoothstep(away / np.maximum(numbers["rim"], 1e-9)[:, None])


class GradientMask(Mask):
    """None before one place along the axis, full after another."""

    title: ClassVar[str] = "Gradient"
    kind: Literal["gradient"]
    nothing: Annotated[
        Number, Quantity("own", "Where along the axis it begins.", (-1, 1), 0.01, label="nothing at", group="mask")
    ] = -0.5
    full: Annotated[
        Number, Quantity("own", "Where along the axis it is full.", (-1, 1), 0.01, label="full at", group="mask")
    ] = 0.5

    @classmethod
    def suited(cls, start: float, end: float, extent: Extent) -> dict[str, Any]:
        """From one end of the span to the other."""
        return {"nothing": start, "full": end}

    def handles(self, numbers: dict[str, float]) -> Iterator[Handle]:
        """Where it is none, and where it is full."""
        yield Handle("nothing", "Where the mask begins", (numbers["nothing"], 0, 0), ("nothing",))
        yield Handle("full", "Where the mask is full", (numbers["full"], 0, 0), ("full",))

    def amounts(self, inside: RowBlock, numbers: dict[str, Samples], axis: Axis, assets: AssetStore) -> Shares:
        low = numbers["nothing"][:, None]
        reach = numbers["full"][:, None] - low
        sharp = np.abs(reach) < 1e-9
        ramp = smoothstep((inside[:, 0] - low) / np.where(sharp, 1.0, reach))
        return np.where(sharp, (inside[:, 0] >= low).astype(np.float64), ramp)


class NoiseMask(Mask):
    """Patches of a size, here more and there less."""

    title: ClassVar[str] = "Noise"
    kind: Literal["noise"]
    size: Annotated[
        Number,
        Quantity(
            "own", "Metres from one patch to the next.", (0.02, 1), 0.01, low=1e-4, label="patch size", group="mask"
        ),
    ] = 0.3
    contrast: Annotated[Number, Quantity("×", "How sharply patches end.", (0.5, 8), 0.1, low=0.01, group="mask")] = 2.0
    seed: Annotated[
        Number,
        Quantity("", "Other patches.", (0, 99), 1, low=0, high=LARGEST, whole=True, label="patch seed", group="mask"),
    ] = 0.0

    @classmethod
    def suited(cls, start: float, end: float, extent: Extent) -> dict[str, Any]:
        """Half a dozen patches over the object."""
        return {"size": float(f"{extent.size / 6:.2g}")}

    def amounts(self, inside: RowBlock, numbers: dict[str, Samples], axis: Axis, assets: AssetStore) -> Shares:
        out = np.empty((len(inside), inside.shape[2]))
        solid_noise(inside / numbers["size"][:, None, None], numbers["seed"], out)
        return 0.5 + 0.5 * numbers["contrast"][:, None] * out


Plane = Literal["front", "top", "side", "across"]
PLANES: dict[Plane, tuple[tuple[int, float], tuple[int, float]]] = {
    "front": ((0, 1.0), (1, 1.0)), "top": ((0, 1.0), (2, -1.0)), "side": ((2, -1.0), (1, 1.0)),
}  # fmt: skip
"""Which axis of the placement runs to the right of a picture and which up it, with their signs, as its side is seen."""


class PictureMask(Mask):
    """The brightness of a picture, laid on a side of the object as that is seen, or across the deformer's axis."""

    title: ClassVar[str] = "Picture"
    kind: Literal["picture"]
    asset: Annotated[str, Field(pattern=r"^[0-9a-f]{64}$")]
    label: Annotated[str, Field(max_length=120)] = ""
    """The picture's name."""
    plane: Plane = "across"
    width: Annotated[
        Number,
        Quantity(
            "own", "Metres that the picture is wide.", (0.05, 2), 0.01, low=1e-4, label="picture width", group="mask"
        ),
    ] = 1.0
    height: Annotated[
        Number,
        Quantity(
            "own", "Metres that the picture is high.", (0.05, 2), 0.01, low=1e-4, label="picture height", group="mask"
        ),
    ] = 1.0
    right: Annotated[
        Number,
        Quantity("own", "Where its middle lies, to the right.", (-1, 1), 0.01, label="picture right", group="mask"),
    ] = 0.0
    up: Annotated[
        Number, Quantity("own", "Where its middle lies, upward.", (-1, 1), 0.01, label="picture up", group="mask")
    ] = 0.0

    @classmethod
    def suited(cls, start: float, end: float, extent: Extent) -> dict[str, Any]:
        """On the largest side of the object, as large as that is."""
        sizes = [high - low for low, high in zip(extent.low, extent.high, strict=True)]
        plane: Plane = ("side", "top", "front")[int(np.argmin([sizes[0], sizes[1], sizes[2] * 0.999]))]
        fields: dict[str, Any] = {"plane": plane}
        for (axis, sign), size, middle in zip(PLANES[plane], ("width", "height"), ("right", "up"), strict=True):
            fields[size] = max(sizes[axis], 1e-3)
            fields[middle] = sign * (extent.low[axis] + extent.high[axis]) / 2
        return fields

    def amounts(self, inside: RowBlock, numbers: dict[str, Samples], axis: Axis, assets: AssetStore) -> Shares:
        if self.plane == "across":
            x, y = inside[:, 1], inside[:, 2]
        else:
            (across, left), (upward, down) = PLANES[self.plane]
            x = left * inside[:, ORDERS[axis].index(across)]
            y = down * inside[:, ORDERS[axis].index(upward)]
        x = (x - numbers["right"][:, None]) / numbers["width"][:, None] + 0.5
        y = (y - numbers["up"][:, None]) / numbers["height"][:, None] + 0.5
        return brightness(self.asset, x, y, assets)


class WeightsMask(Mask):
    """A weight for each point: painted here, or brought along by an imported mesh."""

    title: ClassVar[str] = "Painted"
    pointwise: ClassVar[bool] = False
    kind: Literal["weights"]
    asset: Annotated[str, Field(pattern=r"^[0-9a-f]{64}$")]

    def amounts(self, inside: RowBlock, numbers: dict[str, Samples], axis: Axis, assets: AssetStore) -> Shares:
        weights = assets.read(self.asset, unpack_weights)
        if len(weights) != inside.shape[2]:  # the mesh was cut anew since: nothing is painted on it
            return np.zeros((len(inside), inside.shape[2]))
        return np.broadcast_to(weights, (len(inside), inside.shape[2]))


MASKS: tuple[type[Mask], ...] = (BallMask, GradientMask, NoiseMask, PictureMask, WeightsMask)
AnyMask = Annotated[BallMask | GradientMask | NoiseMask | PictureMask | WeightsMask, Field(discriminator="kind")]


def mask_numbers(mask: Mask) -> list[str]:
    """Names of a mask's numbers."""
    return list(numbers_of(type(mask)))
