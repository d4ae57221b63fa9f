"""What every deformer kind shares, and the small protocol between a kind and whoever evaluates it.

A kind is one file: a subclass of Deformer whose fields are its numbers and choices, and one of two methods.

    shaped(inside, counts, numbers, moment)  -> inside'   for kinds that carry points along (bend, twist …)
    lifted(inside, numbers, moment)          -> (n,)      for kinds that push points one way (undulate, ripple …)

`inside` (n, 3) are points in the deformer's coordinates (placement.py), `counts` (n,) how much each of them counts,

    m = weight · edge fade(u) · mask,

and `numbers` the deformer's numbers at the moment. Kinds that carry take m into their own formula where blending
points would tear lengths (the angle of a bend); the others blend, p + m·(p' − p). Where m is 0 a point stays to the
bit.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Annotated, Any, ClassVar, Literal, Protocol, Self

import numpy as np
from numpy.typing import NDArray

from lazzik.core.channel.channel import Channel
from lazzik.core.channel.layer import numbers_of
from lazzik.core.clock import Clock
from lazzik.core.deformers.masks import AnyMask
from lazzik.core.deformers.placement import Axis, Placement
from lazzik.core.document import Frozen, Label, Name, Quantity
from lazzik.core.kernels import kernel
from lazzik.core.layers import Number  # with its layers resolved
from lazzik.core.types import Points, Samples

Fade = Literal["none", "start", "end", "both", "middle"]
FADES: tuple[Fade, ...] = ("none", "start", "end", "both", "middle")

Toward = Literal["side", "across", "axis", "normals"]
"""Which way a kind pushes: along one of the deformer's axes, or along the surface's own normals."""

TOWARD: dict[Toward, int] = {"axis": 0, "side": 1, "across": 2}

Numbers = dict[str, float]
"""A deformer's numbers at one moment."""


class Tracks(Protocol):
    """What a deformer may ask for before the moments are gone through: whatever changes over time."""

    @property
    def clock(self) -> Clock:
        """The moments."""
        ...

    def number(self, name: str, clock: Clock | None = None) -> float | Samples:
        """One of the deformer's own numbers: a float if constant, otherwise (frames,)."""
        ...

    def world(self, clock: Clock) -> NDArray[np.float64]:
        """(frames, 4, 4) from the object's space to the scene's."""
        ...


@dataclass(frozen=True)
class Extent:
    """How large an object is at rest, so that a new deformer suits it: metres."""

    low: tuple[float, float, float]
    high: tuple[float, float, float]

    @property
    def size(self) -> float:
        """The largest extent."""
        return max(b - a for a, b in zip(self.low, self.high, strict=True))

    @property
    def longest(self) -> Axis:
        """The axis along which the object is longest."""
        lengths = [b - a for a, b in zip(self.low, self.high, strict=True)]
        axes: tuple[Axis, ...] = ("x", "y", "z")
        # as long along several: upright first
        return max(axes, key=lambda axis: lengths["xyz".index(axis)] * (1.001 if axis == "y" else 1.0))

    def along(self, axis: Axis) -> tuple[float, float]:
        """Where the object begins and ends along an axis."""
        return self.low["xyz".index(axis)], self.high["xyz".index(axis)]


