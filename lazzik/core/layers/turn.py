"""Turn: constant turning, forever.

    y = ∫ rate dt from the first frame

In a loop the whole turns (of 360) that come nearest to the rate are made, so that orientation meets itself.
"""

from __future__ import annotations

from typing import Annotated, Any, ClassVar, Literal

from lazzik.core.channel.channel import Number
from lazzik.core.channel.layer import Family, Inputs, Landing, Layer
from lazzik.core.channel.phase import accumulate
from lazzik.core.document import Quantity
from lazzik.core.types import Samples

WHOLE = 360.0


class Turn(Layer):
    """Constant rate."""

    family: ClassVar[Family] = "path"
    title: ClassVar[str] = "Turn"
    summary: ClassVar[str] = "On and on at a constant rate: rotors, orbits, slow drifts."
    loops: ClassVar[bool] = True
    idle_at: ClassVar[dict[str, float]] = {"rate": 0.0}

    kind: Literal["turn"]
    rate: Annotated[
        Number, Quantity("own/s", "How much each second adds; keys bend it without a jump.", (-40, 40), 0.1)
    ] = 90.0

    def signal(self, inputs: Inputs) -> Samples:
        """(frames,) the integral of the rate."""
        return WHOLE * accumulate(lambda at: inputs.number("rate", at) / WHOLE, inputs.clock, self.loop).cycles

    def note(self, fps: float) -> str:
        """The whole turns in the loop."""
        if self.loop is None or not isinstance(self.rate, float | int):
            return ""
        turns = max(1, round(abs(self.rate) * self.loop / fps / WHOLE))
        return f"{turns} turn{'' if turns == 1 else 's'} in the loop"

    @classmethod
    def suited(cls, landing: Landing) -> dict[str, Any]:
        """A quarter turn a second; elsewhere, what is well seen each second."""
        return {"rate": 90.0 if landing.unit == "°" else landing.reach}
