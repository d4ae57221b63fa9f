"""Link: another number of the scene, scaled, moved and delayed.

y(t) = gain · z(t − delay) + offset,   z the number at `source`
"""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal, Self

import numpy as np

from lazzik.core.channel.channel import Channel, Number
from lazzik.core.channel.combine import Combine
from lazzik.core.channel.inputs import Inputs, ManyInputs
from lazzik.core.channel.layer import Family, Layer
from lazzik.core.channel.scaling import scaled
from lazzik.core.document import Quantity, Wording
from lazzik.core.errors import UnknownAddress
from lazzik.core.types import SampleRows, Samples


class Link(Layer):
    """Another number."""

    family: ClassVar[Family] = "logic"
    title: ClassVar[str] = "Link"
    summary: ClassVar[str] = "Reads another number, scaled and late: dials, shadows of a move, a shared wave."
    idle_at: ClassVar[dict[str, float]] = {"gain": 0.0}
    together: ClassVar[bool] = True

    kind: Literal["link"]
    combine: Combine = "replace"
    source: Annotated[
        str,
        Wording("address", "The number that is read: an object's, a layer's or a dial."),
    ] = ""
    gain: Annotated[Number, Quantity("×", "How many times what is read.", (-3, 3), 0.01, label="times")] = 1.0
    offset: Annotated[Number, Quantity("own", "Added to the value.", (-4, 4), 0.01, rest=0.0)] = 0.0
    delay: Annotated[
        Number, Quantity("s", "Seconds by which it comes later.", (0, 4), 0.01, low=-1000, high=1000, group="time")
    ] = 0.0

    def signal(self, inputs: Inputs) -> Samples:
        """(frames,) the linked value. Raises UnknownAddress if there is nothing to read."""
        late, clock = inputs.number("delay"), inputs.clock
        punctual = isinstance(late, float) and late == 0
        read = inputs.other(self._chosen, clock if punctual else clock.at(clock.frames - late * clock.fps))
        y: Samples = np.asarray(inputs.number("gain") * read + inputs.number("offset"), dtype=float)
        return np.broadcast_to(y, clock.frames.shape)

    def signals(self, inputs: ManyInputs) -> SampleRows:
        """(layers, frames) the linked value of each."""
        late, clock = inputs.number("delay"), inputs.clock
        read = inputs.other(self._chosen, clock.frames - late * clock.fps if late.any() else None)
        y = np.asarray(inputs.number("gain") * read + inputs.number("offset"))
        return np.broadcast_to(y, (len(late), len(clock.frames)))

    @property
    def _chosen(self) -> str:
        """The source. Raises UnknownAddress if there is none."""
        if not self.source:
            raise UnknownAddress(f"'{self.label}' reads nothing yet: choose its source")
        return self.source

    @property
    def later(self) -> float | None:
        """The delay."""
        return None if isinstance(self.delay, Channel) else self.delay

    def scaled(self, factor: float) -> Self:
        """What is read is not scaled, so the gain is."""
        return super().scaled(factor).replaced(gain=scaled(self.gain, factor))

    def references(self) -> frozenset[str]:
        """The source."""
        return frozenset({self.source} if self.source else ())
