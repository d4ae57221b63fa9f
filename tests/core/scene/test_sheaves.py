"""Sheaves: one window, weight, mute, solo and loop for layers on several numbers."""

from __future__ import annotations

import time
from typing import Any

import numpy as np
import pytest
from numpy.typing import NDArray

from lazzik.core.bake.baking import BakePlan, bake
from lazzik.core.channel.channel import Channel
from lazzik.core.clock import Clock
from lazzik.core.diagnose.number import why
from lazzik.core.errors import InvalidEdit
from lazzik.core.evaluate.memo import Memo
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.values import evaluate
from lazzik.core.layers.noise import Noise
from lazzik.core.scene.address import Address, find, find_layer
from lazzik.core.scene.edits.stacks import used_sheaves
from lazzik.core.scene.node import Camera, Node, Rotation
from lazzik.core.scene.references import affected
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.serialize import read_scene, scene_text
from lazzik.core.scene.visit import members
from tests.conftest import edited

Values = NDArray[np.float64]
HAND = [f"lens/{part}.{axis}" for part in ("position", "rotation") for axis in "xyz"]


@pytest.fixture(scope="module")
def shaky() -> Scene:
    """A camera whose six numbers got noise in one go, and a lamp that stands beside."""
    scene = Scene(
        name="Shaky", last=120, nodes=(Node(id="lens", label="Lens", camera=Camera()), Node(id="lamp", label="Lamp")),
    )  # fmt: skip
    noise = {"do": "add-layer", "address": HAND[0], "kind": "noise", "label": "Unsteady hand"}
    return edited(scene, {"do": "together", "channels": HAND, "edits": [noise]})


def on(scene: Scene, *addresses: str, clock: Clock | None = None, memo: Memo | None = None) -> Values:
    rows = evaluate(scene, list(addresses), clock or scene.clock(2), memo)
    return np.array([rows[address] for address in addresses])


def at(scene: Scene, frames: Values) -> Values:
    return on(scene, *HAND, clock=scene.clock().at(frames))


def smoothstep(u: Values) -> Values:
    u = np.clip(u, 0, 1)
    return np.asarray(u * u * (3 - 2 * u))


def test_layers_put_on_several_numbers_are_one_sheaf_each_with_its_own_pattern(shaky: Scene) -> None:
    (sheaf,) = shaky.sheaves
    assert (sheaf.id, sheaf.label) == ("unsteady_hand", "Unsteady hand")
    assert list(members(shaky, sheaf.id)) == [f"{address}#unsteady-hand" for address in HAND]
    rows = on(shaky, *HAND)
    assert np.ptp(rows, axis=1).min() > 0.1
    shapes = rows / np.ptp(rows, axis=1, keepdims=True)
    for i in range(6):
        for k in range(i):
            assert np.abs(shapes[i] - shapes[k]).max() > 0.2
    one = edited(shaky, {"do": "together", "channels": ["lamp/rotation.z"], "edits": [
        {"do": "add-layer", "address": "lamp/rotation.z", "kind": "wave"}]})  # fmt: skip
    assert len(one.sheaves) == 1  # on a single number there is nothing to hold together


def test_window_weight_and_loop_are_read_from_one_place(shaky: Scene) -> None:
    base = on(shaky, *HAND)
    frames = shaky.clock(2).frames
    trimmed = edited(
        shaky,
        {"do": "change-sheaf", "sheaf": "unsteady_hand", "start": 20, "end": 90, "fade_in": 10, "fade_out": 30},
        {"do": "put-key", "address": "sheaves/unsteady_hand", "frame": 0, "value": 0.5},
        {"do": "put-key", "address": "sheaves/unsteady_hand", "frame": 120, "value": 1.5},
        {"do": "set", "address": f"{HAND[3]}#unsteady-hand.weight", "value": 0.25},
    )
    window = smoothstep((frames - 20) / 10) * smoothstep((90 - frames) / 30)
    window *= (frames >= 20) & (frames <= 90)
    weight = on(trimmed, "sheaves/unsteady_hand")[0]
    assert (weight[0], weight[-1]) == (0.5, 1.5)
    own = np.array([1, 1, 1, 0.25, 1, 1])[:, None]
    np.testing.assert_allclose(on(trimmed, *HAND), base * window * weight * own, atol=1e-9)
    looped = edited(shaky, {"do": "change-sheaf", "sheaf": "unsteady_hand", "fit": True})
    assert looped.sheaves[0].loop == 120
    ends = on(looped, *HAND, clock=looped.clock().at(np.array([0.0, 120.0])))
    np.testing.assert_allclose(ends[:, 0], ends[:, 1], atol=1e-9)
    longer = edited(looped, {"do": "change-scene", "last": 200})
    assert longer.sheaves[0].loop == 200
    through = edited(looped, {"do": "loop"})
    assert through.sheaves[0].loop is None


