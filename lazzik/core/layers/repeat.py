"""Repeat: the keyed stretch of the base, over and over, before and after itself.

With the stretch from the first key a to the last b and n = ⌊(f − a)/(b − a)⌋:

    repeat     y(f) = x(f − n(b − a))
    alternate  the same, every odd round backwards
    accumulate y(f) = x(f − n(b − a)) + n·(x(b) − x(a))

It reads the base itself, so changed keys change every round. Without two keys there is nothing to repeat.
"""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import numpy as np

from lazzik.core.channel.channel import Number
from lazzik.core.channel.combine import Combine
from lazzik.core.channel.inputs import Inputs
from lazzik.core.channel.layer import Family, Layer
from lazzik.core.document import Option, Quantity
from lazzik.core.types import Samples

EDGE = 1e-9
"""Rounds by which rounding may fall short of a whole one."""


class Repeat(Layer):
    """The keyed stretch again."""

    family: ClassVar[Family] = "path"
    title: ClassVar[str] = "Repeat"
    summary: ClassVar[str] = "Plays the base's keys over and over: cycles keyed once, steps that climb."
    below: ClassVar[Literal["ignored", "moves", "carried", "values"]] = "carried"
    needs: ClassVar[Literal["", "motion", "keys"]] = "keys"
    elsewhen: ClassVar[bool] = True

    kind: Literal["repeat"]
    combine: Combine = "replace"
    rounds: Annotated[
        Number,
        Quantity(
            "",
            "How many more rounds on each side; 0 is endless.",
            (0, 12),
            1,
            low=0,
            high=1e6,
            whole=True,
            group="time",
        ),
    ] = 0.0
    mode: Annotated[
        Literal["repeat", "alternate", "accumulate"],
        Option(
            "Each round is the same, there and back, or goes on from where the last one ended.",
            label="each round",
            words={"repeat": "the same", "alternate": "there and back", "accumulate": "goes on"},
        ),
    ] = "repeat"
    side: Annotated[
        Literal["both", "after", "before"],
        Option(
            "Whether rounds follow the keys, come before them, or both.",
            label="rounds lie",
            group="time",
            words={"both": "on both sides"},
        ),
    ] = "both"

    def signal(self, inputs: Inputs) -> Samples:
        """(frames,) the base in rounds."""
        stretch = inputs.stretch
        if stretch is None:
            return inputs.below()
        a, b = stretch
        frames, length = inputs.clock.frames, b - a
        most = np.asarray(inputs.number("rounds"))
        most = np.where(most == 0, np.inf, np.floor(most))
        n = np.floor((frames - a) / length + EDGE)
        n = np.clip(n, -most if self.side != "after" else 0.0, most if self.side != "before" else 0.0)
        inside = np.clip(frames - n * length, a, b)
        if self.mode == "alternate":
            inside = np.where(n % 2 == 1, a + b - inside, inside)
        out = inputs.base(inputs.clock.at(inside))
        if self.mode == "accumulate":
            ends = inputs.base(inputs.clock.at(np.array([a, b])))
            out = out + n * (ends[1] - ends[0])
        return out
