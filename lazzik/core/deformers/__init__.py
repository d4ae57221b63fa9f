"""The deformer kinds. A new kind is its own file and its file's name in FILES; all else is made from what it says of
itself."""

from __future__ import annotations

from functools import reduce
from importlib import import_module
from operator import or_
from typing import TYPE_CHECKING, Annotated, get_args

from pydantic import Field

from lazzik.core.deformers.base import Deformer

FILES = ("bend", "twist", "taper", "stretch", "undulate", "ripple", "rumple", "sway", "jiggle")
"""In the order of the palette."""


def _kind(file: str) -> type[Deformer]:
    """The one deformer kind that a file defines."""
    module = import_module(f"{__name__}.{file}")
    own = [item for item in vars(module).values() if isinstance(item, type) and item.__module__ == module.__name__]
    (kind,) = [item for item in own if issubclass(item, Deformer)]
    return kind


KINDS: tuple[type[Deformer], ...] = tuple(_kind(file) for file in FILES)

BY_KIND: dict[str, type[Deformer]] = {get_args(kind.model_fields["kind"].annotation)[0]: kind for kind in KINDS}

if len(BY_KIND) < len(KINDS):
    raise RuntimeError("two deformer kinds share a name")

if TYPE_CHECKING:
    AnyDeformer = Deformer
else:
    AnyDeformer = Annotated[reduce(or_, KINDS), Field(discriminator="kind")]

__all__ = ["BY_KIND", "KINDS", "AnyDeformer", "Deformer"]
