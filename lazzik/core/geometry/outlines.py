"""From closed outlines to meshes: filled, flat or as solids. Outer outlines run clockwise, holes the other way, as
TrueType draws them.

The face is the Delaunay triangulation (B. Delaunay, 1934) of the outline's points and of a grid of points inside it,
without the triangles whose middle lies outside by the non-zero winding rule. Points along the outline are as close as
those of the grid, so the outline itself comes out as edges; a piece that does not is halved until it does.
"""

from __future__ import annotations

import numpy as np
import shapely
from numpy.typing import NDArray
from scipy.spatial import Delaunay, cKDTree
from shapely import Polygon

from lazzik.core.errors import InvalidAsset
from lazzik.core.geometry.mesh import Mesh, concatenate
from lazzik.core.kernels import kernel
from lazzik.core.types import Points, Samples, Triangles

MOST_ALONG = 6_000
"""Points along the outlines of one shape."""

Outline = NDArray[np.float64]
"""(n, 2) points, closed."""

MOST_CUTS = 10
"""Times that pieces of an outline are halved until the triangles take them as edges."""


def solid(outlines: list[Outline], spacing: float, slices: int) -> Mesh:
    """The filled outlines with a front, a back and walls, one metre deep about its middle."""
    flat, triangles, outlines = face(outlines, spacing)
    back = np.column_stack([flat, np.full(len(flat), -0.5)])
    front = np.column_stack([flat, np.full(len(flat), 0.5)])
    parts = [
        Mesh(front, np.tile([0.0, 0.0, 1.0], (len(flat), 1)), triangles),
        Mesh(back, np.tile([0.0, 0.0, -1.0], (len(flat), 1)), np.ascontiguousarray(triangles[:, ::-1])),
        *(_wall(outline, slices) for outline in outlines),
    ]
    return concatenate(parts)


def sheet(outlines: list[Outline], spacing: float) -> Mesh:
    """The filled outlines as a flat sheet that faces +z."""
    flat, triangles, _ = face(outlines, spacing)
    points = np.column_stack([flat, np.zeros(len(flat))])
    return Mesh(points, np.tile([0.0, 0.0, 1.0], (len(flat), 1)), triangles)


def face(outlines: list[Outline], spacing: float) -> tuple[NDArray[np.float64], Triangles, list[Outline]]:
    """Points and triangles of the filled outlines, anticlockwise, and the outlines as they were cut for it.

    Returns
    -------
    ((n, 2) array, (triangles, 3) array, list of Outline)
        Points in the outlines' unit; rows of them.

    Raises
    ------
    InvalidAsset
        If they cross each other or themselves so often that it would not end soon.
    """
    rim, inside = outlines, _grid(np.concatenate(outlines), outlines, spacing)
    for _ in range(MOST_CUTS):
        every = np.concatenate(rim)
        if len(every) > MOST_ALONG:
            raise InvalidAsset(f"An outline crosses itself too often: it takes more than {MOST_ALONG:,} points")
        points = np.concatenate([every, _apart(inside, every, spacing)])
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


def points_of(outlines: list[Outline], spacing: float) -> float:
    """About how many points the filled outlines take: those along them and those of the grid inside. It costs next to
    nothing to ask, so whatever is too much can be refused before it is begun."""
    along = inside = 0.0
    for outline in outlines:
        after = np.roll(outline, -1, axis=0)
        along += float(np.ceil(np.linalg.norm(after - outline, axis=1) / spacing).sum())
        inside += abs(float((outline[:, 0] * after[:, 1] - outline[:, 1] * after[:, 0]).sum())) / 2
    extent = np.ptp(np.concatenate(outlines), axis=0)
    return along + min(inside, float(extent[0] * extent[1])) / (0.87 * spacing**2)


def united(outlines: list[Outline], spacing: float) -> list[Outline]:
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
    """(n, 2) points of a grid inside the outlines."""
    low, high = rim.min(axis=0), rim.max(axis=0)
    x, y = np.meshgrid(np.arange(low[0], high[0], spacing), np.arange(low[1], high[1], spacing * 0.87))
    x = x + np.where(np.arange(len(y)) % 2, spacing / 2, 0.0)[:, None]
    grid = np.column_stack([x.ravel(), y.ravel()])
    return np.asarray(grid[_winding(grid, outlines) != 0], dtype=np.float64)


def _apart(grid: Outline, rim: Outline, spacing: float) -> Outline:
    """Those of the grid that are not too near to the rim."""
    return np.asarray(grid[cKDTree(rim).query(grid)[0] > 0.55 * spacing], dtype=np.float64) if len(grid) else grid


def _cut_where_missing(rim: list[Outline], triangles: Triangles) -> list[Outline] | None:
    """The outlines with a point more in each piece that no triangle has as an edge; None if every piece is one."""
    total = max(int(triangles.max(initial=0)) + 1, sum(map(len, rim)))
    edges = np.sort(np.concatenate([triangles[:, [0, 1]], triangles[:, [1, 2]], triangles[:, [2, 0]]]), axis=1)
    starts = np.cumsum([0, *map(len, rim)])
    after = np.arange(1, starts[-1] + 1)
    after[starts[1:] - 1] = starts[:-1]
    pairs = np.sort(np.stack([np.arange(starts[-1]), after], 1), axis=1)
    missing = ~np.isin(pairs[:, 0] * total + pairs[:, 1], edges[:, 0] * total + edges[:, 1])
    if not missing.any():
        return None
    every = np.concatenate(rim)
    middles = (every + every[after]) / 2
    out = []
    for outline, start in zip(rim, starts, strict=False):
        here = missing[start : start + len(outline)]
        mids = middles[start : start + len(outline)][here]
        out.append(np.insert(outline, np.flatnonzero(here) + 1, mids, axis=0))
    return out


def _winding(points: NDArray[np.float64], outlines: list[Outline]) -> NDArray[np.int64]:
    """(n,) how often the outlines go around each point, anticlockwise counted up."""
    edges = np.concatenate([np.column_stack([outline, np.roll(outline, -1, axis=0)]) for outline in outlines])
    order = np.argsort(points[:, 1], kind="stable")
    count = np.zeros(len(points), np.int64)
    _wind(points[order], edges, count)
    found = np.empty_like(count)
    found[order] = count
    return found


@kernel("void(float64[:, ::1], float64[:, ::1], int64[::1])")
def _wind(points: NDArray[np.float64], edges: NDArray[np.float64], count: NDArray[np.int64]) -> None:
    """The winding number by crossings (D. Sunday, 2001): an edge counts for the points beside it that it passes.

    `points` (n, 2) rise in y, so each edge, a row (ax, ay, bx, by), looks at those between its ends alone.
    """
    y = np.ascontiguousarray(points[:, 1])
    for e in range(len(edges)):
        ax, ay, bx, by = edges[e, 0], edges[e, 1], edges[e, 2], edges[e, 3]
        up = by > ay
        low, high = (ay, by) if up else (by, ay)
        for k in range(np.searchsorted(y, low), np.searchsorted(y, high)):
            left = (bx - ax) * (points[k, 1] - ay) - (points[k, 0] - ax) * (by - ay)
            if up and left > 0:
                count[k] += 1
            elif not up and left < 0:
                count[k] -= 1


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
