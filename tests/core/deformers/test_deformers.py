"""Deformers against their formulas, exactly; what stays as it was; and nothing that is not a number."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lazzik.core.channel.channel import Channel
from lazzik.core.channel.keys import Key
from lazzik.core.clock import Clock
from lazzik.core.deformers import BY_KIND, Deformer
from lazzik.core.deformers.solid import solid_noise
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.surface import Surface, surface_of
from lazzik.core.geometry.assets import AssetStore
from lazzik.core.geometry.primitives import Ball, Box, Shape, Sheet, Tube
from lazzik.core.scene.node import Node, Position
from lazzik.core.scene.scene import Scene
from lazzik.core.types import Points
from tests.strategies import numbers

BAR = Box(kind="box", width=0.2, height=4.0, depth=0.3, cuts_y=64, base=True)
CLOCK = Clock.over(30, 0, 60)


def deformer(kind: str, **fields: Any) -> Deformer:
    span = {} if kind == "jiggle" else {"start": 0.0, "end": 4.0}
    return BY_KIND[kind].model_validate({"kind": kind, "id": kind, "label": kind} | span | fields)


ASSETS = AssetStore()


def motion(shape: Shape, *deformers: Deformer, clock: Clock = CLOCK, **fields: Any) -> Surface:
    node = Node(id="thing", label="Thing", shape=shape, deform=deformers, **fields)
    scene = Scene(name="One", nodes=(node, Node(id="other", label="Other", position=Position(x=1.0))))
    scene = scene.with_assets(ASSETS)
    return surface_of(scene, node, clock, Scope(scene))


def after(shape: Shape, *deformers: Deformer, index: int = 0, **fields: Any) -> tuple[Points, Points]:
    """(rest, deformed) points."""
    moved = motion(shape, *deformers, **fields)
    return moved.rest.points, moved.points(index)


LINE = Tube(kind="tube", radius=1e-4, height=4.0, along=400, around=3, base=True)


def test_a_bar_bent_by_a_half_turn_lies_on_a_semicircle_and_keeps_its_length() -> None:
    rest, bent = after(LINE, deformer("bend", angle=180.0))
    radius = 4 / np.pi
    centre = bent - np.array([0, 0, radius])  # about y it bends toward z
    away = np.hypot(centre[:, 1], centre[:, 2])
    np.testing.assert_allclose(away, radius - rest[:, 2], atol=1e-9)  # what lies inward of the axis stays inward
    axis = rest[:, [0, 2]] ** 2 @ [1, 1] < 1e-12  # the lids' middle points
    np.testing.assert_allclose(bent[axis][:, 1], [0, 0], atol=1e-6)
    np.testing.assert_allclose(bent[axis][:, 2], [0, 2 * radius], atol=1e-6)
    moved = motion(
        Sheet(kind="sheet", width=0.1, height=4, rows=512, standing=True),
        deformer("bend", start=-2.0, end=2.0, angle=180.0),
    )
    points = moved.points(0)
    edge = points[moved.rest.points[:, 0] == 0.05][:513]
    chords = np.linalg.norm(np.diff(edge, axis=0), axis=1).sum()
    half = np.pi / 512 / 2  # of the angle that each chord spans
    assert chords * half / np.sin(half) == pytest.approx(4, abs=1e-6)


@pytest.mark.parametrize("held", ["start", "middle", "end"])
def test_a_bend_goes_straight_on_beyond_its_span_and_holds_its_place(held: str) -> None:
    rest, bent = after(LINE, deformer("bend", start=1.0, end=3.0, angle=90.0, held=held))
    order = np.argsort(rest[:, 1])
    y, points = rest[order, 1], bent[order]
    still = {"start": y < 1, "middle": np.abs(y - 2) < 1e-9, "end": y > 3}[held]
    np.testing.assert_allclose(points[still], rest[order][still], atol=1e-9 if held != "middle" else 2e-4)
    for part in (y < 1 - 1e-9, y > 3 + 1e-9):
        straight = points[part]
        ends = straight[-1] - straight[0]
        assert np.linalg.norm(ends) == pytest.approx(np.ptp(y[part]), abs=5e-4)


@given(numbers(-300, 300), numbers(-180, 180))
def test_a_bend_is_its_formula(angle: float, direction: float) -> None:
    rest, bent = after(BAR, deformer("bend", angle=angle, direction=direction))
    t, d = np.radians(angle), np.radians(direction)
    u, x, y = rest[:, 1], rest[:, 2], rest[:, 0]
    v, w = np.cos(d) * x + np.sin(d) * y, -np.sin(d) * x + np.cos(d) * y
    if abs(t) < 1e-9:
        np.testing.assert_allclose(bent, rest, atol=1e-9)
        return
    k = t / 4
    u2, v2 = (1 / k - v) * np.sin(k * u), 1 / k - (1 / k - v) * np.cos(k * u)
    expected = np.stack([np.sin(d) * v2 + np.cos(d) * w, u2, np.cos(d) * v2 - np.sin(d) * w], 1)
    np.testing.assert_allclose(bent, expected, atol=1e-8 if abs(t) > 1e-3 else 1e-5)


@given(numbers(-720, 720))
def test_a_twist_is_its_formula_and_a_whole_turn_returns_the_end(angle: float) -> None:
    rest, twisted = after(BAR, deformer("twist", angle=angle))
    phi = np.radians(angle) * rest[:, 1] / 4
    z = np.cos(phi) * rest[:, 2] - np.sin(phi) * rest[:, 0]
    x = np.sin(phi) * rest[:, 2] + np.cos(phi) * rest[:, 0]
    np.testing.assert_allclose(twisted, np.stack([x, rest[:, 1], z], 1), atol=1e-9)
    rest, whole = after(BAR, deformer("twist", angle=360.0))
    np.testing.assert_allclose(whole[rest[:, 1] == 4], rest[rest[:, 1] == 4], atol=1e-9)


@given(numbers(0, 2), numbers(0, 2), numbers(0.05, 0.95), numbers(0, 1))
def test_a_taper_is_its_formula(first: float, last: float, curve: float, weight: float) -> None:
    rest, thin = after(BAR, deformer("taper", first=first, last=last, curve=curve, weight=weight))
    t = rest[:, 1] / 4
    f = first + (last - first) * t / ((1 / curve - 2) * (1 - t) + 1)
    f = 1 + weight * (f - 1)
    np.testing.assert_allclose(thin, rest * np.stack([f, np.ones_like(f), f], 1), atol=1e-9)


def volume(points: Points, triangles: Any) -> float:
    a, b, c = (points[triangles[:, k]] for k in range(3))
    return float(np.einsum("ij,ij->i", a, np.cross(b, c)).sum() / 6)


@given(numbers(0.3, 3), numbers(0, 1), st.sampled_from(["start", "middle", "end"]))
def test_a_stretch_keeps_the_volume(factor: float, weight: float, held: str) -> None:
    moved = motion(BAR, deformer("stretch", factor=factor, weight=weight, held=held))
    before, points = volume(moved.rest.points, moved.rest.triangles), moved.points(0)
    assert volume(points, moved.rest.triangles) == pytest.approx(before, rel=1e-9)
    f = 1 + weight * (factor - 1)
    assert np.ptp(points[:, 1]) == pytest.approx(4 * f)
    free = motion(BAR, deformer("stretch", factor=factor, volume="free")).points(0)
    np.testing.assert_allclose(free[:, [0, 2]], moved.rest.points[:, [0, 2]], atol=1e-12)


@given(numbers(0.01, 1), numbers(0.2, 3), numbers(-2, 2), numbers(-1, 1), st.integers(0, 60))
def test_an_undulation_is_its_formula_and_its_edge_is_held(
    height: float, length: float, speed: float, phase: float, index: int
) -> None:
    fields = {"height": height, "length": length, "speed": speed, "phase": phase, "fade": "start", "fade_length": 1.0}
    rest, waved = after(BAR, deformer("undulate", **fields), index=index)
    u = rest[:, 1]
    s = np.clip(u, 0, 1)
    d = s * s * (3 - 2 * s) * height * np.sin(2 * np.pi * (u / length - speed / length * index / 30 - phase))
    np.testing.assert_allclose(waved, rest + np.stack([0 * d, 0 * d, d], 1), atol=1e-8)
    held = u == 0
    assert waved[held].tolist() == rest[held].tolist()


def test_a_keyed_speed_never_makes_a_wave_jump() -> None:
    speed = Channel(keys=(Key(frame=0, value=0.2, go="step"), Key(frame=31, value=-3, go="step")))
    moved = motion(
        BAR, deformer("undulate", speed=speed, height=0.5, length=1.0), clock=Clock.over(30, 0, 60, per_frame=8)
    )
    steps = [np.abs(moved.points(i + 1) - moved.points(i)).max() for i in range(230, 270)]
    assert max(steps) <= 2 * np.pi * 0.5 * 3 / 30 / 8 * 1.01


POOL = Tube(kind="tube", radius=2.0, height=0.1, around=64, lids=40)


def test_rings_run_out_live_and_die() -> None:
    fields = {
        "start": -9.0,
        "end": 9.0,
        "height": 0.2,
        "spacing": 0.5,
        "speed": 1.0,
        "begin": 10.0,
        "life": 20.0,
        "damping": 10.0,
    }
    moved = motion(POOL, deformer("ripple", **fields))
    rest = moved.rest.points
    r = np.hypot(rest[:, 0], rest[:, 2])
    assert moved.points(9).tolist() == rest.tolist()
    for index in (15, 25, 29):
        q = (index - 10) / 30
        s = np.clip((q - r) / 0.5, 0, 1)
        d = 0.2 * np.sin(2 * np.pi * (q - r) / 0.5) * s * s * (3 - 2 * s)
        np.testing.assert_allclose(moved.points(index)[:, 1] - rest[:, 1], d, atol=1e-9)
        assert np.abs(d[r > q]).max(initial=0) == 0
    late = [np.abs(moved.points(i)[:, 1] - rest[:, 1]).max() for i in (30, 35, 40, 50)]
    assert late[0] > late[1] > 0 == late[2] == late[3]


@pytest.mark.parametrize("runs", ["outward", "inward"])
@pytest.mark.parametrize("shape", ["rings", "straight"])
def test_a_pulse_runs_at_its_speed(runs: str, shape: str) -> None:
    fields = {"start": -9.0, "end": 9.0, "height": 0.2, "spacing": 0.3, "width": 0.1, "speed": 1.2, "rim": 1.8}
    moved = motion(POOL, deformer("ripple", form="pulse", runs=runs, shape=shape, **fields))
    rest = moved.rest.points
    r = np.hypot(rest[:, 0], rest[:, 2]) if shape == "rings" else np.abs(rest[:, 2])
    for index in (12, 30):
        front = index / 30 * 1.2 if runs == "outward" else 1.8 - index / 30 * 1.2
        lifted = np.abs(moved.points(index)[:, 1] - rest[:, 1])
        assert abs(r[np.argmax(lifted)] - front) < 0.06


def test_rings_fade_with_distance_and_follow_another_object() -> None:
    span = {"start": -9.0, "end": 9.0, "height": 0.2, "spacing": 0.4, "speed": 9.0}
    near = motion(POOL, deformer("ripple", far=0.5, **span)).points(50)
    plain = motion(POOL, deformer("ripple", **span)).points(50)
    rest = motion(POOL).rest.points
    r = np.hypot(rest[:, 0], rest[:, 2])
    np.testing.assert_allclose(near[:, 1] - rest[:, 1], (plain[:, 1] - rest[:, 1]) * np.exp(-r / 0.5), atol=1e-9)
    handed = motion(POOL, deformer("ripple", placement={"of": "other"}, **span)).points(50)
    from_there = np.hypot(rest[:, 0] - 1, rest[:, 2])  # the other object stands a metre along x
    close = from_there < 0.05
    np.testing.assert_allclose(handed[close, 1] - rest[close, 1], plain[r < 0.05, 1][0] - rest[close, 1], atol=0.15)


def test_rumpling_stays_within_its_height_and_goes_along_the_normals() -> None:
    ball = Ball(kind="ball", radius=1.0, around=48, along=32)
    moved = motion(ball, deformer("rumple", start=-9.0, end=9.0, height=0.3, size=0.4, octaves=3.0, drift=0.7))
    for index in (0, 20):
        reach = np.linalg.norm(moved.points(index), axis=1) - 1
        assert 0.05 < np.abs(reach).max() <= 0.3
    assert moved.points(0).tolist() != moved.points(20).tolist()
    inside = np.random.default_rng(0).uniform(-9, 9, (1, 3, 4000))
    out, seeds = np.empty((1, 4000)), np.array([3.0])
    solid_noise(inside, seeds, out)
    assert np.abs(out).max() <= 1
    assert np.abs(out).max() > 0.35
    solid_noise(np.ascontiguousarray(np.round(inside)), seeds, out)
    np.testing.assert_allclose(out, 0, atol=1e-12)  # nothing on the lattice itself


def test_swaying_keeps_the_root_and_the_length_and_the_tip_moves_most() -> None:
    moved = motion(LINE, deformer("sway", angle=30.0, tip=1.0), clock=Clock.over(30, 0, 120))
    rest = moved.rest.points
    order = np.argsort(rest[:, 1], kind="stable")
    reach = np.zeros(len(rest))
    for index in range(0, 120, 10):
        points = moved.points(index)
        np.testing.assert_allclose(points[rest[:, 1] == 0], rest[rest[:, 1] == 0], atol=1e-9)
        row = points[order][::3]
        assert np.linalg.norm(np.diff(row, axis=0), axis=1).sum() == pytest.approx(4, abs=0.02)
        reach = np.maximum(reach, np.linalg.norm(points - rest, axis=1))
    by_height = [reach[np.abs(rest[:, 1] - h) < 0.01].max() for h in (1, 2, 3, 4)]
    assert by_height == sorted(by_height)
    assert by_height[-1] > 0.3
    looped = motion(LINE, deformer("sway", loop=60.0), clock=Clock.over(30, 0, 120))
    np.testing.assert_allclose(looped.points(0), looped.points(60), atol=1e-9)


def test_jiggling_is_the_spring_of_follow_for_each_point() -> None:
    """Against the layer kind itself: a far point's world place is followed, a held point's stays."""
    from lazzik.core.evaluate.evaluator import number_on
    from lazzik.core.layers import BY_KIND as LAYERS

    hop = Channel(keys=(Key(frame=0, value=0), Key(frame=10, value=0), Key(frame=20, value=3), Key(frame=60, value=3)))
    fields = {"placement": {"y": 0.0}, "reach": 2.0, "frequency": 2.0, "damping": 0.2}
    moved = motion(BAR, deformer("jiggle", **fields), position=Position(x=hop))
    rest = moved.rest.points
    follow = LAYERS["follow"].model_validate(
        {"kind": "follow", "id": "f", "label": "f", "frequency": 2.0, "damping": 0.2}
    )
    trailed = np.asarray(number_on(hop.replaced(layers=(follow,)), CLOCK)) - np.asarray(number_on(hop, CLOCK))
    far = rest[:, 1] == 4.0
    for index in (5, 14, 25, 40):
        points = moved.points(index)
        np.testing.assert_allclose(points[far, 0] - rest[far, 0], trailed[index], atol=1e-9)
        s = np.clip(np.linalg.norm(rest, axis=1) / 2, 0, 1)
        np.testing.assert_allclose(points[:, 0] - rest[:, 0], s * s * (3 - 2 * s) * trailed[index], atol=1e-9)
    np.testing.assert_allclose(moved.points(5), rest, atol=1e-9)