def test_a_members_window_and_loop_are_changed_for_all_and_its_mute_for_itself(shaky: Scene) -> None:
    one = f"{HAND[2]}#unsteady-hand"
    trimmed = edited(shaky, {"do": "change-layer", "address": one, "start": 30, "fade_in": 5, "loop": 60})
    assert (trimmed.sheaves[0].window.start, trimmed.sheaves[0].window.fade_in, trimmed.sheaves[0].loop) == (30, 5, 60)
    assert find_layer(trimmed, Address.parse(one)).window.open
    assert not on(trimmed, *HAND, clock=trimmed.clock().at(np.array([10.0]))).any()
    quiet = on(edited(shaky, {"do": "change-layer", "address": one, "muted": True}), *HAND)
    assert not quiet[2].any()
    assert np.ptp(quiet[[0, 1, 3, 4, 5]], axis=1).min() > 0.1


def test_mute_and_solo_reach_its_own_numbers_alone(shaky: Scene) -> None:
    wave = {"do": "add-layer", "kind": "wave"}
    scene = edited(shaky, wave | {"address": HAND[4]}, wave | {"address": "lamp/rotation.z"})
    both, rows = [HAND[4], "lamp/rotation.z"], [*HAND, "lamp/rotation.z"]
    muted = edited(scene, {"do": "change-sheaf", "sheaf": "unsteady_hand", "muted": True})
    silent = on(muted, *rows)
    assert not silent[[0, 1, 2, 3, 5]].any()
    assert np.ptp(silent[[4, 6]], axis=1).min() > 1
    solo = edited(scene, {"do": "change-sheaf", "sheaf": "unsteady_hand", "solo": True})
    np.testing.assert_array_equal(on(solo, HAND[4]), on(shaky, HAND[4]))  # the wave is silenced there
    np.testing.assert_array_equal(on(solo, "lamp/rotation.z"), on(scene, "lamp/rotation.z"))
    said = {reason.code: reason for reason in why(solo, Address.parse(f"{HAND[4]}#wave"), Scope(solo))}
    assert (
        edited(
            solo, *(edit.model_dump(exclude_unset=True) | {"do": edit.do} for edit in said["silenced"].edits)
        ).sheaves
        == scene.sheaves
    )
    (reason,) = why(muted, Address.parse(f"{both[0]}#unsteady-hand"), Scope(muted))
    assert (reason.code, reason.values["name"]) == ("muted", "Unsteady hand")
    weightless = edited(scene, {"do": "set", "address": "sheaves/unsteady_hand", "value": 0})
    codes = [reason.code for reason in why(weightless, Address.parse(f"{both[0]}#unsteady-hand"), Scope(weightless))]
    assert "weightless" in codes