class Deformer(Frozen):
    """One change of an object's shape."""

    title: ClassVar[str]
    summary: ClassVar[str]
    """One line on when to use it."""
    idle_at: ClassVar[dict[str, float]] = {}
    """Numbers at whose value the kind does nothing."""
    pushes: ClassVar[bool] = False
    """Whether the kind pushes points one way, by `lifted`; otherwise it carries them along, by `shaped`."""
    segments: ClassVar[float] = 12.0
    """How many segments its span, or each of its waves, needs before the mesh looks smooth."""

    moves_with_world: ClassVar[bool] = False
    """Whether it reads the object's way through the scene."""

    kind: str
    id: Name
    label: Label
    muted: bool = False
    weight: Annotated[
        Number,
        Quantity(help="How much of the deformer counts; beyond 1 exaggerates.", useful=(0, 1.5), low=-10, high=10),
    ] = 1.0
    axis: Axis = "y"
    placement: Placement = Placement()
    start: Annotated[Number, Quantity("own", "Where along its axis it begins to act.", (-1, 1), 0.01)] = -1e6
    end: Annotated[Number, Quantity("own", "Where along its axis it ceases to act.", (-1, 1), 0.01)] = 1e6
    fade: Fade = "none"
    fade_length: Annotated[
        Number, Quantity("own", "Metres over which it fades at the edge that is held.", (0, 1), 0.01, low=0)
    ] = 0.25
    mask: AnyMask | None = None

    @property
    def worldly(self) -> bool:
        """Whether what it does depends on where the object or another one is."""
        return type(self).moves_with_world or self.placement.of is not None

    def plan(self, tracks: Tracks) -> dict[str, NDArray[np.float64]]:
        """What the kind works out once for all moments: arrays whose first axis is time. Kinds with a rate integrate
        it here."""
        return {}

    def shaped(self, inside: Points, counts: Samples, numbers: Numbers, moment: Moment) -> Points:
        """(n, 3) the points carried along."""
        raise NotImplementedError

    def lifted(self, inside: Points, numbers: Numbers, moment: Moment) -> Samples:
        """(n,) metres by which points are pushed."""
        raise NotImplementedError

    @property
    def varies(self) -> tuple[int, ...]:
        """Which of u, v, w its effect varies along: where a smooth mesh needs its segments."""
        return (0,)

    def way(self, inside: Points) -> Samples:
        """(n,) metres along which the effect varies, at points."""
        along: Samples = inside[:, self.varies[0]]
        return along

    def detail(self, numbers: Numbers, length: float) -> float:
        """Metres that one segment of a smooth mesh may span, where the deformer acts over so many metres."""
        return length / self.segments

    @classmethod
    def suited(cls, extent: Extent) -> dict[str, Any]:
        """Field values with which a new deformer visibly shapes an object of this size, along its longest axis."""
        return {}

    @classmethod
    def settings(cls) -> dict[str, tuple[str, ...]]:
        """The choices that are no numbers: field -> what may be chosen."""
        return {
            name: field.annotation.__args__  # type: ignore[union-attr]
            for name, field in cls.model_fields.items()
            if name != "kind" and getattr(field.annotation, "__origin__", None) is Literal
        }

    def stored(self) -> Iterator[tuple[str, float | Channel]]:
        """Every number it holds, with its path within the deformer."""
        for name in numbers_of(type(self)):
            yield name, getattr(self, name)
        for part, inner in (("placement", self.placement), ("mask", self.mask)):
            if inner is not None:
                for name in numbers_of(type(inner)):
                    yield f"{part}.{name}", getattr(inner, name)

    def with_(self, **changes: Any) -> Self:
        """A checked copy with some fields changed."""
        return self.replaced(**changes)


@dataclass(frozen=True, eq=False)
class Moment:
    """One moment of a plan."""

    plan: dict[str, NDArray[np.float64]]
    index: int
    seconds: float
    """Since the scene's first frame."""
    frame: float
    fps: float

    def of(self, name: str) -> Any:
        """The planned value of a name at this moment."""
        values = self.plan[name]
        return values[self.index if len(values) > 1 else 0]


@kernel("void(float64[:, ::1], float64, float64, float64, int64, float64, float64[::1])")
def edge_fade(
    inside: Points, start: float, end: float, length: float, fade: int, weight: float, counts: Samples
) -> None:
    """Fill `counts` (n,) with weight · fade(u). `fade` is a place in FADES; smoothstep over `length` from the edge.

    start: nothing at the start of the span. end: nothing at its end. both. middle: nothing in the middle.
    """
    middle = 0.5 * (start + end)
    for i in range(inside.shape[0]):
        u = min(max(inside[i, 0], start), end)
        m = weight
        if fade == 1 or fade == 3:
            s = min(1.0, (u - start) / length) if length > 0.0 else 1.0
            m *= s * s * (3.0 - 2.0 * s)
        if fade == 2 or fade == 3:
            s = min(1.0, (end - u) / length) if length > 0.0 else 1.0
            m *= s * s * (3.0 - 2.0 * s)
        if fade == 4:
            s = min(1.0, abs(u - middle) / length) if length > 0.0 else 1.0
            m *= s * s * (3.0 - 2.0 * s)
        counts[i] = m


def within(inside: Points, numbers: Numbers) -> NDArray[np.bool_]:
    """(n,) whether points lie in the span."""
    return (inside[:, 0] >= numbers["start"]) & (inside[:, 0] <= numbers["end"])


def span_of(extent: Extent, axis: Axis | None = None) -> dict[str, Any]:
    """The whole length of an object along an axis (its longest), and a fade over a quarter of it."""
    chosen = axis or extent.longest
    low, high = extent.along(chosen)
    rounded: Callable[[float], float] = lambda value: float(f"{value:.4g}")  # noqa: E731
    return {
        "axis": chosen, "start": rounded(low), "end": rounded(high), "fade_length": rounded(max(high - low, 1e-3) / 4),
    }  # fmt: skip


def sideways(extent: Extent) -> dict[str, Any]:
    """The direction about an object's longest axis that lies in the picture's plane as seen from the front."""
    return {"direction": 90.0 if extent.longest == "y" else 0.0}
