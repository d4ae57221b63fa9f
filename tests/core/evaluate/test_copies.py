"""Scatter: where copies stand, that one more moves no other, and how they lean."""

from __future__ import annotations

import io
from typing import Any

import numpy as np
import pytest
from PIL import Image

from lazzik.core.clock import Clock
from lazzik.core.errors import InvalidEdit
from lazzik.core.evaluate.copies import Copies, chance, copies_of, density
from lazzik.core.evaluate.leans import leans
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.transforms import world
from lazzik.core.evaluate.values import evaluate
from lazzik.core.evaluate.variants import parts_of, source_moves
from lazzik.core.scene.edits.base import applied
from lazzik.core.scene.edits.scatters import paint_density
from lazzik.core.scene.scene import Scene
from tests.conftest import edited

GROUND = {"kind": "sheet", "width": 8, "height": 6}
WIND = {"do": "add-object", "label": "Wind", "field": {"kind": "wind", "gust_length": 4.0}}


def meadow(*more: dict[str, Any], **numbers: float) -> Scene:
    """Tufts over a sheet, in a wind."""
    return edited(
        Scene(name="Meadow"),
        WIND,
        {"do": "add-object", "label": "Ground", "shape": GROUND},
        {"do": "add-object", "label": "Tuft", "shape": {"kind": "tube", "height": 0.3, "radius": 0.02}},
        {"do": "scatter", "nodes": ["tuft"], "surface": "ground", "label": "Meadow"},
        *({"do": "set", "address": f"meadow/scatter.{name}", "value": value} for name, value in numbers.items()),
        *more,
    )


def found(scene: Scene) -> Copies:
    """The copies of the meadow."""
    return copies_of(scene, scene.by_id["meadow"], Scope(scene))


def lean(scene: Scene, frames: Any = None) -> np.ndarray[Any, Any]:
    """(frames, copies, 2) degrees."""
    clock = scene.clock() if frames is None else Clock(scene.fps, scene.first, np.asarray(frames, dtype=float))
    node, copies = scene.by_id["meadow"], found(scene)
    blocks = [block for _, block in leans(scene, node, copies, clock, Scope(scene))]
    return np.degrees(np.concatenate(blocks, axis=1))


def test_copies_are_spread_evenly_over_the_surface() -> None:
    copies = found(meadow(count=20_000))
    assert len(copies) == 20_000
    np.testing.assert_allclose(copies.places[:, 1], 0.0, atol=1e-9)
    counted, _, _ = np.histogram2d(copies.places[:, 0], copies.places[:, 2], bins=(8, 6), range=((-4, 4), (-3, 3)))
    assert counted.sum() == 20_000
    expected = 20_000 / 48
    assert ((counted - expected) ** 2 / expected).sum() < 80  # chi square with 47 degrees of freedom


def test_one_copy_more_moves_no_other() -> None:
    for numbers in ({}, {"spacing": 0.2}):
        few, many = found(meadow(count=200, **numbers)), found(meadow(count=201, **numbers))
        assert len(many) == len(few) + 1
        np.testing.assert_array_equal(many.places[:-1], few.places)
        np.testing.assert_array_equal(many.turns[:-1], few.turns)
        np.testing.assert_array_equal(many.ids[:-1], few.ids)


def test_they_stay_apart() -> None:
    copies = found(meadow(count=5000, spacing=0.25))
    assert 300 < len(copies) < 5000
    from scipy.spatial import cKDTree

    nearest, _ = cKDTree(copies.places).query(copies.places, k=2)
    assert nearest[:, 1].min() >= 0.25
    # and as near as they may: few gaps are left in which another one would have room
    spots = np.random.default_rng(1).uniform((-4, 0, -3), (4, 0, 3), (4000, 3))
    away, _ = cKDTree(copies.places).query(spots)
    assert (away < 0.25).mean() > 0.9


def test_they_stand_elsewhere_once_what_they_read_or_hang_under_does() -> None:
    scene = meadow(
        {"do": "add-dial", "label": "Many", "value": 20, "high": 99},
        {"do": "add-layer", "address": "meadow/scatter.count", "kind": "link", "settings": {"source": "dials/many"}},
        {"do": "group", "nodes": ["ground"], "label": "Hill"},
        count=0,
    )
    assert len(found(scene)) == 20
    more = edited(scene, {"do": "set", "address": "dials/many", "value": 35})
    assert more.by_id["meadow"] is scene.by_id["meadow"]
    assert len(found(more)) == 35
    raised = edited(scene, {"do": "set", "address": "hill/position.y", "value": 3.0})
    assert raised.by_id["ground"] is scene.by_id["ground"]
    np.testing.assert_allclose(found(raised).places[:, 1] - found(scene).places[:, 1], 3.0)


