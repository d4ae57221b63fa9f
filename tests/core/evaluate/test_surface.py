"""Surfaces as a whole: nothing tears, a sheet stays one, new deformers are seen, a block is its moments."""

from __future__ import annotations

import json
from typing import Any

import numpy as np
import pytest
from PIL import Image

from lazzik.core.channel.channel import Channel
from lazzik.core.channel.keys import Key
from lazzik.core.clock import Clock
from lazzik.core.deformers import BY_KIND, Deformer
from lazzik.core.deformers.fades import FADES
from lazzik.core.evaluate import surface as surfaces
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.surface import Surface, surface_of
from lazzik.core.geometry.primitives import Ball, Box, Sheet, Tube
from lazzik.core.layers.noise import Noise
from lazzik.core.scene.node import Node, Position
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.serialize import read_scene
from tests.conftest import edited

CLOCK = Clock.over(30, 0, 60)


def deformer(kind: str, **fields: Any) -> Deformer:
    return BY_KIND[kind].model_validate({"kind": kind, "id": kind, "label": kind} | fields)


def surface(shape: Any, *deformers: Deformer, clock: Clock = CLOCK, **fields: Any) -> Surface:
    node = Node(id="thing", label="Thing", shape=shape, deform=deformers, **fields)
    return surface_of(Scene(name="One", nodes=(node,)), node, clock, Scope())


def bar(cuts: int) -> Box:
    return Box(kind="box", width=0.4, height=2.0, depth=0.3, cuts_y=cuts, cuts_x=8, cuts_z=6)


MOVING: dict[str, Any] = {"position": Position(x=Channel(keys=(Key(frame=0, value=0.0), Key(frame=30, value=2.0))))}
SPANS = {
    "all": (-1.0, 1.0),
    "within": (-0.4, 0.55),
    "upper": (0.1, 1.0),
    "beyond": (-3.0, 2.5),
    "nearly all": (-0.97, 1.0),
}
EXTRA: dict[str, dict[str, Any]] = {"ripple": {"axis": "y", "begin": -60.0}, "rumple": {"size": 0.4, "toward": "side"}}
BALLS = (Ball(kind="ball", around=24, along=12), Ball(kind="ball", around=96, along=48))


def steepest(shape: Any, item: Deformer) -> float:
    """The largest jump between neighbours, and between points at one place, in how far they were moved."""
    moved = surface(shape, item, **MOVING)
    away = moved.points(25) - moved.rest.points
    faces = moved.rest.triangles
    edges = np.concatenate([faces[:, [0, 1]], faces[:, [1, 2]], faces[:, [2, 0]]])
    place, _ = moved.rest.places
    first = np.full(place.max() + 1, -1)
    first[place[::-1]] = np.arange(len(place))[::-1]
    apart = np.abs(away - away[first[place]]).max()
    return max(float(np.linalg.norm(away[edges[:, 0]] - away[edges[:, 1]], axis=1).max()), float(apart))


@pytest.mark.parametrize("kind", sorted(BY_KIND))
@pytest.mark.parametrize("fade", FADES)
def test_no_deformer_tears_neighbouring_points(kind: str, fade: str) -> None:
    """As the mesh becomes finer, what lies beside each other is moved alike: jumps shrink with its step."""
    for name, (start, end) in SPANS.items():
        item = deformer(kind, start=start, end=end, fade=fade, fade_length=0.5, **EXTRA.get(kind, {}))
        coarse = steepest(bar(40), item)
        fine = steepest(Box(kind="box", width=0.4, height=2.0, depth=0.3, cuts_y=160, cuts_x=32, cuts_z=24), item)
        assert fine <= 0.45 * coarse + 1e-9, name
        if BY_KIND[kind].pushes and name in ("all", "beyond"):
            along = item.replaced(toward="normals")
            assert steepest(BALLS[1], along) <= 0.5 * steepest(BALLS[0], along) + 1e-9, name


