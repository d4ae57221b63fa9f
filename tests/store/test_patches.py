"""Patches: what they lead to, and that they cost what changed and not what is there."""

from __future__ import annotations

import json
from typing import Any

import jsonpatch
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lazzik.core.bake.baking import BakePlan, bake
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.serialize import scene_json
from lazzik.store.patches import patch_between, patched
from tests.conftest import edited, turned
from tests.strategies import channels

MAST = "beacon-mast/rotation.z"


@given(channels(nested=True), channels(nested=True))
def test_a_patch_leads_from_one_scene_to_the_other(a: Any, b: Any) -> None:
    old, new = turned(a), turned(b)
    operations = patch_between(old, new)
    assert jsonpatch.apply_patch(scene_json(old), operations) == scene_json(new)
    assert patched(scene_json(old), [json.dumps(operations)]) == new


@given(st.lists(st.sampled_from(range(6)), max_size=6), st.lists(st.sampled_from(range(6)), max_size=6))
def test_rows_may_come_go_and_change_places(a: list[int], b: list[int]) -> None:
    scene = turned(0.0)
    nodes = [scene.nodes[0].replaced(id=f"n{i}") for i in range(6)]
    old = scene.replaced(nodes=tuple(nodes[i] for i in dict.fromkeys(a)))
    new = scene.replaced(nodes=tuple(nodes[i] for i in dict.fromkeys(b)))
    assert patched(scene_json(old), [json.dumps(patch_between(old, new))]) == new


EDITS: list[dict[str, Any]] = [
    {"do": "set", "address": f"{MAST}#gust.amplitude", "value": 3},
    {"do": "set", "address": f"{MAST}#gust.shift", "value": 3},
    {"do": "move-keys", "address": MAST, "frames": [30], "by": 3},
    {"do": "add-layer", "address": MAST, "kind": "noise"},
    {"do": "move-layer", "address": f"{MAST}#gust", "to": 1},
    {"do": "remove-object", "node": "lamp-3"},
    {"do": "change-scene", "name": "Other", "first": 10, "last": 260},
]


@pytest.mark.parametrize("edit", EDITS, ids=[edit["do"] for edit in EDITS])
def test_an_edit_makes_a_small_patch_that_goes_both_ways(demo: Scene, edit: dict[str, Any]) -> None:
    after = edited(demo, edit)
    for old, new in ((demo, after), (after, demo)):
        text = json.dumps(patch_between(old, new))
        assert patched(scene_json(old), [text]) == new
        assert len(text) < 1600
    assert patch_between(demo, demo) == []


def test_a_bake_and_its_return(demo: Scene) -> None:
    baked = bake(demo, [MAST], BakePlan(0, 250)).apply(demo)
    for old, new in ((demo, baked), (baked, demo)):
        assert patched(scene_json(old), [json.dumps(patch_between(old, new))]) == new
