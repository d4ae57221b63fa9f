"""Taking over: what was chosen comes, with what it can't be without, and nothing else."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lazzik.core.channel.channel import Channel
from lazzik.core.compare.taking import take_over
from lazzik.core.errors import InvalidEdit
from lazzik.core.geometry.assets import pack_mesh
from lazzik.core.geometry.imported import MeshShape
from lazzik.core.geometry.primitives import Box
from lazzik.core.scene.differences import differences
from lazzik.core.scene.node import Node
from lazzik.core.scene.references import circle
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.serialize import read_scene, scene_text
from tests.conftest import edited
from tests.core.compare.edits import MAST, STEPS, journeys, scene_after

STORM = {"do": "add-dial", "label": "Storm", "value": 2}
STORMY = {"do": "add-layer", "address": "sign/rotation.y", "kind": "formula", "settings": {"text": "storm * sin(t)"}}
FORMULA = "nodes/sign/rotation/y/layers/formula"


def stack(scene: Scene, slug: str = "sign", axis: str = "y") -> list[str]:
    number = getattr(scene.by_id[slug].rotation, axis)
    return [layer.id for layer in number.layers] if isinstance(number, Channel) else []


def value_of(scene: Scene) -> object:
    dial = scene.dial("storm")
    return dial and dial.value


@given(journeys, journeys, st.data())
def test_whatever_is_chosen_comes_and_the_outcome_is_a_scene(part: Scene, one: Any, other: Any, data: Any) -> None:
    before, after = scene_after(part, one), scene_after(part, other)
    found = differences(before, after)
    if not found:
        return
    keys = data.draw(st.sets(st.sampled_from([row.key for row in found]), min_size=1))
    try:
        taken = take_over(before, after, keys, whole=data.draw(st.booleans()))
    except InvalidEdit:  # some parts make sense together only
        return
    assert circle(taken.scene) is None
    assert read_scene(scene_text(taken.scene)) == taken.scene
    assert {row.key for row in taken.chosen} == keys
    left = {row.key for row in differences(taken.scene, after)}
    assert left.isdisjoint(keys)
    assert left <= {row.key for row in found}


def test_all_of_it_makes_the_scenes_equal(demo: Scene) -> None:
    after = scene_after(demo, STEPS)
    keys = [row.key for row in differences(demo, after)]
    assert take_over(demo, after, keys).scene == after


def test_a_formula_brings_the_dial_that_it_reads(demo: Scene) -> None:
    after = edited(demo, STORM, STORMY)
    taken = take_over(demo, after, [FORMULA])
    assert taken.scene == after
    assert [row.key for row in taken.along] == ["dials/storm"]


def test_a_dial_that_is_here_otherwise_comes_only_if_the_whole_is_wanted(demo: Scene) -> None:
    now = edited(demo, {**STORM, "value": 7})
    after = edited(demo, STORM, STORMY)
    alone, whole = take_over(now, after, [FORMULA]), take_over(now, after, [FORMULA], whole=True)
    assert (stack(alone.scene), value_of(alone.scene), alone.along) == (["formula"], 7, ())
    assert (stack(whole.scene), value_of(whole.scene)) == (["formula"], 2)
    assert [row.key for row in whole.along] == ["dials/storm/value"]


def test_a_dial_that_goes_takes_its_readers_along(demo: Scene) -> None:
    now = edited(demo, STORM, STORMY)
    taken = take_over(now, demo, ["dials/storm"])
    assert taken.scene == demo
    assert [row.key for row in taken.along] == [FORMULA]


def test_an_object_brings_what_it_hangs_under_and_takes_what_hangs_under_it(demo: Scene) -> None:
    without = edited(demo, {"do": "remove-object", "node": "lamps"})
    taken = take_over(without, demo, ["nodes/shade-3"])
    assert {row.path[1] for row in taken.along} == {"lamp-3", "lamps"}
    assert "lamp-4" not in taken.scene.by_id
    lamp = take_over(without, demo, ["nodes/lamp-3"], whole=True)
    assert {row.path[1] for row in lamp.along} == {"shade-3", "lamps"}
    gone = take_over(demo, without, ["nodes/lamp-3"])
    assert {row.path[1] for row in gone.along} == {"shade-3"}


def test_an_object_that_was_hung_elsewhere_is_there_when_its_holder_goes(demo: Scene) -> None:
    grouped = edited(demo, {"do": "group", "nodes": ["lamp-1"], "label": "One"})
    taken = take_over(grouped, demo, ["nodes/one"])
    assert taken.scene.by_id["lamp-1"].parent == "lamps"
    assert {row.key for row in taken.along} == {"nodes/lamp-1/parent"}


def test_a_recipe_in_use_comes_with_the_recipe_and_a_layer_with_its_sheaf(demo: Scene) -> None:
    kept = edited(
        demo,
        {"do": "save-recipe", "address": MAST, "label": "Mast sway", "in_place": False},
        {"do": "use-recipe", "recipe": "mast_sway", "address": "sign/rotation.y"},
    )
    taken = take_over(demo, kept, ["nodes/sign/rotation/y"])
    assert [row.key for row in taken.along] == ["recipes/mast_sway"]
    gathered = edited(demo, {"do": "gather-sheaf", "addresses": [f"{MAST}#gust", f"{MAST}#tremble"], "label": "Gusts"})
    taken = take_over(demo, gathered, ["nodes/beacon-mast/rotation/z/layers/gust"])
    assert "sheaves/gusts" in {row.key for row in taken.along}


def test_an_object_that_aims_brings_its_target(demo: Scene) -> None:
    crate = {"do": "add-object", "label": "Far thing", "shape": {"kind": "box"}}
    after = edited(demo, crate, {"do": "aim", "nodes": ["sign"], "target": "far-thing"})
    taken = take_over(demo, after, ["nodes/sign"])
    assert [row.key for row in taken.along] == ["nodes/far-thing"]
    back = take_over(after, demo, ["nodes/far-thing"])
    assert back.scene.by_id["sign"].aim is None


def test_what_makes_no_scene_is_refused_with_a_sentence(demo: Scene) -> None:
    with pytest.raises(InvalidEdit, match="Nothing differs at 'nodes/none'"):
        take_over(demo, demo, ["nodes/none"])
    link = {"do": "add-layer", "kind": "link"}
    one = edited(demo, link | {"address": "sign/rotation.x", "settings": {"source": "mast/position.x"}})
    other = edited(demo, link | {"address": "mast/position.x", "settings": {"source": "sign/rotation.x"}})
    with pytest.raises(InvalidEdit, match="can't be taken over without more of it"):
        take_over(one, other, ["nodes/mast/position/x"])


def test_what_is_heavy_comes_with_the_objects_that_need_it(post: Scene) -> None:
    other = Scene(name="Other", nodes=post.nodes)
    mesh = Box(kind="box").mesh(other.assets)
    drum = Node(id="drum", label="Drum", shape=MeshShape(kind="mesh", asset=other.assets.put(pack_mesh(mesh))))
    other = other.replaced(nodes=(*post.nodes, drum))
    taken = take_over(post, other, ["nodes/drum"])
    shape = taken.scene.by_id["drum"].shape
    assert shape is not None
    np.testing.assert_array_equal(shape.mesh(taken.scene.assets).points, mesh.points)
