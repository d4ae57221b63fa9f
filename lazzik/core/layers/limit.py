"""Limit: keeps what lies below between two values, with a soft knee if asked.

Within `knee` of a limit the corner is a parabola that leaves and arrives smoothly: for the upper one, with
d = x − (high − knee/2) on [0, knee],

    y = high − knee/2 + d − d²/(2·knee)
"""

from __future__ import annotations

from typing import Annotated, Any, ClassVar, Literal, Self

import numpy as np

from lazzik.core.channel.channel import Number
from lazzik.core.channel.combine import Combine
from lazzik.core.channel.layer import Family, Inputs, Landing, Layer
from lazzik.core.document import Quantity
from lazzik.core.types import Samples


class Limit(Layer):
    """Clamp."""

    family: ClassVar[Family] = "logic"
    title: ClassVar[str] = "Limit"
    summary: ClassVar[str] = "Keeps what lies below between two values: end stops, floors, lids that only open."
    below: ClassVar[Literal["ignored", "moves", "carried", "values"]] = "values"

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
        knee = inputs.number("knee")
        low, high = inputs.number("lowest"), inputs.number("highest")
        above_low = -_below(-inputs.below(), -np.asarray(low), np.asarray(knee))
        return _below(above_low, np.asarray(high), np.asarray(knee))

    def scaled(self, factor: float) -> Self:
        """Turned over, the lowest becomes the highest."""
        limits = self.replaced(lowest=self.highest, highest=self.lowest) if factor < 0 else self
        return super(Limit, limits).scaled(factor)

    @classmethod
    def suited(cls, landing: Landing) -> dict[str, Any]:
        """About half of what is well seen, so that it bites."""
        return {"lowest": -landing.reach / 2, "highest": landing.reach / 2}


def _below(x: Samples, high: Samples, knee: Samples) -> Samples:
    """Limit from above. The knee starts half its length before the limit, so the curve stays under it."""
    d = np.clip(x - (high - knee / 2), 0.0, knee)
    soft = high - knee / 2 + d - d * d / (2 * np.where(knee > 0, knee, 1.0))
    return np.where(x <= high - knee / 2, x, np.minimum(soft, high))
