"""Recipes of objects: saved, put on others in their size, changed with all that follow, and parted from."""

from __future__ import annotations

from functools import partial
from typing import Any

import numpy as np
import pytest

from lazzik.core.channel.channel import Channel
from lazzik.core.deformers import BY_KIND as DEFORMERS
from lazzik.core.errors import InvalidEdit, UnknownAddress
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.surface import surface_of
from lazzik.core.evaluate.transforms import world
from lazzik.core.layers import BY_KIND as LAYERS
from lazzik.core.scene.address import Address, find
from lazzik.core.scene.differences import differences
from lazzik.core.scene.edits.object_putting import laid_out
from lazzik.core.scene.node import Node
from lazzik.core.scene.rest_pose import extent
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.serialize import read_scene, scene_text
from lazzik.core.scene.shelf_file import read_shelf, shelf_text
from lazzik.core.types import Samples
from lazzik.demo.whole import WHOLE
from lazzik.library import keep, take
from tests.conftest import edited

Edit = dict[str, Any]


def tube(label: str, size: float = 1.0, x: float = 0.0) -> Edit:
    shape = {"kind": "tube", "radius": 0.1 * size, "height": 2.0 * size, "along": 12, "around": 6, "base": True}
    return {"do": "add-object", "label": label, "shape": shape, "position": [x, 0, 0]}


def put(address: str, layer: str, **fields: Any) -> Edit:
    named = {"kind": fields.pop("kind", "noise"), "id": layer.lower(), "label": layer}
    return {"do": "put-layers", "address": address, "layers": [named | fields]}


MAST = [
    tube("Mast"),
    {"do": "add-object", "label": "Lamp", "parent": "mast", "shape": {"kind": "ball", "radius": 0.2},
     "position": [0, 2, 0]},
    put("mast/rotation.z", "Gust", amplitude=6.0, period=1.1, seed=3.0),
    put("mast/position.y", "Bob", kind="wave", amplitude=0.25, period=0.9),
    put("lamp/position.x", "Swing", kind="wave", amplitude=0.3, period=0.7),
    put("lamp/look.glow", "Flicker", amplitude=0.5, period=0.2),
    {"do": "add-deformer", "node": "mast", "kind": "bend"},
    {"do": "set", "address": "mast/deform.bend.angle", "value": 35},
]  # fmt: skip

SAVE: Edit = {
    "do": "save-object-recipe", "node": "mast", "label": "Mast in a gale", "note": "Masts and poles.",
    "expose": [{"address": "mast/rotation.z#gust.amplitude", "label": "Gust"}],
}  # fmt: skip


def put_on(*nodes: str, **fields: Any) -> Edit:
    return {"do": "put-object-recipe", "recipe": "mast_in_a_gale", "nodes": list(nodes), **fields}


def saved(*more: Edit) -> Scene:
    return edited(Scene(name="Row", last=60), *MAST, SAVE, *more)


def points_of(scene: Scene, slug: str) -> Samples:
    """(frames, n, 3) metres in the scene."""
    clock, scope = scene.clock(), Scope(scene)
    node = scene.by_id[slug]
    local = np.stack([points for _, points in surface_of(scene, node, clock, scope).each()])
    matrices = np.broadcast_to(world(scene, node, clock, scope), (len(clock.frames), 4, 4))
    local = np.broadcast_to(local, (len(clock.frames), *local.shape[1:]))
    placed: Samples = np.einsum("fij,fnj->fni", matrices[:, :3, :3], local) + matrices[:, None, :3, 3]
    return placed


def test_put_on_an_object_twice_as_large_all_moves_twice_as_far_in_the_same_time() -> None:
    scene = saved(tube("Pole", 2.0, x=5.0), put_on("pole"))
    use = scene.by_id["pole"].uses[0]
    assert (use.inside, use.outside) == (2.0, 2.0)
    (lamp,) = (here for _, here in use.objects)
    for old, new in (("mast", "pole"), ("lamp", lamp)):
        np.testing.assert_allclose(
            points_of(scene, new), 2.0 * points_of(scene, old) + np.array([5.0, 0.0, 0.0]), atol=1e-9
        )
    assert scene.by_id[lamp].label == "Lamp"  # under another object: no two beside each other are alike
    was = saved(tube("Pole", 2.0, x=5.0)).by_id["pole"]
    assert (scene.by_id["pole"].look, scene.by_id["pole"].shape) == (was.look, was.shape)


