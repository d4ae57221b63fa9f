"""What is worked out step by step from what was before: what parts of the document that are so have in common."""

from __future__ import annotations

from typing import Annotated, ClassVar, Self

from pydantic import Field

from lazzik.core.channel.repeats import Repeats
from lazzik.core.document import Quantity, Slug
from lazzik.core.layers import Number  # with its layers resolved

MOST_COLLIDERS = 16

RunName = Annotated[str, Field(pattern=r"^[0-9a-f]{64}$")]
"""What tells one run from another: a hash of all that it reads."""


class Carried(Repeats):
    """A part of an object that has a run."""

    looks: ClassVar[tuple[str, ...]] = ("tempo", "locked")
    """What of it changes how it looks and how its run is played, and nothing else."""

    colliders: Annotated[tuple[Slug, ...], Field(max_length=MOST_COLLIDERS)] = ()
    """The objects that it meets."""
    tempo: Annotated[
        Number,
        Quantity(
            "×", "How fast the run that was worked out is played; below 0 backwards, from its last frame.", (-2, 2),
            0.01, low=-8, high=8, group="time", label="played", rest=1.0,
        ),
    ] = 1.0  # fmt: skip
    locked: RunName | None = None
    """The run that is played, whatever changes by now; None is the one that the document asks for."""

    @property
    def in_air(self) -> bool:
        """Whether the air moves it."""
        return getattr(self, "wind", "still") != "still"

    @property
    def refers(self) -> tuple[Slug, ...]:
        """The objects that it names."""
        return self.colliders

    def without(self, gone: set[Slug]) -> Self:
        """The same without objects that are gone."""
        return self.replaced(colliders=tuple(slug for slug in self.colliders if slug not in gone))

    def renamed(self, names: dict[str, str]) -> Self:
        """The same, naming copies of objects where these are copied too (object -> copy)."""
        return self.replaced(colliders=tuple(names.get(slug, slug) for slug in self.colliders))

    def bare(self) -> Self:
        """The same as to its run, looking and played in no way of its own."""
        return self.replaced(**{name: type(self).model_fields[name].get_default() for name in self.looks})


class Blended(Carried):
    """One whose run begins settled, and whose end is blended into its beginning where it repeats."""

    looks: ClassVar[tuple[str, ...]] = (*Carried.looks, "loop", "fit", "blend")

    ahead: Annotated[
        Number,
        Quantity("s", "Seconds that it has been there at the first frame, so that it begins settled.", (0, 12), 0.1,
                 low=0, high=600, group="time", label="settled for"),
    ] = 2.0  # fmt: skip
    blend: Annotated[
        Number,
        Quantity(
            "fr", "Frames over which the end of a loop is blended into its beginning.", (0, 50), 1, low=0, high=100_000,
            group="time",
        ),
    ] = 12.0  # fmt: skip
