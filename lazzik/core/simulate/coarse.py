"""Cloth more coarsely, as it is shown while something is dragged: fewer points, fewer sub-steps, a short while back.

Points that lie in one cell of a grid become one; what of the triangles still has three corners stays. Each point of the
mesh lies on the nearest of these triangles, by its barycentric coordinates, and goes along with it.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lazzik.core.cache import Storage
from lazzik.core.errors import UnknownAddress
from lazzik.core.geometry.mesh import Mesh, normals_of
from lazzik.core.scene.scene import Scene
from lazzik.core.simulate.cloth import ClothRun, ClothState
from lazzik.core.simulate.draped import DrapedFrames
from lazzik.core.simulate.kept import KeptFrames
from lazzik.core.types import Places, PointBlock, Points

MOST = 300
"""Points that it has, about."""

BACK = 6
"""Frames that are worked out."""

SUBSTEPS = 10
"""Parts of a frame."""

NEAR = 6
"""Triangles among which the nearest one is looked for."""


@dataclass(frozen=True, eq=False)
class Coarser:
    """A mesh with fewer points, and where those of the finer one lie on it."""

    mesh: Mesh
    corners: Places
    """(n, 3) points of it, for each point of the finer one."""
    shares: Points
    """(n, 3) how much each of these counts: barycentric coordinates."""

    def spread(self, points: PointBlock) -> PointBlock:
        """The points of the finer mesh.

        Parameters
        ----------
        points : (moments, m, 3) array
            Metres: of the coarser one.

        Returns
        -------
        (moments, n, 3) array
            Metres.
        """
        return np.asarray(np.einsum("nk,mnki->mni", self.shares, points[:, self.corners]))


def coarser(mesh: Mesh, most: int = MOST) -> Coarser:
    """A mesh with so many points at most, about; itself if it has no more."""
    place, _ = mesh.places
    count = int(place.max(initial=-1)) + 1
    if count <= most:
        each = np.arange(len(mesh.points))
        return Coarser(mesh, np.stack([each] * 3, axis=1), np.tile([1.0, 0.0, 0.0], (len(each), 1)))
    sides = mesh.points[mesh.triangles]
    areas = 0.5 * np.linalg.norm(np.cross(sides[:, 1] - sides[:, 0], sides[:, 2] - sides[:, 0]), axis=1)
    cell = float(np.sqrt(areas.sum() / most)) + 1e-9
    low = mesh.points.min(axis=0)
    while True:
        _, cells = np.unique(np.floor((mesh.points - low) / cell).astype(np.int64), axis=0, return_inverse=True)
        cells = cells.ravel()
        if int(cells.max()) + 1 <= most:
            break
        cell *= 1.2
    sums = np.stack([np.bincount(cells, weights=mesh.points[:, k]) for k in range(3)], axis=1)
    points = sums / np.bincount(cells)[:, None]
    triangles = cells[mesh.triangles]
    whole = (triangles[:, 0] != triangles[:, 1]) & (triangles[:, 1] != triangles[:, 2])
    whole &= triangles[:, 2] != triangles[:, 0]
    _, first = np.unique(np.sort(triangles[whole], axis=1), axis=0, return_index=True)
    triangles = np.ascontiguousarray(triangles[whole][np.sort(first)], dtype=mesh.triangles.dtype)
    if not len(triangles):
        return coarser(mesh, count)
    corners, shares = _on(mesh.points, points, triangles)
    normals = normals_of(points, triangles, np.arange(len(points)))
    return Coarser(Mesh(points, normals, triangles), corners, shares)


def _on(fine: Points, points: Points, triangles: Places) -> tuple[Places, Points]:
    """For each point, (n, 3) the corners of the triangle that it is nearest to, and (n, 3) its coordinates there."""
    from scipy.spatial import cKDTree

    near = min(NEAR, len(triangles))
    _, found = cKDTree(points[triangles].mean(axis=1)).query(fine, k=near)
    found = np.asarray(found).reshape(len(fine), near)
    best, corners, shares = np.full(len(fine), np.inf), triangles[found[:, 0]], np.tile([1.0, 0.0, 0.0], (len(fine), 1))
    for column in found.T:
        a, b, c = (points[triangles[column, k]] for k in range(3))
        e, f, d = b - a, c - a, fine - a
        ee, ef, ff = (np.einsum("ni,ni->n", x, y) for x, y in ((e, e), (e, f), (f, f)))
        ed, fd = np.einsum("ni,ni->n", e, d), np.einsum("ni,ni->n", f, d)
        below = ee * ff - ef * ef
        flat = below <= 1e-18
        below = np.where(flat, 1.0, below)
        v, w = (ff * ed - ef * fd) / below, (ee * fd - ef * ed) / below
        here = np.stack([1.0 - v - w, v, w], axis=1)
        outside = np.where(flat, np.inf, np.maximum(0.0, -here.min(axis=1)))
        better = outside < best
        best = np.where(better, outside, best)
        corners = np.where(better[:, None], triangles[column], corners)
        shares = np.where(better[:, None], here, shares)
    return corners, shares


def thinned(scene: Scene, slug: str, frame: int, before: Scene, storage: Storage[KeptFrames]) -> PointBlock:
    """The points of cloth at a frame, coarsely: worked out over the last BACK frames from how it hangs before in the
    run of another state of the scene, or at rest where that is not there.

    Returns
    -------
    (1, mesh points, 3) array
        Metres, in the object's space.
    """
    node = scene.node(slug)
    assert node.shape is not None
    coarse = coarser(node.shape.mesh(scene.assets))
    run = ClothRun(scene, slug, mesh=coarse.mesh, substeps=SUBSTEPS, block=BACK)
    first = max(frame - BACK, scene.first)
    state = _begun(run, coarse, before, storage, first)
    moment = next(drape for drape, _ in run.frames(frame, frame, state))
    return coarse.spread(moment.points[run.fabric.place][None])


def _begun(run: ClothRun, coarse: Coarser, before: Scene, storage: Storage[KeptFrames], first: int) -> ClothState:
    """How it hangs at a frame, in the run of another state of the scene, with the speed that it has there."""
    slug = run.node.id
    there: PointBlock | None = None
    old = before.by_id.get(slug)
    if old is not None and old.cloth is not None and old.shape == run.node.shape:
        try:
            rows = DrapedFrames(before, slug, storage, makes=False).at(np.array([float(first), first + 1.0]))
            there = _gathered(rows, coarse)
        except UnknownAddress:
            there = None
    return run.begun(first, there)


def _gathered(rows: PointBlock, coarse: Coarser) -> PointBlock:
    """(moments, m, 3) where the points of the coarser mesh are: the mean of those that lie most on each."""
    count = len(coarse.mesh.points)
    mine = coarse.corners[np.arange(len(coarse.corners)), coarse.shares.argmax(axis=1)]
    many = np.maximum(np.bincount(mine, minlength=count), 1)[None, :, None]
    out = np.zeros((len(rows), count, 3))
    for k in range(3):
        for moment in range(len(rows)):
            out[moment, :, k] = np.bincount(mine, weights=rows[moment, :, k], minlength=count)
    return out / many