def test_a_block_takes_the_motion_along_or_the_window_alone(shaky: Scene) -> None:
    address = f"{HAND[5]}#unsteady-hand"
    scene = edited(
        shaky,
        {"do": "change-sheaf", "sheaf": "unsteady_hand", "start": 20, "end": 60, "fade_in": 10},
        {"do": "put-key", "address": f"{address}.amplitude", "frame": 20, "value": 2},
        {"do": "put-key", "address": f"{address}.amplitude", "frame": 50, "value": 9},
        {"do": "switch-layer", "address": f"{HAND[1]}#unsteady-hand", "kind": "wave"},
        {"do": "switch-layer", "address": f"{HAND[2]}#unsteady-hand", "kind": "travel"},
        {"do": "set", "address": f"{HAND[2]}#unsteady-hand.start", "value": 25},
        {"do": "put-key", "address": "sheaves/unsteady_hand", "frame": 30, "value": 0.2},
        {"do": "put-key", "address": "sheaves/unsteady_hand", "frame": 45, "value": 1},
    )
    later = edited(scene, {"do": "move-sheaf", "sheaf": "unsteady_hand", "by": 25})
    frames = np.arange(20.0, 61.0, 0.5)
    np.testing.assert_allclose(
        on(later, *HAND, clock=later.clock().at(frames + 25)),
        on(scene, *HAND, clock=scene.clock().at(frames)),
        atol=1e-9,
    )
    for loop in (120, 40):
        looped = edited(scene, {"do": "change-sheaf", "sheaf": "unsteady_hand", "loop": loop})
        later = edited(looped, {"do": "move-sheaf", "sheaf": "unsteady_hand", "by": 25})
        assert later.sheaves[0].loop == loop
        np.testing.assert_allclose(at(later, frames + 25)[:2], at(looped, frames)[:2], atol=1e-9)
    alone = edited(scene, {"do": "move-sheaf", "sheaf": "unsteady_hand", "by": 25, "alone": True})
    inside = np.arange(55.0, 60.0)  # open in both, past the fades
    np.testing.assert_allclose(at(alone, inside), at(scene, inside), atol=1e-9)
    assert alone.nodes == scene.nodes


def test_numbers_join_and_leave_and_nothing_moves_by_leaving(shaky: Scene) -> None:
    scene = edited(
        shaky,
        {"do": "change-sheaf", "sheaf": "unsteady_hand", "start": 20, "fade_in": 10, "loop": 60},
        {"do": "set", "address": f"{HAND[0]}#unsteady-hand.weight", "value": 0.5},
        {"do": "put-key", "address": "sheaves/unsteady_hand", "frame": 0, "value": 0.5},
        {"do": "put-key", "address": "sheaves/unsteady_hand", "frame": 100, "value": 2},
    )
    joined = edited(scene, {"do": "join-sheaf", "sheaf": "unsteady_hand", "addresses": ["lamp/rotation.z"]})
    new, old = (find_layer(joined, Address.parse(f"{at}#unsteady-hand")) for at in ("lamp/rotation.z", HAND[0]))
    assert isinstance(new, Noise)
    assert isinstance(old, Noise)
    assert new.seed != old.seed
    assert not on(joined, "lamp/rotation.z", clock=joined.clock().at(np.array([19.0]))).any()
    assert np.abs(on(joined, "lamp/rotation.z")).max() > 1
    left = edited(
        joined, {"do": "leave-sheaf", "addresses": [f"{HAND[0]}#unsteady-hand", "lamp/rotation.z#unsteady-hand"]}
    )
    assert len(members(left, "unsteady_hand")) == 5
    np.testing.assert_allclose(on(left, *HAND, "lamp/rotation.z"), on(joined, *HAND, "lamp/rotation.z"), atol=1e-12)
    parted = edited(joined, {"do": "part-sheaf", "sheaf": "unsteady_hand"})
    assert parted.sheaves == ()
    np.testing.assert_allclose(on(parted, *HAND, "lamp/rotation.z"), on(joined, *HAND, "lamp/rotation.z"), atol=1e-12)
    both = edited(joined, {"do": "add-layer", "address": f"{HAND[1]}#unsteady-hand.weight", "kind": "wave"})
    with pytest.raises(InvalidEdit, match="both change over time, and can't be made one number"):
        edited(both, {"do": "part-sheaf", "sheaf": "unsteady_hand"})
    gone = edited(joined, {"do": "part-sheaf", "sheaf": "unsteady_hand", "layers": "go"})
    assert not on(gone, *HAND, "lamp/rotation.z").any()
    assert gone.sheaves == ()
    emptied = edited(shaky, *({"do": "remove-layer", "address": f"{at}#unsteady-hand"} for at in HAND))
    assert emptied.sheaves == ()
    assert edited(shaky, {"do": "remove-object", "node": "lens"}).sheaves == ()
    again = edited(
        parted, {"do": "gather-sheaf", "addresses": [f"{at}#unsteady-hand" for at in HAND[:3]], "label": "Walk"}
    )
    assert (again.sheaves[0].label, again.sheaves[0].window.start) == ("Walk", 20)


