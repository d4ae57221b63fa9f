"""Edits of the air: fields, and what stands in the wind."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from lazzik.core.channel.channel import as_channel, base_value
from lazzik.core.errors import InvalidEdit
from lazzik.core.evaluate.values import evaluate
from lazzik.core.layers.breeze import Breeze
from lazzik.core.scene.edits.air import stands, suited_frequency
from lazzik.core.scene.rest_pose import extent
from lazzik.core.scene.scene import Scene
from tests.conftest import edited

POLE = {"kind": "tube", "radius": 0.05, "height": 2.0, "along": 12}
BOARD = {"kind": "box", "width": 1.0, "height": 0.8, "depth": 0.05}


def row(count: int = 4) -> Scene:
    """A group of poles in a row downwind."""
    poles = (
        {"do": "add-object", "label": f"Pole {k + 1}", "parent": "row", "shape": POLE, "position": [4.0 * k, 1, 0]}
        for k in range(count)
    )
    adds: tuple[dict[str, Any], ...] = ({"do": "add-object", "label": "Row"}, *poles)
    return edited(Scene(name="Air"), *adds)


def breezes(scene: Scene, slug: str) -> list[Breeze]:
    """What an object's turning answers the air with."""
    rotation = scene.by_id[slug].rotation
    layers = [layer for number in (rotation.x, rotation.z) for layer in as_channel(number).layers]
    return [layer for layer in layers if isinstance(layer, Breeze)]


def test_a_row_stands_in_the_wind_by_one_press_none_like_its_neighbour() -> None:
    scene = edited(row(), {"do": "stand-in-wind", "nodes": ["row"]})
    assert [node.field.kind for node in scene.fields if node.field] == ["wind"]  # there was none
    sways = [scene.by_id[f"pole-{k}"].deform[-1] for k in range(1, 5)]
    assert len({sway.period for sway in sways}) == 4  # type: ignore[attr-defined]
    assert all(sway.in_air for sway in sways)
    (dial,) = scene.dials
    assert dial.label == "Row in the wind"


def test_a_new_one_joins_by_the_same_press_and_the_others_stay_as_they_are() -> None:
    scene = edited(row(), {"do": "stand-in-wind", "nodes": ["row"]})
    own = edited(scene, {"do": "set", "address": "pole-2/deform.stands.angle", "value": 33.0})
    more = edited(
        own,
        {"do": "add-object", "label": "Pole 5", "parent": "row", "shape": POLE},
        {"do": "stand-in-wind", "nodes": ["row"]},
    )
    assert stands(more.by_id["pole-5"])
    assert len(more.dials) == 1
    assert more.by_id["pole-2"] is own.by_id["pole-2"]
    with pytest.raises(InvalidEdit, match="stand in the wind already"):
        edited(more, {"do": "stand-in-wind", "nodes": ["row"]})


def test_one_dial_makes_the_whole_choice_calmer() -> None:
    scene = edited(row(), {"do": "stand-in-wind", "nodes": ["row"]})
    dial = f"dials/{scene.dials[0].id}"
    weights = [f"pole-{k}/deform.stands.weight" for k in range(1, 5)]
    halved = edited(scene, {"do": "set", "address": dial, "value": 0.5})
    for before, after in ((scene, 1.0), (halved, 0.5)):
        values = evaluate(before, weights, before.clock())
        assert all(np.all(row == after) for row in values.values())


