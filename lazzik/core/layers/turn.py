"""Turn: constant turning, forever.

    y = ∫ rate dt from the first frame

In a loop the whole turns (of 360) nearest to its true total are made, with their sign, none included, so that
orientation meets itself; what is missing is spread evenly (see channel/phase.py).
"""

from __future__ import annotations

from typing import Annotated, Any, ClassVar, Literal

from lazzik.core.channel.channel import Number
from lazzik.core.channel.inputs import Inputs, ManyInputs
from lazzik.core.channel.layer import Family, Landing, Layer
from lazzik.core.channel.phase import Phase, integrate, steady_phases
from lazzik.core.document import Quantity
from lazzik.core.types import SampleRows, Samples

WHOLE = 360.0


class Turn(Layer):
    """Constant rate."""

    family: ClassVar[Family] = "path"
    title: ClassVar[str] = "Turn"
    summary: ClassVar[str] = "On and on at a constant rate: rotors, orbits, slow drifts."
    loops: ClassVar[bool] = True
    together: ClassVar[bool] = True
    idle_at: ClassVar[dict[str, float]] = {"rate": 0.0}

    kind: Literal["turn"]
    rate: Annotated[
        Number, Quantity("own/s", "How much each second adds; keys bend it without a jump.", (-40, 40), 0.1)
    ] = 90.0

    def signal(self, inputs: Inputs) -> Samples:
        """(frames,) the integral of the rate."""
        return WHOLE * self._phase(inputs).cycles

    def signals(self, inputs: ManyInputs) -> SampleRows:
        """(layers, frames) the integral of each rate."""
        return WHOLE * steady_phases(inputs.number("rate") / WHOLE, inputs.clock, self.loop, least=0).cycles

    def _phase(self, inputs: Inputs) -> Phase:
        return integrate(inputs, ("rate",), lambda rate: rate / WHOLE, self.loop, least=0)

    def note(self, inputs: Inputs) -> str:
        """The whole turns in the loop, what they were made of, and the rate that this is."""
        if self.loop is None:
            return ""
        phase = self._phase(inputs)
        made = f"{phase.wrap} turn{'' if abs(phase.wrap) == 1 else 's'} in the loop"
        by_itself = f"{phase.total:.3g}"
        if by_itself != str(phase.wrap):
            made += f", from {by_itself}"
        rate = WHOLE * phase.wrap * inputs.clock.fps / self.loop
        says_rate = inputs.constant("rate") is not None
        return (f"{made}: {rate:.4g} own/s" if says_rate else made).replace("-", "−")

    @classmethod
    def suited(cls, landing: Landing) -> dict[str, Any]:
        """A quarter turn a second; elsewhere, what is well seen each second."""
        return {"rate": 90.0 if landing.unit == "°" else landing.reach}
