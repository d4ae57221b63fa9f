"""The frames in which a layer acts, with smooth fades: w(frame) in [0, 1]."""

from __future__ import annotations

from typing import Annotated, Self

import numpy as np
from pydantic import Field, model_validator

from lazzik.core.document import Finite, Frozen
from lazzik.core.hermite import smoothstep
from lazzik.core.types import Samples

Length = Annotated[Finite, Field(ge=0)]


class Window(Frozen):
    """From `start` to `end`, both included; an absent end is open. Fades are lengths in frames, inside the window."""

    start: Finite | None = None
    end: Finite | None = None
    fade_in: Length = 0.0
    fade_out: Length = 0.0

    @model_validator(mode="after")
    def _forward(self) -> Self:
        if self.start is not None and self.end is not None and self.end < self.start:
            raise ValueError(f"the window ends at {self.end:g}, before it starts at {self.start:g}")
        return self

    @property
    def open(self) -> bool:
        """Whether it lets everything through."""
        return self.start is None and self.end is None

    @property
    def jumps(self) -> tuple[float, ...]:
        """The frames of its edges without a fade."""
        edges = ((self.start, self.fade_in), (self.end, self.fade_out))
        return tuple(edge for edge, fade in edges if edge is not None and fade == 0)

    def at(self, frames: Samples) -> Samples:
        """How far the window is open: smoothstep over the fades, 0 outside. An open end has no fade.

        Parameters
        ----------
        frames : (frames,) array
            May be fractions.

        Returns
        -------
        (frames,) array
            0 to 1.
        """
        w = np.ones_like(frames)
        if self.start is not None:
            w *= _rise(frames - self.start, self.fade_in)
        if self.end is not None:
            w *= _rise(self.end - frames, self.fade_out)
        return w


def _rise(inside: Samples, length: float) -> Samples:
    """0 before the edge, smoothstep over `length` frames, then 1."""
    if length == 0:
        return (inside >= 0).astype(np.float64)
    return smoothstep(inside / length)