def test_stout_things_turn_about_their_foot_and_hanging_ones_about_their_head() -> None:
    scene = edited(
        Scene(name="Air"),
        {"do": "add-object", "label": "Board", "shape": BOARD, "position": [0, 0.4, 0]},
        {"do": "add-object", "label": "Sign", "shape": BOARD | {"pivot": [0, 0.4, 0]}, "position": [3, 2, 0]},
        {"do": "add-object", "label": "Wind", "field": {"kind": "wind", "gusts": 0.0, "swing": 0.0}},
        {"do": "stand-in-wind", "nodes": ["board", "sign"]},
    )
    assert extent(scene, scene.by_id["board"]).low[1] == pytest.approx(0.0)
    values = evaluate(scene, ["board/rotation.z", "sign/rotation.z", "board/rotation.x"], scene.clock())
    assert np.all(values["board/rotation.z"] < -0.1)  # its head goes with the wind, toward +x
    assert np.all(values["sign/rotation.z"] > 0.1)  # and so does the foot of what hangs
    assert np.abs(values["board/rotation.x"]).max() < 1e-9


def test_gain_falls_with_the_square_of_the_frequency() -> None:
    adds = [
        {"do": "add-object", "label": f"Board {k}", "shape": BOARD | {"height": 0.8 + 0.2 * k}, "position": [k, 0, 0]}
        for k in range(6)
    ]
    nodes = [f"board-{k}" for k in range(6)]
    scene = edited(Scene(name="Air"), *adds, {"do": "stand-in-wind", "nodes": nodes})
    found = [b for slug in nodes for b in breezes(scene, slug)]
    pairs = {(base_value(b.frequency), abs(base_value(b.gain))) for b in found}
    products = [gain * frequency**2 for frequency, gain in pairs]
    assert len(pairs) == 6
    assert np.ptp(products) < 0.02 * np.mean(products)


def test_taller_and_more_slender_things_are_slower() -> None:
    assert suited_frequency(2.0, 0.1) == pytest.approx(0.67, abs=0.01)
    assert suited_frequency(4.0, 0.1) < suited_frequency(2.0, 0.1) < suited_frequency(2.0, 0.3)
    assert 0.2 < suited_frequency(300.0, 0.1) < suited_frequency(0.01, 5.0) < 10


def test_a_group_that_is_one_thing_stands_as_a_whole() -> None:
    pine = edited(
        Scene(name="Air"),
        {"do": "add-object", "label": "Pine"},
        {"do": "add-object", "label": "Trunk", "parent": "pine", "shape": POLE, "position": [0, 1, 0]},
        {"do": "add-object", "label": "Crown", "parent": "pine", "shape": BOARD, "position": [0, 2, 0]},
        {"do": "stand-in-wind", "nodes": ["pine"]},
    )
    assert stands(pine.by_id["pine"])
    assert not stands(pine.by_id["trunk"])
    assert len(breezes(pine, "pine")) == 2


def test_fields_are_changed_and_refused_with_a_sentence() -> None:
    scene = edited(Scene(name="Air"), {"do": "add-object", "label": "Eddies", "field": {"kind": "eddies"}})
    changed = edited(scene, {"do": "change-field", "node": "eddies", "settings": {"carried": "own"}, "loop": 90})
    field = changed.by_id["eddies"].field
    assert field is not None
    assert (field.carried, field.loop, field.fit) == ("own", 90.0, False)  # type: ignore[attr-defined]
    with pytest.raises(InvalidEdit, match="'up' is no carried of a Eddies; it may be wind, own, both, nothing"):
        edited(scene, {"do": "change-field", "node": "eddies", "settings": {"carried": "up"}})
    post = edited(scene, {"do": "add-object", "label": "Post"})
    with pytest.raises(InvalidEdit, match="Post does not move the air"):
        edited(post, {"do": "change-field", "node": "post", "muted": True})


def test_fields_follow_the_range_and_another_rate() -> None:
    scene = edited(
        Scene(name="Air"),
        {"do": "add-object", "label": "Wind", "field": {"kind": "wind"}},
        {"do": "loop", "fit": True},
        {"do": "change-scene", "last": 100},
    )
    field = scene.by_id["wind"].field
    assert field is not None
    assert field.loop == 100.0
    faster = edited(scene, {"do": "change-scene", "fps": 60, "keep": "seconds"})
    assert faster.by_id["wind"].field.loop == pytest.approx(200.0)  # type: ignore[union-attr]
