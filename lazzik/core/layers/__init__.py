"""The layer kinds. A new kind is its own file and its file's name in FILES; all else is made from what it says of
itself."""

from __future__ import annotations

from functools import reduce
from importlib import import_module
from operator import or_
from typing import TYPE_CHECKING, Annotated, get_args

from pydantic import Field

from lazzik.core.channel.channel import Channel, Number
from lazzik.core.channel.layer import Layer
from lazzik.core.layers.clip import Clip
from lazzik.core.layers.recipe import Recipe

FILES = (
    "noise",
    "breeze",
    "wave",
    "settle",
    "follow",
    "travel",
    "turn",
    "formula",
    "repeat",
    "hold",
    "limit",
    "smooth",
    "link",
    "clip",
    "recipe",
)
"""In the order of the palette."""


def _kind(file: str) -> type[Layer]:
    """The one layer kind that a file defines."""
    module = import_module(f"{__name__}.{file}")
    own = [item for item in vars(module).values() if isinstance(item, type) and item.__module__ == module.__name__]
    (kind,) = [item for item in own if issubclass(item, Layer)]
    return kind


KINDS: tuple[type[Layer], ...] = tuple(_kind(file) for file in FILES)

BY_KIND: dict[str, type[Layer]] = {get_args(kind.model_fields["kind"].annotation)[0]: kind for kind in KINDS}

if len(BY_KIND) < len(KINDS):
    raise RuntimeError("two layer kinds share a name")

if TYPE_CHECKING:
    AnyLayer = Layer
else:
    AnyLayer = Annotated[reduce(or_, KINDS), Field(discriminator="kind")]

# a channel holds layers and a layer's numbers are channels: the name is resolved here, once both exist
Channel.model_rebuild(_types_namespace={"AnyLayer": AnyLayer})

__all__ = ["BY_KIND", "KINDS", "AnyLayer", "Clip", "Layer", "Number", "Recipe"]
