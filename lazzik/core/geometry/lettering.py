"""Lettering: a line of text as a solid, its faces filled with points so that it can bend.

The outlines are those of a TrueType or OpenType font (ISO/IEC 14496-22), curves cut into short pieces. The face is the
Delaunay triangulation (B. Delaunay, 1934) of the outline's points and of a grid of points inside it, without the
triangles whose middle lies outside by the non-zero winding rule. Points along the outline are as close as those of the
grid, so the outline itself comes out as edges; a piece that does not is halved until it does.
"""

from __future__ import annotations

import io
import struct
from functools import lru_cache
from importlib.resources import files
from typing import Annotated, Any, ClassVar, Literal

import numpy as np
import shapely
from fontTools.pens.basePen import BasePen
from fontTools.ttLib import TTFont, TTLibError
from numpy.typing import NDArray
from pydantic import Field
from scipy.spatial import Delaunay, cKDTree
from shapely.geometry import Polygon

from lazzik.core.document import Quantity
from lazzik.core.errors import InvalidAsset
from lazzik.core.geometry.assets import asset
from lazzik.core.geometry.mesh import Mesh, joined
from lazzik.core.geometry.primitives import Shape, Size, Sizes
from lazzik.core.layers import Number  # with its layers resolved
from lazzik.core.types import Points, Samples, Triangles

SHIPPED = ("bricolage-grotesque", "instrument-sans", "spline-sans-mono")
LONGEST = 60
"""Characters of one lettering."""

MOST_CUTS = 10
"""Times that pieces of an outline are halved until the triangles take them as edges."""

WRONG_WITH_FONTS = (
    TTLibError, struct.error, ValueError, LookupError, AttributeError, TypeError, AssertionError, OverflowError,
    RecursionError, MemoryError, EOFError,
)  # fmt: skip
"""What reading a damaged font may raise."""

Outline = NDArray[np.float64]  # (points, 2), closed, in ems


class Lettering(Shape):
    """Letters with depth."""

    title: ClassVar[str] = "Lettering"
    kind: Literal["lettering"]
    text: Annotated[str, Field(min_length=1, max_length=LONGEST)] = "Ridge"
    font: Annotated[str, Field(pattern=r"^[a-z0-9-]+$", max_length=64)] = "bricolage-grotesque"
    """The name of a font that ships, or of an asset."""
    size: Size = 0.5
    depth: Annotated[Number, Quantity("m", "Metres from front to back.", (0, 1), 0.01, low=1e-4, high=10_000)] = 0.08
    density: Annotated[int, Field(ge=2, le=40)] = 10
    """Points to the height of an em."""
    slices: Annotated[int, Field(ge=1, le=64)] = 1
    """Segments from front to back."""

    def build(self, sizes: Sizes) -> Mesh:
        flat, depth = set_in_type(self.text, self.font, self.density, self.slices), sizes["depth"]
        points = flat.points * np.array([sizes["size"], sizes["size"], depth])
        return Mesh(points, flat.normals, flat.triangles)


@lru_cache(maxsize=64)
def set_in_type(text: str, font: str, density: int, slices: int) -> Mesh:
    """A line of text, one em high and one deep, about its middle. Raises UnknownAsset, InvalidAsset."""
    outlines = _united(_outlines(text, font, 1.0 / density), 1.0 / density)
    if not outlines:
        raise InvalidAsset(f"The font has no outlines for '{text[:20]}'")
    every = np.concatenate(outlines)
    middle = (every.min(axis=0) + every.max(axis=0)) / 2
    outlines = [outline - middle for outline in outlines]
    face, triangles, outlines = _face(outlines, 1.0 / density)
    back = np.column_stack([face, np.full(len(face), -0.5)])
    front = np.column_stack([face, np.full(len(face), 0.5)])
    parts = [
        Mesh(front, np.tile([0.0, 0.0, 1.0], (len(face), 1)), triangles),
        Mesh(back, np.tile([0.0, 0.0, -1.0], (len(face), 1)), np.ascontiguousarray(triangles[:, ::-1])),
        *(_wall(outline, slices) for outline in outlines),
    ]
    return joined(parts)


def font_bytes(name: str) -> bytes:
    """A font that ships, or that of an asset. Raises UnknownAsset."""
    if name in SHIPPED:
        return files("lazzik.core.geometry").joinpath("fonts", f"{name}.ttf").read_bytes()
    return asset(name)


def check_font(content: bytes) -> str:
    """The family name of a font file. Raises InvalidAsset."""
    font = _opened(content)
    try:
        family = font["name"].getDebugName(1) if "name" in font else None
        glyphs = font.getGlyphSet()
        glyphs[font.getGlyphOrder()[0]].draw(_Flat(glyphs, 1.0, 0.0, 1e9))
    except WRONG_WITH_FONTS as error:
        raise InvalidAsset(f"The font is damaged ({error})") from None
    return family or "Unnamed font"


