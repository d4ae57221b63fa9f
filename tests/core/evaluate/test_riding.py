"""Copies on a surface that is deformed or moves: each stays on its place."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from lazzik.core.evaluate.copies import copies_of
from lazzik.core.evaluate.riding import rides, standing
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.surface import surface_of
from lazzik.core.evaluate.transforms import world
from lazzik.core.scene.scene import Scene
from tests.conftest import edited

SHEET = {"kind": "sheet", "width": 6, "height": 4, "columns": 24, "rows": 16}
STILL = {"do": "change-scatter", "node": "many", "settings": {"wind": "still"}}
SQUARE = {"do": "change-scatter", "node": "many", "settings": {"upright": "normal"}}


def deck(*more: dict[str, Any]) -> Scene:
    """Posts over a deck, in still air."""
    return edited(
        Scene(name="Deck", last=20),
        {"do": "add-object", "label": "Deck", "shape": SHEET},
        {"do": "add-object", "label": "Post", "shape": {"kind": "tube", "height": 0.3, "radius": 0.02}},
        {"do": "scatter", "nodes": ["post"], "surface": "deck", "label": "Many"},
        {"do": "set", "address": "many/scatter.count", "value": 60},
        {"do": "set", "address": "many/scatter.lean_varies", "value": 0},
        STILL,
        *more,
    )


def shown(scene: Scene) -> list[tuple[Any, Any]]:
    """Places and upward axes of the copies, frame by frame."""
    from scipy.spatial.transform import Rotation as Turn

    node, scope = scene.by_id["many"], Scope(scene)
    copies = copies_of(scene, node, scope)
    return [(places, Turn.from_quat(turns).apply([0.0, 1.0, 0.0]))
            for _, places, turns in standing(scene, node, copies, scene.clock(), scope)]  # fmt: skip


def nearest(corners: Any, place: Any) -> tuple[int, float]:
    """The triangle nearest to a place, and how far it is."""
    from trimesh.triangles import closest_point

    spots = closest_point(corners, np.broadcast_to(place, (len(corners), 3)))
    distances = np.linalg.norm(spots - place, axis=1)
    face = int(distances.argmin())
    return face, float(distances[face])


def test_on_a_surface_that_stands_still_they_stay_to_the_bit() -> None:
    scene = deck()
    node = scene.by_id["many"]
    assert not rides(scene, node)
    copies = copies_of(scene, node, Scope(scene))
    for places, _ in shown(scene):
        np.testing.assert_array_equal(places, copies.places)


@pytest.mark.parametrize("kind", ["ripple", "bend", "rumple"])
def test_they_stay_on_a_surface_that_is_deformed(kind: str) -> None:
    scene = deck({"do": "add-deformer", "node": "deck", "kind": kind}, SQUARE)
    assert rides(scene, scene.by_id["many"])
    surface = surface_of(scene, scene.by_id["deck"], scene.clock(), Scope(scene))
    deck_now = scene.by_id["deck"]
    assert deck_now.shape is not None
    mesh = deck_now.shape.mesh(scene.assets)
    rest = copies_of(scene, scene.by_id["many"], Scope(scene)).places
    found = shown(scene)
    assert max(np.abs(places - rest).max() for places, _ in found) > 0.01
    for frame, (places, ups) in enumerate(found):
        points = surface.points(0 if surface.still else frame)
        corners = points[mesh.triangles]
        faces, distances = zip(*(nearest(corners, place) for place in places), strict=True)
        assert max(distances) < 1e-9
        # square to it: along the normal of the face that it stands on
        a, b, c = (corners[list(faces), k] for k in range(3))
        normals = np.cross(b - a, c - a)
        normals /= np.linalg.norm(normals, axis=1, keepdims=True)
        along = np.abs(np.einsum("ij,ij->i", normals, ups))  # a sheet has two sides
        assert along.min() > 1 - 1e-9


def test_they_go_with_a_surface_that_moves_and_turn_with_it_about_their_height() -> None:
    scene = deck(
        {"do": "add-layer", "address": "deck/rotation.y", "kind": "turn"},
        {"do": "add-layer", "address": "deck/position.x", "kind": "wave"},
    )
    node, scope, clock = scene.by_id["many"], Scope(scene), scene.clock()
    copies = copies_of(scene, node, scope)
    above = world(scene, scene.by_id["deck"], clock, scope)
    at_rest = np.linalg.solve(above[0], np.vstack([copies.places.T, np.ones(len(copies))]))
    first = shown(scene)[0][0]
    local = np.linalg.solve(above[0], np.vstack([first.T, np.ones(len(first))]))
    assert np.abs(at_rest - local).max() < 2.0
    for frame, (places, ups) in enumerate(shown(scene)):
        np.testing.assert_allclose(places, (above[frame] @ local)[:3].T, atol=1e-9)
        np.testing.assert_allclose(ups, np.tile([0.0, 1.0, 0.0], (len(ups), 1)), atol=1e-9)
    from scipy.spatial.transform import Rotation as Turn

    turns = [turns for _, _, turns in standing(scene, node, copies, clock, scope)]
    for frame in (5, 20):
        turned = (Turn.from_quat(turns[frame]) * Turn.from_quat(turns[0]).inv()).as_matrix()
        expected = above[frame, :3, :3] @ above[0, :3, :3].T
        np.testing.assert_allclose(turned, np.broadcast_to(expected, turned.shape), atol=1e-9)