def number_at(scene: Scene, address: str) -> float | Channel:
    return find(scene, Address.parse(address)).number


def below(scene: Scene, *slugs: str) -> list[list[str]]:
    return [sorted(node.label for node in scene.below.get(slug, ())) for slug in slugs]


def put_nothing() -> Edit:
    return {"do": "add-object", "label": "Bystander"}


@pytest.mark.parametrize("kind", sorted(DEFORMERS))
def test_every_deformer_is_sized_with_its_object(kind: str) -> None:
    scene = edited(
        Scene(name="Sized", last=24), tube("Small"), tube("Large", 3.0, x=4.0), tube("Same", 1.0, x=2.0),
        {"do": "add-deformer", "node": "small", "kind": kind},
        {"do": "save-object-recipe", "node": "small", "label": "Shaped"},
        {"do": "put-object-recipe", "recipe": "shaped", "nodes": ["large", "same"], "seeds": "same"},
    )  # fmt: skip
    small = points_of(scene, "small")
    np.testing.assert_allclose(points_of(scene, "same"), small + np.array([2.0, 0, 0]), atol=1e-12)
    if kind == "sway":  # its law of the wind is of metres a second, whatever the size
        return
    np.testing.assert_allclose(points_of(scene, "large"), 3.0 * small + np.array([4.0, 0, 0]), atol=1e-9)
    assert np.ptp(small, axis=0).max() > 1e-3 or kind in {"bend", "twist", "taper", "stretch", "jiggle"}


@pytest.mark.parametrize("kind", sorted(set(LAYERS) - {"recipe", "clip"}))
def test_every_kind_of_layer_passes_through_save_put_and_file(kind: str) -> None:
    layer = {"do": "add-layer", "address": "mast/rotation.x", "kind": kind}
    scene = edited(Scene(name="Kinds"), tube("Mast"), tube("Other", x=3.0), layer)
    scene = edited(
        scene, {"do": "save-object-recipe", "node": "mast", "label": "Kind"},
        {"do": "put-object-recipe", "recipe": "kind", "nodes": ["other"]},
    )  # fmt: skip
    assert scene.by_id["other"].rotation == scene.by_id["mast"].rotation
    assert read_scene(scene_text(scene)) == scene
    there = through_shelf(scene, "kind", edited(Scene(name="There"), tube("Third", x=5.0)), "third")
    assert there.by_id["third"].rotation == scene.by_id["mast"].rotation


@pytest.mark.parametrize("whole", WHOLE, ids=lambda whole: whole.key)
def test_every_simulation_passes_through_save_put_and_file(whole: Any) -> None:
    scene = edited(Scene(name="Runs"), whole.edit)
    main, beside = scene.nodes[-1], [node.id for node in scene.nodes[:-1] if node.parent is None]
    scene = edited(
        scene, {"do": "save-object-recipe", "node": main.id, "label": "Run", "also": beside},
        {"do": "put-object-recipe", "recipe": "run"},
    )  # fmt: skip
    recipe = scene.object_recipes[0]
    assert {node.id for node in recipe.nodes} == {node.id for node in scene.nodes[: len(recipe.nodes)]}
    new = scene.nodes[-1] if scene.nodes[-1].uses else next(node for node in scene.nodes if node.uses and node != main)
    names = {there: here for use in new.uses for there, here in use.objects} | {main.id: new.id}
    for node in recipe.nodes:
        copy = scene.by_id[names[node.id]]
        for part in ("emitter", "cloth", "swarm", "field", "scatter", "deform", "rotation", "shape"):
            one, other = getattr(scene.by_id[node.id], part), getattr(copy, part)
            if hasattr(one, "renamed"):
                one = one.renamed(names)
            assert one == other, part
    assert read_scene(scene_text(scene)) == scene
    there = through_shelf(scene, "run", Scene(name="There"))
    assert there.object_recipes == scene.object_recipes
    parts = ("emitter", "cloth", "swarm", "field", "deform", "shape", "rotation")
    for node in recipe.nodes:
        assert all(getattr(there.by_id[node.id], part) == getattr(node, part) for part in parts)