@pytest.mark.parametrize("toward", ["normals", "side", "across", "axis"])
@pytest.mark.parametrize("kind", ["rumple", "undulate", "ripple"])
def test_a_sheet_never_opens(kind: str, toward: str) -> None:
    sheet = Sheet(kind="sheet", width=2, height=3, rows=20, columns=14, standing=True)
    moved = surface(sheet, deformer(kind, **EXTRA.get(kind, {}) | {"toward": toward})).points(20)
    half = len(moved) // 2
    assert np.abs(moved[:half] - moved[half:]).max() <= 1e-12
    assert np.ptp(moved - sheet.mesh().points, axis=0).max() > 0.01


def test_waves_go_on_beyond_their_span() -> None:
    wave = {"height": 0.3, "length": 1.0, "speed": 0.0, "toward": "side"}
    moved = surface(bar(40), deformer("undulate", start=-0.5, end=0.6, **wave))
    rest, away = moved.rest.points, moved.points(0) - moved.rest.points
    expected = 0.3 * np.sin(2 * np.pi * np.clip(rest[:, 1], -0.5, 0.6))
    np.testing.assert_allclose(away[:, 2], expected, atol=1e-12)
    faded = surface(bar(40), deformer("undulate", start=-0.5, end=0.6, fade="both", fade_length=0.3, **wave))
    beyond = (rest[:, 1] <= -0.5) | (rest[:, 1] >= 0.6)
    assert faded.points(0)[beyond].tolist() == rest[beyond].tolist()


def test_a_stretch_leaves_what_lies_beyond_its_span_and_keeps_the_volume_within() -> None:
    for factor in (0.5, 2.0):
        within = surface(bar(200), deformer("stretch", start=-0.5, end=0.5, factor=factor))
        rest, moved = within.rest.points, within.points(0)
        above, below = rest[:, 1] >= 0.5, rest[:, 1] <= -0.5
        np.testing.assert_allclose(moved[above][:, [0, 2]], rest[above][:, [0, 2]], atol=1e-12)
        assert np.ptp((moved - rest)[above][:, 1]) <= 1e-9, "it moves along as a whole"
        assert moved[below].tolist() == rest[below].tolist()
        middle = np.abs(rest[:, 1]) <= 0.3
        np.testing.assert_allclose(moved[middle][:, 0], rest[middle][:, 0] / np.sqrt(factor), atol=1e-9)
        whole = surface(bar(200), deformer("stretch", start=-1.0, end=1.0, factor=factor, held="middle"))
        straight = whole.points(0)
        np.testing.assert_allclose(straight, rest * [factor**-0.5, factor, factor**-0.5], atol=1e-9)
        for one in (within, whole):
            assert volume(one, 0) == pytest.approx(0.4 * 2.0 * 0.3, rel=2e-3)
    flat = surface(bar(40), deformer("stretch", start=0.2, end=0.2, factor=3.0))
    assert flat.points(0).tolist() == flat.rest.points.tolist()


def volume(one: Surface, index: int) -> float:
    """By the divergence theorem."""
    a, b, c = (one.points(index)[one.rest.triangles[:, k]] for k in range(3))
    return float(np.einsum("ij,ij->i", a, np.cross(b, c)).sum() / 6)


def test_a_twist_has_an_angle_at_either_end() -> None:
    moved = surface(bar(40), deformer("twist", start=-1.0, end=1.0, start_angle=-30.0, angle=60.0))
    rest, now = moved.rest.points, moved.points(0)
    phi = np.radians(-30 + 45 * (rest[:, 1] + 1))
    z, x = rest[:, 2], rest[:, 0]
    np.testing.assert_allclose(now[:, 2], z * np.cos(phi) - x * np.sin(phi), atol=1e-12)
    np.testing.assert_allclose(now[:, 0], z * np.sin(phi) + x * np.cos(phi), atol=1e-12)


@pytest.mark.parametrize("held", ["start", "middle", "end"])
def test_a_twist_of_version_1_turns_as_it_did(held: str) -> None:
    twist = {"kind": "twist", "id": "t", "label": "T", "angle": 80.0, "held": held, "start": -1.0, "end": 1.0}
    node = {"id": "bar", "label": "Bar", "shape": {"kind": "box", "height": 2.0, "cuts_y": 8}, "deform": [twist]}
    scene = read_scene(json.dumps({"version": 1, "name": "Old", "nodes": [node]}))
    first = {"start": 0.0, "middle": -40.0, "end": -80.0}[held]
    now = scene.by_id["bar"].deform[0]
    assert (now.start_angle, now.angle) == (first, first + 80.0)  # type: ignore[attr-defined]


