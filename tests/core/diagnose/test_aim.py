"""Why an aim does not show: each trap is named, and its button mends it."""

from __future__ import annotations

import json

import pytest

from lazzik.core.diagnose.aim import why_aim
from lazzik.core.diagnose.number import why
from lazzik.core.evaluate.scope import Scope
from lazzik.core.scene.address import Address
from lazzik.core.scene.node import Node, Position
from lazzik.core.scene.scene import Scene
from lazzik.web.diagnose.words import ReasonView, reason_view
from tests.conftest import edited


@pytest.fixture
def aimed() -> Scene:
    """A vane that aims at a bird, which flies up and down."""
    nodes = (Node(id="vane", label="Vane"), Node(id="bird", label="Bird", position=Position(x=2.0)))
    return edited(
        Scene(name="Aimed", nodes=nodes),
        {"do": "aim", "nodes": ["vane"], "target": "bird"},
        {"do": "add-layer", "address": "bird/position.y", "kind": "wave"},
    )


def told(scene: Scene) -> list[ReasonView]:
    return [reason_view(reason) for reason in why_aim(scene, scene.node("vane"), Scope(scene))]


def test_one_that_shows_has_no_reason(aimed: Scene) -> None:
    assert told(aimed) == []


@pytest.mark.parametrize(
    ("edit", "sentence"),
    [
        ({"do": "change-aim", "node": "vane", "muted": True}, "The aim of Vane is muted."),
        ({"do": "set", "address": "vane/aim.weight", "value": 0}, "The weight of the aim of Vane is 0."),
        ({"do": "change-object", "node": "vane", "visible": False}, "Vane is hidden."),
    ],
)
def test_what_keeps_it_from_showing_is_named_and_mended(aimed: Scene, edit: dict[str, object], sentence: str) -> None:
    (reason,) = told(broken := edited(aimed, edit))
    assert reason.text == sentence
    assert told(edited(broken, *json.loads(reason.edits))) == []


def test_what_no_button_mends_is_said(aimed: Scene) -> None:
    still = edited(aimed, {"do": "remove-layer", "address": "bird/position.y#wave"})
    assert [reason.text for reason in told(still)] == ["Vane aims at Bird, and neither of them moves."]
    gone = edited(aimed, {"do": "remove-aim", "node": "vane"})
    assert [reason.text for reason in told(gone)] == ["Vane aims at nothing."]


def test_a_base_that_an_aim_covers_is_told_at_the_number(aimed: Scene) -> None:
    at = Address.parse("vane/rotation.y")
    (reason,) = (reason_view(item) for item in why(aimed, at, Scope(aimed)))
    assert reason.text.startswith("Vane is turned by its aim")
    muted = edited(aimed, *json.loads(reason.edits))
    assert "aimed" not in [item.code for item in why(muted, at, Scope(muted))]
    layered = edited(aimed, {"do": "add-layer", "address": "vane/rotation.y", "kind": "noise"})
    assert why(layered, at, Scope(layered)) == []
