"""Lettering: a line of text as a solid, its faces filled with points so that it can bend.

The outlines are those of a TrueType or OpenType font (ISO/IEC 14496-22), curves cut into short pieces.
"""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import numpy as np
from pydantic import Field

from lazzik.core.document import Option, Quantity
from lazzik.core.geometry.assets import AssetStore
from lazzik.core.geometry.mesh import Mesh
from lazzik.core.geometry.primitives import Shape, Size, Sizes
from lazzik.core.layers import Number  # with its layers resolved

LONGEST = 60
"""Characters of one lettering."""


class Lettering(Shape):
    """Letters with depth."""

    title: ClassVar[str] = "Lettering"
    kind: Literal["lettering"]
    text: Annotated[str, Field(min_length=1, max_length=LONGEST)] = "Ridge"
    font: Annotated[str, Field(pattern=r"^[a-z0-9-]+$", max_length=64)] = "bricolage-grotesque"
    """The name of a font that ships, or of an asset."""
    size: Size = 0.5
    depth: Annotated[Number, Quantity("m", "Metres from front to back.", (0, 1), 0.01, low=1e-4, high=10_000)] = 0.08
    density: Annotated[
        int, Field(ge=2, le=40), Option("Points to the height of a letter: what bends it needs them.")
    ] = 10
    slices: Annotated[int, Field(ge=1, le=64), Option("Segments from front to back.")] = 1

    def build(self, sizes: Sizes, assets: AssetStore) -> Mesh:
        from lazzik.core.geometry.fonts import set_in_type

        flat, depth = set_in_type(self.text, self.font, self.density, self.slices, assets), sizes["depth"]
        points = flat.points * np.array([sizes["size"], sizes["size"], depth])
        return Mesh(points, flat.normals, flat.triangles)
