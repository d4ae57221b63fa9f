"""What a drag asks of scatters at each step: whether any of them would stand or lean otherwise."""

from __future__ import annotations

from typing import Any

import pytest

from lazzik.core.scene.scene import Scene
from lazzik.web.scatter.facts import scatter_facts, told_alike
from tests.conftest import edited

APART = [
    {"do": "set", "address": "mast/rotation.z", "value": 7},
    {"do": "set", "address": "grass/scatter.gain", "value": 7},
    {"do": "set", "address": "grass/scatter.count", "value": 70},
    {"do": "set", "address": "wind/field.speed", "value": 3},
    {"do": "set", "address": "ground/position.x", "value": 3},
    {"do": "set", "address": "tuft/scale.y", "value": 3},
    {"do": "change-scene", "last": 90},
]


@pytest.fixture(scope="module")
def meadow() -> Scene:
    return edited(
        Scene(name="Meadow", last=60),
        {"do": "add-object", "label": "Wind", "field": {"kind": "wind"}},
        {"do": "add-object", "label": "Ground", "shape": {"kind": "sheet"}},
        {"do": "add-object", "label": "Mast", "shape": {"kind": "box"}},
        {"do": "add-object", "label": "Tuft", "shape": {"kind": "box"}},
        {"do": "scatter", "nodes": ["tuft"], "surface": "ground", "label": "Grass"},
    )


@pytest.mark.parametrize("edit", APART, ids=lambda edit: edit.get("address", edit["do"]))
def test_scatters_are_told_alike_just_where_their_facts_are(meadow: Scene, edit: dict[str, Any]) -> None:
    after = edited(meadow, edit)
    assert told_alike(meadow, after) == (scatter_facts(meadow) == scatter_facts(after))
    assert told_alike(meadow, after) == (edit.get("address") == "mast/rotation.z")


def test_what_another_number_drives_counts(meadow: Scene) -> None:
    driven = edited(
        meadow,
        {"do": "add-layer", "address": "wind/field.speed", "kind": "link", "settings": {"source": "mast/rotation.z"}},
    )
    after = edited(driven, {"do": "set", "address": "mast/rotation.z", "value": 7})
    assert not told_alike(driven, after)
    assert scatter_facts(driven) != scatter_facts(after)


def test_without_scatters_nothing_is_asked() -> None:
    bare = Scene(name="Bare")
    assert told_alike(bare, edited(bare, {"do": "change-scene", "last": 9}))
