"""Another frame rate: motion stays where it is in seconds, or keeps its frame numbers, as one likes."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lazzik.core.channel.channel import Channel
from lazzik.core.errors import InvalidEdit
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.surface import surface_of
from lazzik.core.evaluate.values import evaluate
from lazzik.core.layers import BY_KIND
from lazzik.core.scene.morph_targets import ShapeFrames
from lazzik.core.scene.retime import retimed
from lazzik.core.scene.scene import Scene
from tests.conftest import edited

AT = "post/position.y"

READERS = {"formula", "link", "clip", "recipe"}
SPRINGS = {"settle", "follow", "smooth"}
"""Kinds that walk in steps of a frame's part, and come out a little different at another rate."""


def over_time(scene: Scene, address: str, fps: float) -> np.ndarray[Any, Any]:
    """The values at moments that are whole frames at both rates, from the scene's first frame on."""
    seconds = np.arange(0, 4.01, 0.2)
    return np.asarray(evaluate(scene, [address], scene.clock().at(scene.first + seconds * fps))[address])


@pytest.mark.parametrize("kind", [kind for kind in BY_KIND if kind not in READERS])
@pytest.mark.parametrize("first", [0, 12])
def test_every_kind_moves_as_before_in_seconds(kind: str, first: int) -> None:
    scene = edited(
        Scene(name="S", fps=30, first=first, last=first + 150),
        {"do": "add-object", "label": "Post"},
        *({"do": "put-key", "address": AT, "frame": first + f, "value": v} for f, v in ((6, 0), (36, 2), (90, 1))),
        {"do": "add-layer", "address": AT, "kind": kind},
    )
    layer = scene.by_id["post"].position.y.layers[0].id  # type: ignore[union-attr]
    scene = edited(
        scene,
        {"do": "change-layer", "address": f"{AT}#{layer}", "start": first + 12, "end": first + 108, "fade_in": 30},
    )
    after = edited(scene, {"do": "change-scene", "fps": 25, "keep": "seconds"})
    assert (after.fps, after.first, after.last) == (25, first, first + 125)
    bound = 0.03 if kind in SPRINGS else 1e-9
    np.testing.assert_allclose(over_time(after, AT, 25), over_time(scene, AT, 30), atol=bound)


def test_frames_of_deformers_and_of_what_drives_them_go_along() -> None:
    scene = edited(
        Scene(name="S", fps=24, last=96),
        {"do": "add-object", "label": "Pool", "shape": {"kind": "sheet", "columns": 20, "rows": 20}},
        {"do": "add-deformer", "node": "pool", "kind": "ripple"},
        {"do": "set", "address": "pool/deform.ripple.begin", "value": 12},
        {"do": "set", "address": "pool/deform.ripple.life", "value": 24},
        {"do": "put-key", "address": "pool/deform.ripple.height", "frame": 0, "value": 0.01},
        {"do": "put-key", "address": "pool/deform.ripple.height", "frame": 48, "value": 0.09},
    )
    after = retimed(scene, 60)

    def points(scene: Scene, seconds: float) -> np.ndarray[Any, Any]:
        clock = scene.clock().at(np.array([seconds * scene.fps]))
        return surface_of(scene, scene.by_id["pool"], clock, Scope(scene)).points(0)

    assert np.ptp(points(scene, 1.25)[:, 1]) > 0.001
    for seconds in (0.25, 0.75, 1.25, 1.75):
        np.testing.assert_allclose(points(after, seconds), points(scene, seconds), atol=1e-12)


def test_the_demo_moves_as_before_in_seconds(demo: Scene) -> None:
    after = edited(demo, {"do": "change-scene", "fps": 60, "keep": "seconds"})
    for address in ("beacon-mast/rotation.z", "board/rotation.x", "lamp-3/rotation.z"):
        was = over_time(demo, address, 30)
        np.testing.assert_allclose(over_time(after, address, 60), was, atol=0.015 * float(np.ptp(was)))


def test_keeping_frame_numbers_moves_nothing_in_frames(demo: Scene) -> None:
    after = edited(demo, {"do": "change-scene", "fps": 60})
    assert after.replaced(fps=demo.fps) == demo


@given(st.integers(12, 120), st.integers(12, 120))
def test_there_and_back_is_the_same(one: int, two: int) -> None:
    scene = edited(
        Scene(name="S", fps=one, last=one * 4),
        {"do": "add-object", "label": "Post"},
        {"do": "put-key", "address": AT, "frame": one, "value": 0},
        {"do": "put-key", "address": AT, "frame": 3 * one, "value": 1},
    )
    back = retimed(retimed(scene, two), one)
    assert back.last == scene.last
    number = back.by_id["post"].position.y
    assert isinstance(number, Channel)
    assert [key.frame for key in number.keys] == pytest.approx([one, 3 * one], abs=1e-9)


def test_a_length_in_seconds_sets_the_last_frame() -> None:
    scene = Scene(name="S", fps=25, first=1, last=100)
    assert edited(scene, {"do": "change-scene", "seconds": 4}).last == 101
    both = edited(scene, {"do": "change-scene", "seconds": "3/2", "fps": 24})
    assert (both.fps, both.last) == (24, 37)
    with pytest.raises(InvalidEdit):
        edited(scene, {"do": "change-scene", "seconds": 0})


def test_a_shape_baked_to_points_can_not_be_moved_between_frames(demo: Scene) -> None:
    frames = ShapeFrames(asset="0" * 64, first=0, last=10, worst=0, points=3, switched_off=())
    node = demo.by_id["name"].replaced(targets=frames)
    baked = demo.with_node(node)
    with pytest.raises(InvalidEdit, match="Lettering is baked to the points of every frame"):
        retimed(baked, 60)


@pytest.mark.parametrize("rate", [0, -5, 2000])
def test_a_rate_that_no_scene_can_have_is_refused(rate: float) -> None:
    with pytest.raises(InvalidEdit):
        edited(Scene(name="S"), {"do": "change-scene", "fps": rate, "keep": "seconds"})
