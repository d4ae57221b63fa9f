"""The shelf's items: parts of a scene with what they read, taken into others, written to files and read back."""

from __future__ import annotations

import json
from typing import Any

import numpy as np
import pytest

from lazzik.core.errors import InvalidDocument, InvalidEdit
from lazzik.core.evaluate.values import evaluate
from lazzik.core.scene.address import Address, find
from lazzik.core.scene.edits.base import applied
from lazzik.core.scene.edits.from_shelf import TakeFromShelf
from lazzik.core.scene.edits.shelf_content import content_of
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.shelf_file import MOST_ITEMS, read_shelf, shelf_text
from lazzik.core.scene.shelf_item import SORTS, ShelfItem, Sort
from lazzik.core.scene.specimen import specimen
from lazzik.core.types import Samples
from lazzik.demo.shelf_items import shipped
from tests.conftest import edited

MAST = {"do": "add-object", "label": "Mast", "shape": {"kind": "tube", "radius": 0.1, "height": 2.0, "base": True}}


def layer(kind: str, **fields: Any) -> dict[str, Any]:
    return {"kind": kind, "id": kind, "label": kind.title(), **fields}


def put(address: str, *layers: dict[str, Any]) -> dict[str, Any]:
    return {"do": "put-layers", "address": address, "layers": list(layers)}


def rich(fps: float = 30.0, first: int = 0) -> Scene:
    """A scene with one of each sort, which read a dial, a recipe and a clip."""
    last = first + 120
    scene = edited(
        Scene(name="Rich", fps=fps, first=first, last=last), MAST,
        {"do": "add-dial", "label": "Gale", "value": 1.5},
        put("mast/rotation.x", layer("noise", amplitude=4.0, period=0.8), layer("formula", text="gale * x")),
        {"do": "save-recipe", "address": "mast/rotation.x", "label": "Shiver"},
        put("mast/rotation.z", layer("noise", amplitude=6.0, window={"start": first + 10.0, "end": first + 90.0})),
        {"do": "use-recipe", "address": "mast/rotation.z", "recipe": "shiver"},
        put("mast/position.x", layer("wave", amplitude=0.1, period=1.0)),
        {"do": "put-clip", "clip": {"id": "sweep", "label": "Sweep", "length": 30, "tracks": [
            {"id": "turn", "label": "Turn", "unit": "°", "origin": "mast/rotation.y",
             "motion": {"keys": [{"frame": 0, "value": 0}, {"frame": 30, "value": 40}]}}]}},
        {"do": "play-clip", "clip": "sweep", "frame": first},
        {"do": "save-pose", "label": "Straight", "addresses": ["mast/rotation.x", "mast/rotation.y"], "frame": first},
        {"do": "set", "address": "mast/look.color.r", "value": 0.3},
        put("mast/look.glow", layer("noise", amplitude=0.4)),
    )  # fmt: skip
    return edited(scene, {"do": "save-object-recipe", "node": "mast", "label": "Mast in a gale"})


PARTS: dict[Sort, str] = {
    "recipe": "shiver", "object": "mast_in_a_gale", "clip": "sweep", "pose": "straight", "material": "mast",
}  # fmt: skip


def item(sort: Sort, scene: Scene | None = None) -> ShelfItem:
    part = PARTS[sort]
    return ShelfItem(
        key=sort, sort=sort, label=part, part=part, tags=("made here",), content=content_of(scene or rich(), sort, part)
    )


def values(scene: Scene, address: str) -> Samples:
    return evaluate(scene, [address], scene.clock())[address]


@pytest.mark.parametrize("sort", SORTS)
def test_each_sort_comes_with_what_it_reads_and_back_out_of_a_file(sort: Sort) -> None:
    kept = item(sort)
    reads = {"recipe": 1, "object": 1, "clip": 0, "pose": 0, "material": 0}[sort]
    assert len(kept.content.dials) == reads
    assert [recipe.id for recipe in kept.content.recipes] == ["shiver"] * reads
    assert len(kept.content.clips) == (sort in ("object", "clip"))
    (back,) = read_shelf(shelf_text([kept]))
    assert back == kept


def test_all_of_the_shelf_is_the_same_after_a_file_and_every_item_is_seen() -> None:
    items = (*shipped(), *(item(sort) for sort in SORTS))
    assert len(shipped()) >= 24
    assert read_shelf(shelf_text(items)) == items
    for each in items:
        scene = specimen(each)
        assert any(node.shape is not None for node in scene.nodes) or each.key == "spray"
        if each.sort in ("recipe", "clip"):
            moving = [f"{node.id}/{path}" for node in scene.nodes for path, _ in node.moving]
            assert any(np.ptp(values(scene, address)) > 0 for address in moving), each.key


