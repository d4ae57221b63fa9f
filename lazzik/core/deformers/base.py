"""What every deformer kind shares, and the small protocol between a kind and whoever evaluates it.

A kind is one file: a subclass of Deformer whose fields are its numbers and choices, and one of two methods.

    shaped(inside, counts, numbers, moments)  -> inside'         for kinds that carry points along (bend, twist …)
    lifted(inside, numbers, moments)          -> (moments, n)    for kinds that push points one way (undulate, ripple …)

`inside` (moments, 3, n) are the rows of u, v and w of points (placement.py), a block of moments at once, `counts`
(moments, n) how much each of them counts,

    m = weight · edge fade(u) · mask,

and `numbers` the deformer's numbers, (moments,) each. Beyond its span a kind goes on as at the end. Kinds
that carry take m into their own formula where blending points would tear lengths (the angle of a bend); the others
blend, p + m·(p' − p). Where m is 0 a point stays to the bit.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from typing import Annotated, Any, ClassVar, Literal, Protocol, Self

import numpy as np
from numpy.typing import NDArray

from lazzik.core.channel.airflow import Airflow
from lazzik.core.channel.channel import Channel
from lazzik.core.channel.inputs import OwnNumbers
from lazzik.core.channel.layer import numbers_of
from lazzik.core.clock import Clock
from lazzik.core.deformers.extent import Extent
from lazzik.core.deformers.fades import Fade
from lazzik.core.deformers.masks import AnyMask
from lazzik.core.deformers.placement import ORDERS, Axis, Placement
from lazzik.core.document import Frozen, Label, Name, Option, Quantity
from lazzik.core.layers import Number  # with its layers resolved
from lazzik.core.types import Frames, Points, RowBlock, Samples, Shares

ALIKE = 0.3
"""Part by which two sides may differ and still count as equally thin."""

OPEN = 1e6
"""Metres: a span that goes on so far is open at that end."""

Toward = Literal["side", "across", "axis", "normals"]
"""Which way a kind pushes: along one of the deformer's axes, or along the surface's own normals."""

TOWARD: dict[Toward, int] = {"axis": 0, "side": 1, "across": 2}

Numbers = dict[str, Samples]
"""A deformer's numbers over a block of moments, (moments,) each."""


