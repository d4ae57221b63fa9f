"""Shape targets: a baked deformation as a few shapes, each with a weight that is keyed like any other number.

points(t) = rest + Σ weight_k(t) · target_k
"""

from __future__ import annotations

from typing import Annotated, ClassVar

from pydantic import Field

from lazzik.core.document import Finite, Frozen, Label, Name, Quantity
from lazzik.core.layers import Number  # with its layers resolved

MOST_TARGETS = 64


class Target(Frozen):
    """One shape."""

    id: Name
    label: Label
    weight: Annotated[Number, Quantity("", "How much of the shape counts.", (-1, 1), 0.01)] = 0.0


class ShapeTargets(Frozen):
    """What a bake of a shape made, and what it takes to undo it: the receipt is the thing itself."""

    asset: Annotated[str, Field(pattern=r"^[0-9a-f]{64}$")]
    """The shapes: (targets, points, 3) offsets in metres, and of the normals."""
    rows: Annotated[tuple[Target, ...], Field(min_length=1, max_length=MOST_TARGETS)]
    first: int
    last: int
    tolerance: Finite
    worst: Finite
    """The largest distance of any point from where it was, at whole frames and three sub-frames, in metres."""
    points: int
    switched_off: tuple[Name, ...]
    was_cloth: bool = False
    """Whether it stands for cloth too, which is muted."""

    @property
    def bytes(self) -> int:
        """What shapes and weights take as float32, a weight for each frame."""
        return 4 * len(self.rows) * (3 * self.points + self.last - self.first + 1)

    @property
    def bytes_per_frame(self) -> int:
        """What the points of every frame would take."""
        return 4 * 3 * self.points * (self.last - self.first + 1)


class ShapeFrames(Frozen):
    """A bake of a shape to the points of each of its frames; between frames they go straight."""

    asset: Annotated[str, Field(pattern=r"^[0-9a-f]{64}$")]
    """(frames, points, 3) offsets in metres."""
    first: int
    last: int
    worst: Finite
    """The largest distance of any point from where it was, at whole frames and three sub-frames, in metres."""
    points: int
    switched_off: tuple[Name, ...]
    was_cloth: bool = False
    """Whether it stands for cloth too, which is muted."""
    rows: ClassVar[tuple[Target, ...]] = ()

    @property
    def bytes(self) -> int:
        """What the points of every frame take as float32."""
        return 4 * 3 * self.points * (self.last - self.first + 1)
