"""Copies on a surface that moves or is deformed: each stays on its place of the surface, and is turned as that is.

A copy lies on triangle (a, b, c) with the shares (s₁, s₂, s₃) of its corners; at a moment it is at s₁a + s₂b + s₃c of
the corners as they are then. With F = [edge, normal × edge, normal] of the triangle, R = F(t)·F(rest)ᵀ is how its place
is turned. What stands square to the surface is turned by R; what stands upright by the part of R about its height
alone: (0, q_y, 0, q_w) of R's quaternion, set to length one (swing and twist, e.g. P. Dobrowolski, 'Swing-twist
decomposition in Clifford algebra', 2015).
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from lazzik.core.clock import Clock
from lazzik.core.evaluate.airflow import world_of
from lazzik.core.evaluate.copies import Copies
from lazzik.core.evaluate.leans import answers_air, leaning, leans
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.shapes import shapes_over_time
from lazzik.core.evaluate.surface import surface_of
from lazzik.core.evaluate.transforms import moves
from lazzik.core.geometry.quaternions import product, quaternions_of
from lazzik.core.scene.node import Node
from lazzik.core.scene.rest_pose import placement
from lazzik.core.scene.scene import Scene
from lazzik.core.types import Points, Quaternions


def rides(scene: Scene, node: Node) -> bool:
    """Whether the surface on which a scatter's copies stand is deformed, or moves under it."""
    surface = surface_under(scene, node)
    if surface is None:
        return False
    over, under = tuple(scene.lineage(node)), tuple(scene.lineage(surface))
    apart = [here for here in (*over, *under) if (here in over) != (here in under)]
    return shapes_over_time(scene, surface) or any(moves(scene, here) for here in apart)


def surface_under(scene: Scene, node: Node) -> Node | None:
    """The object on whose surface a scatter's copies stand."""
    scatter = node.scatter
    if scatter is None or scatter.over != "surface":
        return None
    surface = scene.by_id.get(scatter.surface or "")
    return surface if surface is not None and surface.shape is not None else None


def ridden(
    scene: Scene, node: Node, copies: Copies, clock: Clock, scope: Scope
) -> Iterator[tuple[Points, Quaternions]]:
    """Where copies are on a surface that moves, and how they are turned by it, at one moment after the other.

    Yields
    ------
    (copies, 3) array, (copies, 4) array
        Metres, in the scatter's space; x, y, z, w, beyond their turns at rest.
    """
    surface = surface_under(scene, node)
    assert surface is not None
    assert surface.shape is not None
    assert copies.corners is not None
    assert node.scatter is not None
    mesh = surface.shape.mesh(scene.assets)
    on, shares = copies.corners
    corners = mesh.triangles[on]
    at_rest = np.linalg.solve(placement(scene, node), placement(scene, surface))
    rest = _faces(mesh.points[corners] @ at_rest[:3, :3].T)
    motion = surface_of(scene, surface, clock, scope)
    there = np.linalg.solve(world_of(scene, node, clock, scope), world_of(scene, surface, clock, scope))
    points = motion.each()
    _, now = next(points)
    for index, matrix in enumerate(there):
        if index and not motion.still:
            _, now = next(points)
        held = now[corners] @ matrix[:3, :3].T + matrix[:3, 3]
        turn = np.einsum("nij,nkj->nik", _faces(held), rest)
        yield np.einsum("nk,nkj->nj", shares, held), _tilts(turn, upright=node.scatter.upright == "upright")


def standing(
    scene: Scene, node: Node, copies: Copies, clock: Clock, scope: Scope
) -> Iterator[tuple[float, Points, Quaternions]]:
    """Where copies stand and how they are turned, by their surface and by the air, at one moment after the other.

    Yields
    ------
    float, (copies, 3) array, (copies, 4) array
        The frame; metres, in the scatter's space; x, y, z, w.
    """
    scatter = node.scatter
    assert scatter is not None
    angles = np.zeros((len(clock.frames), len(copies), 2), dtype=np.float32)
    if answers_air(scene, scatter):
        for part, block in leans(scene, node, copies, clock, scope):
            angles[:, part] = block
    carried = ridden(scene, node, copies, clock, scope) if len(copies) and rides(scene, node) else None
    for frame, row in zip(clock.frames.tolist(), angles.astype(np.float64), strict=True):
        places, turns = copies.places, copies.turns
        if carried is not None:
            places, tilts = next(carried)
            turns = product(tilts, turns)
        yield frame, places, leaning(turns, row)


def _faces(corners: Points) -> Points:
    """(n, 3, 3) for (n, 3 corners, 3): first edge, normal × edge and normal of triangles, as columns of length one."""
    edge = corners[:, 1] - corners[:, 0]
    normal = np.cross(edge, corners[:, 2] - corners[:, 0])
    edge = edge / np.maximum(np.linalg.norm(edge, axis=1, keepdims=True), 1e-12)
    normal = normal / np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-12)
    return np.stack([edge, np.cross(normal, edge), normal], axis=2)


def _tilts(turn: Points, *, upright: bool) -> Quaternions:
    """(n, 4) of (n, 3, 3) turns, or of their part about y."""
    q = quaternions_of(turn)
    if not upright:
        return q
    about = q * [0.0, 1.0, 0.0, 1.0]
    length = np.linalg.norm(about, axis=1, keepdims=True)
    return np.where(length > 1e-9, about / np.maximum(length, 1e-9), [0.0, 0.0, 0.0, 1.0])