class _Flat(BasePen):  # type: ignore[misc]
    """Draws glyphs as polylines in ems."""

    def __init__(self, glyphs: Any, scale: float, left: float, spacing: float) -> None:
        super().__init__(glyphs)
        self.scale, self.left, self.spacing = scale, left, spacing
        self.outlines: list[list[tuple[float, float]]] = []

    def _at(self, point: tuple[float, float]) -> tuple[float, float]:
        return self.left + point[0] * self.scale, point[1] * self.scale

    def _moveTo(self, point: tuple[float, float]) -> None:
        self.outlines.append([self._at(point)])

    def _lineTo(self, point: tuple[float, float]) -> None:
        start, end = np.array(self.outlines[-1][-1]), np.array(self._at(point))
        self._cut(lambda t: start + (end - start) * t, self._at(point))

    def _curveToOne(self, one: tuple[float, float], two: tuple[float, float], end: tuple[float, float]) -> None:
        p = np.array([self.outlines[-1][-1], self._at(one), self._at(two), self._at(end)])

        def curve(t: float) -> Samples:
            s = 1 - t
            out: Samples = s**3 * p[0] + 3 * s * s * t * p[1] + 3 * s * t * t * p[2] + t**3 * p[3]
            return out

        self._cut(curve, self._at(end))

    def _qCurveToOne(self, one: tuple[float, float], end: tuple[float, float]) -> None:
        p = np.array([self.outlines[-1][-1], self._at(one), self._at(end)])

        def curve(t: float) -> Samples:
            out: Samples = (1 - t) ** 2 * p[0] + 2 * (1 - t) * t * p[1] + t * t * p[2]
            return out

        self._cut(curve, self._at(end))

    def _cut(self, curve: Any, end: tuple[float, float]) -> None:
        length = float(np.linalg.norm(np.subtract(end, self.outlines[-1][-1])))
        pieces = max(1, int(np.ceil(length / self.spacing)))
        self.outlines[-1] += [tuple(curve(k / pieces)) for k in range(1, pieces)] + [end]

    def _closePath(self) -> None:
        first, last = self.outlines[-1][0], self.outlines[-1][-1]
        if np.hypot(first[0] - last[0], first[1] - last[1]) > 1e-6:
            self._lineTo(((first[0] - self.left) / self.scale, first[1] / self.scale))
        self.outlines[-1].pop()

    def _endPath(self) -> None:
        self.outlines.pop()


def _opened(content: bytes) -> TTFont:
    try:
        font = TTFont(io.BytesIO(content), lazy=True)
        if "cmap" not in font or not ({"glyf", "CFF ", "CFF2"} & set(font.keys())):
            raise InvalidAsset("This font holds no outlines that can be used")
        return font
    except WRONG_WITH_FONTS as error:
        raise InvalidAsset(f"This is no TrueType or OpenType font that can be read ({error})") from None


def _outlines(text: str, name: str, spacing: float) -> list[Outline]:
    """Closed outlines in ems, on one base line."""
    font = _opened(font_bytes(name))
    try:
        glyphs, names = font.getGlyphSet(), font.getBestCmap() or {}
        scale, left, found = 1.0 / font["head"].unitsPerEm, 0.0, []
        for letter in text:
            glyph = names.get(ord(letter), ".notdef")
            pen = _Flat(glyphs, scale, left, spacing)
            glyphs[glyph].draw(pen)
            found += [np.array(outline) for outline in pen.outlines if len(outline) > 2]
            left += glyphs[glyph].width * scale
    except WRONG_WITH_FONTS as error:
        raise InvalidAsset(f"The font can't be drawn from ({error})") from None
    return found


def _face(outlines: list[Outline], spacing: float) -> tuple[NDArray[np.float64], Triangles, list[Outline]]:
    """(n, 2) points and triangles of the filled outlines, anticlockwise, and the outlines as they were cut for it."""
    rim = outlines
    for _ in range(MOST_CUTS):
        every = np.concatenate(rim)
        points = np.concatenate([every, _grid(every, outlines, spacing)])
        # a frame around it all: on the rim of a triangulation flat triangles would hide a straight side
        low, high = every.min(axis=0) - 1, every.max(axis=0) + 1
        frame = np.array([[x, y] for x in np.linspace(low[0], high[0], 9) for y in (low[1], high[1])])
        triangles = Delaunay(np.concatenate([points, frame])).simplices
        triangles = triangles[(triangles < len(points)).all(axis=1)]
        triangles = triangles[_winding(points[triangles].mean(axis=1), outlines) != 0]
        a, b, c = (points[triangles[:, k]] for k in range(3))
        twice = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])
        triangles = np.where(twice[:, None] < 0, triangles[:, ::-1], triangles)[np.abs(twice) > 1e-12]
        cut = _cut_where_missing(rim, triangles)
        if cut is None:
            break
        rim = cut
    return points, np.ascontiguousarray(triangles, dtype=np.int64), rim


