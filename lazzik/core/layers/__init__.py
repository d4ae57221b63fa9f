"""The layer kinds. A new kind is its own file and its name in KINDS; all else is made from what it says of itself."""

from __future__ import annotations

from functools import reduce
from operator import or_
from typing import TYPE_CHECKING, Annotated, get_args

from pydantic import Field

from lazzik.core.channel.channel import Channel, Number
from lazzik.core.channel.layer import Layer
from lazzik.core.document import Frozen
from lazzik.core.layers.follow import Follow
from lazzik.core.layers.formula import Formula
from lazzik.core.layers.hold import Hold
from lazzik.core.layers.limit import Limit
from lazzik.core.layers.link import Link
from lazzik.core.layers.noise import Noise
from lazzik.core.layers.recipe import Override, Recipe, Use
from lazzik.core.layers.repeat import Repeat
from lazzik.core.layers.settle import Settle
from lazzik.core.layers.smooth import Smooth
from lazzik.core.layers.travel import Travel
from lazzik.core.layers.turn import Turn
from lazzik.core.layers.wave import Wave

KINDS: tuple[type[Layer], ...] = (
    Noise,
    Wave,
    Settle,
    Follow,
    Travel,
    Turn,
    Formula,
    Repeat,
    Hold,
    Limit,
    Smooth,
    Link,
    Use,
)

BY_KIND: dict[str, type[Layer]] = {get_args(kind.model_fields["kind"].annotation)[0]: kind for kind in KINDS}

if len(BY_KIND) < len(KINDS):
    raise RuntimeError("two layer kinds share a name")

if TYPE_CHECKING:
    AnyLayer = Layer
else:
    AnyLayer = Annotated[reduce(or_, KINDS), Field(discriminator="kind")]

# a channel holds layers and a layer's numbers are channels: the name is resolved here, once both exist
_MODELS: tuple[type[Frozen], ...] = (Channel, Override, Layer, *KINDS, Recipe)
for model in _MODELS:
    model.model_rebuild(force=True, _types_namespace={"AnyLayer": AnyLayer, "Channel": Channel})

__all__ = ["BY_KIND", "KINDS", "AnyLayer", "Layer", "Number", "Recipe"]
