"""Baking again: what is stale is known, hand edits live on as offsets, and conflicts are found."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import example, given

from lazzik.core.bake.baking import BakePlan, bake, bakeable, sampled
from lazzik.core.bake.rebake import bake_again, placed_again, stale
from lazzik.core.channel.channel import Channel
from lazzik.core.channel.curve_arithmetic import added, difference
from lazzik.core.channel.keys import Key, curve_through
from lazzik.core.errors import InvalidEdit, UnknownAddress
from lazzik.core.evaluate.values import evaluate
from lazzik.core.fitting.fitting import extremes_of, fit
from lazzik.core.scene.address import exists
from lazzik.core.scene.scene import Scene
from tests.conftest import edited, turned
from tests.strategies import keys

MAST = "beacon-mast/rotation.z"
FPS = 30.0


def keys_of(scene: Scene) -> tuple[Key, ...]:
    channel = scene.by_id["beacon-mast"].rotation.z
    assert isinstance(channel, Channel)
    return channel.keys


@pytest.fixture
def baked(demo: Scene) -> Scene:
    return bake(demo, [MAST, "pine-1/rotation.z"], BakePlan(0, 250)).apply(demo)


def again(scene: Scene, **decisions: str) -> Scene:
    redone = bake_again(scene, "bake-1")
    return placed_again(scene, "bake-1", redone, {MAST: decisions["mast"]} if decisions else {}).apply(scene)  # type: ignore[dict-item]


def test_a_bake_is_stale_once_its_source_moves_and_no_sooner(baked: Scene) -> None:
    assert stale(baked, baked.receipts[0]) == {}
    moved = edited(baked, {"do": "move-keys", "address": MAST, "frames": [0], "rise": 4})
    assert stale(moved, moved.receipts[0]) == {}
    stronger = edited(baked, {"do": "set", "address": f"{MAST}#tremble.amplitude", "value": 3})
    assert list(stale(stronger, stronger.receipts[0])) == [MAST]
    stormy = edited(baked, {"do": "set", "address": "ridge-wind/field.speed", "value": 9})
    assert "pine-1/rotation.z" in stale(stormy, stormy.receipts[0])
    riding = edited(baked, {"do": "add-layer", "address": MAST, "kind": "noise"})
    assert stale(riding, riding.receipts[0]) == {}


def test_what_one_bake_rounds_off_is_no_change_of_what_reads_it_but_an_edit_is(demo: Scene) -> None:
    everything = bake(demo, bakeable(demo), BakePlan(0, 250)).apply(demo)
    assert stale(everything, everything.receipts[0]) == {}
    key = keys_of(everything)[len(keys_of(everything)) // 2]
    by_hand = edited(everything, {"do": "move-keys", "address": MAST, "frames": [key.frame], "rise": 5})
    plates = [f"guy-plate-{n}/deform.wring.angle" for n in (1, 2, 3, 4)]
    # the ribbon hangs from the mast: it feels the air elsewhere
    riders = {address for address in plates if exists(demo, address)} | {"ribbon/deform.stream.height"}
    assert set(stale(by_hand, by_hand.receipts[0])) == riders
    second = placed_again(by_hand, "bake-1", bake_again(by_hand, "bake-1"), {}).apply(by_hand)
    assert stale(second, second.receipts[0]) == {}
    # the plates wring by thrice what the mast sways
    clock = demo.clock(4)
    before, after = evaluate(everything, [MAST, plates[0]], clock), evaluate(second, [MAST, plates[0]], clock)
    lift = [after[address] - before[address] for address in (MAST, plates[0])]
    np.testing.assert_allclose(lift[1], lift[0] * (before[plates[0]].max() / before[MAST].max()), atol=0.8)
    assert lift[0].max() == pytest.approx(5, abs=0.01)


def test_without_edits_by_hand_it_is_the_new_bake(baked: Scene, demo: Scene) -> None:
    change = {"do": "set", "address": f"{MAST}#tremble.amplitude", "value": 3}
    second = again(edited(baked, change))
    fresh = bake(edited(demo, change), [MAST], BakePlan(0, 250)).apply(edited(demo, change))
    assert keys_of(second) == keys_of(fresh)
    assert stale(second, second.receipts[0]) == {}
    assert all(layer.muted for layer in second.by_id["beacon-mast"].rotation.z.layers)  # type: ignore[union-attr]


def test_a_key_moved_by_hand_lives_on_as_the_offset_that_it_was(baked: Scene) -> None:
    key = keys_of(baked)[len(keys_of(baked)) // 2]
    by_hand = edited(baked, {"do": "move-keys", "address": MAST, "frames": [key.frame], "rise": 5})
    clock = baked.clock(8)
    offset = evaluate(by_hand, [MAST], clock)[MAST] - evaluate(baked, [MAST], clock)[MAST]
    assert offset.max() == pytest.approx(5, abs=0.01)
    changed = edited(by_hand, {"do": "set", "address": f"{MAST}#gust.amplitude", "value": 9})
    redone = next(item for item in bake_again(changed, "bake-1") if item.address == MAST)
    assert redone.edited == 1
    second = again(changed)
    bare = again(edited(baked, {"do": "set", "address": f"{MAST}#gust.amplitude", "value": 9}))
    carried = evaluate(second, [MAST], clock)[MAST] - evaluate(bare, [MAST], clock)[MAST]
    np.testing.assert_allclose(carried, offset, atol=1e-9)
    third = again(edited(second, {"do": "set", "address": f"{MAST}#gust.amplitude", "value": 4}))
    back = again(edited(baked, {"do": "set", "address": f"{MAST}#gust.amplitude", "value": 4}))
    carried = evaluate(third, [MAST], clock)[MAST] - evaluate(back, [MAST], clock)[MAST]
    np.testing.assert_allclose(carried, offset, atol=1e-8)
    assert len(keys_of(second)) <= len(keys_of(bare)) + 6


def test_what_changed_its_shape_about_an_edit_is_a_conflict_and_can_be_decided(baked: Scene) -> None:
    key = keys_of(baked)[len(keys_of(baked)) // 2]
    by_hand = edited(baked, {"do": "move-keys", "address": MAST, "frames": [key.frame], "rise": 5})
    lifted = edited(by_hand, {"do": "set", "address": f"{MAST}#tremble.amplitude", "value": 1.01})
    mast = next(item for item in bake_again(lifted, "bake-1") if item.address == MAST)
    assert (mast.edited, mast.conflicts) == (1, ())
    shaken = edited(by_hand, {"do": "set", "address": f"{MAST}#gust.seed", "value": 77})
    mast = next(item for item in bake_again(shaken, "bake-1") if item.address == MAST)
    ((first, last),) = mast.conflicts
    assert first < key.frame < last
    assert keys_of(again(shaken, mast="mine")) == keys_of(by_hand)
    assert keys_of(again(shaken, mast="fresh")) == mast.baked
    assert keys_of(again(shaken, mast="carry")) == mast.carried


def test_taking_back_after_baking_again_still_leads_to_the_source(baked: Scene, demo: Scene) -> None:
    second = again(edited(baked, {"do": "set", "address": f"{MAST}#tremble.amplitude", "value": 2}))
    back = edited(second, {"do": "take-back", "receipt": "bake-1"})
    assert back == edited(demo, {"do": "set", "address": f"{MAST}#tremble.amplitude", "value": 2})
    with pytest.raises(UnknownAddress, match="no receipt 'bake-9'"):
        bake_again(baked, "bake-9")
    twice = bake(edited(baked, {"do": "add-layer", "address": MAST, "kind": "noise"}), [MAST], BakePlan(0, 250))
    later = twice.apply(edited(baked, {"do": "add-layer", "address": MAST, "kind": "noise"}))
    with pytest.raises(InvalidEdit, match="take the newer bake back first"):
        again(later)


def test_a_step_put_among_baked_keys_is_carried_by_sampling(baked: Scene) -> None:
    put = {"do": "put-key", "address": MAST, "frame": 100, "value": 20, "go": "step"}
    by_hand = edited(baked, put)
    second = again(edited(by_hand, {"do": "set", "address": f"{MAST}#gust.amplitude", "value": 8}))
    frame = second.clock().at(np.array([100.5]))
    before, after = (evaluate(s, [MAST], frame)[MAST][0] for s in (by_hand, second))
    assert after == pytest.approx(before, abs=3)


STRAIGHT = (Key(frame=0.0, value=0.0), Key(frame=1.0, value=0.0, go="linear"), Key(frame=2.0, value=1.0))
"""A straight stretch that begins where a difference ends."""


@given(keys().filter(bool), keys().filter(bool), keys().filter(bool))
@example(STRAIGHT, (Key(frame=0.0, value=0.0),), (Key(frame=0.0, value=0.0), Key(frame=1.0, value=0.0, slope_in=1.0)))
def test_adding_a_difference_gives_the_sum_of_the_curves(
    base: tuple[Key, ...], one: tuple[Key, ...], other: tuple[Key, ...]
) -> None:
    offset = difference(one, other, FPS)
    total = added(base, offset, FPS)
    if total is None:
        assert any(key.go == "step" for key in (*base, *one, *other))
        return
    x = np.linspace(-30, 150, 1333)
    wanted = curve_through(base, FPS).at(x, FPS) + curve_through(one, FPS).at(x, FPS)
    np.testing.assert_allclose(curve_through(total, FPS).at(x, FPS), wanted - curve_through(other, FPS).at(x, FPS),
                               atol=1e-7)  # fmt: skip


def test_a_slope_before_the_first_key_does_not_wake_up_when_keys_come_before_it() -> None:
    base = (Key(frame=5, value=0, slope_in=1.0), Key(frame=6, value=0))
    one = (Key(frame=0, value=0), Key(frame=1, value=2), Key(frame=2, value=0))
    total = added(base, difference(one, (Key(frame=0, value=0),), FPS), FPS)
    assert total is not None
    x = np.linspace(2, 7, 101)
    np.testing.assert_allclose(curve_through(total, FPS).at(x, FPS), 0.0, atol=1e-12)


@given(keys().filter(bool))
def test_a_difference_of_nothing_leaves_all_keys_as_they_are(base: tuple[Key, ...]) -> None:
    offset = difference(base, base, FPS)
    assert offset.regions == ()
    assert added(base, offset, FPS) == base


def test_extremes_get_level_keys_with_the_exact_value() -> None:
    x = np.arange(0, 1001) / 4
    y = 8 * np.sin(x / 11) + 0.02 * np.sin(x * 2)
    fitted = fit(y, 0, FPS, 0.1, extremes=True)
    places = [place for place in extremes_of(y, 0.1) if 0 < place < 1000]
    assert len(places) == 7
    for place in places:
        key = next(key for key in fitted if key.frame == place / 4)
        assert (key.value, key.slope_in, key.slope_out) == (y[place], 0.0, 0.0)
    assert np.abs(curve_through(fitted, FPS).at(x, FPS) - y).max() <= 0.1
    assert len(fitted) <= 3 * len(fit(y, 0, FPS, 0.1))


def test_jumps_between_sampled_frames_stay_jumps_if_asked() -> None:
    held = turned(Channel(keys=(Key(frame=0, value=0, go="step"), Key(frame=13, value=5, go="step"),
                                Key(frame=33, value=-2))), last=40)  # fmt: skip
    noise = edited(held, {"do": "add-layer", "address": "post/rotation.z", "kind": "noise"},
                   {"do": "set", "address": "post/rotation.z#noise.weight", "value": 0})  # fmt: skip
    kept = bake(noise, ["post/rotation.z"], BakePlan(0, 40, "every", 10)).channels[0]
    assert kept.worst == pytest.approx(0)
    assert [key.frame for key in kept.keys] == [0, 10, 13, 20, 30, 33, 40]
    lost = bake(noise, ["post/rotation.z"], BakePlan(0, 40, "every", 10, steps=False)).channels[0]
    assert lost.worst > 2
    ramp = np.where(np.arange(81) < 33, np.arange(81) * 0.1, 9.0)
    assert [key.frame for key in sampled(ramp, 0, 10, jumps=[32])] == [0, 8, 8.25, 10, 20]
