"""The primitive shapes, each a description that builds its mesh. Y is up; sizes in metres; the centre is the origin,
save where `base` puts the origin under the shape.

Sizes are numbers like any other: keyed and driven. How many points there are never depends on them, only on the
subdivisions along each axis, so that a shape keeps its points while its sizes move.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from pydantic import Field, model_validator

from lazzik.core.cache import BoundedCache
from lazzik.core.channel.channel import base_value
from lazzik.core.channel.layer import numbers_of
from lazzik.core.document import Finite, Frozen, Option, Quantity
from lazzik.core.geometry.assets import NO_ASSETS, AssetStore
from lazzik.core.geometry.mesh import Mesh, concatenate, grid_triangles
from lazzik.core.layers import Number  # with its layers resolved
from lazzik.core.types import Points, Samples

Size = Annotated[Number, Quantity("m", "Metres at rest.", (0.05, 5), 0.01, low=1e-4, high=10_000)]
Cuts = Annotated[int, Field(ge=1, le=512)]
CutsRound = Annotated[int, Field(ge=3, le=512)]
Sizes = Mapping[str, float]
"""A shape's numbers at one moment."""


_REST: BoundedCache[tuple[Shape, Mesh]] = BoundedCache(384 * 2**20)
"""Meshes at rest, by the identity of their shapes, which stay as long as their meshes do."""


class Shape(Frozen):
    """What every primitive shares."""

    title: ClassVar[str]
    cut_by: ClassVar[dict[str, str]] = {}
    """The subdivisions that lie along each axis: axis -> field."""

    kind: str
    base: Annotated[
        bool,
        Option(
            "Whether its origin lies under it or at its middle.",
            "stands on",
            {"true": "its foot", "false": "its middle"},
        ),
    ] = False
    pivot: tuple[Finite, Finite, Finite] = (0.0, 0.0, 0.0)
    """Where the object's origin lies, in metres from there."""

    @classmethod
    def settable(cls) -> list[str]:
        """Fields that are no numbers of the scene and can be set: subdivisions and choices."""
        apart = {"kind", "pivot", "asset", "weights"}
        return [name for name in cls.model_fields if name not in apart and name not in numbers_of(cls)]

    def nominal(self) -> dict[str, float]:
        """The shape's numbers by their bases alone."""
        return {name: base_value(getattr(self, name)) for name in numbers_of(type(self))}

    def mesh(self, assets: AssetStore = NO_ASSETS, sizes: Sizes | None = None) -> Mesh:
        """The shape's geometry at rest, with its bases' sizes or those of a moment. `assets` has what it needs, if that
        is heavy. Raises UnknownAsset, InvalidAsset.

        A shape never changes, so what it is at rest is kept for a while: beside it, since shapes live as long as the
        states that they stand in."""
        if sizes is not None:
            return self._placed(sizes, assets)
        kept = _REST.get(id(self))
        if kept is None:
            mesh = self._placed(self.nominal(), assets)
            kept = _REST.put(id(self), (self, mesh), mesh.weight)
        return kept[1]

    def _placed(self, sizes: Sizes, assets: AssetStore) -> Mesh:
        built = self.build(sizes, assets)
        if not self.base and self.pivot == (0.0, 0.0, 0.0):
            return built
        lift = np.array([0.0, -built.points[:, 1].min() if self.base else 0.0, 0.0])
        return replace(built, points=built.points + (lift - np.array(self.pivot)))

    def build(self, sizes: Sizes, assets: AssetStore) -> Mesh:
        """The geometry about its centre."""
        raise NotImplementedError


X, Y, Z = np.eye(3)

SEEN = {
    (0, 1.0): (-Z, Y),
    (0, -1.0): (Z, Y),
    (1, 1.0): (X, -Z),
    (1, -1.0): (X, Z),
    (2, 1.0): (X, Y),
    (2, -1.0): (-X, Y),
}
"""What is to the right and what upward on each side of a box, as it is seen from outside: by axis and sign."""


