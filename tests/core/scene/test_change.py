"""What long work did is carried over to a scene that has gone on, or is refused because something that it read is
another."""

from __future__ import annotations

import pickle
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from lazzik.core.errors import Overtaken
from lazzik.core.scene.change import carried, difference, with_difference
from lazzik.core.scene.node import Node
from lazzik.core.scene.scene import Scene
from tests.conftest import edited

NAMES = ("a", "b", "c", "d")
SCENE = Scene(
    name="Four",
    nodes=tuple(Node(id=name, label=name.upper(), parent="a" if name == "b" else None) for name in NAMES),
)
"""Four objects, b below a."""


def move(name: str, value: float) -> dict[str, Any]:
    return {"do": "set", "address": f"{name}/position.x", "value": value}


@given(st.sampled_from(NAMES), st.sampled_from(NAMES))
def test_two_edits_of_objects_apart_are_both_there_in_either_order(one: str, other: str) -> None:
    mine, theirs = edited(SCENE, move(one, 1)), edited(SCENE, move(other, 2))
    related = one == other or {one, other} == {"a", "b"}
    if related:
        with pytest.raises(Overtaken, match="became another"):
            carried(SCENE, mine, theirs)
    else:
        assert carried(SCENE, mine, theirs) == edited(SCENE, move(one, 1), move(other, 2))
        assert carried(SCENE, mine, theirs) == carried(SCENE, theirs, mine)


def test_a_number_that_is_read_counts_as_read() -> None:
    link = {"do": "add-layer", "address": "c/position.x", "kind": "link", "settings": {"source": "d/position.x"}}
    linked = edited(SCENE, link)
    mine = edited(linked, {"do": "change-object", "node": "c", "label": "Mine"})
    with pytest.raises(Overtaken, match="D became"):
        carried(linked, mine, edited(linked, move("d", 3)))
    assert carried(linked, mine, edited(linked, move("a", 3))).by_id["c"].label == "Mine"


@pytest.mark.parametrize("change", [{"last": 90}, {"fps": 24}])
def test_another_clock_is_another_scene(change: dict[str, Any]) -> None:
    with pytest.raises(Overtaken, match=r"range|rate"):
        carried(SCENE, edited(SCENE, move("c", 1)), edited(SCENE, {"do": "change-scene", **change}))


def test_objects_that_came_or_went_meanwhile_stay_so() -> None:
    gone = edited(SCENE, {"do": "remove-object", "node": "d"})
    landed = carried(SCENE, edited(SCENE, move("c", 1)), gone)
    assert [node.id for node in landed.nodes] == ["a", "b", "c"]
    assert landed.by_id["c"].position.x == 1
    mine = edited(SCENE, {"do": "remove-object", "node": "c"})
    assert "c" not in carried(SCENE, mine, edited(SCENE, move("d", 1))).by_id
    with pytest.raises(Overtaken, match="tree"):
        carried(SCENE, mine, gone)


def test_dials_and_names_are_kept_from_both() -> None:
    dial = edited(SCENE, {"do": "add-dial", "label": "Wind"})
    renamed = edited(SCENE, {"do": "change-scene", "name": "Else"})
    both = carried(SCENE, dial, renamed)
    assert (both.name, [d.label for d in both.dials]) == ("Else", ["Wind"])
    with pytest.raises(Overtaken, match="dials"):
        carried(SCENE, dial, edited(SCENE, {"do": "add-dial", "label": "Rain"}))


@pytest.mark.parametrize(
    "edit",
    [
        move("a", 1), {"do": "change-scene", "name": "Else", "last": 90}, {"do": "remove-object", "node": "d"},
        {"do": "add-dial", "label": "Wind"}, {"do": "duplicate", "node": "a", "count": 2},
    ],
)  # fmt: skip
def test_a_difference_leads_there_and_holds_no_more_than_what_is_another(edit: dict[str, Any]) -> None:
    after = edited(SCENE, edit)
    made = difference(SCENE, after)
    assert with_difference(SCENE, made) == after
    assert {node.id for node in made.nodes} == {n.id for n in after.nodes if SCENE.by_id.get(n.id) is not n}
    sent = with_difference(SCENE, pickle.loads(pickle.dumps(made)))
    assert sent == after
    assert all(sent.by_id[n.id] is n for n in SCENE.nodes if after.by_id.get(n.id) is n)


def test_nothing_is_in_the_way_of_work_on_the_head_itself() -> None:
    mine = edited(SCENE, move("a", 1))
    assert carried(SCENE, mine, SCENE) is mine
