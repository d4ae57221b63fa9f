"""A recipe of an object: all that drives it, with what belongs to it, saved under a name.

The first of its objects is the one that others stand for where the recipe is put on them: what lies on its numbers,
deforms it, aims it or makes it cloth goes over to them, while their place, shape and looks stay their own. The others,
which hang under it or stand beside it, come as objects. How it is put on one stands in `laying.py`.
"""

from __future__ import annotations

from typing import Annotated, Self

from pydantic import Field, model_validator

from lazzik.core.document import Finite, Frozen, Label, Name
from lazzik.core.layers.recipe import MOST_EXPOSED
from lazzik.core.scene.node import Node
from lazzik.core.scene.object_use import MOST_OBJECTS


class ExposedNumber(Frozen):
    """A number that each use is meant to have its own value of."""

    address: Annotated[str, Field(max_length=2000)]
    """Its address among the recipe's objects."""
    label: Label


class ObjectRecipe(Frozen):
    """A saved object, with what belongs to it. Its times are on the clock of the scene that it is in."""

    id: Name
    label: Label
    note: Annotated[str, Field(max_length=400)] = ""
    nodes: Annotated[tuple[Node, ...], Field(min_length=1, max_length=MOST_OBJECTS)]
    """The object itself first."""
    exposed: Annotated[tuple[ExposedNumber, ...], Field(max_length=MOST_EXPOSED)] = ()
    size: Annotated[Finite, Field(gt=0)] = 1.0
    """Metres that the object spans at rest along its longest side, in its own space."""
    across: Annotated[Finite, Field(gt=0)] = 1.0
    """The same by its own scale, as it stands."""

    @model_validator(mode="after")
    def _told_apart(self) -> Self:
        ids = [node.id for node in self.nodes]
        if len(set(ids)) < len(ids):
            raise ValueError("two objects of one recipe share an id")
        if len({item.address for item in self.exposed}) < len(self.exposed):
            raise ValueError("a recipe exposes a number once")
        return self

    @property
    def main(self) -> Node:
        """The object that others stand for."""
        return self.nodes[0]

    @property
    def others(self) -> tuple[Node, ...]:
        """What comes with it."""
        return self.nodes[1:]

    def node(self, slug: str) -> Node | None:
        """The object with this id."""
        return next((node for node in self.nodes if node.id == slug), None)
