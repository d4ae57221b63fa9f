"""Hold: steps of n frames.

y(f) = x(first + n·⌊(f − first)/n⌋),   x what lies below
"""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from lazzik.core.channel.channel import Number
from lazzik.core.channel.combine import Combine
from lazzik.core.channel.inputs import Inputs, ManyInputs
from lazzik.core.channel.layer import Family, Layer
from lazzik.core.clock import Clock
from lazzik.core.document import Quantity
from lazzik.core.types import SampleRows, Samples

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
    together: ClassVar[bool] = True
    in_common: ClassVar[tuple[str, ...]] = ("every",)

    kind: Literal["hold"]
    combine: Combine = "replace"
    every: Annotated[
        Number, Quantity("fr", "Frames from one step to the next.", (1, 24), 1, low=1, high=10_000, group="time")
    ] = 4.0

    def signal(self, inputs: Inputs) -> Samples:
        """(frames,) what lay below at the last multiple."""
        stretch, places = _steps(inputs.clock, inputs.number("every"))
        return inputs.below(stretch)[places]

    def signals(self, inputs: ManyInputs) -> SampleRows:
        """(layers, frames) what lay below each at the last multiple."""
        stretch, places = _steps(inputs.clock, float(inputs.number("every")[0, 0]))
        return inputs.below(stretch)[:, places]


def _steps(clock: Clock, every: float | Samples) -> tuple[Clock, NDArray[np.intp] | slice]:
    """When what lies below is read, and where the last multiples of so many frames lie among these moments.

    Parameters
    ----------
    every : float or (frames,) array
        Frames.

    Returns
    -------
    (Clock, (frames,) array or slice)
        Places.
    """
    elapsed = np.floor((clock.elapsed + EDGE) / every) * every
    if not (isinstance(every, float) and every.is_integer() and elapsed.size):
        return clock.at(clock.first + elapsed), slice(None)
    # one stretch that holds the asked moments too: what lies below is then worked out once for both
    low, high = int(elapsed.min()), int(np.ceil(clock.elapsed.max()))
    fine = int(clock.key[-1]) if clock.key else 1
    stretch = Clock.over(clock.fps, clock.first, clock.first + high, start=clock.first + low, per_frame=fine)
    return stretch, (elapsed.astype(int) - low) * fine
