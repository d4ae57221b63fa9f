"""Meshes from files, kept as assets."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated, ClassVar, Literal

from pydantic import Field

from lazzik.core.document import Quantity
from lazzik.core.geometry.assets import AssetStore, unpack_mesh
from lazzik.core.geometry.mesh import Mesh
from lazzik.core.geometry.primitives import Shape, Sizes
from lazzik.core.layers import Number  # with its layers resolved

ENDINGS = (".obj", ".ply", ".stl")
MOST_POINTS = 2_000_000
LARGEST_FILE = 64 * 2**20

AssetName = Annotated[str, Field(pattern=r"^[0-9a-f]{64}$")]


class MeshShape(Shape):
    """A mesh that was brought along, or a shape that was made permanent."""

    title: ClassVar[str] = "Mesh"
    kind: Literal["mesh"]
    asset: AssetName
    weights: AssetName | None = None
    """A weight for each point that the file had, for masks."""
    size: Annotated[Number, Quantity("×", "Times the size that it has of itself.", (0.1, 3), 0.01, low=1e-4)] = 1.0

    def build(self, sizes: Sizes, assets: AssetStore) -> Mesh:
        mesh = assets.read(self.asset, unpack_mesh)
        return replace(mesh, points=mesh.points * sizes["size"]) if sizes["size"] != 1.0 else mesh
