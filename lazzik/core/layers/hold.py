"""Hold: steps of n frames.

y(f) = x(first + n·⌊(f − first)/n⌋),   x what lies below
"""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import numpy as np

from lazzik.core.channel.channel import Number
from lazzik.core.channel.combine import Combine
from lazzik.core.channel.layer import Family, Inputs, Layer
from lazzik.core.clock import Clock
from lazzik.core.document import Quantity
from lazzik.core.types import Samples

EDGE = 1e-6
"""Frames by which rounding may fall short of a multiple."""


class Hold(Layer):
    """Steps of n frames."""

    family: ClassVar[Family] = "logic"
    title: ClassVar[str] = "Hold"
    summary: ClassVar[str] = "Holds what lies below for some frames at a time: stop motion, readings that tick."
    below: ClassVar[Literal["ignored", "moves", "carried", "values"]] = "carried"
    needs: ClassVar[Literal["", "motion", "keys"]] = "motion"
    elsewhen: ClassVar[bool] = True

    kind: Literal["hold"]
    combine: Combine = "replace"
    every: Annotated[
        Number, Quantity("fr", "Frames from one step to the next.", (1, 24), 1, low=1, high=10_000, group="time")
    ] = 4.0

    def signal(self, inputs: Inputs) -> Samples:
        """(frames,) what lay below at the last multiple."""
        clock, every = inputs.clock, inputs.number("every")
        elapsed = np.floor((clock.elapsed + EDGE) / every) * every
        if not (isinstance(every, float) and every.is_integer() and elapsed.size):
            return inputs.below(clock.at(clock.first + elapsed))
        # read as one stretch that holds the asked moments too: what lies below is then worked out once for both
        low, high = int(elapsed.min()), int(np.ceil(clock.elapsed.max()))
        fine = int(clock.key[-1]) if clock.key else 1
        stretch = Clock.over(clock.fps, clock.first, clock.first + high, start=clock.first + low, per_frame=fine)
        out: Samples = inputs.below(stretch)[(elapsed.astype(int) - low) * fine]
        return out
