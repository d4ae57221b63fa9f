"""Edits of swarms, and why one does not show."""

from __future__ import annotations

from typing import Any

import pytest

from lazzik.core.diagnose.reason import Reason
from lazzik.core.diagnose.swarm import why_swarm
from lazzik.core.errors import InvalidEdit
from lazzik.core.evaluate.scope import Scope
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.serialize import read_scene, scene_text
from lazzik.core.simulate.swarm import SwarmRun
from lazzik.demo.whole import WHOLE
from lazzik.web.diagnose.words import reason_view
from tests.conftest import edited

BALL = {"do": "add-object", "label": "Ball", "shape": {"kind": "ball", "radius": 0.3}, "position": [0, 1, 0]}
TANK = {"do": "add-object", "label": "Tank", "shape": {"kind": "box", "base": True}}


def poured(*more: dict[str, Any], fills: str = "body", of: str = "ball") -> Scene:
    return edited(Scene(name="Water"), BALL, TANK, {"do": "pour", "of": of, "fills": fills}, *more)


def test_what_is_poured_out_of_an_object_hides_it_and_looks_like_it() -> None:
    scene = poured({"do": "set", "address": "ball/look.color.r", "value": 0.1})
    assert not scene.by_id["ball"].visible
    held = poured(fills="hollow", of="tank")
    assert held.by_id["tank"].visible
    swarm = held.by_id["swarm"].swarm
    assert swarm is not None
    assert swarm.met == ("tank",)
    assert 1000 < len(SwarmRun(held, "swarm").filled.places) < 5000
    assert read_scene(scene_text(held).encode()) == held


def test_refused_is_what_has_no_shape_and_what_may_not_be_chosen() -> None:
    scene = poured()
    for edit, said in (
        ({"do": "pour", "of": "swarm"}, "Swarm has no shape"),
        ({"do": "change-swarm", "node": "ball", "settings": {}}, "Ball is no swarm"),
        ({"do": "change-swarm", "node": "swarm", "settings": {"drawn": "foam"}}, "'foam' is no drawn of a swarm"),
        ({"do": "change-swarm", "node": "swarm", "colliders": ["swarm"]}, "Swarm has no shape"),
    ):
        with pytest.raises(InvalidEdit, match=said):
            edited(scene, edit)


def test_without_what_it_fills_it_fills_nothing_and_a_copy_fills_the_copy() -> None:
    scene = poured({"do": "change-swarm", "node": "swarm", "colliders": ["tank"]})
    gone = edited(scene, {"do": "remove-object", "node": "ball"}).by_id["swarm"].swarm
    assert gone is not None
    assert (gone.of, gone.colliders) == (None, ("tank",))
    group = edited(scene, {"do": "group", "nodes": ["ball", "swarm"], "label": "Both"})
    copies = edited(group, {"do": "duplicate", "node": "both"})
    (copy,) = (node.swarm for node in copies.nodes if node.swarm and node.id != "swarm")
    assert copy.of not in (None, "ball")
    assert copy.colliders == ("tank",)


AIR = {"do": "add-object", "label": "Wind", "field": {"kind": "wind"}}
AFLOAT = {"do": "set", "address": "swarm/swarm.gravity", "value": 0}
STILL = {"do": "change-swarm", "node": "swarm", "settings": {"wind": "still"}}
HOLLOW = {"do": "change-swarm", "node": "swarm", "settings": {"fills": "hollow"}}
MEETS = {"do": "change-swarm", "node": "swarm", "colliders": ["tank"]}


def why(scene: Scene) -> dict[str, Reason]:
    return {item.code: item for item in why_swarm(scene, scene.by_id["swarm"], Scope(scene))}


@pytest.mark.parametrize(
    ("more", "code"),
    [
        ([], "falls-free"),
        ([AFLOAT], "no-air"),
        ([AIR, STILL, AFLOAT], "in-still-air"),
        ([{"do": "change-object", "node": "swarm", "visible": False}], "hidden"),
        ([HOLLOW, {"do": "set", "address": "swarm/swarm.spacing", "value": 5}], "holds-none"),
        ([{"do": "set", "address": "swarm/swarm.spacing", "value": 0.002}], "overfull"),
        ([{"do": "set", "address": "swarm/swarm.spacing", "value": 0.02}], "too-deep"),
        ([STILL, AFLOAT], "hangs-still"),
        ([{"do": "change-swarm", "node": "swarm", "locked": "0" * 64}], "locked"),
        ([{"do": "set", "address": "swarm/swarm.viscosity", "value": 900}], "beyond"),
    ],
    ids=lambda value: value if isinstance(value, str) else "",
)
def test_why_names_what_is_the_matter_and_mends_it(more: list[dict[str, Any]], code: str) -> None:
    found = why(poured(*more))
    assert code in found, list(found)
    assert reason_view(found[code]).text
    if found[code].edits:
        mended = poured(*more)
        for edit in found[code].edits:
            mended = edit.apply(mended)
        assert code not in why(mended)


def test_one_that_fills_nothing_says_so_and_one_that_is_well_says_nothing() -> None:
    assert set(why(poured({"do": "remove-object", "node": "ball"}))) == {"fills-nothing", "falls-free"}
    assert why(poured(AIR, MEETS)) == why(poured(STILL, AIR, MEETS)) == why(poured(MEETS)) == {}


@pytest.mark.parametrize("key", ["drop", "basin"])
def test_the_recipes_of_swarms_have_nothing_in_their_way(key: str) -> None:
    recipe = next(item for item in WHOLE if item.key == key)
    scene = edited(Scene(name="Bare"), recipe.edit)
    node = next(node for node in scene.nodes if node.swarm)
    assert why_swarm(scene, node, Scope(scene)) == []
    moments = [moment for moment, _ in SwarmRun(scene, node.id).frames(0, 12)]
    assert 500 < len(moments[0]) < 3000
    assert max(moment.pace for moment in moments) > 0.05
