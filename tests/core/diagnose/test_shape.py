"""Why a deformer does not show: each trap is named, and its button mends it."""

from __future__ import annotations

import json
from typing import Any

import numpy as np
import pytest

from lazzik.core.bake.morph_targets import bake_shape
from lazzik.core.deformers import BY_KIND
from lazzik.core.diagnose.number import why
from lazzik.core.diagnose.shape import why_shape
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.surface import surface_of
from lazzik.core.geometry.primitives import Box
from lazzik.core.scene.address import Address
from lazzik.core.scene.edits.shapes import PlaceShapeBake
from lazzik.core.scene.node import Node
from lazzik.core.scene.scene import Scene
from lazzik.web.diagnose.words import ReasonView, reason_view
from tests.conftest import edited


def post(kind: str = "bend", cuts: int = 24) -> Scene:
    """A post with one deformer, its segments enough."""
    box = Box(kind="box", width=0.4, height=2.0, depth=0.4, cuts_y=cuts, base=True)
    scene = Scene(name="One", last=60, nodes=(Node(id="post", label="Post", shape=box),))
    return edited(scene, {"do": "add-deformer", "node": "post", "kind": kind})


def change(scene: Scene, **fields: Any) -> Scene:
    return edited(scene, {"do": "change-deformer", "node": "post", "deformer": scene.nodes[0].deform[0].id} | fields)


def put(scene: Scene, **numbers: float) -> Scene:
    here = f"post/deform.{scene.nodes[0].deform[0].id}"
    edits = [{"do": "set", "address": f"{here}.{name}", "value": value} for name, value in numbers.items()]
    return edited(scene, *edits)


def reasons(scene: Scene, deformer: str = "") -> list[ReasonView]:
    return [reason_view(item) for item in why_shape(scene, scene.node("post"), deformer, Scope(scene))]


def bare() -> Scene:
    return edited(post(), {"do": "remove-deformer", "node": "post", "deformer": "bend"})


def masked() -> Scene:
    scene = change(post(), mask={"kind": "ball"})
    assert (scene.nodes[0].deform[0].mask.along, scene.nodes[0].deform[0].mask.radius) == (1.0, 0.5)  # type: ignore[union-attr]
    return put(scene, **{"mask.side": 90.0})


def baked() -> Scene:
    scene = post()
    targets = bake_shape(scene, scene.nodes[0], 0, 60, 0.001, Scope(scene))
    return PlaceShapeBake(node="post", targets=targets).apply(scene)


TRAPS = {
    "none": (bare, "Post has no deformers"),
    "muted": (lambda: change(post(), muted=True), "Bend is muted"),
    "weight": (lambda: put(post(), weight=0), "The weight of Bend is 0"),
    "angle": (lambda: put(post(), angle=0), "The angle of Bend is 0"),
    "span": (lambda: put(change(post("taper"), settings={"fade": "start"}), start=40, end=50), "does not reach Post"),
    "mask": (masked, "The mask of Bend leaves nothing"),
    "coarse": (lambda: post(cuts=1), "too coarse for Bend"),
    "hidden": (lambda: edited(post(), {"do": "change-object", "node": "post", "visible": False}), "Post is hidden"),
    "baked": (baked, "switched off when the shape was baked"),
}


@pytest.mark.parametrize("trap", TRAPS)
def test_each_trap_is_named_and_its_button_mends_it(trap: str) -> None:
    make, sentence = TRAPS[trap]
    scene = make()
    (reason,) = [item for item in reasons(scene) if sentence in item.text]
    assert reason.mend
    mended = edited(scene, *json.loads(reason.edits))
    assert not any(sentence in item.text for item in reasons(mended))
    motion = surface_of(mended, mended.nodes[0], mended.clock(), Scope(mended))
    assert np.abs(motion.points(20) - motion.rest.points).max() > 0.01


@pytest.mark.parametrize("kind", [kind for kind in BY_KIND if kind != "jiggle"])
def test_a_new_deformer_has_no_reasons_but_the_mesh(kind: str) -> None:
    scene = post(kind, cuts=1)
    for _ in range(4):
        if not reasons(scene):
            break
        scene = edited(scene, *(edit for reason in reasons(scene) for edit in json.loads(reason.edits)))
    assert reasons(scene) == []


def test_what_trails_no_motion_says_that_it_moves_nothing() -> None:
    (reason,) = reasons(post("jiggle"))
    assert "moves no point by more than" in reason.text


def test_a_number_of_a_deformer_asks_what_keeps_the_deformer() -> None:
    scene = put(post(), weight=0)
    found = [reason_view(item) for item in why(scene, Address.parse("post/deform.bend.angle"), Scope(scene))]
    assert [reason.text for reason in found] == ["It has no layers and no keys.", "The weight of Bend is 0."]


def test_deformers_of_a_group_without_shapes_say_so() -> None:
    part = Node(id="part", label="Part", parent="post", shape=Box(kind="box", cuts_y=24))
    scene = Scene(name="One", nodes=(Node(id="post", label="Posts"), part))
    scene = edited(scene, {"do": "add-deformer", "node": "post", "kind": "twist"})
    assert reasons(scene) == []
    scene = edited(scene, {"do": "remove-object", "node": "part"})
    assert "Nothing that lies below Posts has a shape" in reasons(scene)[0].text