def test_another_seed_is_another_meadow() -> None:
    one, other = found(meadow(count=50)).places, found(meadow(count=50, seed=1)).places
    assert np.abs(one - other)[:, [0, 2]].min() > 0


@pytest.mark.parametrize(
    ("over", "check"),
    [
        ("row", lambda p: np.ptp(p[:, 2]) == 0 and np.ptp(np.diff(p[:, 0])) < 1e-9 and np.ptp(p[:, 0]) == 6.0),
        ("ring", lambda p: np.ptp(np.hypot(p[:, 0], p[:, 2])) < 1e-9),
        ("grid", lambda p: len(np.unique(p[:, 0].round(6))) == 5 and len(np.unique(p[:, 2].round(6))) == 5),
        ("volume", lambda p: np.ptp(p[:, 1]) > 1.5 and np.abs(p[:, 1]).max() <= 1.0),
    ],
)
def test_in_a_row_a_ring_a_grid_and_a_space(over: str, check: Any) -> None:
    scene = edited(meadow(count=25), {"do": "change-scatter", "node": "meadow", "settings": {"over": over}})
    copies = found(scene)
    assert len(copies) == 25
    assert check(copies.places)


def test_a_mask_says_where_they_are_dense() -> None:
    scene = meadow({"do": "change-scatter", "node": "meadow", "mask": {"kind": "gradient"}}, count=4000)
    x = found(scene).places[:, 0]
    # the share of a smoothstep over the whole length: its mean lies at 0.7 of it
    assert x.mean() == pytest.approx(8 * (0.7 - 0.5), abs=0.1)
    sharp = {"do": "set", "address": "meadow/scatter.mask.contrast", "value": 8.0}
    patches = found(meadow({"do": "change-scatter", "node": "meadow", "mask": {"kind": "noise"}}, sharp, count=4000))
    counted, _, _ = np.histogram2d(patches.places[:, 0], patches.places[:, 2], bins=(16, 12))
    assert counted.std() > 2 * np.sqrt(counted.mean())


def test_a_picture_and_paint_say_where_they_are_dense() -> None:
    scene = meadow(count=4000)
    file = io.BytesIO()
    Image.fromarray(np.array([[0, 255], [0, 0]], np.uint8)).resize((64, 64), 0).save(file, "PNG")
    picture = {"kind": "picture", "asset": scene.assets.put(file.getvalue()), "label": "Corner"}
    pictured = edited(scene, {"do": "change-scatter", "node": "meadow", "mask": picture})
    places = found(pictured).places
    # laid on the ground as one looks down at it: its right half is at +x, its upper one at −z
    assert len(places) > 3900
    np.testing.assert_allclose(places.mean(axis=0), [2.0, 0.0, -1.5], atol=0.15)
    ground = scene.by_id["ground"]
    assert ground.shape is not None
    points = ground.shape.mesh(scene.assets).points
    weights = np.where(points[:, 0] < 0, 1.0, 0.0)
    painted = applied(scene, [paint_density(scene, "meadow", weights)])
    scatter = painted.by_id["meadow"].scatter
    assert scatter is not None
    np.testing.assert_array_equal(density(painted, painted.by_id["ground"], scatter), weights)
    x = found(painted).places[:, 0]
    width = 8.0 / len(set(points[:, 0].round(6)))
    assert x.max() < 2 * width  # it falls off within one face
    with pytest.raises(InvalidEdit, match="weights for 3 were given"):
        paint_density(scene, "meadow", np.ones(3))


def test_size_turn_and_lean_vary_within_what_is_said() -> None:
    copies = found(meadow(count=4000, size=2.0, size_varies=0.5, turn_varies=30.0, lean_varies=0.0))
    assert copies.sizes.min() >= 1.0
    assert copies.sizes.max() <= 3.0
    assert copies.sizes.std() == pytest.approx(1 / np.sqrt(3), rel=0.05)
    turned = 2 * np.degrees(np.arctan2(copies.turns[:, 1], copies.turns[:, 3]))
    assert np.abs(turned).max() <= 30.0 + 1e-9
    np.testing.assert_allclose(copies.turns[:, [0, 2]], 0.0, atol=1e-12)