def test_it_is_copied_within_and_to_another_scene(shaky: Scene) -> None:
    scene = edited(shaky, {"do": "change-sheaf", "sheaf": "unsteady_hand", "start": 20})
    layers = find(scene, Address.parse(HAND[0])).channel.layers
    rows = [layer.model_dump(mode="json") for layer in layers]
    paste = {"do": "put-layers", "address": "lamp/rotation.x", "layers": rows}
    here = edited(scene, paste)
    assert "lamp/rotation.x#unsteady-hand" in members(here, "unsteady_hand")
    twin = edited(scene, {"do": "duplicate", "node": "lens"})
    assert len(members(twin, "unsteady_hand")) == 12
    sheaves = [sheaf.model_dump(mode="json") for sheaf in used_sheaves(scene, layers)]
    other = Scene(name="Other", last=90, nodes=(Node(id="lamp", label="Lamp"),))
    brought = edited(other, paste | {"sheaves": sheaves}, paste | {"address": "lamp/rotation.y", "sheaves": sheaves})
    assert brought.sheaves == scene.sheaves
    assert len(members(brought, "unsteady_hand")) == 2
    assert edited(other, paste).sheaves == ()
    assert find(edited(other, paste), Address.parse("lamp/rotation.x")).channel.layers[0].sheaf is None
    noise = {"do": "add-layer", "address": "lamp/rotation.y", "kind": "noise", "label": "Unsteady hand"}
    taken = edited(
        other, {"do": "together", "channels": ["lamp/rotation.y", "lamp/rotation.z"], "edits": [noise]},
        {"do": "change-sheaf", "sheaf": "unsteady_hand", "label": "Mine"}, paste | {"sheaves": sheaves},
    )  # fmt: skip
    assert [(sheaf.id, sheaf.label) for sheaf in taken.sheaves] == [
        ("unsteady_hand", "Mine"), ("unsteady_hand_2", "Unsteady hand"),
    ]  # fmt: skip


def test_recipes_take_what_the_sheaf_says_and_the_use_stays_in_it(shaky: Scene) -> None:
    scene = edited(shaky, {"do": "change-sheaf", "sheaf": "unsteady_hand", "start": 20, "end": 80, "fade_out": 9})
    saved = edited(scene, {"do": "save-recipe", "address": HAND[0], "label": "Hand"})
    (use,) = find(saved, Address.parse(HAND[0])).channel.layers
    assert use.sheaf == "unsteady_hand"
    assert saved.recipes[0].stack.layers[0].sheaf is None
    np.testing.assert_allclose(on(saved, HAND[0]), on(scene, HAND[0]), atol=1e-9)


def test_it_is_kept_as_a_recipe_that_moves_the_same_and_makes_a_sheaf_elsewhere(shaky: Scene) -> None:
    scene = edited(shaky, {"do": "change-sheaf", "sheaf": "unsteady_hand", "start": 20, "end": 80, "fade_out": 9})
    kept = edited(scene, {"do": "keep-sheaf", "sheaf": "unsteady_hand"})
    (recipe,) = kept.recipes
    assert (recipe.label, recipe.stack.layers[0].sheaf) == ("Unsteady hand", None)
    assert members(kept, "unsteady_hand") == members(scene, "unsteady_hand")
    np.testing.assert_allclose(on(kept, *HAND), on(scene, *HAND), rtol=1e-5, atol=1e-6)
    lamps = ["lamp/rotation.x", "lamp/rotation.y"]
    use = {"do": "use-recipe", "address": lamps[0], "recipe": recipe.id}
    again = edited(kept, {"do": "together", "channels": lamps, "edits": [use]})
    assert list(members(again, "unsteady_hand_2")) == [f"{lamp}#unsteady-hand" for lamp in lamps]