SHAPES = {
    "box": Box(kind="box", cuts_x=12, cuts_y=12, cuts_z=12), "ball": Ball(kind="ball"),
    "bar": bar(24), "tube": Tube(kind="tube", radius=0.1, height=2.0, along=24),
    "standing sheet": Sheet(kind="sheet", width=2, height=1.5, rows=24, columns=24, standing=True),
    "tall sheet": Sheet(kind="sheet", width=1, height=2.5, rows=24, columns=24, standing=True),
    "lying sheet": Sheet(kind="sheet", width=2, height=3, rows=24, columns=24),
}  # fmt: skip
EYE = np.array([0.25, 0.32, 1.0]) / np.linalg.norm([0.25, 0.32, 1.0])
"""Where the stage looks from."""


@pytest.mark.parametrize("kind", sorted(set(BY_KIND) - {"jiggle"}))
@pytest.mark.parametrize("name", sorted(SHAPES))
def test_a_new_deformer_is_seen_whatever_the_object(kind: str, name: str) -> None:
    node = Node(id="thing", label="Thing", shape=SHAPES[name])
    scene = edited(Scene(name="One", nodes=(node,)), {"do": "add-deformer", "node": "thing", "kind": kind})
    node = scene.by_id["thing"]
    moved = surface_of(scene, node, scene.clock(), Scope(scene))
    size = np.ptp(moved.rest.points, axis=0).max()
    seen = 0.0
    for index in (0, 40, 90, 200):
        away = moved.points(index) - moved.rest.points
        seen = max(seen, float(np.linalg.norm(away - np.outer(away @ EYE, EYE), axis=1).max()))
    assert seen >= 0.01 * size
    if "sheet" in name and kind in ("undulate", "bend", "sway", "ripple"):
        flat = 2 if "lying" not in name else 1
        away = moved.points(90) - moved.rest.points
        assert np.abs(away[:, flat]).max() >= 0.9 * np.abs(away).max() * (0.3 if kind in ("bend", "sway") else 1.0)


def picture() -> bytes:
    """White at the right of its upper half, black elsewhere."""
    import io

    dots = np.zeros((64, 64), dtype=np.uint8)
    dots[:32, 32:] = 255
    file = io.BytesIO()
    Image.fromarray(dots).save(file, format="PNG")
    return file.getvalue()


@pytest.mark.parametrize(
    ("shape", "right", "up"),
    [
        (Sheet(kind="sheet", width=2, height=3, rows=20, columns=20, standing=True), (0, 1), (1, 1)),
        (Sheet(kind="sheet", width=2, height=3, rows=20, columns=20), (0, 1), (2, -1)),
        (Box(kind="box", width=0.2, height=2, depth=3, cuts_y=20, cuts_z=20), (2, -1), (1, 1)),
    ],
)
def test_a_picture_lies_as_the_object_shows_its_largest_side(
    shape: Any, right: tuple[int, int], up: tuple[int, int]
) -> None:
    plain = Scene(name="One", nodes=(Node(id="thing", label="Thing", shape=shape),))
    scene = edited(
        plain, {"do": "add-deformer", "node": "thing", "kind": "undulate"},
        {"do": "change-deformer", "node": "thing", "deformer": "undulate", "settings": {"fade": "none"},
         "mask": {"kind": "picture", "asset": plain.assets.put(picture()), "label": "Corner"}},
    )  # fmt: skip
    node = scene.by_id["thing"]
    assert node.deform[0].mask.label == "Corner"  # type: ignore[union-attr]
    moved = surface_of(scene, node, scene.clock(), Scope(scene))
    rest, counts = moved.rest.points, moved.counts(0, 0)
    size = np.ptp(rest, axis=0)
    x, y = rest[:, right[0]] * right[1] / size[right[0]], rest[:, up[0]] * up[1] / size[up[0]]
    assert counts[(x > 0.05) & (y > 0.05)].min() > 0.9
    assert counts[(x < -0.05) | (y < -0.05)].max() < 0.1


