"""Clips as blocks: one thing over several objects, trimmed, moved, cross-faded where they overlap, with one speed."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from lazzik.core.evaluate.values import evaluate
from lazzik.core.scene.clip_blocks import blocks
from lazzik.core.scene.scene import Scene
from lazzik.core.types import Samples
from tests.conftest import edited

NUMBERS = ("mast/rotation.z", "sign/position.y")


def ramp(name: str, label: str, height: float) -> dict[str, Any]:
    """A clip of two objects that rises evenly."""
    keys = [{"frame": 0, "value": 0, "go": "linear"}, {"frame": 40, "value": height}]
    tracks = [
        {"id": f"t{k}", "label": "T", "origin": origin, "motion": {"keys": keys}} for k, origin in enumerate(NUMBERS)
    ]
    return {"do": "put-clip", "clip": {"id": name, "label": label, "length": 40, "tracks": tracks}}


def play(clip: str, frame: float, **fields: Any) -> dict[str, Any]:
    return {"do": "play-clip", "clip": clip, "frame": frame, "block": True, **fields}


@pytest.fixture
def scene() -> Scene:
    objects = ({"do": "add-object", "label": label, "shape": {"kind": "box"}} for label in ("Mast", "Sign"))
    return edited(Scene(name="Blocks", last=120), *objects, ramp("calm", "Calm", 4.0), ramp("wild", "Wild", 40.0))


def values(scene: Scene, at: str = NUMBERS[0]) -> Samples:
    return evaluate(scene, [at], scene.clock())[at]


def smoothstep(u: Samples) -> Samples:
    return u * u * (3 - 2 * u)


def test_a_block_is_one_sheaf_over_all_its_objects_as_long_as_the_clip(scene: Scene) -> None:
    played = edited(scene, play("calm", 10))
    (block,) = blocks(played)
    assert (block.start, block.end, block.sheaf.label) == (10, 50, "Calm")
    assert block.channels == set(NUMBERS)
    for number in NUMBERS:
        y = values(played, number)
        np.testing.assert_allclose(y[10:50], 0.1 * np.arange(40), atol=1e-9)
        assert np.all(y[:10] == 0)
        assert np.all(y[51:] == 0)


def test_where_two_overlap_the_later_fades_in_over_the_earlier(scene: Scene) -> None:
    both = edited(scene, play("calm", 10), play("wild", 30))
    y, frames = values(both), np.arange(121.0)
    calm, wild = 0.1 * (frames - 10), 1.0 * (frames - 30)
    w = smoothstep((frames - 30) / 20)
    np.testing.assert_allclose(y[10:30], calm[10:30], atol=1e-9)
    np.testing.assert_allclose(y[30:50], ((1 - w) * calm + w * wild)[30:50], atol=1e-9)
    np.testing.assert_allclose(y[50:70], wild[50:70], atol=1e-9)
    assert [block.sheaf.window.fade_in for block in blocks(both)] == [0, 20]


def test_moved_before_the_other_the_order_and_the_fades_turn_round(scene: Scene) -> None:
    both = edited(scene, play("calm", 30), play("wild", 60), {"do": "move-sheaf", "sheaf": "wild", "by": -50})
    y, frames = values(both), np.arange(121.0)
    calm, wild = 0.1 * (frames - 30), 1.0 * (frames - 10)
    w = smoothstep((frames - 30) / 20)
    np.testing.assert_allclose(y[10:30], wild[10:30], atol=1e-9)
    np.testing.assert_allclose(y[30:50], ((1 - w) * wild + w * calm)[30:50], atol=1e-9)
    np.testing.assert_allclose(y[50:70], calm[50:70], atol=1e-9)
    apart = edited(both, {"do": "move-sheaf", "sheaf": "calm", "by": 40})
    assert [block.sheaf.window.fade_in for block in blocks(apart)] == [0, 0]


def test_trimmed_at_its_beginning_the_motion_stays_where_it_is(scene: Scene) -> None:
    whole = edited(scene, play("calm", 10), play("wild", 60))
    trimmed = edited(whole, {"do": "change-sheaf", "sheaf": "wild", "start": 75, "end": 90})
    y = values(trimmed)
    assert np.all(y[51:75] == 0)
    np.testing.assert_allclose(y[75:91], np.arange(75, 91) - 60.0, atol=1e-9)
    longer = edited(whole, {"do": "change-sheaf", "sheaf": "calm", "end": 70})
    assert [block.sheaf.window.fade_in for block in blocks(longer)] == [0, 10]


def test_one_keyed_number_is_the_speed_of_all_of_it(scene: Scene) -> None:
    played = edited(scene, play("calm", 0, speed=0.5), {"do": "set", "address": "dials/calm_speed", "value": 1.0})
    assert blocks(played)[0].end == 80
    np.testing.assert_allclose(values(played)[:40], 0.1 * np.arange(40), atol=1e-9)
    keyed = edited(
        played, {"do": "put-key", "address": "dials/calm_speed", "frame": 0, "value": 2},
        {"do": "put-key", "address": "dials/calm_speed", "frame": 20, "value": 0},
    )  # fmt: skip
    for number in NUMBERS:
        y = values(keyed, number)
        assert np.all(np.diff(y[:20]) > 0)
        assert y[19] == pytest.approx(y[40], abs=0.05)  # it stands still


def test_other_sheaves_and_layers_stay_as_they_are(scene: Scene) -> None:
    noise = {"do": "add-layer", "address": NUMBERS[0], "kind": "noise"}
    before = edited(scene, noise, {"do": "gather-sheaf", "addresses": [f"{NUMBERS[0]}#noise"], "label": "Shake"})
    after = edited(before, play("calm", 10), play("wild", 30), {"do": "move-sheaf", "sheaf": "shake", "by": 5})
    assert [block.sheaf.label for block in blocks(after)] == ["Calm", "Wild"]
    z = after.by_id["mast"].rotation.z
    assert [layer.label for layer in z.layers] == ["Noise", "Calm", "Wild"]  # type: ignore[union-attr]
    assert after.sheaves[0] == before.sheaves[0]