class Box(Shape):
    """A box with flat sides."""

    title: ClassVar[str] = "Box"
    cut_by: ClassVar[dict[str, str]] = {"x": "cuts_x", "y": "cuts_y", "z": "cuts_z"}
    kind: Literal["box"]
    width: Size = 1.0
    height: Size = 1.0
    depth: Size = 1.0
    cuts_x: Annotated[Cuts, Option("Segments along x: what bends it needs them.", "cuts along x")] = 1
    cuts_y: Annotated[Cuts, Option("Segments along y: what bends it needs them.", "cuts along y")] = 1
    cuts_z: Annotated[Cuts, Option("Segments along z: what bends it needs them.", "cuts along z")] = 1

    @model_validator(mode="before")
    @classmethod
    def _one_for_all(cls, fields: Any) -> Any:
        """Older scenes name one number of subdivisions for all axes."""
        if isinstance(fields, dict) and "cuts" in fields:
            fields = dict(fields)
            cuts = fields.pop("cuts")
            fields = {"cuts_x": cuts, "cuts_y": cuts, "cuts_z": cuts} | fields
        return fields

    def build(self, sizes: Sizes, assets: AssetStore) -> Mesh:
        half = np.array([sizes["width"], sizes["height"], sizes["depth"]]) / 2
        cuts = (self.cuts_x, self.cuts_y, self.cuts_z)
        sides = []
        for axis in range(3):
            one, other = (axis + 1) % 3, (axis + 2) % 3
            for sign in (1.0, -1.0):
                u, v = np.meshgrid(np.linspace(-1, 1, cuts[one] + 1), np.linspace(-1, 1, cuts[other] + 1))
                points = np.empty((u.size, 3))
                points[:, axis] = sign
                points[:, one] = u.ravel() * sign
                points[:, other] = v.ravel()
                normal = np.zeros(3)
                normal[axis] = sign
                triangles = grid_triangles(cuts[other], cuts[one])
                right, up = SEEN[axis, sign]
                coordinates = np.stack([0.5 + points @ right / 2, 0.5 - points @ up / 2], 1)
                sides.append(Mesh(points * half, np.tile(normal, (len(points), 1)), triangles, coordinates))
        return concatenate(sides)


class Ball(Shape):
    """A sphere, from pole to pole along y."""

    title: ClassVar[str] = "Ball"
    cut_by: ClassVar[dict[str, str]] = {"y": "along", "x": "around", "z": "around"}
    kind: Literal["ball"]
    radius: Size = 0.5
    around: Annotated[Cuts, Option("Segments around it: what bends it needs them.", "cuts around")] = 24
    along: Annotated[Cuts, Option("Segments from pole to pole: what bends it needs them.", "cuts along")] = 16

    def build(self, sizes: Sizes, assets: AssetStore) -> Mesh:
        angle = np.linspace(0, np.pi, self.along + 1)
        radii = np.sin(angle)
        radii[[0, -1]] = 0.0
        return lathe(radii * sizes["radius"], -np.cos(angle) * sizes["radius"], self.around, poles=(True, True))


class Tube(Shape):
    """A round bar, closed at both ends; narrower above it is a cone."""

    title: ClassVar[str] = "Tube"
    cut_by: ClassVar[dict[str, str]] = {"y": "along", "x": "lids", "z": "lids"}
    kind: Literal["tube"]
    radius: Size = 0.5
    upper: Annotated[
        Number,
        Quantity(
            "×",
            "Radius at the upper end, times the lower one; 0 is a point.",
            (0, 1.5),
            0.01,
            low=0,
            label="radius at top",
        ),
    ] = 1.0
    height: Size = 1.0
    around: Annotated[CutsRound, Option("Segments around it: what bends it needs them.", "cuts around")] = 24
    along: Annotated[Cuts, Option("Segments along its height: what bends it needs them.", "cuts along")] = 1
    lids: Annotated[
        Cuts, Option("Rings of points in each of its ends: what pushes them needs them.", "rings in lids")
    ] = 1

    @model_validator(mode="before")
    @classmethod
    def _upper_in_metres(cls, fields: Any) -> Any:
        """Older scenes give the upper radius in metres as `top`."""
        if isinstance(fields, dict) and "top" in fields:
            fields = dict(fields)
            top, radius = fields.pop("top"), fields.get("radius", 0.5)
            if isinstance(top, int | float) and isinstance(radius, int | float) and radius > 0:
                fields["upper"] = top / radius
            elif top is not None:
                raise ValueError("the upper radius of a tube can't be read")
        return fields

    def build(self, sizes: Sizes, assets: AssetStore) -> Mesh:
        radius, half = sizes["radius"], sizes["height"] / 2
        top = radius * sizes["upper"]
        pointed = base_value(self.upper) == 0
        heights = np.linspace(-half, half, self.along + 1)
        wall = lathe(np.linspace(radius, top, self.along + 1), heights, self.around, poles=(False, pointed))
        parts = [wall, disc(radius, -half, self.around, self.lids, up=False)]
        if not pointed:
            parts.append(disc(top, half, self.around, self.lids, up=True))
        return concatenate(parts)


