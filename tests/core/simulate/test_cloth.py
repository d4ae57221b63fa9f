"""Cloth: held against closed forms, a plain solver and itself more finely; the same to the bit however it is asked for;
finite whatever it is given."""

from __future__ import annotations

import hashlib
import subprocess
import sys
from typing import Any

import numpy as np
import pytest

from lazzik.core.errors import InvalidEdit
from lazzik.core.evaluate.airflow import world_of
from lazzik.core.evaluate.scope import Scope
from lazzik.core.geometry.primitives import Ball, Box, Sheet
from lazzik.core.scene.serialize import scene_text
from lazzik.core.simulate import cloth as cloths
from lazzik.core.simulate.cloth import SUBSTEPS, SWEEPS, ClothRun
from lazzik.core.simulate.coarse import coarser
from lazzik.core.simulate.fabric import Fabric, fabric_of, tethers_of
from tests.core.simulate.clothes import WIND, corners, frames_of, hung, world_points

STILL = {"do": "change-cloth", "node": "sheet", "settings": {"wind": "still"}}
Points = np.ndarray[tuple[int, ...], np.dtype[np.float64]]


def test_a_sheet_has_one_layer_and_as_much_of_it_belongs_to_its_points() -> None:
    mesh = Sheet(kind="sheet", width=2.0, height=1.0, columns=8, rows=5).mesh(None)  # type: ignore[arg-type]
    fabric = fabric_of(mesh)
    assert len(fabric.points) == 9 * 6
    assert len(fabric.triangles) == 2 * 8 * 5
    assert fabric.shares.sum() == pytest.approx(2.0, abs=1e-12)
    assert len(fabric.edges) == len(fabric.points) + len(fabric.triangles) - 1  # Euler
    assert len(fabric.bends.areas) == len(fabric.points) - 4  # all but the corners
    assert not fabric.bends.curves.any()


@pytest.mark.parametrize("degrees", [0, 30, 45, 90, 135])
def test_a_sheet_that_is_bent_has_the_energy_of_a_bent_plate_whichever_way(degrees: float) -> None:
    """Rolled to a radius R, B/2 · area / R²."""
    mesh = Sheet(kind="sheet", width=1.0, height=1.0, columns=40, rows=40).mesh(None)  # type: ignore[arg-type]
    fabric, radius = fabric_of(mesh), 0.8
    a = np.radians(degrees)
    along, beside = np.array([np.cos(a), 0, np.sin(a)]), np.array([-np.sin(a), 0, np.cos(a)])
    way, aside = fabric.points @ along, fabric.points @ beside
    rolled = np.outer(radius * np.sin(way / radius), along) + np.outer(aside, beside)
    rolled[:, 1] += radius * np.cos(way / radius)
    energy = 0.5 * float(np.sum(fabric.bends.areas * np.einsum("bi,bi->b", *[laplacians(fabric, rolled)] * 2)))
    assert energy == pytest.approx(0.5 / radius**2, rel=0.06)  # the rim has half of its bends


def laplacians(fabric: Fabric, points: Points) -> Points:
    bends = fabric.bends
    return np.asarray(np.add.reduceat(bends.weights[:, None] * points[bends.points], bends.starts[:-1]))


def test_what_is_curved_at_rest_stays_so() -> None:
    """A ball of radius R has 2/R everywhere, inward."""
    fabric = fabric_of(Ball(kind="ball", radius=0.5, around=32, along=24).mesh(None))  # type: ignore[arg-type]
    np.testing.assert_allclose(np.median(fabric.bends.curves), -2 / 0.5, rtol=0.02)
    found = laplacians(fabric, fabric.points)
    np.testing.assert_allclose(np.linalg.norm(found, axis=1), np.abs(fabric.bends.curves), rtol=0.02)


def test_a_tether_is_as_long_as_the_way_along_the_surface() -> None:
    mesh = Sheet(kind="sheet", width=1.0, height=1.0, columns=20, rows=20).mesh(None)  # type: ignore[arg-type]
    fabric = fabric_of(mesh)
    pinned = np.array([int(np.argmin(np.linalg.norm(fabric.points - [-0.5, 0, 0.5], axis=1)))])
    tethers = tethers_of(fabric, pinned)
    straight = np.linalg.norm(fabric.points[tethers.points] - fabric.points[pinned[0]], axis=1)
    assert len(tethers.points) == len(fabric.points) - 1
    assert np.all(tethers.lengths >= straight - 1e-9)
    assert float(np.max(tethers.lengths / straight)) < 1.09


