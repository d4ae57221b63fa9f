"""Edits: each does what it says, refuses what it can't do, and leaves the scene before it untouched."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lazzik.core.channel.channel import Channel
from lazzik.core.channel.key_ops import key_at
from lazzik.core.channel.scaling import scaled
from lazzik.core.clock import Clock
from lazzik.core.diagnose.number import why
from lazzik.core.errors import BadNumber, InvalidEdit, UnknownAddress
from lazzik.core.evaluate.evaluator import number_on
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.values import evaluate
from lazzik.core.layers import BY_KIND
from lazzik.core.layers.noise import Noise
from lazzik.core.scene.address import Address, find, find_at
from lazzik.core.scene.edits.every import read_edits
from lazzik.core.scene.scene import Scene
from tests.conftest import edited
from tests.strategies import channels

Z = "post/rotation.z"
N = f"{Z}#noise"


@pytest.fixture
def layered(post: Scene) -> Scene:
    return edited(post, {"do": "add-layer", "address": Z, "kind": "noise"})


def channel(scene: Scene) -> Channel:
    number = scene.by_id["post"].rotation.z
    assert isinstance(number, Channel)
    return number


def frames(scene: Scene) -> list[float]:
    return [key.frame for key in channel(scene).keys]


def test_set_a_constant_also_by_arithmetic(post: Scene) -> None:
    assert edited(post, {"do": "set", "address": Z, "value": "360/8"}).by_id["post"].rotation.z == 45.0
    assert post.by_id["post"].rotation.z == 0.0


def test_a_new_layer_moves_what_it_lands_on_visibly(demo: Scene) -> None:
    places = {"mast/rotation.y": 2.0, "gauge/position.x": 0.03, "beacon/scale.y": 0.1, "beacon/look.color.g": 0.05}
    for address, least in places.items():
        after = edited(demo, {"do": "add-layer", "address": address, "kind": "noise"})
        assert np.ptp(evaluate(after, [address], after.clock())[address]) > least


def test_layers_added_twice_get_ids_and_seeds_of_their_own(layered: Scene) -> None:
    twice = edited(layered, {"do": "add-layer", "address": Z, "kind": "noise", "label": "Noise"})
    assert [layer.id for layer in channel(twice).layers] == ["noise", "noise-2"]
    one, other = channel(twice).layers
    assert isinstance(one, Noise)
    assert isinstance(other, Noise)
    assert one.seed != other.seed


def test_keys_are_put_moved_and_removed(post: Scene) -> None:
    scene = edited(post, *({"do": "put-key", "address": Z, "frame": f, "value": f} for f in (30, 10, 20)))
    assert frames(scene) == [10, 20, 30]
    scene = edited(scene, {"do": "move-keys", "address": Z, "frames": [10, 20], "by": 5, "rise": -1})
    assert [(k.frame, k.value) for k in channel(scene).keys] == [(15, 9), (25, 19), (30, 30)]
    scene = edited(scene, {"do": "move-keys", "address": Z, "frames": [15], "by": 15})
    assert [(k.frame, k.value) for k in channel(scene).keys] == [(25, 19), (30, 9)]
    scene = edited(scene, {"do": "remove-keys", "address": Z, "frames": [25, 30]})
    assert scene.by_id["post"].rotation.z == 19.0


def test_a_key_without_a_value_takes_the_curves_own(post: Scene) -> None:
    scene = edited(post, {"do": "set", "address": Z, "value": 7}, {"do": "put-key", "address": Z, "frame": 0})
    scene = edited(scene, {"do": "put-key", "address": Z, "frame": 40, "value": 9, "go": "linear"})
    scene = edited(scene, {"do": "put-key", "address": Z, "frame": 20})
    assert channel(scene).keys[1].value == pytest.approx(8)  # halfway between two level ends


def test_a_key_put_again_keeps_how_it_goes_on(post: Scene) -> None:
    scene = edited(post, {"do": "put-key", "address": Z, "frame": 3, "value": 1, "go": "step"})
    scene = edited(scene, {"do": "put-key", "address": Z, "frame": 3, "value": 2})
    assert (channel(scene).keys[0].go, channel(scene).keys[0].value) == ("step", 2)


def test_a_layer_is_changed_in_what_is_given_only(layered: Scene) -> None:
    changed = edited(
        layered,
        {"do": "change-layer", "address": N, "start": 10, "end": "6*10", "fade_in": 5},
        {"do": "change-layer", "address": N, "settings": {"character": "ridged"}, "combine": "multiply", "loop": 90},
    )
    layer: Any = channel(changed).layers[0]
    assert layer.window.model_dump() == {"start": 10, "end": 60, "fade_in": 5, "fade_out": 0}
    assert (layer.character, layer.combine, layer.loop, layer.muted) == ("ridged", "multiply", 90, False)
    opened = edited(changed, {"do": "change-layer", "address": N, "start": None, "loop": None})
    assert channel(opened).layers[0].window.start is None
    assert channel(opened).layers[0].loop is None


def test_layers_move_and_go(layered: Scene) -> None:
    two = edited(layered, {"do": "add-layer", "address": Z, "kind": "noise", "label": "Gust"})
    swapped = edited(two, {"do": "move-layer", "address": f"{Z}#gust", "to": 0})
    assert [layer.id for layer in channel(swapped).layers] == ["gust", "noise"]
    assert edited(two, {"do": "remove-layer", "address": f"{Z}#gust"}) == layered


def test_removing_the_last_layer_brings_the_plain_number_back(post: Scene, layered: Scene) -> None:
    assert edited(layered, {"do": "remove-layer", "address": N}) == post


def test_objects_come_change_and_go(demo: Scene) -> None:
    shape = {"kind": "box", "width": 2}
    scene = edited(demo, {"do": "add-object", "label": "Parcel", "shape": shape, "parent": "mast"})
    assert scene.by_id["parcel"].parent == "mast"
    scene = edited(scene, {"do": "change-object", "node": "parcel", "label": "Box", "visible": False, "parent": None})
    assert (scene.by_id["parcel"].label, scene.by_id["parcel"].visible, scene.by_id["parcel"].parent) == (
        "Box",
        False,
        None,
    )
    scene = edited(scene, {"do": "remove-object", "node": "mast"})
    assert not {"mast", "beacon-mast", "beacon", "rotor", "cup-1"} & set(scene.by_id)
    assert "parcel" in scene.by_id


def test_the_scene_itself_changes(post: Scene) -> None:
    scene = edited(post, {"do": "change-scene", "name": "New", "first": 10, "last": "50*2", "fps": 24})
    assert (scene.name, scene.first, scene.last, scene.fps) == ("New", 10, 100, 24)


REFUSED: list[tuple[dict[str, Any], str]] = [
    ({"do": "zap"}, "does not match any of the expected tags"),
    ({"do": "set", "address": Z}, "value: field required"),
    ({"do": "set", "address": Z, "value": "fast"}, "'fast' is not a number"),
    ({"do": "set", "address": Z, "value": 1e12}, "less than or equal"),
    ({"do": "set", "address": f"{N}.period", "value": -1}, "period must be at least 0.001; -1 was given"),
    ({"do": "set", "address": f"{N}.seed", "value": 1.5}, "must be a whole number"),
    ({"do": "set", "address": f"{N}.weight", "value": 1, "extra": 2}, "extra"),
    ({"do": "put-key", "address": f"{N}.octaves", "frame": 3, "value": 99}, "must be at most 10"),
    ({"do": "move-keys", "address": Z, "frames": [3], "by": 1}, "There is no key at frame 3"),
    ({"do": "remove-keys", "address": Z, "frames": []}, "No keys were named"),
    ({"do": "add-layer", "address": Z, "kind": "storm"}, "no kind of layer called 'storm'"),
    ({"do": "add-layer", "address": N, "kind": "noise"}, "not on a layer"),
    ({"do": "change-layer", "address": N, "start": 9, "end": 3}, "ends at 3, before it starts at 9"),
    ({"do": "change-layer", "address": N, "fade_in": -3}, "Fade_in: input should be greater than or equal to 0"),
    ({"do": "change-layer", "address": N, "loop": 0}, "loop: input should be greater than 0"),
    (
        {"do": "change-layer", "address": N, "settings": {"character": "loud"}},
        "'loud' is no character; it may be smooth",
    ),
    ({"do": "change-layer", "address": N, "settings": {"kind": "x"}}, "has no setting 'kind'"),
    ({"do": "change-layer", "address": Z, "muted": True}, "is a number, not a layer"),
    ({"do": "remove-layer", "address": f"{Z}#gone"}, "There is no layer 'gone'"),
    ({"do": "change-object", "node": "post", "parent": "post"}, "under itself"),
    ({"do": "remove-object", "node": "post"}, "The last object stays"),
    ({"do": "change-scene", "last": -5}, "range must end after it begins"),
    ({"do": "change-scene", "last": 10.5}, "whole frames"),
    ({"do": "take-back", "receipt": "bake-9"}, "There is no receipt 'bake-9'"),
]


@pytest.mark.parametrize(("edit", "sentence"), REFUSED, ids=[f"{e['do']}-{s[:24]}" for e, s in REFUSED])
def test_what_can_not_be_done_says_why(layered: Scene, edit: dict[str, Any], sentence: str) -> None:
    before = layered.model_dump_json()
    with pytest.raises((InvalidEdit, UnknownAddress, BadNumber)) as caught:
        edited(layered, edit)
    assert sentence in str(caught.value)
    assert layered.model_dump_json() == before


def test_a_keyed_number_takes_keys_not_constants(post: Scene) -> None:
    keyed = edited(post, {"do": "put-key", "address": Z, "frame": 0, "value": 1})
    with pytest.raises(InvalidEdit, match="has keys: put a key at a frame instead"):
        edited(keyed, {"do": "set", "address": Z, "value": 2})


@pytest.mark.parametrize("values", [[], None, {}, "x", [1], [{"do": "set"}] * 1001])
def test_what_is_no_list_of_edits_is_refused(values: object) -> None:
    with pytest.raises(InvalidEdit):
        read_edits(values)


def test_edits_say_what_they_do(layered: Scene) -> None:
    said = {
        "set Post / rotation z / Noise / period": {"do": "set", "address": f"{N}.period", "value": 2},
        "key at 4 on Post / rotation z": {"do": "put-key", "address": Z, "frame": 4, "value": 0},
        "mute Noise": {"do": "change-layer", "address": N, "muted": True},
        "window of Noise": {"do": "change-layer", "address": N, "start": 3, "fade_in": 2},
        "character of Noise": {"do": "change-layer", "address": N, "settings": {"character": "white"}},
        "change name": {"do": "change-scene", "name": "x"},
    }
    assert [read_edits([edit])[0].describe(layered) for edit in said.values()] == list(said)


def test_a_layer_that_multiplies_is_a_factor_about_one(post: Scene) -> None:
    keyed = edited(post, *({"do": "put-key", "address": Z, "frame": f, "value": v} for f, v in ((0, 5), (60, 20))))
    base = evaluate(keyed, [Z], keyed.clock())[Z]
    for kind in ("noise", "wave"):
        new = edited(keyed, {"do": "add-layer", "address": Z, "kind": kind, "combine": "multiply"})
        added = edited(keyed, {"do": "add-layer", "address": Z, "kind": kind})
        here = f"{Z}#{kind}"
        switched = edited(added, {"do": "change-layer", "address": here, "combine": "multiply"})
        for scene in (new, switched):
            factor = evaluate(scene, [Z], scene.clock())[Z] / base
            assert 0.6 <= factor.min() < 0.9 < 1.1 < factor.max() <= 1.4
        back = edited(switched, {"do": "change-layer", "address": here, "combine": "add"})
        assert channel(back).layers == channel(added).layers
        own = edited(new, {"do": "set", "address": f"{here}.offset", "value": 2})
        kept = edited(own, {"do": "change-layer", "address": here, "combine": "replace"})
        assert channel(kept).layers[0].offset == 2.0  # type: ignore[attr-defined]


def test_a_number_beyond_its_limit_is_clamped_and_why_says_so(post: Scene) -> None:
    lamp = edited(post, {"do": "add-object", "label": "Lamp", "light": {}})
    here = f"{lamp.nodes[-1].id}/light.intensity"
    dark = edited(
        lamp,
        {"do": "set", "address": here, "value": 1},
        {"do": "add-layer", "address": here, "kind": "wave"},
        {"do": "set", "address": f"{here}#wave.amplitude", "value": 3},
    )
    assert evaluate(dark, [here], dark.clock())[here].min() == 0.0
    (clamped,) = [reason for reason in why(dark, Address.parse(here), Scope(dark)) if reason.code == "clamped"]
    assert (clamped.values["limit"], clamped.values["unit"], clamped.edits) == (0, "×", ())
    assert clamped.values["extreme"] == pytest.approx(-1.98, abs=0.005)


@pytest.mark.parametrize("factor", [2.0, 0.3, -1.5])
@given(channels(), st.sampled_from(sorted(set(BY_KIND) - {"clip", "link", "recipe"})))
def test_a_number_so_many_times_as_large_is_so_at_every_moment(factor: float, number: Channel, kind: str) -> None:
    extra = BY_KIND[kind].model_validate({"kind": kind, "id": "top", "label": "Top"})
    whole = number.replaced(layers=(*number.layers, extra))
    clock = Clock.over(30, 0, 100)
    before, after = (np.asarray(number_on(each, clock)) for each in (whole, scaled(whole, factor)))
    np.testing.assert_allclose(after, factor * before, atol=1e-9 * max(1.0, float(np.abs(before).max())))


def test_slopes_that_were_given_grow_with_the_number(post: Scene) -> None:
    """A copy twice as large, and the same times as many on another number."""
    keys = ({"frame": 0, "value": 1, "slope_out": 6}, {"frame": 30, "value": 2, "slope_in": -4})
    grown = edited(post, *({"do": "put-key", "address": "post/scale.y"} | key for key in keys))
    copied = edited(grown, {"do": "duplicate", "node": "post", "scale": [1, 2, 1]})
    one, two = (copied.nodes[k].scale.y for k in (0, 1))
    clock = Clock.over(30, -5, 40, per_frame=4)
    np.testing.assert_allclose(number_on(two, clock), 2 * np.asarray(number_on(one, clock)), atol=1e-12)
    pair = edited(grown, {"do": "set", "address": "post/scale.x", "value": 2})
    tripled = edited(pair, {"do": "together", "channels": ["post/scale.x", "post/scale.y"], "how": "times",
                            "edits": [{"do": "set", "address": "post/scale.x", "value": 6}]})  # fmt: skip
    before, after = (scene.nodes[0].scale.y for scene in (pair, tripled))
    np.testing.assert_allclose(number_on(after, clock), 3 * np.asarray(number_on(before, clock)), atol=1e-12)


def test_a_key_put_by_hand_lies_on_the_curve_with_automatic_slopes(post: Scene) -> None:
    at = "post/rotation.z"
    keyed = edited(
        post,
        *({"do": "put-key", "address": at, "frame": frame, "value": value} for frame, value in ((0, 0), (40, 8))),
    )
    before = evaluate(keyed, [at], keyed.clock())[at]
    more = edited(keyed, {"do": "put-key", "address": at, "frame": 10})
    new = key_at(find(more, Address.parse(at)).channel.keys, 10)
    assert new is not None
    assert (new.slope_in, new.slope_out) == (None, None)
    assert new.value == pytest.approx(before[10])
    # moved, it takes the curve along without a corner
    moved = edited(more, {"do": "move-keys", "address": at, "frames": [10], "rise": 5})
    curve = find(moved, Address.parse(at)).channel.curve(moved.fps)
    assert curve.slopes_in[1] == pytest.approx(curve.slopes_out[1])
    assert edited(more, {"do": "put-key", "address": at, "frame": 10}) == more


def test_a_number_is_looked_up_once_in_each_state_of_a_scene(post: Scene) -> None:
    at = "post/position.x"
    place = find_at(post, at)
    assert find_at(post, at) is place
    changed = edited(post, {"do": "set", "address": at, "value": 2})
    assert (place.number, find_at(changed, at).number) == (0.0, 2.0)
    for _ in range(2):  # what is not there is not there the second time either
        with pytest.raises(UnknownAddress):
            find_at(post, "nobody/position.x")
