"""Bakes as a whole: what comes out, what is kept, and taking it back."""

from __future__ import annotations

import numpy as np
import pytest

from lazzik.core.bake.baking import BakePlan, bake, bakeable
from lazzik.core.channel.channel import Channel
from lazzik.core.errors import InvalidEdit
from lazzik.core.evaluate.values import evaluate
from lazzik.core.scene.edits.bakes import TakeBack
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.serialize import read_scene, scene_text
from tests.conftest import edited

MAST = "beacon-mast/rotation.z"
RING = "ring-on-arrival"


def plan(scene: Scene, **fields: object) -> BakePlan:
    return BakePlan(scene.first, scene.last, **fields)  # type: ignore[arg-type]


def test_all_that_move_are_bakeable(demo: Scene) -> None:
    assert MAST in bakeable(demo)
    assert len(bakeable(demo)) == 43
    assert bakeable(bake(demo, bakeable(demo), plan(demo)).apply(demo)) == []


def test_a_baked_scene_moves_as_before_within_the_tolerances(demo: Scene) -> None:
    placed = bake(demo, bakeable(demo), plan(demo))
    baked = placed.apply(demo)
    before = evaluate(demo, bakeable(demo), demo.clock(4))
    after = evaluate(baked, bakeable(demo), demo.clock(4))
    for channel in placed.channels:
        error = np.abs(before[channel.address] - after[channel.address]).max()
        assert error <= 0.1
        assert channel.worst == pytest.approx(error, abs=1e-9)
    assert sum(len(channel.keys) for channel in placed.channels) < 2300


def test_each_frame_is_exact_on_frames(demo: Scene) -> None:
    baked = bake(demo, [MAST], plan(demo, method="each")).apply(demo)
    channel = baked.by_id["beacon-mast"].rotation.z
    assert isinstance(channel, Channel)
    assert [key.frame for key in channel.keys] == list(range(251))
    before, after = (evaluate(s, [MAST], demo.clock())[MAST] for s in (demo, baked))
    np.testing.assert_allclose(after, before, atol=1e-12)


def test_every_nth_frame_ends_on_the_last(demo: Scene) -> None:
    placed = bake(demo, [MAST], plan(demo, method="every", every=7))
    frames = [key.frame for key in placed.channels[0].keys]
    assert frames == [*range(0, 251, 7), 250]
    assert placed.channels[0].worst > 0


def test_part_of_the_range(demo: Scene) -> None:
    placed = bake(demo, [MAST], BakePlan(50, 90))
    assert (placed.channels[0].keys[0].frame, placed.channels[0].keys[-1].frame) == (50, 90)


def test_layers_are_kept_switched_off_and_the_receipt_says_so(demo: Scene) -> None:
    baked = bake(demo, [MAST], plan(demo)).apply(demo)
    channel = baked.by_id["beacon-mast"].rotation.z
    assert isinstance(channel, Channel)
    assert [(layer.id, layer.muted) for layer in channel.layers] == [("gust", True), ("tremble", True), (RING, True)]
    (receipt,) = baked.receipts
    assert (receipt.method, receipt.first, receipt.last) == ("fitted", 0, 250)
    assert (receipt.lines[0].keys, receipt.lines[0].switched_off) == (len(channel.keys), ("gust", "tremble", RING))
    assert read_scene(scene_text(baked)) == baked


def test_a_bake_taken_back_leaves_everything_as_before(demo: Scene) -> None:
    baked = bake(demo, bakeable(demo), plan(demo)).apply(demo)
    moved = edited(baked, {"do": "move-keys", "address": MAST, "frames": [0], "rise": 4})
    assert evaluate(moved, [MAST], demo.clock())[MAST][0] == pytest.approx(4, abs=0.2)
    assert TakeBack(receipt=moved.receipts[0].id).apply(moved) == demo


def test_a_solo_layer_bakes_as_it_sounds_and_comes_back(demo: Scene) -> None:
    solo = edited(demo, {"do": "change-layer", "address": f"{MAST}#gust", "solo": True})
    baked = bake(solo, [MAST], plan(solo)).apply(solo)
    before, after = (evaluate(s, [MAST], solo.clock())[MAST] for s in (solo, baked))
    assert np.abs(before - after).max() <= 0.1
    assert TakeBack(receipt=baked.receipts[0].id).apply(baked) == solo


def test_layers_added_after_a_bake_ride_on_it_and_stay(demo: Scene) -> None:
    baked = bake(demo, [MAST], plan(demo)).apply(demo)
    ridden = edited(baked, {"do": "add-layer", "address": MAST, "kind": "noise", "label": "More"})
    back = TakeBack(receipt=ridden.receipts[0].id).apply(ridden)
    channel = back.by_id["beacon-mast"].rotation.z
    assert isinstance(channel, Channel)
    assert [(layer.id, layer.muted) for layer in channel.layers] == [
        ("gust", False),
        ("tremble", False),
        (RING, False),
        ("more", False),
    ]


def test_bakes_of_one_channel_come_back_newest_first(demo: Scene) -> None:
    once = bake(demo, [MAST], plan(demo)).apply(demo)
    more = edited(once, {"do": "add-layer", "address": MAST, "kind": "noise"})
    twice = bake(more, [MAST], plan(more, method="each")).apply(more)
    with pytest.raises(InvalidEdit, match="take the newer bake back first"):
        TakeBack(receipt=twice.receipts[0].id).apply(twice)
    assert TakeBack(receipt=twice.receipts[1].id).apply(twice) == more


def test_removing_an_object_takes_its_lines_off_the_receipts(demo: Scene) -> None:
    baked = bake(demo, bakeable(demo), plan(demo)).apply(demo)
    without = edited(baked, {"do": "remove-object", "node": "mast"})
    assert all(not line.address.startswith("beacon-mast") for line in without.receipts[0].lines)
    back = TakeBack(receipt=without.receipts[0].id).apply(without)
    assert back == edited(demo, {"do": "remove-object", "node": "mast"})


@pytest.mark.parametrize(
    ("fields", "sentence"),
    [
        ({"first": 9, "last": 9}, "must end after it begins"),
        ({"first": 0, "last": 30_000}, "at most 20000 frames"),
        ({"first": 0, "last": 9, "method": "every", "every": 0}, "does not fit the range"),
        ({"first": 0, "last": 9, "tolerances": {"m": 0.0}}, "must lie above zero"),
    ],
)
def test_plans_that_can_not_be(fields: dict[str, object], sentence: str) -> None:
    with pytest.raises(InvalidEdit, match=sentence):
        BakePlan(**fields)  # type: ignore[arg-type]


def test_nothing_chosen_is_said(post: Scene) -> None:
    with pytest.raises(InvalidEdit, match="Nothing is chosen"):
        bake(post, bakeable(post), plan(post))