def _united(outlines: list[Outline], spacing: float) -> list[Outline]:
    """The same filled shape without overlaps, outer outlines clockwise as TrueType draws them, holes the other way.

    The strokes of one letter may be drawn as outlines that overlap; where they share a side, no triangulation could
    take both as edges.
    """
    if not outlines:
        return []
    polygons = [Polygon(outline).buffer(0) for outline in outlines]
    signs = [float(np.sign(shapely.LinearRing(outline).is_ccw - 0.5)) for outline in outlines]
    outer = signs[int(np.argmax([polygon.area for polygon in polygons]))]
    filled = shapely.union_all([p for p, sign in zip(polygons, signs, strict=True) if sign == outer])
    holes = shapely.union_all([p for p, sign in zip(polygons, signs, strict=True) if sign != outer])
    whole = shapely.orient_polygons(shapely.segmentize(filled.difference(holes), spacing), exterior_cw=True)
    found = []
    for part in getattr(whole, "geoms", [whole]):
        if isinstance(part, Polygon) and not part.is_empty:
            found += [np.array(ring.coords)[:-1] for ring in (part.exterior, *part.interiors)]
    return [_distinct(outline) for outline in found]


def _distinct(outline: Outline) -> Outline:
    """The outline without points that fall on the one before."""
    step = np.linalg.norm(outline - np.roll(outline, 1, axis=0), axis=1)
    return np.asarray(outline[step > 1e-5], dtype=np.float64)


def _grid(rim: Outline, outlines: list[Outline], spacing: float) -> Outline:
    """(n, 2) points of a grid inside the outlines, none too near to them."""
    low, high = rim.min(axis=0), rim.max(axis=0)
    x, y = np.meshgrid(np.arange(low[0], high[0], spacing), np.arange(low[1], high[1], spacing * 0.87))
    x = x + np.where(np.arange(len(y)) % 2, spacing / 2, 0.0)[:, None]
    grid = np.column_stack([x.ravel(), y.ravel()])
    grid = grid[_winding(grid, outlines) != 0]
    if not len(grid):
        return np.empty((0, 2))
    return np.asarray(grid[cKDTree(rim).query(grid)[0] > 0.55 * spacing], dtype=np.float64)


def _cut_where_missing(rim: list[Outline], triangles: Triangles) -> list[Outline] | None:
    """The outlines with a point more in each piece that no triangle has as an edge; None if every piece is one."""
    edges = np.sort(np.concatenate([triangles[:, [0, 1]], triangles[:, [1, 2]], triangles[:, [2, 0]]]), axis=1)
    there = set(map(tuple, edges.tolist()))
    start, out, whole = 0, [], True
    for outline in rim:
        count = len(outline)
        places = start + np.arange(count)
        after = np.roll(places, -1)
        pairs = np.sort(np.stack([places, after], 1), axis=1).tolist()
        missing = np.array([tuple(pair) not in there for pair in pairs])
        middles = (outline + np.roll(outline, -1, axis=0)) / 2
        out.append(np.insert(outline, np.flatnonzero(missing) + 1, middles[missing], axis=0))
        whole &= not missing.any()
        start += count
    return None if whole else out


def _winding(points: NDArray[np.float64], outlines: list[Outline]) -> NDArray[np.int64]:
    """(n,) how often the outlines go around each point, anticlockwise counted up."""
    count = np.zeros(len(points), np.int64)
    x, y = points[:, 0], points[:, 1]
    for outline in outlines:
        for (ax, ay), (bx, by) in zip(outline, np.roll(outline, -1, axis=0), strict=True):
            left = (bx - ax) * (y - ay) - (x - ax) * (by - ay)
            count += (ay <= y) & (by > y) & (left > 0)
            count -= (ay > y) & (by <= y) & (left < 0)
    return count


def _wall(outline: Outline, slices: int) -> Mesh:
    """The side of one outline. TrueType draws outer ones clockwise, so the outside is to the left of each piece."""
    after = np.roll(outline, -1, axis=0)
    forward = after - outline
    out = np.column_stack([-forward[:, 1], forward[:, 0]]) / np.maximum(np.linalg.norm(forward, axis=1), 1e-12)[:, None]
    z = np.linspace(-0.5, 0.5, slices + 1)
    points: list[Points] = []
    normals: list[Points] = []
    triangles: list[Triangles] = []
    count = len(outline)
    # a point of each piece of its own where the outline bends, so that corners stay crisp: pieces do not share points
    for k in range(count):
        start = len(points) * 2 * (slices + 1)
        pair = np.repeat(np.stack([outline[k], after[k]]), slices + 1, axis=0)
        points.append(np.column_stack([pair, np.tile(z, 2)]))
        smooth = [_mean(out[k], out[k - 1]), _mean(out[k], out[(k + 1) % count])]
        normals.append(np.repeat(np.column_stack([np.stack(smooth), [0.0, 0.0]]), slices + 1, axis=0))
        a = start + np.arange(slices)
        b, c, d = a + 1, a + slices + 1, a + slices + 2
        triangles.append(np.concatenate([np.stack([a, b, c], 1), np.stack([b, d, c], 1)]))
    return Mesh(np.concatenate(points), np.concatenate(normals), np.concatenate(triangles).astype(np.int64))


def _mean(own: Samples, other: Samples) -> Samples:
    """The direction between two, or the own one where they part too far for a smooth bend."""
    if float(own @ other) < np.cos(np.radians(35.0)):
        return own
    both: Samples = own + other
    return both / np.linalg.norm(both)
