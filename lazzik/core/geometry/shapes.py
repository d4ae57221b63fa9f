"""Every shape an object may have, as one union."""

from __future__ import annotations

from functools import reduce
from operator import or_
from typing import TYPE_CHECKING, Annotated

from pydantic import Field

from lazzik.core.geometry.imported import MeshShape
from lazzik.core.geometry.lettering import Lettering
from lazzik.core.geometry.primitives import Ball, Basin, Box, Ring, Shape, Sheet, Tube

SHAPES: tuple[type[Shape], ...] = (Box, Ball, Tube, Ring, Basin, Sheet, Lettering, MeshShape)

if TYPE_CHECKING:
    AnyShape = Shape
else:
    AnyShape = Annotated[reduce(or_, SHAPES), Field(discriminator="kind")]