def test_square_to_the_surface_their_heights_are_its_normals() -> None:
    ball = {"kind": "ball", "radius": 2.0, "around": 64, "along": 48}
    scene = edited(
        Scene(name="Hill"),
        {"do": "add-object", "label": "Ground", "shape": ball},
        {"do": "add-object", "label": "Tuft", "shape": {"kind": "ball"}},
        {"do": "scatter", "nodes": ["tuft"], "surface": "ground", "label": "Meadow"},
        {"do": "set", "address": "meadow/scatter.lean_varies", "value": 0.0},
        {"do": "change-scatter", "node": "meadow", "settings": {"upright": "normal"}},
    )
    copies = found(scene)
    from scipy.spatial.transform import Rotation as Turn

    up = Turn.from_quat(copies.turns).apply([0.0, 1.0, 0.0])
    away = copies.places / np.linalg.norm(copies.places, axis=1, keepdims=True)
    assert np.einsum("nk,nk->n", up, away).min() > 0.995
    assert copies.places[:, 1].min() > 0.2  # none hangs from below


def test_they_stand_on_the_surface_wherever_that_is() -> None:
    moved = edited(
        meadow(count=100),
        {"do": "set", "address": "ground/position.y", "value": 1.5},
        {"do": "set", "address": "ground/rotation.z", "value": 20.0},
        {"do": "set", "address": "meadow/position.x", "value": -2.0},
    )
    copies = found(moved)
    first = moved.clock().at(np.array([0.0]))
    there = np.linalg.solve(world(moved, moved.by_id["ground"], first), world(moved, moved.by_id["meadow"], first))[0]
    on = copies.places @ there[:3, :3].T + there[:3, 3]
    np.testing.assert_allclose(on[:, 1], 0.0, atol=1e-9)


def test_a_copy_leans_as_a_breeze_at_its_root_would() -> None:
    scene = meadow(count=40, gain=30.0, frequency=1.3, frequency_varies=0.0)
    copies, angles = found(scene), lean(scene)
    x, y, z = (float(v) for v in copies.places[7])
    post = edited(
        scene,
        {"do": "add-object", "label": "Post", "position": [x, y, z]},
        *(
            edit
            for axis, what, gain in (("z", "x", -30.0), ("x", "z", 30.0))
            for edit in (
                {"do": "add-layer", "address": f"post/rotation.{axis}", "kind": "breeze", "settings": {"what": what}},
                {"do": "set", "address": f"post/rotation.{axis}#breeze.gain", "value": gain},
                {"do": "set", "address": f"post/rotation.{axis}#breeze.frequency", "value": 1.3},
            )
        ),
    )
    alone = evaluate(post, ["post/rotation.z", "post/rotation.x"], scene.clock())
    np.testing.assert_allclose(angles[:, 7, 0], -alone["post/rotation.z"], atol=1e-9)
    np.testing.assert_allclose(angles[:, 7, 1], alone["post/rotation.x"], atol=1e-9)


def test_leans_do_not_depend_on_the_range_and_loop_in_value_and_slope() -> None:
    scene = meadow({"do": "loop", "fit": True}, count=700)
    e = 1 / 64
    angles = lean(scene, [0, e, 2 * e, 100, 250 - 2 * e, 250 - e, 250])
    np.testing.assert_allclose(angles[6], angles[0], atol=1e-9)
    after, before = (-3 * angles[0] + 4 * angles[1] - angles[2]), (3 * angles[6] - 4 * angles[5] + angles[4])
    np.testing.assert_allclose(before / (2 * e), after / (2 * e), atol=1e-3)
    np.testing.assert_allclose(lean(scene)[100], angles[3], atol=1e-12)
    assert np.ptp(angles[3, :, 0]) > 1


def test_a_step_of_the_wind_is_met_between_frames() -> None:
    steps = [{"do": "put-key", "address": "wind/field.speed", "frame": f, "value": v, "go": "step"}
             for f, v in ((0, 0.0), (30.3, 8.0))]  # fmt: skip
    calm = [{"do": "set", "address": f"wind/field.{name}", "value": 0.0} for name in ("gusts", "swing")]
    scene = meadow(*steps, *calm, count=20, gain=10.0, frequency=2.0, damping=0.3)
    t = np.maximum(0.0, (scene.clock().frames - 30.3) / scene.fps)[:, None]
    omega = 2 * np.pi * 2.0 * found(scene).stiffness
    fast = omega * np.sqrt(1 - 0.3**2)
    closed = 8.0 * (1 - np.exp(-0.3 * omega * t) * (np.cos(fast * t) + 0.3 * omega / fast * np.sin(fast * t)))
    np.testing.assert_allclose(lean(scene)[:, :, 0], closed, atol=1e-9)