@pytest.mark.parametrize(("fps", "first"), [(30.0, 0), (60.0, 0), (24.0, 1001)])
def test_an_object_moves_elsewhere_as_it_did_in_seconds(fps: float, first: int) -> None:
    there = rich()
    kept = item("object", there)
    here = applied(
        Scene(name="Other", fps=fps, first=first, last=first + round(4 * fps)), [TakeFromShelf(item=kept)]
    )  # fmt: skip
    seconds = np.arange(4.0)
    for path in ("rotation.z", "rotation.y", "position.x", "look.glow"):
        was, now = values(there, f"mast/{path}"), values(here, f"mast/{path}")
        old, new = (seconds * 30).astype(int), (seconds * fps).astype(int)
        np.testing.assert_allclose(now[new], was[old], atol=1e-9, err_msg=path)
    assert here.by_id["mast"].uses[0].recipe == "mast_in_a_gale"
    again = applied(here, [TakeFromShelf(item=kept)])
    assert len(again.object_recipes) == 1  # the very same serves
    assert (len(again.dials), len(again.recipes), len(again.clips)) == (1, 1, 1)


def test_where_names_are_taken_by_others_what_comes_gives_way_and_reads_its_own() -> None:
    kept = item("recipe")
    here = edited(
        Scene(name="Other"), MAST, {"do": "add-dial", "label": "Gale", "value": 7.0},
        put("mast/rotation.x", layer("wave", amplitude=1.0)),
        {"do": "save-recipe", "address": "mast/rotation.x", "label": "Shiver"},
    )  # fmt: skip
    took = applied(here, [TakeFromShelf(item=kept, on=("mast/rotation.y",))])
    assert [dial.id for dial in took.dials] == ["gale", "gale_2"]
    assert [(recipe.id, recipe.label) for recipe in took.recipes] == [("shiver", "Shiver"), ("shiver_2", "Shiver 2")]
    used = took.recipes[1].stack.layers[1]
    assert used.references() == {"dials/gale_2"}
    assert np.ptp(values(took, "mast/rotation.y")) > 1.0


def test_a_clip_a_pose_and_a_material_are_put_to_use_where_it_is_said() -> None:
    here = edited(Scene(name="Other", last=120), MAST | {"label": "Pole"}, MAST)
    clip = applied(here, [TakeFromShelf(item=item("clip"), frame=30.0)])
    y = values(clip, "mast/rotation.y")
    np.testing.assert_allclose(y[[30, 45, 60 - 1]], [0.0, 20.0, y[59]], atol=0.5)
    on = applied(here, [TakeFromShelf(item=item("clip"), frame=0.0, on=("pole/rotation.z",))])
    assert np.ptp(values(on, "pole/rotation.z")) > 35
    posed = applied(here, [TakeFromShelf(item=item("pose"), frame=12.0)])
    assert [key.frame for key in find(posed, Address.parse("mast/rotation.y")).channel.keys] == [12.0]
    look = applied(here, [TakeFromShelf(item=item("material"), on=("pole",))])
    assert look.by_id["pole"].look == rich().by_id["mast"].look
    only = applied(here, [TakeFromShelf(item=item("clip"), use=False)])
    assert only.nodes == here.nodes
    assert len(only.clips) == 1


def test_a_material_goes_on_what_has_a_surface() -> None:
    here = edited(Scene(name="Other"), {"do": "add-object", "label": "Group"})
    with pytest.raises(InvalidEdit, match="Group has no surface"):
        applied(here, [TakeFromShelf(item=item("material"), on=("group",))])


GOOD = json.loads(shelf_text([item("recipe")]))


def damaged(*path: str | int, value: Any = None) -> str:
    content = json.loads(json.dumps(GOOD))
    part = content
    for step in path[:-1]:
        part = part[step]
    part[path[-1]] = value
    return json.dumps(content)


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("", "This is not JSON"),
        ("[" * 100_000, "This is not JSON"),
        ("{}", "no shelf that was exported"),
        ('{"format": "lazzik-scene"}', "no shelf that was exported"),
        (damaged("version", value=2), "of version 2; 1 is the one"),
        (damaged("version", value="1" * 500), "of version 1"),
        (damaged("items", value={}), "no list, or more than"),
        (damaged("items", value=[{}] * (MOST_ITEMS + 1)), "no list, or more than"),
        (damaged("items", 0, value=[]), "item 1 has no content"),
        (damaged("items", 0, "content", value="x"), "item 1 has no content"),
        (damaged("items", 0, "content", "version", value=99), "item 1. This is not a Lazzik scene"),
        (damaged("items", 0, "content", "fps", value=1e300), "item 1. The scene can't be read"),
        (damaged("items", 0, "part", value="gone"), "lacks what it should hold"),
        (damaged("items", 0, "key", value="../etc"), "item 1, key"),
        (damaged("items", 0, "tags", value=["<b>" * 40]), "item 1, tags.0"),
        (damaged("items", 0, "label", value=""), "item 1, label"),
        (damaged("items", 0, "script", value="x"), "item 1, script"),
        (damaged("items", value=[GOOD["items"][0], GOOD["items"][0]]), "Two items of the shelf have the key 'recipe'"),
        (damaged("items", 0, "content", "assets", value={"0" * 64: "AAAA"}), "is not what its name says"),
    ],
)  # fmt: skip
def test_a_damaged_or_hostile_file_is_refused_with_a_sentence(text: str, said: str) -> None:
    with pytest.raises(InvalidDocument, match=said):
        read_shelf(text)
