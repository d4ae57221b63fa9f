"""What hangs under what: objects stay where they are seen, in the order that was wanted, under names of their own."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lazzik.core.channel.channel import Channel
from lazzik.core.channel.keys import Key
from lazzik.core.errors import InvalidEdit, UnknownAddress
from lazzik.core.evaluate.transforms import world
from lazzik.core.layers.link import Link
from lazzik.core.layers.wave import Wave
from lazzik.core.scene.address import Address, title
from lazzik.core.scene.node import Node, Position, Rotation, Scale
from lazzik.core.scene.scene import Scene
from lazzik.demo.station import station
from tests.conftest import edited
from tests.strategies import numbers


def seen(scene: Scene, frame: float = 0.0) -> dict[str, np.ndarray[Any, Any]]:
    """Where each object is at a frame, by the evaluation that the stage is drawn from."""
    clock = scene.clock().at(np.array([frame]))
    return {node.id: world(scene, node, clock)[0] for node in scene.nodes}


def labels(scene: Scene, parent: str | None) -> list[str]:
    return [node.label for node in scene.below.get(parent, ())]


@st.composite
def trees(draw: st.DrawFn) -> Scene:
    """Five objects somewhere, turned anyhow, each as large in all directions."""
    nodes: list[Node] = []
    for k in range(5):
        parent = draw(st.sampled_from([None, *[node.id for node in nodes]]))
        place = [draw(numbers(-4, 4)) for _ in range(3)]
        turn = [draw(numbers(-170, 170)) for _ in range(3)]
        size = draw(numbers(0.3, 3))
        order = draw(st.sampled_from(["xyz", "zyx", "yxz"]))
        nodes.append(
            Node(
                id=f"n{k}", label=f"N{k}", parent=parent,
                position=Position(x=place[0], y=place[1], z=place[2]),
                rotation=Rotation(x=turn[0], y=turn[1], z=turn[2], order=order),
                scale=Scale(x=size, y=size, z=size),
            )
        )  # fmt: skip
    return Scene(name="Tree", nodes=tuple(nodes))


@given(trees(), st.integers(0, 4), st.sampled_from([None, "n0", "n1", "n2", "n3", "n4"]))
def test_what_is_hung_elsewhere_is_seen_where_it_was_with_all_below_it(
    scene: Scene, which: int, under: str | None
) -> None:
    node = scene.nodes[which]
    edit = {"do": "hang", "nodes": [node.id], "under": under}
    if under is not None and node.id in [above.id for above in scene.lineage(scene.by_id[under])]:
        with pytest.raises(InvalidEdit, match="can't hang under"):
            edited(scene, edit)
        return
    after = edited(scene, edit)
    assert after.by_id[node.id].parent == under
    before, now = seen(scene), seen(after)
    for name in before:
        np.testing.assert_allclose(now[name], before[name], atol=1e-6)


@given(trees(), st.sets(st.integers(0, 4), min_size=1))
def test_a_group_moves_nothing_and_letting_it_go_brings_everything_back(scene: Scene, which: set[int]) -> None:
    grouped = edited(scene, {"do": "group", "nodes": [f"n{k}" for k in which], "label": "Props"})
    before, now = seen(scene), seen(grouped)
    for name in before:
        np.testing.assert_allclose(now[name], before[name], atol=1e-6)
    tops = grouped.below["props"]
    middle = np.mean([before[node.id][:3, 3] for node in tops], axis=0)
    np.testing.assert_allclose(now["props"][:3, 3], middle, atol=1e-6)
    again = edited(grouped, {"do": "ungroup", "nodes": ["props"]})
    assert "props" not in again.by_id
    for name, place in seen(again).items():
        np.testing.assert_allclose(place, before[name], atol=1e-6)
    if len({scene.by_id[node.id].parent for node in tops}) == 1:
        assert {node.id: node.parent for node in again.nodes} == {node.id: node.parent for node in scene.nodes}


def test_what_looks_straight_up_is_hung_elsewhere_too() -> None:
    """At the pole one of the three angles is free."""
    up = Node(id="up", label="Up", rotation=Rotation(x=90.0, y=20.0, z=10.0, order="yxz"))
    scene = Scene(name="Pole", nodes=(up, Node(id="arm", label="Arm", rotation=Rotation(y=30.0))))
    hung = edited(scene, {"do": "hang", "nodes": ["up"], "under": "arm"})
    np.testing.assert_allclose(seen(hung)["up"], seen(scene)["up"], atol=1e-6)


ROW = Scene(name="Row", nodes=tuple(Node(id=name, label=name.upper()) for name in "abcd"))


@pytest.mark.parametrize(
    ("moved", "before", "order"),
    [
        (["c"], "a", "CABD"),
        (["a"], None, "BCDA"),
        (["d", "b"], "a", "BDAC"),
        (["a", "b"], "b", "ABCD"),
        (["b"], "b", "ABCD"),
        (["b", "c"], "c", "ABCD"),
    ],
)
def test_objects_are_put_before_others_in_the_order_that_they_have(
    moved: list[str], before: str | None, order: str
) -> None:
    assert labels(edited(ROW, {"do": "hang", "nodes": moved, "before": before}), None) == list(order)


def test_several_hang_at_once_and_what_hangs_under_one_of_them_goes_with_it() -> None:
    scene = edited(ROW, {"do": "hang", "nodes": ["b"], "under": "a"})
    scene = edited(scene, {"do": "hang", "nodes": ["b", "a"], "under": "d"})
    assert (scene.by_id["a"].parent, scene.by_id["b"].parent) == ("d", "a")


def test_without_staying_an_object_keeps_its_numbers() -> None:
    scene = ROW.with_node(ROW.by_id["a"].replaced(position=Position(x=3.0)))
    moved = edited(scene, {"do": "hang", "nodes": ["b"], "under": "a", "stay": False})
    assert moved.by_id["b"].position == Position()
    kept = edited(scene, {"do": "hang", "nodes": ["b"], "under": "a"})
    assert kept.by_id["b"].position.x == -3.0


def test_what_moves_stays_at_the_frame_that_was_shown_and_moves_on_as_before() -> None:
    keys = Channel(keys=(Key(frame=0, value=0), Key(frame=20, value=4)))
    wave = Channel(value=1.0, layers=(Wave(kind="wave", id="w", label="W", amplitude=2.0, period=1.0),))
    scene = ROW.with_node(ROW.by_id["a"].replaced(position=Position(x=5.0)))
    scene = scene.with_node(scene.by_id["b"].replaced(position=Position(x=keys, y=wave)))
    after = edited(scene, {"do": "hang", "nodes": ["b"], "under": "a", "frame": 10})
    for frame in (0.0, 7.0, 10.0, 33.0):
        np.testing.assert_allclose(seen(after, frame)["b"], seen(scene, frame)["b"], atol=1e-9)


def test_what_would_have_to_be_sheared_is_refused_with_a_way_out() -> None:
    uneven = ROW.by_id["a"].replaced(scale=Scale(x=3.0), rotation=Rotation(z=30.0))
    scene = ROW.with_node(uneven)
    scene = scene.with_node(scene.by_id["b"].replaced(rotation=Rotation(z=20.0)))
    with pytest.raises(InvalidEdit, match="sheared"):
        edited(scene, {"do": "hang", "nodes": ["b"], "under": "a"})
    assert edited(scene, {"do": "hang", "nodes": ["b"], "under": "a", "stay": False}).by_id["b"].parent == "a"


@pytest.mark.parametrize(
    ("edit", "sentence"),
    [
        ({"do": "hang", "nodes": ["nobody"]}, "no object 'nobody'"),
        ({"do": "hang", "nodes": ["a"], "under": "b", "before": "c"}, "C does not hang there"),
        ({"do": "ungroup", "nodes": ["a"]}, "A is no group"),
        ({"do": "hang", "nodes": []}, "at least 1"),
    ],
)
def test_what_can_not_be_is_said(edit: dict[str, Any], sentence: str) -> None:
    with pytest.raises(LookupError if "nobody" in str(edit) else InvalidEdit, match=sentence):
        edited(ROW, edit)


def test_a_group_that_moves_is_not_let_go() -> None:
    scene = edited(
        ROW, {"do": "group", "nodes": ["a", "b"]}, {"do": "add-layer", "address": "group/position.x", "kind": "wave"}
    )
    with pytest.raises(InvalidEdit, match="would be lost"):
        edited(scene, {"do": "ungroup", "nodes": ["group"]})


def test_labels_stay_unique_beside_each_other_by_themselves() -> None:
    box = {"do": "add-object", "label": "Box", "shape": {"kind": "box"}}
    scene = edited(ROW, box, box, box)
    assert labels(scene, None)[-3:] == ["Box", "Box 2", "Box 3"]
    renamed = edited(scene, {"do": "change-object", "node": "a", "label": "Box 2"})
    assert renamed.by_id["a"].label == "Box 4"
    assert edited(scene, {"do": "change-object", "node": "box", "label": "Box"}).by_id["box"].label == "Box"
    under = edited(scene, {"do": "add-object", "label": "Box", "parent": "a"})
    assert labels(under, "a") == ["Box"]  # another one's, elsewhere, is no matter
    both = edited(
        under, {"do": "hang", "nodes": ["box-2"], "under": "a"}, {"do": "hang", "nodes": ["box"], "under": "a"}
    )
    assert labels(both, "a") == ["Box", "Box 2", "Box 3"]


def test_copies_have_names_of_their_own_and_a_group_if_it_is_wanted() -> None:
    step = {"do": "duplicate", "node": "a", "count": 3, "move": [2, 0, 0]}
    assert labels(edited(ROW, step), None) == ["A", "B", "C", "D", "A 2", "A 3", "A 4"]
    scene = edited(ROW, step | {"group": "As"})
    assert labels(scene, "as") == ["A", "A 2", "A 3"]
    assert [node.position.x for node in scene.below["as"]] == [2.0, 4.0, 6.0]


def test_several_are_copied_as_one_step_with_what_they_read_of_each_other() -> None:
    scene = edited(
        ROW,
        {"do": "hang", "nodes": ["c"], "under": "b"},
        {"do": "add-layer", "address": "d/position.y", "kind": "link", "settings": {"source": "a/position.y"}},
    )
    twice = {"do": "duplicate", "node": "a", "also": ["b", "c", "d"], "count": 2, "move": [0, 0, 1]}
    twins = edited(scene, twice)
    assert labels(twins, None) == ["A", "B", "D", "A 2", "B 2", "D 2", "A 3", "B 3", "D 3"]
    assert labels(twins, "b-2") == ["C"]  # with what holds it, once
    found = {node.label: node for node in twins.below[None]}
    assert [found[name].position.z for name in ("A 3", "B 3")] == [2.0, 2.0]
    read = [found[f"D {k}"].position.y for k in (2, 3)]
    links = [layer for number in read if isinstance(number, Channel) for layer in number.layers]
    assert [layer.source for layer in links if isinstance(layer, Link)] == ["a-2/position.y", "a-3/position.y"]
    # a group under each object that they hang under
    apart = edited(scene, {"do": "duplicate", "node": "a", "also": ["c"], "group": "Twins"})
    assert labels(apart, "twins") == ["A"]
    assert labels(apart, "twins-2") == ["C"]
    assert [node.parent for node in apart.nodes if node.label == "Twins"] == [None, "b"]
    with pytest.raises(UnknownAddress):
        edited(scene, {"do": "duplicate", "node": "a", "also": ["nobody"]})


def test_several_are_removed_as_one_step() -> None:
    scene = edited(ROW, {"do": "hang", "nodes": ["b"], "under": "a"})
    assert labels(edited(scene, {"do": "remove-object", "node": "a", "also": ["b", "c"]}), None) == ["D"]


def test_objects_of_the_same_label_are_told_apart_by_what_they_sit_under() -> None:
    scene = edited(
        Scene(name="Row"),
        *({"do": "add-object", "label": label} for label in ("Left", "Right")),
        {"do": "add-object", "label": "Lamp", "parent": "left"},
        {"do": "add-object", "label": "Lamp", "parent": "right"},
        {"do": "add-object", "label": "Shade", "parent": "lamp"},
    )
    assert scene.called == {
        "left": "Left", "right": "Right", "lamp": "Left / Lamp", "lamp-2": "Right / Lamp", "shade": "Shade",
    }  # fmt: skip
    assert title(scene, Address.parse("lamp-2/rotation.z")) == "Right / Lamp / rotation z"


def test_the_tree_has_every_object_once_after_the_one_it_sits_under() -> None:
    scene = station()
    places = {node.id: place for place, (node, _) in enumerate(scene.tree)}
    assert sorted(places) == sorted(node.id for node in scene.nodes)
    depths = {node.id: depth for node, depth in scene.tree}
    for node, depth in scene.tree:
        assert depth == len(list(scene.lineage(node))) - 1
        if node.parent is not None:
            between = scene.tree[places[node.parent] + 1 : places[node.id]]
            assert all(depths[other.id] > depths[node.parent] for other, _ in between)
    tops = [node.id for node, depth in scene.tree if depth == 0]
    assert tops == [node.id for node in scene.nodes if node.parent is None]