def test_what_is_held_nowhere_falls_freely() -> None:
    scene = hung(STILL, pins=[])
    for moment in frames_of(scene, 20):
        t, h = moment.frame / 25, 1 / (25 * SUBSTEPS)
        np.testing.assert_allclose(
            moment.points[:, 1] - moment.points[:, 1].mean(), frames_of(scene, 0)[0].points[:, 1], atol=1e-9
        )
        assert moment.points[:, 1].mean() == pytest.approx(-9.81 * t * (t + h) / 2, abs=1e-9)


def test_the_air_takes_it_along_as_a_closed_form_has_it() -> None:
    """Head on and without weight: w' = −k·w², so what is left of the wind is w₀ / (1 + k·w₀·t)."""
    wind = {"do": "add-object", "label": "Wind", "field": {"kind": "wind", "speed": 6.0, "gusts": 0.0, "swing": 0.0},
            "position": [-9, 0, 0]}  # fmt: skip
    turned = {"do": "set", "address": "sheet/rotation.y", "value": 90}
    scene = hung(wind, turned, pins=[], gravity=0.0, across=1.2)
    k = 0.5 * 1.2 * 1.2 / 0.2
    for moment in frames_of(scene, 15)[1:]:
        t = moment.frame / 25
        assert moment.pace == pytest.approx(6.0 - 6.0 / (1 + k * 6.0 * t), rel=1e-9)


def test_what_is_held_by_its_object_rests_there_to_the_last_bit_wherever_that_goes() -> None:
    swing = (
        {"do": "add-layer", "address": "sheet/position.x", "kind": "wave"},
        {"do": "set", "address": "sheet/position.x#wave.amplitude", "value": 0.4},
    )
    scene = hung(WIND, *swing)
    run = ClothRun(scene, "sheet")
    pinned = run.pins.points
    assert len(pinned) == 13
    for moment, _ in run.frames(0, 30):
        np.testing.assert_allclose(moment.points[pinned], run.fabric.local[pinned], atol=1e-12)
        assert np.abs(moment.points - run.fabric.local).max() > 0.0 or moment.frame == 0


def test_a_pin_follows_another_object_and_lets_go_when_its_strength_is_keyed_to_nothing() -> None:
    hook = {"do": "add-object", "label": "Hook", "position": [-0.5, 2.5, 0]}
    lift = [{"do": "put-key", "address": "hook/position.y", "frame": f, "value": v} for f, v in ((0, 2.5), (20, 2.52))]
    follow = {"do": "change-pin", "node": "sheet", "pin": "left_top", "to": "hook"}
    go = [
        {"do": "put-key", "address": "sheet/cloth.pins.right_top.strength", "frame": f, "value": v, "go": "step"}
        for f, v in ((0, 1.0), (25, 0.0))
    ]
    scene = hung(hook, *lift, follow, *go, STILL, pins=corners("left top", "right top"), calm=1.0)
    run = ClothRun(scene, "sheet")
    left, right = run.pins.of[0][0], run.pins.of[1][0]
    rows = [world_points(scene, moment) for moment, _ in run.frames(0, 50)]
    np.testing.assert_allclose([row[left] for row in rows[20:]], np.tile([-0.5, 2.52, 0.0], (31, 1)), atol=1e-9)
    np.testing.assert_allclose([row[right] for row in rows[:25]], np.tile([0.5, 2.5, 0.0], (25, 1)), atol=1e-9)
    assert rows[35][right][1] < 2.4


def test_one_that_is_half_held_is_drawn_back_softly() -> None:
    soft = {"do": "set", "address": "sheet/cloth.pins.top_edge.strength", "value": 0.5}
    scene = hung(STILL, soft, calm=3.0)
    run = ClothRun(scene, "sheet")
    last = list(run.frames(0, 60))[-1][0]
    held = run.pins.points
    # a spring of 2 Hz that carries a share of the sheet: it hangs lower, but it hangs
    sag = (run.fabric.local[held, 1] - last.points[held, 1]).mean()
    share = run.fabric.shares.sum() / run.fabric.shares[held].sum()
    assert sag == pytest.approx(9.81 * share / (2 * np.pi * 2.0) ** 2, rel=0.05)


