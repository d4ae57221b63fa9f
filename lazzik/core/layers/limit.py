"""Limit: keeps what lies below between two values, with a soft knee if asked.

Within `knee` of a limit the corner is a parabola that leaves and arrives smoothly: for the upper one, with
d = x − (high − knee/2) on [0, knee],

    y = high − knee/2 + d − d²/(2·knee)
"""

from __future__ import annotations

from typing import Annotated, Any, ClassVar, Literal, Self

import numpy as np
from numpy.typing import NDArray

from lazzik.core.channel.channel import Number
from lazzik.core.channel.combine import Combine
from lazzik.core.channel.inputs import Inputs, ManyInputs
from lazzik.core.channel.layer import Family, Landing, Layer
from lazzik.core.document import Quantity
from lazzik.core.kernels import kernel
from lazzik.core.types import SampleRows, Samples

LIMITS = ("lowest", "highest", "knee")
"""The numbers that the kernel takes, in their order."""


class Limit(Layer):
    """Clamp."""

    family: ClassVar[Family] = "logic"
    title: ClassVar[str] = "Limit"
    summary: ClassVar[str] = "Keeps what lies below between two values: end stops, floors, lids that only open."
    below: ClassVar[Literal["ignored", "moves", "carried", "values"]] = "values"
    together: ClassVar[bool] = True

    kind: Literal["limit"]
    combine: Combine = "replace"
    lowest: Annotated[Number, Quantity("own", "Never below this.", (-4, 4), 0.01)] = -1.0
    highest: Annotated[Number, Quantity("own", "Never above this; where both cross, this one wins.", (-4, 4), 0.01)] = (
        1.0
    )
    knee: Annotated[
        Number, Quantity("own", "How early and how softly it slows before a limit.", (0, 2), 0.01, low=0, rest=0.0)
    ] = 0.0

    def signal(self, inputs: Inputs) -> Samples:
        """(frames,) what lies below, limited."""
        x = inputs.below()
        out = np.empty(len(x))
        limit(x, inputs.table(*LIMITS), out)
        return out

    def signals(self, inputs: ManyInputs) -> SampleRows:
        """(layers, frames) what lies below each, limited."""
        x = inputs.below()
        out = np.empty(x.shape)
        limits(x, inputs.table(*LIMITS), out)
        return out

    def scaled(self, factor: float) -> Self:
        """Turned over, the lowest becomes the highest."""
        limits = self.replaced(lowest=self.highest, highest=self.lowest) if factor < 0 else self
        return super(Limit, limits).scaled(factor)

    @classmethod
    def suited(cls, landing: Landing) -> dict[str, Any]:
        """About half of what is well seen, so that it bites."""
        return {"lowest": -landing.reach / 2, "highest": landing.reach / 2}


@kernel("float64(float64, float64, float64)")
def below(x: float, high: float, knee: float) -> float:
    """A value limited from above. The knee starts half its length before the limit, so the curve stays under it."""
    bends = high - 0.5 * knee
    if x <= bends:
        return x
    d = min(x - bends, knee)
    soft = bends + d - d * d / (2.0 * knee) if knee > 0.0 else bends
    return min(soft, high)


@kernel("void(float64[::1], float64[:, ::1], float64[::1])")
def limit(x: Samples, limits: Samples, out: Samples) -> None:
    """Fill `out` with `x`, kept above the lowest and then below the highest.

    Parameters
    ----------
    x : (frames,) array
        In the channel's unit.
    limits : (3, 1 or frames) array
        Lowest, highest and knee, in the channel's unit.
    out : (frames,) array
        Filled, in the channel's unit.
    """
    driven = limits.shape[1] > 1
    for i in range(x.shape[0]):
        k = i if driven else 0
        knee = limits[2, k]
        out[i] = below(-below(-x[i], -limits[0, k], knee), limits[1, k], knee)


@kernel("void(float64[:, ::1], float64[:, :, ::1], float64[:, ::1])")
def limits(x: SampleRows, numbers: NDArray[np.float64], out: SampleRows) -> None:
    """Fill each row of `out` as `limit` fills one.

    Parameters
    ----------
    x : (rows, frames) array
        In the channel's unit.
    numbers : (rows, 3, 1 or frames) array
        Lowest, highest and knee, in the channel's unit.
    out : (rows, frames) array
        Filled, in the channel's unit.
    """
    for row in range(out.shape[0]):
        limit(x[row], numbers[row], out[row])
