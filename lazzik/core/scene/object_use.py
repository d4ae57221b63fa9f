"""A recipe of an object in use: what it is called here, and how large."""

from __future__ import annotations

from collections.abc import Collection
from typing import Annotated, Self

from pydantic import Field

from lazzik.core.document import Finite, Frozen, Name, Slug

MOST_USES = 8
"""Recipes that one object follows."""

MOST_OBJECTS = 500
"""Objects of one recipe."""

Times = Annotated[Finite, Field(gt=0, le=1e6)]


class ObjectUse(Frozen):
    """A recipe as it was put on an object. What it put there stands in the objects themselves, where all else is; this
    tells what of it comes from the recipe."""

    recipe: Name
    inside: Times = 1.0
    """Times the recipe's lengths, in the object's own space."""
    outside: Times = 1.0
    """The same in the space of the object above: of its position, and of what stands beside it."""
    objects: Annotated[tuple[tuple[Slug, Slug], ...], Field(max_length=MOST_OBJECTS)] = ()
    """(the recipe's, the scene's) objects beside the one that bears this."""
    parts: Annotated[tuple[tuple[str, str], ...], Field(max_length=1000)] = ()
    """(the recipe's 'rotation.z#gust' or 'deform.bend', the id here) of what bears another id here."""

    def without(self, gone: Collection[Slug]) -> Self:
        """The same where some objects are gone."""
        return self.replaced(objects=tuple(pair for pair in self.objects if pair[1] not in gone))

    def renamed(self, names: dict[str, str]) -> Self:
        """The use of a copy, whose objects are the copies of them; those that were not copied are no part of it."""
        return self.replaced(objects=tuple((there, names[here]) for there, here in self.objects if here in names))