def test_rings_stay_where_they_were_born() -> None:
    """A source that has stopped: what it sent out before is still round about where it was then."""
    moving = Channel(keys=(Key(frame=0, value=-1.5, go="linear"), Key(frame=30, value=0.0, go="linear")))
    pond = Sheet(kind="sheet", width=8, height=8, rows=80, columns=80)
    fields: dict[str, Any] = {"axis": "y", "speed": 2.0, "spacing": 0.5, "height": 0.1, "toward": "axis"}
    placed = deformer("ripple", placement={"x": moving}, **fields)
    moved = surface(pond, placed, clock=Clock.over(30, 0, 90))
    rest, lift = moved.rest.points, (moved.points(60) - moved.rest.points)[:, 1]
    half = len(rest) // 2
    rest, lift = rest[:half], lift[:half]
    for x, z, height in zip(rest[:, 0], rest[:, 2], lift, strict=True):
        # the moment at which what is here now left: 2 m/s · (t − τ) = the way from where the source was
        taus = np.linspace(0.0, 2.0, 4001)
        source = np.interp(taus, [0, 1], [-1.5, 0.0])
        apart = 2.0 * (2.0 - taus) - np.hypot(x - source, z)
        if apart[0] < 0:
            assert abs(height) < 1e-9
            continue
        tau = np.interp(0.0, -apart, taus)
        behind = 2.0 * tau
        rises = min(1.0, behind / 0.5)
        expected = 0.1 * np.sin(2 * np.pi * behind / 0.5) * rises**2 * (3 - 2 * rises)
        assert height == pytest.approx(expected, abs=2e-4)
    still = surface(pond, deformer("ripple", placement={"x": 0.4}, **fields), clock=Clock.over(30, 0, 90))
    held = Channel(keys=(Key(frame=0, value=0.4), Key(frame=30, value=0.4)))
    keyed = surface(pond, deformer("ripple", placement={"x": held}, **fields), clock=Clock.over(30, 0, 90))
    np.testing.assert_allclose(keyed.points(60), still.points(60), atol=1e-12)


@pytest.mark.parametrize("kind", sorted(BY_KIND))
def test_a_block_is_its_moments_one_by_one(kind: str) -> None:
    driven = Channel(keys=(Key(frame=0, value=0.2), Key(frame=60, value=1.0)))
    mask = {"kind": "ball", "radius": driven, "rim": 0.5}
    item = deformer(kind, weight=driven, start=-0.8, end=0.9, fade="end", mask=mask, **EXTRA.get(kind, {}))
    moved = surface(bar(20), deformer("taper", id="a"), item, deformer("bend", id="b", start=-1.0, end=1.0), **MOVING)
    whole = np.concatenate([np.array(block) for block in moved.blocks()])
    assert len(whole) == len(CLOCK.frames)
    for index in (0, 17, 60):
        np.testing.assert_allclose(moved.points(index), whole[index], atol=1e-12)


@pytest.mark.parametrize("kind", sorted(BY_KIND))
def test_points_are_the_same_to_the_bit_however_many_processors_share_them(
    kind: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A driven step of each kind, masked or not, between one whose points may be parted and one whose may not."""
    gust = Channel(value=0.5, layers=(Noise(kind="noise", id="n", label="n", amplitude=0.4),))
    masks = ({"kind": "gradient", "nothing": 0.2, "full": 0.8}, {"kind": "noise", "size": 0.4})
    for mask in (None, *masks):
        own = EXTRA.get(kind, {}) | {"weight": gust, "mask": mask}
        steps = deformer("twist", id="first"), deformer(kind, **own), deformer("undulate", id="last", toward="normals")
        moved = surface(bar(8), *steps, **MOVING)
        whole = [moved.block(slice(first, first + 3)) for first in (0, 20)]
        with monkeypatch.context() as patch:
            patch.setattr(surfaces, "BLOCK", 37)
            parted = [moved.block(slice(first, first + 3)) for first in (0, 20)]
        np.testing.assert_array_equal(parted, whole)
        assert np.abs(whole[0] - moved.rest.points).max() > 1e-3
