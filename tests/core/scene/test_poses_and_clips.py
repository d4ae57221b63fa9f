"""Poses are placed and mixed; clips are cut, played, retimed and blended without a pop."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from lazzik.core.bake.clips import clip_from
from lazzik.core.channel.channel import Channel
from lazzik.core.channel.keys import Key
from lazzik.core.errors import InvalidEdit, UnknownAddress
from lazzik.core.evaluate.values import evaluate
from lazzik.core.scene.edits.base import applied
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.serialize import read_scene, scene_text
from tests.conftest import edited, turned

Z, X = "post/rotation.z", "post/position.x"
MOVE = (Key(frame=0, value=0), Key(frame=20, value=10, go="linear"), Key(frame=50, value=-5))


def value(scene: Scene, address: str, frame: float) -> float:
    clock = scene.clock().at(np.array([float(frame)]))
    return float(evaluate(scene, [address], clock)[address][0])


@pytest.fixture
def posed() -> Scene:
    scene = edited(turned(Channel(keys=MOVE)), {"do": "set", "address": X, "value": 2})
    low = {"do": "save-pose", "label": "Low", "addresses": [Z, X], "frame": 0}
    high = {"do": "save-pose", "label": "High", "addresses": [Z], "frame": 20}
    return edited(scene, low, high)


def test_a_pose_is_placed_as_keys_at_another_frame(posed: Scene) -> None:
    after = edited(posed, {"do": "place-pose", "pose": "high", "frame": 90})
    assert value(after, Z, 90) == 10
    assert value(after, Z, 20) == 10
    assert after.by_id["post"].position.x == 2.0
    moved = edited(after, {"do": "set", "address": X, "value": 5}, {"do": "place-pose", "pose": "low", "frame": 100})
    assert (value(moved, Z, 100), value(moved, X, 100)) == (0, 2)


def test_two_poses_are_mixed_and_one_with_what_is_there(posed: Scene) -> None:
    mixed = edited(posed, {"do": "place-pose", "pose": "high", "other": "low", "mix": 0.25, "frame": 70})
    assert value(mixed, Z, 70) == pytest.approx(2.5)
    half = edited(posed, {"do": "place-pose", "pose": "high", "mix": 0.5, "frame": 50})
    assert value(half, Z, 50) == pytest.approx(2.5)
    beyond = edited(posed, {"do": "place-pose", "pose": "high", "other": "low", "mix": 1.5, "frame": 70})
    assert value(beyond, Z, 70) == pytest.approx(15)


def test_layers_are_no_part_of_a_pose(posed: Scene) -> None:
    noisy = edited(posed, {"do": "add-layer", "address": Z, "kind": "noise"})
    saved = edited(noisy, {"do": "save-pose", "label": "With noise", "addresses": [Z], "frame": 50})
    assert saved.poses[-1].held[0].value == -5


def test_poses_whose_numbers_are_gone_say_so(posed: Scene) -> None:
    other = edited(posed, {"do": "add-object", "label": "Pole"}, {"do": "remove-object", "node": "post"})
    with pytest.raises(InvalidEdit, match="None of the numbers of this pose"):
        edited(other, {"do": "place-pose", "pose": "high", "frame": 0})
    with pytest.raises(UnknownAddress, match="no pose 'higher'"):
        edited(posed, {"do": "place-pose", "pose": "higher", "frame": 0})
    assert [pose.id for pose in edited(posed, {"do": "remove-pose", "pose": "low"}).poses] == ["high"]


def clipped(scene: Scene, first: int = 10, last: int = 40, label: str = "Swing", **play: Any) -> Scene:
    scene = applied(scene, [clip_from(scene, label, [Z], first, last)])
    return edited(scene, {"do": "play-clip", "clip": scene.clips[-1].id, "frame": 60, **play}) if play else scene


def test_a_clip_of_keys_is_exact_and_plays_on_where_it_came_from() -> None:
    scene = turned(Channel(keys=MOVE))
    after = clipped(scene, after="hold")
    for frame in (10, 17.25, 20, 33, 40):
        assert value(after, Z, 60 + frame - 10) == pytest.approx(value(scene, Z, frame), abs=1e-9)
    assert value(after, Z, 30) == value(scene, Z, 30)
    assert value(after, Z, 119) == pytest.approx(value(scene, Z, 40))


def test_a_clip_of_layers_is_fitted_closely(demo: Scene) -> None:
    gusty = "beacon-mast/rotation.z"
    (clip,) = applied(demo, [clip_from(demo, "Gusts", [gusty], 40, 120)]).clips[-1:]
    clock = demo.clock()
    motion = clip.tracks[0].motion.curve(demo.fps).at(clock.frames[:81], demo.fps)
    np.testing.assert_allclose(motion, evaluate(demo, [gusty], clock)[gusty][40:121], atol=0.025 + 1e-9)


def test_repeating_to_and_fro_and_adding_up() -> None:
    scene = turned(Channel(keys=MOVE))
    there = {frame: value(scene, Z, 10 + frame) for frame in (0, 12, 18, 30)}
    repeat = clipped(scene, after="repeat")
    assert value(repeat, Z, 60 + 42) == pytest.approx(there[12])
    assert value(clipped(scene, after="alternate"), Z, 60 + 42) == pytest.approx(there[18])
    adding = clipped(scene, after="accumulate")
    assert value(adding, Z, 60 + 42) == pytest.approx(there[12] + there[30] - there[0])
    assert value(clipped(scene, after="hold", speed=2), Z, 60 + 6) == pytest.approx(there[12])


def test_a_seam_lets_any_clip_meet_itself() -> None:
    scene = clipped(turned(Channel(keys=MOVE), last=300), after="repeat", seam=8)
    h = 1e-3
    for round_end in (60 + 22, 60 + 44):
        before, at, after = (value(scene, Z, round_end + d) for d in (-h, 0, h))
        assert after == pytest.approx(before, abs=0.01)
        assert (at - before) / h == pytest.approx((after - at) / h, abs=0.05)
    assert value(scene, Z, 60 + 22 + 8 + 2) == pytest.approx(value(scene, Z, 60 + 8 + 2))


def test_a_keyed_speed_bends_a_clip_and_never_makes_it_skip() -> None:
    scene = clipped(turned(Channel(keys=MOVE), last=300), after="accumulate")
    speed = f"{Z}#swing.speed"
    keyed = edited(
        scene,
        {"do": "put-key", "address": speed, "frame": 100, "value": 1},
        {"do": "put-key", "address": speed, "frame": 140, "value": 3},
    )
    fine = scene.clock(8)
    steps = np.abs(np.diff(evaluate(keyed, [Z], fine)[Z][61 * 8 :]))
    assert steps.max() < 3.2 * np.abs(np.diff(evaluate(scene, [Z], fine)[Z][61 * 8 :])).max()
    assert value(keyed, Z, 90) == pytest.approx(value(scene, Z, 90))


def test_two_repeated_clips_are_blended_by_one_keyed_dial_without_a_pop() -> None:
    calm = turned(Channel(keys=(Key(frame=0, value=0), Key(frame=12, value=3), Key(frame=24, value=0))), last=300)
    wild = turned(Channel(keys=(Key(frame=0, value=0), Key(frame=7, value=-9), Key(frame=16, value=0))), last=300)
    scene = applied(calm, [clip_from(calm, "Calm", [Z, X], 0, 24)])
    scene = applied(scene, [clip_from(wild, "Wild", [Z, X], 0, 16)])
    scene = edited(
        scene,
        {"do": "play-clip", "clip": "calm", "frame": 0},
        {"do": "play-clip", "clip": "wild", "frame": 100, "blend": 40, "dial": True},
    )
    assert [key.value for key in scene.dials[-1].value.keys] == [0, 1]  # type: ignore[union-attr]
    fine = scene.clock(16)
    values = evaluate(scene, [Z], fine)[Z]
    alone = max(np.abs(np.diff(evaluate(s, [Z], fine)[Z])).max() for s in (calm, wild))
    assert np.abs(np.diff(values)).max() < 2 * alone
    assert value(scene, Z, 60) == pytest.approx(value(calm, Z, 12))
    assert value(scene, Z, 100 + 16 * 6 + 7) == pytest.approx(-9)
    assert scene.by_id["post"].position.x.layers[-1].weight.layers[0].source == "dials/wild_blend"  # type: ignore[union-attr]


def test_clips_are_numbers_to_edit_and_kept_with_the_scene() -> None:
    scene = clipped(turned(Channel(keys=MOVE)), after="hold")
    track = scene.clips[0].address(scene.clips[0].tracks[0])
    lifted = edited(scene, {"do": "move-keys", "address": track, "frames": [10], "rise": 4})
    assert value(lifted, Z, 70) == pytest.approx(value(scene, Z, 70) + 4)
    assert read_scene(scene_text(lifted)) == lifted
    with pytest.raises(InvalidEdit, match=r"clip Swing is played on post/rotation\.z"):
        edited(scene, {"do": "remove-clip", "clip": "swing"})
    bare = edited(scene, {"do": "remove-layer", "address": f"{Z}#swing"}, {"do": "remove-clip", "clip": "swing"})
    assert bare.clips == ()


def test_a_clip_that_would_play_itself_is_refused() -> None:
    scene = clipped(turned(Channel(keys=MOVE)))
    track = scene.clips[0].address(scene.clips[0].tracks[0])
    with pytest.raises(InvalidEdit, match="would read itself"):
        edited(scene, {"do": "play-clip", "clip": "swing", "frame": 0, "addresses": [track]})