def test_hung_by_two_corners_it_sags_as_it_does_more_finely() -> None:
    def sag(cuts: int) -> float:
        scene = hung(STILL, pins=corners("left top", "right top"), cuts=cuts, calm=4.0, slack=0.05)
        points = frames_of(scene, 100)[-1].points
        return float(points[:, 1].min())

    assert sag(12) == pytest.approx(sag(24), rel=0.02)


def test_in_a_strong_wind_its_edges_keep_their_lengths() -> None:
    scene = hung(
        {"do": "add-object", "label": "Wind", "field": {"kind": "wind", "speed": 10.0, "gusts": 0.0, "swing": 0.0}},
        {"do": "set", "address": "sheet/rotation.y", "value": 90}, pins=corners("left top", "right top"), cuts=40,
        size=2.0, stretch=100_000.0,
    )  # fmt: skip
    run = ClothRun(scene, "sheet")
    off = []
    for moment, _ in run.frames(1, 40):
        a, b = (moment.points[run.fabric.edges[:, k]] for k in range(2))
        off.append(np.linalg.norm(a - b, axis=1) / run.fabric.lengths - 1)
    assert np.abs(off).mean() < 0.01
    assert np.max(off) < 0.3


def test_a_cloth_of_4_by_4_goes_as_a_plain_solver_has_it_go() -> None:
    scene = hung(WIND, cuts=3, pins=corners("left top"))
    run = ClothRun(scene, "sheet")
    plain = Plain(run)
    for moment, _ in run.frames(0, 8):
        np.testing.assert_allclose(world_points(scene, moment), plain.at(int(moment.frame)), atol=1e-9)