def through_shelf(scene: Scene, recipe: str, there: Scene, *on: str) -> Scene:
    """Another scene that took a recipe of one out of a shelf's file."""
    (item,) = read_shelf(shelf_text([keep(scene, "object", recipe)]))
    return take(there, item, on)


def test_a_changed_recipe_is_followed_save_where_a_use_has_its_own() -> None:
    scene = saved(tube("Pole", x=3), tube("Post", 2.0, x=6), put_on("pole", "post", seeds="same"))
    scene = edited(
        scene,
        {"do": "set", "address": "pole/rotation.z#gust.amplitude", "value": 2.5},
        put("post/rotation.z", "Own", kind="wave", amplitude=1.0),
        {"do": "set", "address": "mast/rotation.z#gust.amplitude", "value": 9.0},
        {"do": "set", "address": "mast/rotation.z#gust.period", "value": 2.0},
        {"do": "set", "address": "mast/position.y#bob.amplitude", "value": 0.5},
        put("mast/rotation.x", "Shiver", amplitude=1.0, period=0.2),
        {"do": "remove-deformer", "node": "mast", "deformer": "bend"},
        {"do": "update-object-recipe", "node": "mast", "recipe": "mast_in_a_gale"},
    )
    value = partial(number_at, scene)
    assert value("pole/rotation.z#gust.amplitude") == 2.5
    assert value("post/rotation.z#gust.amplitude") == 9.0
    assert [value(f"{slug}/rotation.z#gust.period") for slug in ("pole", "post")] == [2.0, 2.0]
    assert value("post/position.y#bob.amplitude") == 1.0  # twice as large, as the post is
    assert value("post/rotation.x#shiver.amplitude") == 1.0
    assert [layer.id for layer in find(scene, Address.parse("post/rotation.z")).channel.layers] == ["gust", "own"]
    assert not scene.by_id["post"].deform
    assert read_scene(scene_text(scene)) == scene


def test_objects_come_and_go_with_the_recipe_and_those_that_were_removed_stay_away() -> None:
    scene = saved(tube("Pole", x=3), tube("Post", x=6), put_on("pole", "post"))
    gone = scene.by_id["post"].uses[0].objects[0][1]
    scene = edited(
        scene,
        {"do": "remove-object", "node": gone},
        {"do": "add-object", "label": "Sign", "parent": "mast", "shape": {"kind": "box"}, "position": [0, 1, 0]},
        {"do": "update-object-recipe", "node": "mast", "recipe": "mast_in_a_gale"},
    )
    assert below(scene, "mast", "pole", "post") == [["Lamp", "Sign"], ["Lamp", "Sign"], ["Sign"]]
    scene = edited(
        scene,
        {"do": "remove-object", "node": "lamp"},
        {"do": "update-object-recipe", "node": "mast", "recipe": "mast_in_a_gale"},
    )
    assert below(scene, "mast", "pole", "post") == [["Sign"], ["Sign"], ["Sign"]]


def test_ids_that_are_taken_give_way_and_links_within_a_recipe_stay_within() -> None:
    scene = saved(
        tube("Pole", x=3), put("pole/rotation.z", "Gust", kind="wave", amplitude=1.0),
        {"do": "add-deformer", "node": "pole", "kind": "bend"},
    )  # fmt: skip
    scene = edited(
        scene,
        put("lamp/rotation.z", "Lag", kind="link", source="mast/rotation.z#gust.amplitude"),
        {"do": "update-object-recipe", "node": "mast", "recipe": "mast_in_a_gale"},
        put_on("pole"),
    )
    pole = scene.by_id["pole"]
    layers = find(scene, Address.parse("pole/rotation.z")).channel.layers
    assert [(layer.id, layer.kind) for layer in layers] == [("gust", "wave"), ("gust-2", "noise")]
    assert [item.id for item in pole.deform] == ["bend", "bend_2"]
    lamp = pole.uses[0].objects[0][1]
    link = find(scene, Address.parse(f"{lamp}/rotation.z")).channel.layers[0]
    assert link.references() == {"pole/rotation.z#gust-2.amplitude"}
    # made the recipe, both of its layers belong to it, and the mast takes on the one it lacked
    scene = edited(scene, {"do": "update-object-recipe", "node": "pole", "recipe": "mast_in_a_gale"})
    layers = find(scene, Address.parse("mast/rotation.z")).channel.layers
    assert sorted(layer.kind for layer in layers) == ["noise", "wave"]
    assert find(scene, Address.parse("lamp/rotation.z")).channel.layers[0].references() == {
        "mast/rotation.z#gust.amplitude"
    }
    assert not _own(scene, "mast")


