"""Scatter: many props from a few, over a surface or in a row, a grid, a ring, a space.

This is what the document holds of it; where the copies stand is worked out in evaluate/copies.py, how they lean in
evaluate/leans.py.
"""

from __future__ import annotations

from collections.abc import Collection
from typing import Annotated, Any, ClassVar, Literal, Self

from pydantic import Field

from lazzik.core.channel.repeats import Repeats
from lazzik.core.deformers.masks import AnyMask
from lazzik.core.document import LARGEST, Option, Quantity, Slug
from lazzik.core.layers import Number  # with its layers resolved

MOST_COPIES = 100_000
MOST_SOURCES = 16
MOST_VARIANTS = 32
MOST_GONE = 20_000

Over = Literal["surface", "row", "grid", "ring", "volume"]

SPREAD: dict[str, tuple[str, ...]] = {"over": ("surface", "volume")}
LONG = {"over": ("row", "grid", "volume")}
WIDE = {"over": ("grid", "volume")}
IN_AIR = {"wind": ("air",)}


class Scatter(Repeats):
    """What is repeated, where, and how the copies differ."""

    title: ClassVar[str] = "Scatter"

    sources: Annotated[tuple[Slug, ...], Field(min_length=1, max_length=MOST_SOURCES)]
    """The objects that are repeated, each with all below it."""
    surface: Slug | None = None
    """The object over whose surface they are scattered."""
    over: Annotated[
        Over,
        Option(
            "Where they stand: over the surface of an object, or beside each other about where this stands.",
            label="stand",
            group="where",
            words={
                "surface": "on a surface", "row": "in a row", "grid": "in a grid", "ring": "in a ring",
                "volume": "in a space",
            },
        ),
    ] = "surface"  # fmt: skip
    count: Annotated[
        Number,
        Quantity(
            "",
            "How many there are at most; one more moves no other.",
            (0, 20_000),
            1,
            low=0,
            high=MOST_COPIES,
            whole=True,
        ),
    ] = 400.0
    seed: Annotated[
        Number, Quantity("", "Another seed is other places.", (0, 99), 1, low=0, high=LARGEST, whole=True)
    ] = 0.0
    spacing: Annotated[
        Number,
        Quantity("m", "Metres that any two stay apart.", (0, 2), 0.01, low=0, high=1000, group="where", only=SPREAD),
    ] = 0.0
    length: Annotated[
        Number, Quantity("m", "Metres along x.", (0, 20), 0.1, low=0, high=10_000, group="where", only=LONG)
    ] = 6.0
    width: Annotated[
        Number, Quantity("m", "Metres along z.", (0, 20), 0.1, low=0, high=10_000, group="where", only=WIDE)
    ] = 6.0
    height: Annotated[
        Number,
        Quantity("m", "Metres along y.", (0, 20), 0.1, low=0, high=10_000, group="where", only={"over": ("volume",)}),
    ] = 2.0
    radius: Annotated[
        Number,
        Quantity("m", "Metres of the ring.", (0, 20), 0.1, low=0, high=10_000, group="where", only={"over": ("ring",)}),
    ] = 3.0
    mask: AnyMask | None = None
    """Where of the surface they are dense."""
    upright: Annotated[
        Literal["upright", "normal"],
        Option(
            "Whether each stands upright, or square to the surface.",
            label="stands",
            group="look",
            words={"normal": "square to it"},
        ),
    ] = "upright"
    size: Annotated[
        Number, Quantity("×", "Times as large as the source.", (0, 3), 0.01, low=0, high=1000, group="look")
    ] = 1.0
    size_varies: Annotated[
        Number,
        Quantity("", "Share by which sizes differ.", (0, 1), 0.01, low=0, high=1, group="look", label="size varies"),
    ] = 0.25
    turn: Annotated[Number, Quantity("°", "Degrees about its height.", (-180, 180), 1, group="look", rest=0.0)] = 0.0
    turn_varies: Annotated[
        Number,
        Quantity(
            "°", "Degrees by which turns differ.", (0, 180), 1, low=0, high=180, group="look", label="turn varies"
        ),
    ] = 180.0
    lean: Annotated[
        Number,
        Quantity("°", "Degrees that each leans at rest, each its own way.", (0, 45), 0.5, group="look", rest=0.0),
    ] = 0.0
    lean_varies: Annotated[
        Number,
        Quantity(
            "°", "Degrees by which leans differ.", (0, 45), 0.5, low=0, high=90, group="look", label="lean varies"
        ),
    ] = 5.0
    wind: Annotated[
        Literal["air", "still"],
        Option(
            "Whether each answers the air where it stands.",
            label="in the wind",
            group="wind",
            words={"air": "yes", "still": "no"},
        ),
    ] = "air"
    gain: Annotated[
        Number,
        Quantity(
            "°",
            "Degrees to which a wind of 10 m/s holds them.",
            (0, 90),
            0.5,
            group="wind",
            label="at 10 m/s",
            only=IN_AIR,
        ),
    ] = 25.0
    frequency: Annotated[
        Number,
        Quantity("Hz", "How stiff they are.", (0.1, 8), 0.01, low=0.01, high=1000, group="wind", only=IN_AIR),
    ] = 1.4
    frequency_varies: Annotated[
        Number,
        Quantity(
            "", "Share by which that differs.", (0, 0.5), 0.01, low=0, high=0.9, group="wind", only=IN_AIR,
            label="varies",
        ),
    ] = 0.2  # fmt: skip
    damping: Annotated[
        Number,
        Quantity("", "How fast they come to rest.", (0, 1.2), 0.01, low=0, high=100, group="wind", only=IN_AIR),
    ] = 0.2
    variants: Annotated[int, Field(ge=1, le=MOST_VARIANTS)] = 8
    """In how many shifts of time sources that move are played; each copy has one."""
    shift: Annotated[
        Number,
        Quantity("s", "Seconds over which these shifts are spread.", (0, 8), 0.1, low=0, high=1000, group="time"),
    ] = 2.0
    gone: Annotated[tuple[int, ...], Field(max_length=MOST_GONE)] = ()
    """The copies that were taken away, by their numbers, in order."""

    @property
    def refers(self) -> tuple[Slug, ...]:
        """The objects that it names."""
        return self.sources if self.surface is None else (*self.sources, self.surface)

    def without(self, gone: Collection[Slug]) -> Self | None:
        """The same without objects that are gone: one that loses its surface stands in a grid. None if no source is
        left; itself if it names none of them."""
        if set(gone).isdisjoint(self.refers):
            return self
        sources = tuple(slug for slug in self.sources if slug not in gone)
        lost = self.surface in gone
        over = {"surface": None, "over": "grid" if self.over == "surface" else self.over} if lost else {}
        return self.replaced(sources=sources, **over) if sources else None

    @classmethod
    def settings(cls) -> dict[str, tuple[Any, ...]]:
        """Its choices that are no numbers: field -> what may be chosen."""
        return {name: cls.model_fields[name].annotation.__args__ for name in ("over", "upright", "wind")}  # type: ignore[union-attr]