class Plain:
    """The same laws written out point by point, in plain Python; what a point is blown by is asked of the scene."""

    def __init__(self, run: ClothRun) -> None:
        fabric = run.fabric
        self.run, self.x = run, [row + np.array([0.0, 2.0, 0.0]) for row in fabric.points]
        self.v = [np.zeros(3) for _ in self.x]
        self.h = 1 / (25 * SUBSTEPS)
        self.mass = [0.2 * share for share in fabric.shares]
        self.held = set(run.pins.points.tolist())
        self.frame = 0

    def at(self, frame: int) -> Points:
        while self.frame < frame:
            for sub in range(SUBSTEPS):
                self.step(sub)
            self.frame += 1
        return np.array(self.x)

    def step(self, sub: int) -> None:
        run, h = self.run, self.h
        fabric = run.fabric
        if sub % (SUBSTEPS // 2) == 0:
            self.air = self.blown(self.frame + sub / SUBSTEPS)
        if sub % 4 == 0:
            self.push()
        before = [row.copy() for row in self.x]
        for p in range(len(self.x)):
            self.v[p] = self.v[p] + np.array([0.0, -9.81 * h, 0.0])
            if p not in self.held:
                self.x[p] = self.x[p] + h * self.v[p]
        w = [0.0 if p in self.held else 1 / self.mass[p] for p in range(len(self.x))]
        bends = fabric.bends
        for b, area in enumerate(bends.areas):
            row = range(bends.starts[b], bends.starts[b + 1])
            give = 1 / (0.05e-3 * area) / h**2
            c = sum(bends.weights[i] * self.x[bends.points[i]] for i in row)
            pull = -c / (sum(w[bends.points[i]] * bends.weights[i] ** 2 for i in row) + give)
            for i in row:
                p = bends.points[i]
                self.x[p] = self.x[p] + w[p] * bends.weights[i] * pull
        pulls = [0.0] * len(fabric.edges)
        for sweep in range(SWEEPS):
            order = list(range(len(fabric.edges)))
            for j in reversed(order) if sweep % 2 else order:
                self.edge(j, w, pulls)
            tethers = run.tethers
            for p, end, far in zip(tethers.points, tethers.ends, tethers.lengths, strict=True):
                away = self.x[p] - self.x[end]
                if (length := float(np.sqrt(away @ away))) > far:
                    self.x[p] = self.x[end] + away * (far / length)
        for p in range(len(self.x)):
            self.v[p] = (self.x[p] - before[p]) / h

    def edge(self, j: int, w: list[float], pulls: list[float]) -> None:
        fabric = self.run.fabric
        p, q = fabric.edges[j]
        if w[p] + w[q] == 0:
            return
        give = 1 / (25_000.0 * fabric.springs[j]) / self.h**2
        away = self.x[p] - self.x[q]
        length = float(np.sqrt(away @ away))
        pull = -1.4 * (length - fabric.lengths[j] + give * pulls[j]) / (w[p] + w[q] + give)
        pulls[j] += pull
        self.x[p] = self.x[p] + w[p] * pull * away / length
        self.x[q] = self.x[q] - w[q] * pull * away / length

    def push(self) -> None:
        load = 0.5 * 1.2 * 4 * self.h / 0.2  # for four sub-steps at once
        pushed = [np.zeros(3) for _ in self.x]
        for corners_ in self.run.fabric.triangles:
            a, b, c = (self.x[p] for p in corners_)
            normal = np.cross(b - a, c - a)
            twice = float(np.sqrt(normal @ normal))
            normal = normal / twice
            w = sum(self.air[p] - self.v[p] for p in corners_) / 3
            toward = float(w @ normal)
            flat = w - toward * normal
            across, along = load * 1.2 * abs(toward), load * 0.05 * float(np.sqrt(flat @ flat))
            dv = across / (1 + across) * toward * normal + along / (1 + along) * flat
            for p in corners_:
                pushed[p] = pushed[p] + dv * twice / 6
        self.v = [v + dv / share for v, dv, share in zip(self.v, pushed, self.run.fabric.shares, strict=True)]

    def blown(self, frame: float) -> Points:
        from lazzik.core.evaluate.airflow import air

        scene = self.run.scene
        clock = scene.clock().at(np.array([frame]))
        return np.asarray(air(np.array(self.x)[None], clock, Scope(scene, None, []))[0])


def test_it_is_the_same_to_the_bit_in_parts_from_any_frame_and_in_another_process() -> None:
    scene = hung(WIND, ahead=0.4)
    whole = list(ClothRun(scene, "sheet").frames(0, 30))
    begun = list(ClothRun(scene, "sheet").frames(7, 7))[-1]
    assert np.array_equal(begun[1].places, whole[7][1].places)
    rest = list(ClothRun(scene, "sheet").frames(8, 30, begun[1]))
    for (a, state_a), (b, state_b) in zip(rest, whole[8:], strict=True):
        assert np.array_equal(a.points, b.points)
        assert np.array_equal(state_a.speeds, state_b.speeds)
    code = (
        "import sys, hashlib; from lazzik.core.scene.serialize import read_scene;"
        "from lazzik.core.simulate.cloth import ClothRun;"
        "run = ClothRun(read_scene(sys.stdin.buffer.read()), 'sheet');"
        "print(hashlib.sha256(list(run.frames(30, 30))[0][1].places.tobytes()).hexdigest())"
    )
    other = subprocess.run(
        [sys.executable, "-c", code], input=scene_text(scene).encode(), capture_output=True, check=True
    )
    assert other.stdout.decode().strip() == hashlib.sha256(whole[30][1].places.tobytes()).hexdigest()


def test_it_falls_on_what_is_in_its_way_and_lies_there() -> None:
    ball = {"do": "add-object", "label": "Ball", "shape": {"kind": "ball", "radius": 0.4, "around": 24, "along": 16},
            "position": [0, 1.2, 0]}  # fmt: skip
    scene = hung(
        ball, {"do": "change-cloth", "node": "sheet", "colliders": ["ball"]}, STILL, standing=False, pins=[], cuts=16,
        calm=2.0, friction=1.0,
    )  # fmt: skip
    for moment in frames_of(scene, 24):
        away = np.linalg.norm(world_points(scene, moment) - [0, 1.2, 0], axis=1)
        assert away.min() > 0.4 * np.cos(np.pi / 24) * np.cos(np.pi / 32) - 1e-6  # of its flat sides
    assert away.min() < 0.42
    assert world_points(scene, moment)[:, 1].min() < 1.3  # its corners hang down about it


def test_a_loop_is_blended_over_its_seam() -> None:
    from lazzik.core.simulate.draped import AT_HAND, DrapedFrames

    loop = {"do": "change-cloth", "node": "sheet", "loop": 40}
    scene = hung(WIND, loop, {"do": "set", "address": "sheet/cloth.blend", "value": 10})
    drape = DrapedFrames(scene, "sheet", AT_HAND)
    at = np.array([0.0, 40.0, 0.001, 40.001, 39.999, 10.0, 50.0, 25.0])
    rows = drape.at(at)
    np.testing.assert_array_equal(rows[0], rows[1])
    np.testing.assert_allclose(rows[2], rows[3], atol=1e-12)
    # what comes in at the end goes on at the beginning
    np.testing.assert_allclose(rows[1] - rows[4], rows[3] - rows[1], atol=2e-6)
    np.testing.assert_allclose(rows[5], rows[6], atol=1e-12)
    kept = {moment.frame: moment for moment in frames_of(scene, 41)}
    np.testing.assert_allclose(rows[7], kept[25].points[ClothRun(scene, "sheet").fabric.place], atol=1e-6)
    np.testing.assert_allclose(rows[0], kept[40].points[ClothRun(scene, "sheet").fabric.place], atol=1e-6)


def test_between_frames_it_goes_smoothly_and_through_them() -> None:
    from lazzik.core.simulate.draped import AT_HAND, DrapedFrames

    scene = hung(WIND)
    drape = DrapedFrames(scene, "sheet", AT_HAND)
    at = np.arange(20, 30, 0.1)
    rows = drape.at(at)
    np.testing.assert_array_equal(rows[::10], drape.at(np.arange(20.0, 30.0)))
    slopes = np.diff(rows, axis=0)
    assert np.abs(np.diff(slopes, axis=0)).max() < 0.2 * np.abs(slopes).max()


def test_switched_off_it_is_as_it_was() -> None:
    from lazzik.core.simulate.draped import surface_seen

    scene = hung(WIND, {"do": "change-cloth", "node": "sheet", "muted": True})
    node = scene.by_id["sheet"]
    surface = surface_seen(scene, node, scene.clock(), Scope(scene))
    assert surface.still
    assert np.array_equal(surface.points(0), surface.rest.points)


HOSTILE: dict[str, tuple[dict[str, Any], ...]] = {
    "a storm": ({"do": "set", "address": "wind/field.speed", "value": 300},
                {"do": "set", "address": "sheet/cloth.weight", "value": 0.001},
                {"do": "set", "address": "sheet/cloth.across", "value": 1000}),
    "no weight": ({"do": "add-layer", "address": "sheet/cloth.weight", "kind": "wave"},
                  {"do": "set", "address": "sheet/cloth.weight#wave.amplitude", "value": 50.0}),
    "pins that part": (
        {"do": "add-object", "label": "Far"},
        {"do": "put-key", "address": "far/position.x", "frame": 0, "value": 0},
        {"do": "put-key", "address": "far/position.x", "frame": 10, "value": 1e9},
        {"do": "pin", "node": "sheet", "place": "bottom edge", "to": "far"},
    ),
    "endlessly stiff": ({"do": "set", "address": "sheet/cloth.bend", "value": 1e6},
                        {"do": "set", "address": "sheet/cloth.stretch", "value": 1e9}),
    "without any hold": ({"do": "set", "address": "sheet/cloth.stretch", "value": 0},
                         {"do": "set", "address": "sheet/cloth.bend", "value": 0}),
    "turned at once": ({"do": "put-key", "address": "sheet/rotation.x", "frame": 0, "value": 0},
                       {"do": "put-key", "address": "sheet/rotation.x", "frame": 1, "value": 1e7}),
    "flat": ({"do": "set", "address": "sheet/scale.x", "value": 0},
             {"do": "set", "address": "sheet/scale.y", "value": 0}),
    "heavy": ({"do": "set", "address": "sheet/cloth.weight", "value": 1000},
              {"do": "set", "address": "sheet/cloth.gravity", "value": 1e9}),
}  # fmt: skip


@pytest.mark.parametrize("name", list(HOSTILE))
def test_whatever_it_is_given_it_stays_finite(name: str) -> None:
    scene = hung(WIND, *HOSTILE[name], cuts=12)
    for moment in frames_of(scene, 15):
        assert np.isfinite(moment.points).all()


def test_a_mesh_with_holes_slivers_and_loose_points_is_cloth_too() -> None:
    from lazzik.core.geometry.mesh import Mesh, normals_of

    whole = Sheet(kind="sheet", width=1.0, height=1.0, columns=6, rows=6).mesh(None)  # type: ignore[arg-type]
    points = np.concatenate([whole.points, [[3.0, 0, 0], [4.0, 0, 0], [4.0, 0, 0]]])
    n = len(points)
    triangles = np.concatenate([whole.triangles[3:], [[n - 3, n - 2, n - 1], [0, 0, 1], [2, 3, 2]]])
    torn = Mesh(points, normals_of(points, triangles, np.arange(n)), triangles)
    run = ClothRun(hung(WIND, standing=False), "sheet", mesh=torn)
    for moment, _ in run.frames(0, 10):
        assert np.isfinite(moment.points).all()
    loose = run.fabric.loose
    assert len(loose) > 0
    np.testing.assert_allclose(moment.points[loose], run.fabric.local[loose], atol=1e-9)


def test_a_mesh_of_too_many_points_is_refused_with_a_sentence(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(cloths, "MOST_POINTS", 100)
    with pytest.raises(InvalidEdit, match="cut it more coarsely"):
        list(ClothRun(hung(), "sheet").frames(0, 0))


@pytest.mark.slow
def test_ten_thousand_frames_in_a_gale_stay_finite() -> None:
    gale = {"do": "add-object", "label": "Gale", "field": {"kind": "wind", "speed": 40.0, "gusts": 0.6}}
    scene = hung(gale, cuts=29, pins=corners("left top", "right top"))
    for moment, _ in ClothRun(scene, "sheet").frames(1, 10_000):
        assert np.isfinite(moment.points).all()


@pytest.mark.slow
def test_ten_thousand_points_keep_their_lengths_in_a_strong_wind() -> None:
    wind = {"do": "add-object", "label": "Wind", "field": {"kind": "wind", "speed": 10.0, "gusts": 0.0, "swing": 0.0}}
    scene = hung(
        wind, {"do": "set", "address": "sheet/rotation.y", "value": 90}, pins=corners("left top", "right top"), cuts=99,
        size=2.0, stretch=100_000.0,
    )  # fmt: skip
    run = ClothRun(scene, "sheet")
    off = []
    for moment, _ in run.frames(1, 100):
        a, b = (moment.points[run.fabric.edges[:, k]] for k in range(2))
        off.append(np.linalg.norm(a - b, axis=1) / run.fabric.lengths - 1)
    assert np.abs(off).mean() < 0.01
    assert np.max(off) < 0.3


def test_a_coarser_mesh_carries_the_finer_one() -> None:
    mesh = Sheet(kind="sheet", width=2.0, height=1.0, columns=60, rows=30).mesh(None)  # type: ignore[arg-type]
    coarse = coarser(mesh, 200)
    assert len(coarse.mesh.points) <= 200
    np.testing.assert_allclose(coarse.spread(coarse.mesh.points[None])[0], mesh.points, atol=1e-9)
    bent = coarse.mesh.points @ np.array([[1.0, 0.2, 0], [0, 1, 0], [0.1, 0, 0.5]])  # what is straight stays straight
    expected = mesh.points @ np.array([[1.0, 0.2, 0], [0, 1, 0], [0.1, 0, 0.5]])
    np.testing.assert_allclose(coarse.spread(bent[None])[0], expected, atol=1e-9)
    box = Box(kind="box", width=0.3, height=0.2, depth=0.1).mesh(None)  # type: ignore[arg-type]
    assert coarser(box, 200).mesh is box


def test_shown_coarsely_it_hangs_about_as_it_does() -> None:
    from lazzik.core.simulate.coarse import thinned
    from lazzik.core.simulate.draped import AT_HAND, DrapedFrames

    scene = hung(WIND, cuts=30, calm=1.0)
    true = DrapedFrames(scene, "sheet", AT_HAND).at(np.array([30.0]))
    rough = thinned(scene, "sheet", 30, scene, AT_HAND)
    assert rough.shape == true.shape
    assert np.linalg.norm(rough - true, axis=2).mean() < 0.1
    there = world_of(scene, scene.by_id["sheet"], scene.clock(), Scope(scene))
    assert there.shape[1:] == (4, 4)
