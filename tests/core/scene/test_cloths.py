"""Edits of cloth: made by one step, held at places, of a stuff; whole whatever becomes of what it names."""

from __future__ import annotations

from typing import Any

import pytest

from lazzik.core.channel.channel import base_value
from lazzik.core.diagnose.cloth import why_cloth
from lazzik.core.errors import InvalidEdit, UnknownAddress
from lazzik.core.evaluate.scope import Scope
from lazzik.core.geometry.primitives import Sheet
from lazzik.core.scene.cloth import STUFFS
from lazzik.core.scene.edits.cloths import stuff_of
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.serialize import read_scene, scene_text
from tests.conftest import edited

SHEET = {"do": "add-object", "label": "Sheet", "shape": {"kind": "sheet", "width": 2.0, "height": 1.0}}
STANDING = {"do": "change-shape", "node": "sheet", "fields": {"standing": True}}
DRAPE = {"do": "drape", "node": "sheet"}
POST = {"do": "add-object", "label": "Post", "shape": {"kind": "tube", "radius": 0.1, "height": 2.0}}
WIND = {"do": "add-object", "label": "Wind", "field": {"kind": "wind"}}


def clothed(*more: dict[str, Any]) -> Scene:
    return edited(Scene(name="Washing", last=60), SHEET, POST, DRAPE, *more)


def test_one_step_makes_a_sheet_cloth_cut_finely_and_held_as_it_lies() -> None:
    node = clothed().by_id["sheet"]
    assert isinstance(node.shape, Sheet)
    assert (node.shape.columns, node.shape.rows) == (28, 14)
    assert node.cloth is not None
    assert [pin.where for pin in node.cloth.pins] == ["corners"]
    assert stuff_of(node.cloth) == "canvas"
    stands = edited(Scene(name="Washing", last=60), SHEET, STANDING, DRAPE).by_id["sheet"].cloth
    assert stands is not None
    assert [pin.where for pin in stands.pins] == ["top edge"]


def test_a_stuff_sets_its_numbers_and_leaves_layers_on_them() -> None:
    driven = {"do": "add-layer", "address": "sheet/cloth.weight", "kind": "noise"}
    scene = clothed(driven, {"do": "change-cloth", "node": "sheet", "stuff": "silk"})
    cloth = scene.by_id["sheet"].cloth
    assert cloth is not None
    assert {name: base_value(getattr(cloth, name)) for name in STUFFS["silk"]} == STUFFS["silk"]
    assert len(cloth.weight.layers) == 1  # type: ignore[union-attr]
    own = edited(scene, {"do": "set", "address": "sheet/cloth.bend", "value": 3}).by_id["sheet"].cloth
    assert own is not None
    assert stuff_of(own) == ""


def test_it_is_held_at_edges_corners_and_masks_and_let_go() -> None:
    scene = clothed(
        {"do": "pin", "node": "sheet", "place": "left edge", "to": "post"},
        {"do": "pin", "node": "sheet", "place": "right back corner"},
        {"do": "pin", "node": "sheet", "place": "mask"},
        {"do": "unpin", "node": "sheet", "pin": "corners"},
        {"do": "change-pin", "node": "sheet", "pin": "left_edge", "place": "right edge"},
    )
    cloth = scene.by_id["sheet"].cloth
    assert cloth is not None
    assert [(pin.label, pin.where, pin.to) for pin in cloth.pins] == [
        ("Right edge", "right edge", "post"), ("Right back corner", "right back corner", None), ("Mask", "mask", None),
    ]  # fmt: skip
    assert read_scene(scene_text(scene).encode()) == scene


@pytest.mark.parametrize(
    ("edit", "said"),
    [
        (DRAPE, "is cloth already"),
        ({"do": "drape", "node": "post", "stuff": "steel"}, "no stuff that is known; it may be silk, linen"),
        ({"do": "pin", "node": "sheet", "place": "somewhere"}, "is no place of cloth"),
        ({"do": "pin", "node": "sheet", "place": "left right corner"}, "is no place of cloth"),
        ({"do": "pin", "node": "post", "place": "corners"}, "Post is no cloth"),
        ({"do": "unpin", "node": "sheet", "pin": "nobody"}, "has no pin 'nobody'"),
        ({"do": "change-cloth", "node": "sheet", "colliders": ["sheet"]}, "can't meet itself"),
        ({"do": "change-cloth", "node": "sheet", "settings": {"wind": "loud"}}, "is no wind of cloth"),
        ({"do": "change-cloth", "node": "sheet", "locked": "run"}, "locked"),
    ],
)
def test_what_can_not_be_is_said(edit: dict[str, Any], said: str) -> None:
    with pytest.raises(InvalidEdit, match=said):
        clothed(edit)


def test_what_it_names_may_go_and_is_copied_with_it() -> None:
    named = (
        {"do": "pin", "node": "sheet", "place": "left edge", "to": "post"},
        {"do": "change-cloth", "node": "sheet", "colliders": ["post"]},
    )
    gone = clothed(*named, {"do": "remove-object", "node": "post"}).by_id["sheet"].cloth
    assert gone is not None
    assert (gone.refers, [pin.to for pin in gone.pins]) == ((), [None, None])
    with pytest.raises(UnknownAddress):
        clothed({"do": "pin", "node": "sheet", "place": "left edge", "to": "nobody"})
    stiff = clothed(*named, {"do": "undrape", "node": "sheet"}).by_id["sheet"]
    assert stiff.cloth is None


def codes(*more: dict[str, Any]) -> list[str]:
    scene = clothed(*more)
    return [reason.code for reason in why_cloth(scene, scene.by_id["sheet"], Scope(scene))]


def test_why_it_does_not_move() -> None:
    assert codes(WIND) == []
    assert "no-air" in codes()
    assert "hangs-still" in codes()
    assert "falls" in codes(WIND, {"do": "unpin", "node": "sheet", "pin": "corners"})
    assert "muted" in codes(WIND, {"do": "change-cloth", "node": "sheet", "muted": True})
    assert "in-still-air" in codes(WIND, {"do": "change-cloth", "node": "sheet", "settings": {"wind": "still"}})
    assert "locked" in codes(WIND, {"do": "change-cloth", "node": "sheet", "locked": "0" * 64})
    assert "softened-twice" in codes(WIND, {"do": "add-deformer", "node": "sheet", "kind": "jiggle"})
    assert "few-points" in codes(WIND, {"do": "change-shape", "node": "sheet", "fields": {"columns": 3, "rows": 3}})
    assert "idle" in codes(WIND, {"do": "set", "address": "sheet/cloth.pins.corners.strength", "value": 0})
    assert "beyond" in codes(WIND, {"do": "set", "address": "sheet/cloth.weight", "value": 900})
    far = {"kind": "ball", "along": 9.0, "side": 9.0, "across": 9.0, "radius": 0.1, "rim": 0.0}
    assert "pins-nothing" in codes(WIND, {"do": "pin", "node": "sheet", "place": "mask", "mask": far})
