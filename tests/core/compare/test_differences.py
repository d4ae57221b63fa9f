"""Differences are complete: whatever two scenes are, taking all of them over makes one the other."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given

from lazzik.core.channel.channel import Channel
from lazzik.core.channel.keys import Key
from lazzik.core.compare.sharing import sharing
from lazzik.core.scene.differences import ABSENT, differences, with_differences
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.serialize import read_scene, scene_text
from tests.conftest import edited, turned
from tests.core.compare.edits import MAST, STEPS, journeys, scene_after
from tests.strategies import channels


@given(journeys, journeys)
def test_all_differences_taken_over_make_the_documents_equal(part: Scene, one: Any, other: Any) -> None:
    before, after = scene_after(part, one), scene_after(part, other)
    assert with_differences(before, differences(before, after)) == after
    assert with_differences(after, differences(after, before)) == before
    assert differences(after, with_differences(before, differences(before, after))) == []


@given(channels(nested=True), channels(nested=True))
def test_numbers_of_every_sort_differ_completely(one: Channel, other: Channel) -> None:
    for a, b in ((one, other), (one, 3.0), (3.0, other), (Channel(value=3.0), other), (one, Channel(value=3.0))):
        before, after = turned(a), turned(b)
        assert with_differences(before, differences(before, after)) == after


@pytest.mark.parametrize("step", STEPS, ids=[f"{i}-{step['do']}" for i, step in enumerate(STEPS)])
def test_every_step_makes_a_difference_by_itself_or_after_others(part: Scene, step: dict[str, Any]) -> None:
    earlier = [other for other in STEPS if other["do"] in ("save-recipe", "add-dial", "add-mark")]
    before = scene_after(part, [other for other in earlier if other is not step])
    after = edited(before, step)
    found = differences(before, after)
    assert found
    assert with_differences(before, found) == after


def test_a_difference_is_as_small_as_what_was_changed(demo: Scene) -> None:
    (found,) = differences(demo, edited(demo, {"do": "set", "address": f"{MAST}#gust.amplitude", "value": 3}))
    assert found.key == "nodes/beacon-mast/rotation/z/layers/gust/amplitude"
    assert (found.before, found.after) == (4.8, 3.0)
    (found,) = differences(demo, edited(demo, {"do": "add-layer", "address": MAST, "kind": "wave"}))
    assert (found.path[-2:], found.before, found.after.kind) == (("layers", "wave"), ABSENT, "wave")
    (found,) = differences(demo, edited(demo, {"do": "change-scene", "first": 3, "last": 33, "name": "Ridge station"}))[
        :1
    ]
    assert (found.key, found.after) == ("@range", (3, 33))


def test_some_taken_over_leaves_the_rest_as_it_is(demo: Scene) -> None:
    after = scene_after(demo, STEPS)
    found = differences(demo, after)
    for row in found:
        if row.path[:3] == ("nodes", "sign", "rotation"):
            made = with_differences(demo, [row])
            left = {other.key for other in differences(made, after)}
            assert left == {other.key for other in found} - {row.key}


def test_rows_come_where_they_stand_among_those_that_are_there(demo: Scene) -> None:
    def stack(scene: Scene) -> list[str]:
        number = scene.by_id["beacon-mast"].rotation.z
        assert isinstance(number, Channel)
        return [layer.id for layer in number.layers]

    add = {"do": "add-layer", "address": MAST, "kind": "wave"}
    after = edited(
        demo, {**add, "label": "One"}, {**add, "label": "Two"}, {"do": "move-layer", "address": f"{MAST}#two", "to": 0}
    )
    two = [row for row in differences(demo, after) if row.path[-1] == "two"]
    assert stack(with_differences(demo, two)) == ["two", *stack(demo)]
    turned_round = demo
    for slug in stack(demo):
        turned_round = edited(turned_round, {"do": "move-layer", "address": f"{MAST}#{slug}", "to": 0})
    with_one = edited(demo, {**add, "label": "One"})
    order = differences(
        with_one,
        edited(with_one, *({"do": "move-layer", "address": f"{MAST}#{slug}", "to": 0} for slug in stack(demo))),
    )
    assert stack(with_differences(with_one, order)) == [*stack(turned_round), "one"]


def test_scenes_that_were_read_apart_share_what_is_the_same(demo: Scene) -> None:
    after = edited(demo, {"do": "set", "address": f"{MAST}#gust.amplitude", "value": 3})
    again = sharing(read_scene(scene_text(after)), demo)
    assert again == after
    others = [node.id for node in again.nodes if node is not demo.by_id[node.id]]
    assert others == ["beacon-mast"]
    mast, was = again.by_id["beacon-mast"], demo.by_id["beacon-mast"]
    assert mast.position is was.position
    assert isinstance(mast.rotation.z, Channel)
    assert isinstance(was.rotation.z, Channel)
    assert [a is b for a, b in zip(mast.rotation.z.layers, was.rotation.z.layers, strict=True)].count(False) == 1
    assert sharing(read_scene(scene_text(demo)), demo).nodes is demo.nodes


def test_keys_are_one_difference_with_all_that_belongs_to_them() -> None:
    keys = (Key(frame=0, value=1), Key(frame=9, value=2))
    before, after = turned(1.0), turned(Channel(keys=keys, after="repeat"))
    (found,) = differences(before, after)
    assert (found.before.value, found.after.keys, found.after.after) == (1.0, keys, "repeat")