def test_still_air_leaves_them_at_rest_to_the_bit() -> None:
    scene = meadow({"do": "change-field", "node": "wind", "muted": True}, count=50)
    np.testing.assert_array_equal(lean(scene), 0.0)


def test_taken_away_and_put_back_no_other_moves() -> None:
    scene = meadow(count=30)
    gone = edited(scene, {"do": "take-copies", "node": "meadow", "copies": [3, 17]})
    assert 3 not in found(gone).ids
    assert len(found(gone)) == 28
    np.testing.assert_array_equal(found(gone).places, np.delete(found(scene).places, [3, 17], axis=0))
    back = edited(gone, {"do": "take-copies", "node": "meadow", "copies": [3, 17], "back": True})
    np.testing.assert_array_equal(found(back).places, found(scene).places)


def test_sources_that_move_are_played_in_shifts_of_time() -> None:
    scene = meadow(
        {"do": "add-layer", "address": "tuft/rotation.y", "kind": "wave"},
        {"do": "change-scatter", "node": "meadow", "variants": 4},
        shift=2.0,
        count=400,
    )
    node = scene.by_id["meadow"]
    assert source_moves(scene, scene.by_id["tuft"])
    first, third = (parts_of(scene, node, 0, v, scene.clock(), Scope(scene))[0].matrices for v in (0, 2))
    np.testing.assert_allclose(third[:200], first[30:230], atol=1e-12)  # two quarters of two seconds later
    assert np.abs(third[7] - first[7]).max() > 1e-3
    counted = np.bincount(found(scene).variants, minlength=4)
    assert counted.min() > 60
    assert not source_moves(meadow(), meadow().by_id["tuft"])


def test_random_numbers_are_even_and_independent() -> None:
    ids = np.arange(200_000)
    one, other = chance(ids, 3, 0), chance(ids, 3, 1)
    assert one.min() >= 0
    assert one.max() < 1
    assert one.mean() == pytest.approx(0.5, abs=0.003)
    assert abs(np.corrcoef(one, other).item(1)) < 0.01
    assert abs(np.corrcoef(one[1:], one[:-1]).item(1)) < 0.01


def test_what_can_not_be_scattered_is_said() -> None:
    scene = edited(meadow(), {"do": "add-object", "label": "Empty"})
    with pytest.raises(InvalidEdit, match="Empty has no surface"):
        edited(scene, {"do": "scatter", "nodes": ["tuft"], "surface": "empty"})
    with pytest.raises(InvalidEdit, match="Wind has no shape that could be repeated"):
        edited(scene, {"do": "scatter", "nodes": ["wind"]})
    hung = {"do": "change-object", "node": "meadow", "parent": "tuft"}
    with pytest.raises(InvalidEdit, match="copies are scattered themselves"):
        edited(scene, hung)
    with pytest.raises(InvalidEdit, match="Tuft scatters nothing"):
        edited(scene, {"do": "take-copies", "node": "tuft", "copies": [1]})
    with pytest.raises(InvalidEdit, match="'up' is no over of a scatter"):
        edited(scene, {"do": "change-scatter", "node": "meadow", "settings": {"over": "up"}})


def test_what_loses_its_surface_or_its_sources() -> None:
    bare = edited(meadow(), {"do": "remove-object", "node": "ground"})
    scatter = bare.by_id["meadow"].scatter
    assert scatter is not None
    assert (scatter.surface, scatter.over) == (None, "grid")
    assert "meadow" not in edited(meadow(), {"do": "remove-object", "node": "tuft"}).by_id


def test_a_copied_scatter_scatters_the_copies() -> None:
    grouped = edited(
        meadow(), {"do": "add-object", "label": "All"},
        *({"do": "change-object", "node": slug, "parent": "all"} for slug in ("ground", "tuft", "meadow")),
        {"do": "duplicate", "node": "all", "move": [10, 0, 0]},
    )  # fmt: skip
    (copy,) = [node for node in grouped.nodes if node.scatter and node.id != "meadow"]
    assert copy.scatter is not None
    assert copy.scatter.sources[0] != "tuft"
    assert copy.scatter.surface != "ground"