def test_baking_and_taking_back_keep_it(shaky: Scene) -> None:
    scene = edited(shaky, {"do": "change-sheaf", "sheaf": "unsteady_hand", "start": 20, "end": 90, "fade_in": 10})
    before = on(scene, *HAND)
    placed = bake(scene, HAND, BakePlan(0, 120, "each"))
    baked = placed.apply(scene)
    assert baked.sheaves == scene.sheaves
    assert members(baked, "unsteady_hand") == members(scene, "unsteady_hand")
    whole = np.arange(0, before.shape[1], 2)
    np.testing.assert_allclose(on(baked, *HAND)[:, whole], before[:, whole], atol=1e-6)
    back = edited(baked, {"do": "take-back", "receipt": baked.receipts[-1].id})
    np.testing.assert_array_equal(on(back, *HAND), before)


def test_what_is_kept_forgets_when_the_sheaf_changes(shaky: Scene) -> None:
    memo = Memo()
    first = on(shaky, *HAND, memo=memo)
    heavier = edited(shaky, {"do": "set", "address": "sheaves/unsteady_hand", "value": 2})
    np.testing.assert_allclose(on(heavier, *HAND, memo=memo), 2 * first, atol=1e-12)
    assert [node.id for node in affected(shaky, heavier)] == ["lens"]
    driven = {"do": "add-layer", "address": "sheaves/unsteady_hand", "kind": "link", "settings": {"source": HAND[0]}}
    with pytest.raises(InvalidEdit, match="would read itself"):
        edited(shaky, driven)


def test_it_is_stored_and_keeps_its_time_at_another_rate(shaky: Scene) -> None:
    scene = edited(
        shaky,
        {"do": "change-sheaf", "sheaf": "unsteady_hand", "start": 20, "end": 60, "fade_in": 6, "loop": 40},
        {"do": "put-key", "address": "sheaves/unsteady_hand", "frame": 30, "value": 0.5},
        {"do": "put-key", "address": "sheaves/unsteady_hand", "frame": 50, "value": 1},
    )
    assert read_scene(scene_text(scene)) == scene
    faster = edited(scene, {"do": "change-scene", "fps": 60, "keep": "seconds"})
    frames = np.linspace(0, 120, 97)
    np.testing.assert_allclose(
        on(faster, *HAND, clock=faster.clock().at(2 * frames)),
        on(scene, *HAND, clock=scene.clock().at(frames)),
        atol=1e-9,
    )


def test_two_hundred_numbers_cost_one_edit_little(shaky: Scene) -> None:
    """As much as a few edits of one number each, not as two hundred."""
    nodes = tuple(Node(id=f"lamp-{n}", label=f"Lamp {n}", rotation=Rotation(z=1.0)) for n in range(200))
    scene = Scene(name="Many", last=120, nodes=nodes)
    channels = [f"lamp-{n}/rotation.z" for n in range(200)]
    wave = {"do": "add-layer", "address": channels[0], "kind": "wave"}
    scene = edited(scene, {"do": "together", "channels": channels, "edits": [wave]})

    def cost(change: dict[str, Any]) -> float:
        began = time.thread_time()
        edited(scene, change)
        return time.thread_time() - began

    shared = {"do": "change-sheaf", "sheaf": "wave", "start": 10}
    single = {"do": "change-layer", "address": f"{channels[0]}#wave", "muted": True}
    edited(scene, shared)
    assert min(cost(shared) for _ in range(5)) < 5 * min(cost(single) for _ in range(5))
    one = edited(scene, shared)
    assert all(before is after for before, after in zip(scene.nodes, one.nodes, strict=True))
    assert isinstance(one.node("lamp-7").rotation.z, Channel)