def _own(scene: Scene, slug: str) -> list[str]:
    """What an object has of its own beside what its recipe makes of it, and all that came with it."""
    recipe = scene.object_recipes[0]
    rows = laid_out(scene, recipe, scene.by_id[slug])
    return [row.key for node in rows for row in differences(node, scene.by_id[node.id])]


def test_nothing_counts_as_its_own_where_nothing_was_changed_whatever_became_of_the_scenes_clock() -> None:
    loops = {"do": "loop", "addresses": ["mast/rotation.z#gust", "mast"], "fit": True}
    scene = edited(
        Scene(name="Row", last=60), *MAST, loops, SAVE, tube("Pole", 1.7, x=3), tube("Post", 0.3, x=6), put_on("pole"),
        put_on("post"), {"do": "change-scene", "fps": 24, "keep": "seconds"}, {"do": "change-scene", "last": 100},
    )  # fmt: skip
    assert [_own(scene, slug) for slug in ("mast", "pole", "post")] == [[], [], []]
    scene = edited(scene, {"do": "set", "address": "pole/deform.bend.angle", "value": 3})
    assert _own(scene, "pole") == ["deform/bend/angle"]
    follows = {"do": "follow-object-recipe", "node": "pole", "recipe": "mast_in_a_gale"}
    alone = edited(scene, follows | {"addresses": ["pole/deform.bend.angle"]})
    assert _own(alone, "pole") == []
    assert _own(edited(scene, follows), "pole") == []


def test_many_have_seeds_of_their_own_unless_they_are_to_be_the_same() -> None:
    poles = [tube(f"Pole {k}", x=float(k)) for k in range(5)]
    slugs = [f"pole-{k}" for k in range(5)]
    for seeds, count in (("own", 5), ("same", 1)):
        scene = saved(*poles, put_on(*slugs, seeds=seeds))
        found = {find(scene, Address.parse(f"{slug}/rotation.z#gust.seed")).number for slug in slugs}
        assert len(found) == count
    assert saved(*poles, put_on("pole-0")).by_id["pole-0"].rotation.z == saved().by_id["mast"].rotation.z


def test_brought_in_as_new_objects_it_stands_where_it_is_said_and_follows() -> None:
    scene = saved(put_on(position=[4, 1, 0]))
    (new,) = (node for node in scene.nodes if node.uses and node.id != "mast")
    assert (new.label, new.position.x, new.shape) == ("Mast 2", 4.0, scene.by_id["mast"].shape)
    assert new.position.y.layers == scene.by_id["mast"].position.y.layers  # type: ignore[union-attr]
    assert len(scene.nodes) == 4


def test_copies_of_what_follows_follow_too() -> None:
    scene = saved({"do": "duplicate", "node": "mast", "move": [3, 0, 0]})
    (copy,) = (node for node in scene.nodes if node.uses and node.id != "mast")
    assert copy.uses[0].objects == (("lamp", scene.below[copy.id][0].id),)
    scene = edited(
        scene, {"do": "set", "address": "lamp/position.x#swing.period", "value": 3},
        {"do": "update-object-recipe", "node": "mast", "recipe": "mast_in_a_gale"},
    )  # fmt: skip
    assert find(scene, Address.parse(f"{scene.below[copy.id][0].id}/position.x#swing.period")).number == 3


