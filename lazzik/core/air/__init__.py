"""The air: what moves it. A new kind of field is its own file and its file's name in FILES; all else is made from what
it says of itself."""

from __future__ import annotations

from functools import reduce
from importlib import import_module
from operator import or_
from typing import TYPE_CHECKING, Annotated

from pydantic import Field

from lazzik.core.air.field import AirField

FILES = ("wind", "eddies", "whirl", "push")
"""In the order of the palette."""


def _kind(file: str) -> type[AirField]:
    """The one kind of field that a file defines."""
    module = import_module(f"{__name__}.{file}")
    own = [item for item in vars(module).values() if isinstance(item, type) and item.__module__ == module.__name__]
    (kind,) = [item for item in own if issubclass(item, AirField)]
    return kind


FIELD_KINDS: dict[str, type[AirField]] = {file: _kind(file) for file in FILES}

if TYPE_CHECKING:
    AnyField = AirField
else:
    AnyField = Annotated[reduce(or_, FIELD_KINDS.values()), Field(discriminator="kind")]

__all__ = ["FIELD_KINDS", "AirField", "AnyField"]
