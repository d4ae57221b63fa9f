"""What may repeat: what lag, air or a deformer has of a loop."""

from __future__ import annotations

from typing import Annotated, Self

from pydantic import Field

from lazzik.core.document import Finite, Frozen


class Repeats(Frozen):
    """A part of an object whose motion may repeat."""

    loop: Annotated[Finite, Field(gt=0)] | None = None
    """Frames after which it repeats; None is endless."""
    fit: bool = False
    """Whether `loop` follows the scene's range when that changes."""

    @property
    def repeats(self) -> bool:
        """Whether it has anything that could."""
        return True

    def fitted(self, first: float, last: float) -> Self:
        """The same as long as the scene's range, if it follows that; itself if it is so already."""
        return self.looped(last - first, fit=True) if self.fit else self

    def looped(self, frames: float | None, *, fit: bool) -> Self:
        """The same with another loop; itself if it has that already."""
        if (self.loop, self.fit) == (frames, fit):
            return self
        return self.replaced(loop=frames, fit=fit)
