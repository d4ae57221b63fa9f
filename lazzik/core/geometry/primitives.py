"""The primitive shapes, each a description that builds its mesh. Y is up; sizes in metres; the centre is the origin,
save where `base` puts the origin under the shape."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import numpy as np
from pydantic import Field

from lazzik.core.document import Finite, Frozen
from lazzik.core.geometry.mesh import Mesh, grid_triangles, joined
from lazzik.core.types import Points, Samples

Size = Annotated[Finite, Field(gt=0, le=10_000)]
Cuts = Annotated[int, Field(ge=1, le=512)]


class Shape(Frozen):
    """What every primitive shares."""

    title: ClassVar[str]

    kind: str
    base: bool = False
    """Whether the origin sits under the shape rather than at its centre."""

    def mesh(self) -> Mesh:
        """The shape's geometry at rest."""
        built = self.build()
        if not self.base:
            return built
        lift = np.array([0.0, -built.points[:, 1].min(), 0.0])
        return Mesh(built.points + lift, built.normals, built.triangles)

    def build(self) -> Mesh:
        """The geometry about its centre."""
        raise NotImplementedError


class Box(Shape):
    """A box with flat sides."""

    title: ClassVar[str] = "Box"
    kind: Literal["box"]
    width: Size = 1.0
    height: Size = 1.0
    depth: Size = 1.0
    cuts: Cuts = 1

    def build(self) -> Mesh:
        half = np.array([self.width, self.height, self.depth]) / 2
        sides = []
        for axis in range(3):
            for sign in (1.0, -1.0):
                u, v = np.meshgrid(np.linspace(-1, 1, self.cuts + 1), np.linspace(-1, 1, self.cuts + 1))
                points = np.empty((u.size, 3))
                points[:, axis] = sign
                points[:, (axis + 1) % 3] = u.ravel() * sign
                points[:, (axis + 2) % 3] = v.ravel()
                normal = np.zeros(3)
                normal[axis] = sign
                sides.append(
                    Mesh(points * half, np.tile(normal, (len(points), 1)), grid_triangles(self.cuts, self.cuts))
                )
        return joined(sides)


class Ball(Shape):
    """A sphere, from pole to pole along y."""

    title: ClassVar[str] = "Ball"
    kind: Literal["ball"]
    radius: Size = 0.5
    around: Cuts = 24
    along: Cuts = 16

    def build(self) -> Mesh:
        angle = np.linspace(0, np.pi, self.along + 1)
        return lathe(np.sin(angle) * self.radius, -np.cos(angle) * self.radius, self.around)


class Tube(Shape):
    """A round bar, closed at both ends; two radii make it a cone's trunk."""

    title: ClassVar[str] = "Tube"
    kind: Literal["tube"]
    radius: Size = 0.5
    top: Annotated[Finite, Field(ge=0, le=10_000)] | None = None
    """Radius at the upper end; None is the same as below, 0 a point."""
    height: Size = 1.0
    around: Cuts = 24
    along: Cuts = 1

    def build(self) -> Mesh:
        top = self.radius if self.top is None else self.top
        heights = np.linspace(-self.height / 2, self.height / 2, self.along + 1)
        parts = [lathe(np.linspace(self.radius, top, self.along + 1), heights, self.around)]
        parts.append(disc(self.radius, -self.height / 2, self.around, up=False))
        if top > 0:
            parts.append(disc(top, self.height / 2, self.around, up=True))
        return joined(parts)


class Ring(Shape):
    """A torus lying flat."""

    title: ClassVar[str] = "Ring"
    kind: Literal["ring"]
    radius: Size = 0.5
    thickness: Size = 0.1
    around: Cuts = 32
    across: Cuts = 12

    def build(self) -> Mesh:
        a = np.linspace(0, 2 * np.pi, self.across + 1)
        return lathe(self.radius + np.cos(a) * self.thickness / 2, np.sin(a) * self.thickness / 2, self.around)


class Sheet(Shape):
    """A flat sheet, lying or standing, seen from both sides."""

    title: ClassVar[str] = "Sheet"
    kind: Literal["sheet"]
    width: Size = 1.0
    height: Size = 1.0
    columns: Cuts = 1
    rows: Cuts = 1
    standing: bool = False

    def build(self) -> Mesh:
        u, v = np.meshgrid(np.linspace(-0.5, 0.5, self.columns + 1), np.linspace(-0.5, 0.5, self.rows + 1))
        flat = np.zeros(u.size)
        x, y = u.ravel() * self.width, v.ravel() * self.height
        points = np.stack([x, y, flat] if self.standing else [x, flat, -y], 1)
        normal = [0.0, 0.0, 1.0] if self.standing else [0.0, 1.0, 0.0]
        front = Mesh(points, np.tile(normal, (len(points), 1)), grid_triangles(self.rows, self.columns))
        return joined([front, Mesh(points, -front.normals, front.triangles[:, ::-1])])


SHAPES: tuple[type[Shape], ...] = (Box, Ball, Tube, Ring, Sheet)
AnyShape = Annotated[Box | Ball | Tube | Ring | Sheet, Field(discriminator="kind")]


def lathe(radii: Samples, heights: Samples, around: int) -> Mesh:
    """Turn a profile, (along,) radii at (along,) heights from the bottom up, about y, with smooth normals."""
    rise, run = np.gradient(heights), np.gradient(radii)
    if len(radii) > 2 and radii[0] == radii[-1] and heights[0] == heights[-1]:
        rise[[0, -1]] = (heights[1] - heights[-2]) / 2
        run[[0, -1]] = (radii[1] - radii[-2]) / 2
    angle = np.linspace(0, 2 * np.pi, around + 1)
    cos, sin = np.cos(angle), np.sin(angle)
    cos[-1], sin[-1] = 1.0, 0.0
    points = np.stack([np.outer(radii, sin), np.outer(heights, np.ones_like(angle)), np.outer(radii, cos)], -1)
    normals = np.stack([np.outer(rise, sin), np.outer(-run, np.ones_like(angle)), np.outer(rise, cos)], -1)
    normals = normals.reshape(-1, 3)
    normals /= np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-12)
    triangles = grid_triangles(len(radii) - 1, around)
    flat = points.reshape(-1, 3)
    # at a pole a ring of points falls together: its triangles without area go
    a, b, c = (flat[triangles[:, k]] for k in range(3))
    area = np.linalg.norm(np.cross(b - a, c - a), axis=1)
    return Mesh(flat, normals, triangles[area > 1e-12])


def disc(radius: float, height: float, around: int, *, up: bool) -> Mesh:
    """A flat round lid."""
    angle = np.linspace(0, 2 * np.pi, around, endpoint=False)
    rim: Points = np.stack([np.sin(angle) * radius, np.full(around, height), np.cos(angle) * radius], 1)
    points = np.concatenate([[[0.0, height, 0.0]], rim])
    k = np.arange(around)
    triangles = np.stack([np.zeros(around, int), 1 + k, 1 + (k + 1) % around], 1)
    normal = [0.0, 1.0, 0.0] if up else [0.0, -1.0, 0.0]
    return Mesh(points, np.tile(normal, (len(points), 1)), triangles if up else triangles[:, ::-1])