class Ring(Shape):
    """A torus lying flat."""

    title: ClassVar[str] = "Ring"
    cut_by: ClassVar[dict[str, str]] = {"x": "around", "z": "around", "y": "across"}
    kind: Literal["ring"]
    radius: Size = 0.5
    thickness: Size = 0.1
    around: Annotated[CutsRound, Option("Segments around the whole ring: what bends it needs them.", "cuts around")] = (
        32
    )
    across: Annotated[CutsRound, Option("Segments around its thickness: what bends it needs them.", "cuts across")] = 12

    def build(self, sizes: Sizes, assets: AssetStore) -> Mesh:
        a = np.linspace(0, 2 * np.pi, self.across + 1)
        half = sizes["thickness"] / 2
        return lathe(sizes["radius"] + np.cos(a) * half, np.sin(a) * half, self.around, round_again=True)


class Basin(Shape):
    """A round basin, open above."""

    title: ClassVar[str] = "Basin"
    cut_by: ClassVar[dict[str, str]] = {"y": "along", "x": "around", "z": "around"}
    kind: Literal["basin"]
    radius: Size = 0.5
    upper: Annotated[
        Number, Quantity("×", "Radius of its rim, times that of its foot.", (0.3, 2), 0.01, low=0.01, label="rim")
    ] = 1.2
    height: Size = 0.4
    wall: Annotated[
        Number, Quantity("m", "How thick its wall and its floor are.", (0.01, 0.2), 0.005, low=1e-4, high=1000)
    ] = 0.03
    around: Annotated[CutsRound, Option("Segments around it: what bends it needs them.", "cuts around")] = 32
    along: Annotated[Cuts, Option("Segments along its height: what bends it needs them.", "cuts along")] = 4

    def build(self, sizes: Sizes, assets: AssetStore) -> Mesh:
        foot, high = sizes["radius"], sizes["height"]
        rim = foot * sizes["upper"]
        wall = min(sizes["wall"], 0.9 * foot, 0.9 * rim, 0.9 * high)
        low, top = -high / 2, high / 2
        rising = np.linspace(0.0, 1.0, self.along + 1)
        outer = lathe(foot + (rim - foot) * rising, low + high * rising, self.around)
        within = foot + (rim - foot) * wall / high - wall  # where the inner wall meets the floor
        inner = lathe(rim - wall + (within - rim + wall) * rising, top + (low + wall - top) * rising, self.around)
        edge = lathe(np.array([rim, rim - wall]), np.array([top, top]), self.around)
        floors = [disc(foot, low, self.around, 1, up=False), disc(within, low + wall, self.around, 1, up=True)]
        return concatenate([outer, edge, inner, *floors])