class Tracks(OwnNumbers, Protocol):
    """What a deformer may ask for before the moments are gone through: whatever changes over time."""

    def world(self, clock: Clock) -> NDArray[np.float64]:
        """From the object's space to the scene's.

        Returns
        -------
        (frames, 4, 4) array
            From the object's space to the scene's, metres.
        """
        ...

    def airflow(self) -> Airflow:
        """The air at the deformer's root, where its span begins, in its own coordinates."""
        ...

    def frames(self, clock: Clock) -> Frames:
        """The deformer's own coordinates.

        Returns
        -------
        (frames or 1, 4, 3) array
            Three rows of unit length, then the origin in metres.
        """
        ...


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

    fades_itself: ClassVar[bool] = False
    """Whether the kind works the edge fade into its own formula; its counts are then weight · mask."""

    pointwise: ClassVar[bool] = True
    """Whether where it puts a point depends on no other point, so that points may be parted among processors."""

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
    axis: Annotated[
        Axis, Option("The object's axis that it works along or about.", label="along axis", group="where")
    ] = "y"
    placement: Placement = Placement()
    start: Annotated[
        Number,
        Quantity(
            "own",
            "Where along its axis it begins to act.",
            (-1, 1),
            0.01,
            open_at=-OPEN,
            label="acts from",
            group="where",
        ),
    ] = -OPEN
    end: Annotated[
        Number,
        Quantity(
            "own", "Where along its axis it ceases to act.", (-1, 1), 0.01, open_at=OPEN, label="acts to", group="where"
        ),
    ] = OPEN
    fade: Annotated[
        Fade,
        Option(
            "Where along the axis it fades to nothing, so that the object is held still there.",
            label="held still",
            group="where",
            words={
                "none": "nothing",
                "start": "its start",
                "end": "its end",
                "both": "both ends",
                "middle": "its middle",
            },
        ),
    ] = "none"
    fade_length: Annotated[
        Number,
        Quantity(
            "own",
            "Metres over which it fades at the edge that is held.",
            (0, 1),
            0.01,
            low=0,
            label="fades over",
            group="where",
            only={"fade": ("start", "end", "both", "middle")},
        ),
    ] = 0.25
    mask: AnyMask | None = None
    shift: Annotated[
        Number,
        Quantity("s", "Seconds by which all that it does comes earlier.", (-4, 4), 0.01, low=-1000, high=1000,
                 group="time", rest=0.0),
    ] = 0.0  # fmt: skip

    @property
    def moves_itself(self) -> bool:
        """Whether it moves points over time by itself, all its numbers standing still."""
        return False

    @property
    def in_air(self) -> bool:
        """Whether it answers the scene's air."""
        return False

    @property
    def worldly(self) -> bool:
        """Whether what it does depends on where the object or another one is."""
        return type(self).moves_with_world or self.in_air or self.placement.of is not None

    def plan(self, tracks: Tracks) -> dict[str, NDArray[np.float64]]:
        """What the kind works out once for all moments: arrays whose first axis is time. Kinds with a rate integrate
        it here.

        Returns
        -------
        dict of arrays
            By name; the first axis is time: (frames, …), or (1, …) of what stays.
        """
        return {}

    def shaped(self, inside: RowBlock, counts: Shares, numbers: Numbers, moments: Moments) -> RowBlock:
        """The points carried along.

        Parameters
        ----------
        inside : (moments or 1, 3, n) array
            Metres, in the deformer's coordinates, by rows.
        counts : (moments or 1, n) array
            How much the deformer counts at each point.
        numbers : dict of (moments or 1,) arrays
            The deformer's own, each in its unit.

        Returns
        -------
        (moments, 3, n) array
            Metres, in the deformer's coordinates, by rows.
        """
        raise NotImplementedError

    def lifted(self, inside: RowBlock, numbers: Numbers, moments: Moments) -> Shares:
        """Metres by which points are pushed.

        Parameters
        ----------
        inside : (moments or 1, 3, n) array
            Metres, in the deformer's coordinates, by rows.
        numbers : dict of (moments or 1,) arrays
            The deformer's own, each in its unit.

        Returns
        -------
        (moments, n) array
            Metres, with their sign.
        """
        raise NotImplementedError

    @property
    def varies(self) -> tuple[int, ...]:
        """Which of u, v, w its effect varies along: where a smooth mesh needs its segments."""
        return (0,)

    def way(self, inside: Points) -> Samples:
        """Metres along which the effect varies, at points.

        Parameters
        ----------
        inside : (n, 3) array
            Metres, in the deformer's coordinates.

        Returns
        -------
        (n,) array
            Metres.
        """
        along: Samples = inside[:, self.varies[0]]
        return along

    def detail(self, numbers: Mapping[str, float], length: float) -> float:
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
class Moments:
    """A block of moments, and what was planned for them."""

    plan: dict[str, NDArray[np.float64]]
    places: slice
    """Which of the plan's moments they are."""
    seconds: Samples
    """(moments,) since the scene's first frame."""
    frames: Samples
    """(moments,) frame numbers."""
    fps: float

    def of(self, name: str) -> NDArray[np.float64]:
        """The planned value of a name.

        Returns
        -------
        (moments or 1, …) array
            As it was planned.
        """
        values = self.plan[name]
        return values[self.places] if len(values) > 1 else values


def along(inside: RowBlock, numbers: Numbers) -> Shares:
    """How far along the axis points lie, those beyond the span at its end.

    Parameters
    ----------
    inside : (moments or 1, 3, n) array
        Metres, in the deformer's coordinates, by rows.
    numbers : dict of (moments or 1,) arrays
        Among them the span's start and end, metres.

    Returns
    -------
    (moments, n) array
        Metres.
    """
    start, end = numbers["start"][:, None], numbers["end"][:, None]
    return np.clip(inside[:, 0], start, np.maximum(start, end))


def span_of(extent: Extent, axis: Axis | None = None) -> dict[str, Any]:
    """The whole length of an object along an axis (its longest), and a fade over a quarter of it."""
    chosen = axis or extent.longest
    low, high = extent.along(chosen)
    rounded: Callable[[float], float] = lambda value: float(f"{value:.4g}")  # noqa: E731
    return {
        "axis": chosen, "start": rounded(low), "end": rounded(high), "fade_length": rounded(max(high - low, 1e-3) / 4),
    }  # fmt: skip


def thinnest_way(extent: Extent, axis: Axis) -> int:
    """1 or 2: which of v and w lies across the thinner side of an object about an axis. Where both are about as thin,
    the one that is seen best from in front: x, then y."""
    names = ["xyz"[k] for k in ORDERS[axis][1:]]
    first, second = (extent.high["xyz".index(n)] - extent.low["xyz".index(n)] for n in names)
    if abs(first - second) <= ALIKE * max(first, second):
        return 1 + min((0, 1), key=lambda k: names[k])
    return 1 if first < second else 2


def sideways(extent: Extent, axis: Axis | None = None) -> dict[str, Any]:
    """The direction about an axis (the longest) in which an object gives way: across its thinnest side."""
    return {"direction": 0.0 if thinnest_way(extent, axis or extent.longest) == 1 else 90.0}