def test_parted_all_stays_and_taken_off_the_object_is_as_it_was() -> None:
    before = saved(tube("Pole", 2.0, x=3))
    scene = edited(before, put_on("pole"))
    part = {"do": "part-object-recipe", "nodes": ["pole"], "recipe": "mast_in_a_gale"}
    parted = edited(scene, part)
    assert parted.by_id["pole"] == scene.by_id["pole"].replaced(uses=())
    assert edited(scene, part | {"parts": "go"}) == before
    with pytest.raises(InvalidEdit, match="does not follow"):
        edited(parted, part)


@pytest.mark.parametrize(
    ("edits", "said"),
    [
        ([put_on("mast")], "Mast follows the recipe"),
        ([{"do": "remove-object-recipe", "recipe": "mast_in_a_gale"}], "Mast follows the recipe"),
        ([{"do": "save-object-recipe", "node": "bystander", "label": "Idle"}], "Nothing drives Bystander"),
        ([SAVE | {"expose": [{"address": "mast/rotation.z#gone.amplitude", "label": "x"}]}], "no number at"),
        ([SAVE | {"expose": [{"address": "bystander/rotation.z", "label": "x"}]}], "no number at"),
        (
            [
                {
                    "do": "change-object-recipe",
                    "recipe": "mast_in_a_gale",
                    "exposed": [{"address": "mast", "label": "x"}],
                }
            ],
            "no number at",
        ),
    ],
)
def test_what_can_not_be_is_refused_with_a_sentence(edits: list[Edit], said: str) -> None:
    with pytest.raises(InvalidEdit, match=said):
        edited(saved(put_nothing()), *edits)


def test_a_part_of_which_an_object_has_one_is_not_put_over_another() -> None:
    flag = {"do": "add-object", "label": "Flag", "shape": {"kind": "sheet", "standing": True}}
    scene = edited(
        Scene(name="Flags"), flag, flag, put_nothing(), {"do": "drape", "node": "flag"},
        {"do": "save-object-recipe", "node": "flag", "label": "Linen"},
    )  # fmt: skip
    on = {"do": "put-object-recipe", "recipe": "linen"}
    assert edited(scene, on | {"nodes": ["flag-2"]}).by_id["flag-2"].cloth == scene.by_id["flag"].cloth
    with pytest.raises(InvalidEdit, match="Bystander has no mesh"):
        edited(scene, on | {"nodes": ["bystander"]})
    with pytest.raises(InvalidEdit, match="Flag 2 has a part of the sort 'cloth' already"):
        edited(scene, {"do": "drape", "node": "flag-2"}, on | {"nodes": ["flag-2"]})
    with pytest.raises(UnknownAddress, match="no recipe of objects 'silk'"):
        edited(scene, {"do": "put-object-recipe", "recipe": "silk"})


def test_removed_with_its_followers_parted_nothing_moves_otherwise() -> None:
    scene = saved(tube("Pole", x=2), put_on("pole"))
    gone = edited(scene, {"do": "remove-object-recipe", "recipe": "mast_in_a_gale", "part": True})
    assert gone.object_recipes == ()
    assert gone.nodes == tuple(node.replaced(uses=()) for node in scene.nodes)


def test_what_a_recipe_aims_at_and_is_no_part_of_it_may_be_gone() -> None:
    scene = saved(
        put_nothing(), {"do": "aim", "nodes": ["lamp"], "target": "bystander"},
        {"do": "update-object-recipe", "node": "mast", "recipe": "mast_in_a_gale"}, tube("Pole", x=3), put_on("pole"),
    )  # fmt: skip
    lamp = _lamp_of(scene, "pole")
    assert lamp.aim is not None
    assert lamp.aim.target == "bystander"
    later = edited(scene, {"do": "remove-object", "node": "bystander"}, tube("Post", x=6), put_on("post"))
    assert _lamp_of(later, "post").aim is None


def _lamp_of(scene: Scene, slug: str) -> Node:
    return scene.by_id[scene.by_id[slug].uses[0].objects[0][1]]


def test_its_size_is_that_of_what_hangs_under_a_group() -> None:
    scene = saved({"do": "group", "nodes": ["mast"], "label": "Stand"})
    assert scene.object_recipes[0].size == pytest.approx(2.0)
    assert extent(scene, scene.by_id["stand"]).size == pytest.approx(2.2, abs=0.2)