class Sheet(Shape):
    """A flat sheet, lying or standing, seen from both sides."""

    title: ClassVar[str] = "Sheet"
    cut_by: ClassVar[dict[str, str]] = {"x": "columns", "y": "rows", "z": "rows"}
    kind: Literal["sheet"]
    width: Size = 1.0
    height: Size = 1.0
    columns: Annotated[Cuts, Option("Segments from side to side: what bends it needs them.", "columns")] = 1
    rows: Annotated[Cuts, Option("Segments from end to end: what bends it needs them.", "rows")] = 1
    standing: Annotated[
        bool, Option("Whether it stands upright or lies flat.", words={"true": "upright", "false": "flat"})
    ] = False

    def build(self, sizes: Sizes, assets: AssetStore) -> Mesh:
        u, v = np.meshgrid(np.linspace(-0.5, 0.5, self.columns + 1), np.linspace(-0.5, 0.5, self.rows + 1))
        flat = np.zeros(u.size)
        x, y = u.ravel() * sizes["width"], v.ravel() * sizes["height"]
        points = np.stack([x, y, flat] if self.standing else [x, flat, -y], 1)
        normal = [0.0, 0.0, 1.0] if self.standing else [0.0, 1.0, 0.0]
        coordinates = np.stack([0.5 + u.ravel(), 0.5 - v.ravel()], 1)
        front = Mesh(points, np.tile(normal, (len(points), 1)), grid_triangles(self.rows, self.columns), coordinates)
        return concatenate([front, Mesh(points, -front.normals, front.triangles[:, ::-1], coordinates)])


def lathe(
    radii: Samples,
    heights: Samples,
    around: int,
    *,
    poles: tuple[bool, bool] = (False, False),
    round_again: bool = False,
) -> Mesh:
    """Turn a profile, (along,) radii at (along,) heights from the bottom up, about y, with smooth normals.

    `poles` says at which end the profile meets the axis: there a ring of points falls together, and its triangles
    without area go. `round_again`: the profile closes on itself.

    Parameters
    ----------
    radii, heights : (along,) arrays
        Metres, from the bottom up.

    Returns
    -------
    Mesh
        About y.
    """
    rise, run = np.gradient(heights), np.gradient(radii)
    if round_again:
        rise[[0, -1]] = (heights[1] - heights[-2]) / 2
        run[[0, -1]] = (radii[1] - radii[-2]) / 2
    angle = np.linspace(0, 2 * np.pi, around + 1)
    cos, sin = np.cos(angle), np.sin(angle)
    cos[-1], sin[-1] = 1.0, 0.0
    points = np.stack([np.outer(radii, sin), np.outer(heights, np.ones_like(angle)), np.outer(radii, cos)], -1)
    normals = np.stack([np.outer(rise, sin), np.outer(-run, np.ones_like(angle)), np.outer(rise, cos)], -1)
    normals = normals.reshape(-1, 3)
    normals /= np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-12)
    rows = len(radii) - 1
    triangles = grid_triangles(rows, around)
    count = rows * around
    kept = np.ones(len(triangles), bool)
    if poles[0]:  # the first half of the list holds the triangles with their edge below, the second those with it above
        kept[:around] = False
    if poles[1]:
        kept[2 * count - around :] = False
    u, v = np.meshgrid(np.linspace(0, 1, around + 1), np.linspace(1, 0, rows + 1))
    return Mesh(points.reshape(-1, 3), normals, triangles[kept], np.stack([u.ravel(), v.ravel()], 1))


def disc(radius: float, height: float, around: int, rings: int, *, up: bool) -> Mesh:
    """A flat round lid: a middle point and so many rings of points."""
    angle = np.linspace(0, 2 * np.pi, around, endpoint=False)
    shares = np.arange(1, rings + 1) / rings
    rim = [
        np.stack([np.sin(angle) * radius * r, np.full(around, height), np.cos(angle) * radius * r], 1) for r in shares
    ]
    points: Points = np.concatenate([[[0.0, height, 0.0]], *rim])
    k = np.arange(around)
    after = (k + 1) % around
    triangles = [np.stack([np.zeros(around, int), 1 + k, 1 + after], 1)]
    for ring in range(rings - 1):
        a, b = 1 + ring * around, 1 + (ring + 1) * around
        triangles += [np.stack([a + k, b + k, b + after], 1), np.stack([a + k, b + after, a + after], 1)]
    faces = np.concatenate(triangles).astype(np.int64)
    normal = [0.0, 1.0, 0.0] if up else [0.0, -1.0, 0.0]
    flat = points[:, [0, 2]] / (2 * radius if radius > 0 else 1.0)
    coordinates = 0.5 + flat * [1.0, 1.0 if up else -1.0]
    triangles_out = faces if up else np.ascontiguousarray(faces[:, ::-1])
    return Mesh(points, np.tile(normal, (len(points), 1)), triangles_out, coordinates)
