"""What is kept on the shelf, across scenes: recipes of numbers and of objects, clips, poses and materials."""

from __future__ import annotations

from typing import Annotated, Literal, Self, get_args

from pydantic import Field, model_validator

from lazzik.core.document import Frozen, Label, Slug
from lazzik.core.scene.scene import Scene

Sort = Literal["recipe", "object", "clip", "pose", "material"]

SORTS: tuple[Sort, ...] = get_args(Sort)

FIELDS: dict[Sort, str] = {
    "recipe": "recipes", "object": "object_recipes", "clip": "clips", "pose": "poses", "material": "nodes",
}  # fmt: skip
"""Where in a scene each sort stands; a material is the look of an object."""

MOST_TAGS = 12

Tag = Annotated[str, Field(min_length=1, max_length=24, pattern=r"^[^\s,]+( [^\s,]+)*$")]


class ShelfItem(Frozen):
    """One thing on the shelf. Its content is a scene of its own, which holds it and all that it reads: so it is
    checked, brought up to date and written as scenes are."""

    key: Slug
    sort: Sort
    label: Label
    note: Annotated[str, Field(max_length=400)] = ""
    tags: Annotated[tuple[Tag, ...], Field(max_length=MOST_TAGS)] = ()
    part: Annotated[str, Field(max_length=64)]
    """What it is called in its content."""
    content: Scene

    @model_validator(mode="after")
    def _is_there(self) -> Self:
        if all(part.id != self.part for part in getattr(self.content, FIELDS[self.sort])):
            raise ValueError(f"the content of '{self.label}' lacks what it should hold, '{self.part}'")
        return self
