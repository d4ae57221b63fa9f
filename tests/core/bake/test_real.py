"""A copy made real stands, and answers the air, as the copy did."""

from __future__ import annotations

import numpy as np
import pytest

from lazzik.core.bake.real import made_real
from lazzik.core.channel.channel import base_value
from lazzik.core.errors import InvalidEdit
from lazzik.core.evaluate.copies import copies_of
from lazzik.core.evaluate.riding import standing
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.surface import surface_of
from lazzik.core.evaluate.transforms import world
from lazzik.core.evaluate.variants import parts_of
from lazzik.core.scene.edits.base import applied
from lazzik.core.scene.scene import Scene
from tests.conftest import edited


@pytest.fixture(scope="module")
def meadow() -> Scene:
    """Flowers of stalk and head, in a wind that blows one way."""
    return edited(
        Scene(name="Meadow", last=60),
        {"do": "add-object", "label": "Wind", "field": {"kind": "wind", "swing": 0.0}},
        {"do": "add-object", "label": "Ground", "shape": {"kind": "sheet", "width": 6, "height": 6}},
        {"do": "add-object", "label": "Flower"},
        {"do": "add-object", "label": "Head", "parent": "flower", "shape": {"kind": "ball"}, "position": [0, 0.6, 0]},
        {"do": "scatter", "nodes": ["flower"], "surface": "ground", "label": "Many"},
        {"do": "set", "address": "many/scatter.count", "value": 20},
    )


def test_it_stands_and_leans_as_the_copy_did(meadow: Scene) -> None:
    from scipy.spatial.transform import Rotation as Turn

    scope, node, clock = Scope(meadow), meadow.by_id["many"], meadow.clock()
    copies = copies_of(meadow, node, scope)
    k = 11
    after = applied(meadow, made_real(meadow, "many", [int(copies.ids[k])], scope))
    (head,) = [inner for inner in after.nodes if inner.label == "Head" and inner.id != "head"]
    places = world(after, head, clock, Scope(after))[:, :3, 3]
    for frame, _, turns in standing(meadow, node, copies, clock, scope):
        expected = copies.places[k] + copies.sizes[k] * Turn.from_quat(turns[k]).apply([0.0, 0.6, 0.0])
        np.testing.assert_allclose(places[int(frame)], expected, atol=1e-5)  # told in single precision
    assert np.ptp(places[:, 0]) > 0.01
    assert int(copies.ids[k]) not in copies_of(after, after.by_id["many"], Scope(after)).ids


def test_it_plays_its_source_in_the_shift_of_time_that_the_copy_had(meadow: Scene) -> None:
    from scipy.spatial.transform import Rotation as Turn

    nodding = edited(
        meadow,
        {"do": "add-layer", "address": "head/rotation.z", "kind": "wave"},
        {"do": "set", "address": "many/scatter.gain", "value": 0.0},
    )
    scope, node, clock = Scope(nodding), nodding.by_id["many"], nodding.clock()
    copies = copies_of(nodding, node, scope)
    assert len(set(copies.variants.tolist())) > 4
    after = applied(nodding, made_real(nodding, "many", None, scope))
    scope_after = Scope(after)
    for k in range(len(copies)):
        (part,) = parts_of(nodding, node, 0, int(copies.variants[k]), clock, scope)
        head = after.by_id[f"flower-{copies.ids[k]}-head"]
        turns = world(after, head, clock, scope_after)[:, :3, :3] / copies.sizes[k]
        expected = Turn.from_quat(copies.turns[k]).as_matrix() @ part.matrices[:, :3, :3]
        np.testing.assert_allclose(turns, expected, atol=1e-5)


@pytest.mark.parametrize("kind", ["undulate", "ripple", "bend"])
def test_a_source_that_bends_is_played_in_its_shift_too(meadow: Scene, kind: str) -> None:
    bent = edited(
        meadow,
        {"do": "add-deformer", "node": "head", "kind": kind},
        *([{"do": "add-layer", "address": "head/deform.bend.angle", "kind": "wave"}] if kind == "bend" else []),
    )
    scope, node, clock = Scope(bent), bent.by_id["many"], bent.clock()
    copies = copies_of(bent, node, scope)
    after = applied(bent, made_real(bent, "many", None, scope))
    for k in (0, 7, 13):
        (part,) = parts_of(bent, node, 0, int(copies.variants[k]), clock, scope)
        expected = surface_of(bent, part.node, part.clock, scope)
        found = surface_of(after, after.by_id[f"flower-{copies.ids[k]}-head"], clock, Scope(after))
        for frame in (0, 20, 60):
            np.testing.assert_allclose(found.points(frame), expected.points(frame), atol=1e-9)


@pytest.mark.parametrize("upright", ["upright", "normal"])
def test_on_a_surface_that_moves_keys_carry_it_as_the_copy_was(meadow: Scene, upright: str) -> None:
    from scipy.spatial.transform import Rotation as Turn

    swelling = edited(
        meadow,
        {"do": "change-shape", "node": "ground", "fields": {"columns": 24, "rows": 24}},
        {"do": "add-deformer", "node": "ground", "kind": "ripple"},
        {"do": "change-scatter", "node": "many", "settings": {"upright": upright}},
    )
    scope, node, clock = Scope(swelling), swelling.by_id["many"], swelling.clock()
    copies = copies_of(swelling, node, scope)
    after = applied(swelling, made_real(swelling, "many", None, scope))
    heads = [world(after, after.by_id[f"flower-{copy}-head"], clock, Scope(after)) for copy in copies.ids]
    moved = 0.0
    for frame, places, turns in standing(swelling, node, copies, clock, scope):
        moved = max(moved, float(np.abs(places - copies.places).max()))
        ups = Turn.from_quat(turns).apply([0.0, 0.6, 0.0]) * copies.sizes[:, None]
        found = np.array([rows[int(frame), :3, 3] for rows in heads])
        np.testing.assert_allclose(found, places + ups, atol=4e-3)
    assert moved > 0.02
    crowded = edited(swelling, {"do": "set", "address": "many/scatter.count", "value": 61})
    with pytest.raises(InvalidEdit, match="61 copies would become objects with keys"):
        made_real(crowded, "many", None, Scope(crowded))


def test_one_that_is_not_there_is_said(meadow: Scene) -> None:
    with pytest.raises(InvalidEdit, match="Many has no copy 99"):
        made_real(meadow, "many", [3, 99], Scope(meadow))


def test_all_of_them_become_objects_in_one_step_where_they_stand(meadow: Scene) -> None:
    after = applied(meadow, made_real(meadow, "many", None, Scope(meadow)))
    copies = copies_of(meadow, meadow.by_id["many"], Scope(meadow))
    heads = [node for node in after.nodes if node.label == "Head" and node.id != "head"]
    assert len(heads) == len(copies) == 20
    places = [world(after, head, meadow.clock(), Scope(after))[0, :3, 3] for head in heads]
    roots = [after.by_id[f"flower-{copy}"] for copy in copies.ids]
    np.testing.assert_allclose(
        [[base_value(getattr(root.position, axis)) for axis in "xyz"] for root in roots], copies.places, atol=1e-6
    )
    assert len({tuple(place.round(4)) for place in places}) == 20
    assert len(copies_of(after, after.by_id["many"], Scope(after))) == 0
    with pytest.raises(InvalidEdit, match="Many has no copies to make real"):
        made_real(after, "many", None, Scope(after))


def test_more_than_can_be_handled_are_refused(meadow: Scene) -> None:
    crowded = edited(meadow, {"do": "set", "address": "many/scatter.count", "value": 501})
    with pytest.raises(InvalidEdit, match="501 copies would become objects; 500 are the most"):
        made_real(crowded, "many", None, Scope(crowded))
