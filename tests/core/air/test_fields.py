"""The fields: what they blow at, against closed forms, random points and their own definitions."""

from __future__ import annotations

from typing import Any, get_args

import numpy as np
import pytest

from lazzik.core.air import FIELD_KINDS, FILES
from lazzik.core.air.beaufort import NAMES, beaufort, whence
from lazzik.core.air.eddies import C1
from lazzik.core.air.turbulence import GRADIENTS, noise_2, noise_3
from lazzik.core.air.wind import REACH_2, REACH_3
from lazzik.core.channel.layer import numbers_of
from lazzik.core.clock import Clock
from lazzik.core.evaluate.airflow import air, field_rows
from lazzik.core.evaluate.scope import Scope
from lazzik.core.scene.scene import Scene
from lazzik.core.types import Points
from tests.conftest import edited

FPS = 30.0


def blowing(*fields: dict[str, Any], last: int = 250) -> Scene:
    """A scene with these fields, each at the origin as it stands."""
    adds = [{"do": "add-object", "label": field["kind"], "field": field} for field in fields]
    return edited(Scene(name="Air", last=last), *adds)


def blown(scene: Scene, points: Points, frames: Any) -> Points:
    """(frames, n, 3) the air at points."""
    clock = Clock(scene.fps, scene.first, np.atleast_1d(np.asarray(frames, dtype=float)))
    return air(points[None], clock, Scope(scene))


def spread(count: int, size: float, seed: int = 1) -> Points:
    """Points even in a cube about the origin."""
    return np.random.default_rng(seed).uniform(-size, size, (count, 3))


# the wind


def test_a_steady_wind_blows_along_its_own_x_however_it_is_turned() -> None:
    scene = blowing({"kind": "wind", "speed": 7.0, "gusts": 0.0, "swing": 0.0})
    turned = edited(scene, {"do": "set", "address": "wind/rotation.y", "value": 90.0})
    points = spread(20, 30)
    np.testing.assert_allclose(blown(scene, points, [0, 33.5]), np.broadcast_to([7.0, 0, 0], (2, 20, 3)), atol=1e-12)
    np.testing.assert_allclose(blown(turned, points, [0]), np.broadcast_to([0, 0, -7.0], (1, 20, 3)), atol=1e-12)


def test_gusts_stay_within_their_share_and_reach_it_in_a_usual_stretch() -> None:
    scene = blowing({"kind": "wind", "speed": 10.0, "gusts": 0.5, "swing": 0.0, "gust_length": 2.0})
    rng = np.random.default_rng(3)
    highs = []
    for _ in range(300):
        line = np.zeros((200, 3))
        line[:, 0], line[:, 2] = rng.uniform(-900, 900) + np.linspace(0, 32, 200), rng.uniform(-900, 900)
        speeds = blown(scene, line, [0])[0, :, 0]
        assert speeds.min() >= 5.0 - 1e-9
        assert speeds.max() <= 15.0 + 1e-9
        highs.append(speeds.max())
    assert np.mean(highs) == pytest.approx(15.0, abs=0.45)  # what goes beyond the usual is softly limited


@pytest.mark.parametrize(("noise", "reach"), [(2, REACH_2), (3, REACH_3)])
def test_the_usual_reach_of_a_noise_is_what_it_reaches_over_16_cells(noise: int, reach: float) -> None:
    rng = np.random.default_rng(5)
    highs = []
    for _ in range(400):
        b, c, start = rng.uniform(-500, 500, 3)
        steps = start + np.linspace(0, 16, 160)
        values = [noise_2(a, b, 0, 3) if noise == 2 else noise_3(a, b, c, 0, 3) for a in steps]
        highs.append(max(values))
    assert np.mean(highs) == pytest.approx(reach, rel=0.03)


@pytest.mark.parametrize("distance", [6.0, 12.0, 24.0])
def test_a_gust_arrives_downwind_later_by_distance_over_speed(distance: float) -> None:
    scene = blowing({"kind": "wind", "speed": 8.0, "gusts": 0.6, "swing": 0.0}, last=2000)
    speeds = blown(scene, np.array([[0.0, 0, 0], [distance, 0, 0]]), np.arange(2001.0))[:, :, 0]
    near, far = (row - row.mean() for row in speeds.T)
    found = int(np.argmax([np.dot(near[: 2001 - 150], far[lag : lag + 2001 - 150]) for lag in range(150)]))
    assert abs(found - distance / 8.0 * FPS) <= 1


def test_neighbours_abreast_feel_gusts_of_their_own() -> None:
    scene = blowing({"kind": "wind", "speed": 8.0, "gusts": 0.6, "swing": 0.0, "gust_length": 4.0}, last=20_000)
    frames = np.arange(0, 20_000, 10.0)
    for across in (12.0, 20.0):
        speeds = blown(scene, np.array([[0.0, 0, 0], [0, 0, across]]), frames)[:, :, 0]
        assert abs(np.corrcoef(speeds[:, 0], speeds[:, 1]).item(1)) <= 0.3


def test_a_keyed_speed_neither_races_nor_jumps() -> None:
    keys = [{"do": "put-key", "address": "wind/field.speed", "frame": f, "value": v} for f, v in ((1900, 6), (1960, 8))]
    scene = edited(blowing({"kind": "wind", "gusts": 0.5, "swing": 0.0}, last=2000), *keys)
    points = np.array([[50.0, 0, 0]])
    fine = np.arange(1890, 1990, 0.25)
    speeds = blown(scene, points, fine)[:, 0, 0]
    # the pattern's own slope, U·g·n' with |n'| ≤ about 3 a cell, and the speed's own; a race would be far beyond
    assert np.abs(np.diff(speeds)).max() * 4 * FPS < 8 * 0.5 * (8 / 9) * 3 / REACH_2 + 3


def test_the_swing_turns_it_to_either_side_and_no_further() -> None:
    scene = blowing({"kind": "wind", "speed": 6.0, "gusts": 0.0, "swing": 20.0}, last=6000)
    v = blown(scene, np.zeros((1, 3)), np.arange(0, 6001, 3.0))[:, 0]
    turned: Any = np.degrees(np.arctan2(-v[:, 2], v[:, 0]))
    assert np.abs(turned).max() <= 20.0 + 1e-9
    assert turned.max() > 16
    assert turned.min() < -16
    np.testing.assert_allclose(np.linalg.norm(v, axis=1), 6.0, atol=1e-12)


# the eddies


@pytest.mark.parametrize(
    "numbers",
    [{"octaves": 1.0}, {"octaves": 3.0, "roughness": 0.7}, {"octaves": 2.5}, {"octaves": 3.0, "life": 0.8}],
)
def test_eddies_have_the_strength_that_they_are_given(numbers: dict[str, float]) -> None:
    scene = blowing({"kind": "eddies", "strength": 2.0, "size": 0.5, "carried": "nothing"} | numbers)
    points = spread(60_000, 150)
    v = blown(scene, points, [0, 5, 12, 18])
    assert np.sqrt((v**2).sum(axis=2).mean(axis=1)) == pytest.approx(np.full(4, 2.0), rel=0.02)
    assert np.abs(v.mean(axis=1)).max() < 0.03


def test_they_have_it_at_every_moment_of_keyed_octaves() -> None:
    scene = blowing({"kind": "eddies", "strength": 2.0, "size": 0.5, "carried": "nothing"})
    keys = [{"do": "put-key", "address": "eddies/field.octaves", "frame": f, "value": v} for f, v in ((0, 1), (60, 4))]
    v = blown(edited(scene, *keys), spread(60_000, 150), [0, 13, 30, 41, 60])
    assert np.sqrt((v**2).sum(axis=2).mean(axis=1)) == pytest.approx(np.full(5, 2.0), rel=0.02)


@pytest.mark.parametrize(("octaves", "bound"), [(1, 1e-6), (3, 1e-6), (8, 1e-4)])
def test_nothing_is_blown_in_or_out_inside_or_at_the_edge_of_their_reach(octaves: int, bound: float) -> None:
    size, strength = 0.8, 3.0
    scene = blowing(
        {"kind": "eddies", "strength": strength, "size": size, "octaves": float(octaves), "carried": "nothing",
         "reach": "within", "inner": 2.0, "outer": 5.0}
    )  # fmt: skip
    points = spread(4000, 5.5)
    step = 1e-5 * size / 2 ** (octaves - 1)
    divergence = np.zeros(len(points))
    for axis in range(3):
        aside = step * np.eye(3)[axis]
        divergence += (blown(scene, points + aside, [0]) - blown(scene, points - aside, [0]))[0, :, axis] / (2 * step)
    assert np.abs(divergence).max() <= bound * strength / size
    away = np.linalg.norm(points, axis=1)
    still = blown(scene, points, [0])[0]
    assert np.all(still[away >= 5.0] == 0)
    assert np.sqrt((still[away < 2.0] ** 2).sum(axis=1).mean()) > 0.5 * strength


def test_their_size_is_the_half_width_of_the_autocorrelation() -> None:
    size = 1.2
    scene = blowing({"kind": "eddies", "size": size, "octaves": 1.0, "carried": "nothing"})
    points, way = spread(30_000, 200), np.random.default_rng(8).normal(size=(30_000, 3))
    way /= np.linalg.norm(way, axis=1, keepdims=True)
    here = blown(scene, points, [0])[0]

    def alike(distance: float) -> float:
        there = blown(scene, points + distance * way, [0])[0]
        return float((here * there).sum() / (here**2).sum())

    assert alike(size / 1.3) > 0.5 > alike(size * 1.3)


def test_the_strength_of_one_octave_is_an_integral_over_a_cell() -> None:
    places, shares = np.polynomial.legendre.leggauss(24)
    f, w = (places + 1) / 2, shares / 2
    fade, slope = 1 - f**3 * (f * (6 * f - 15) + 10), -30 * (f * (1 - f)) ** 2
    x, y, z = np.meshgrid(f, f, f, indexing="ij")
    at = np.einsum("i,j,k->ijk", fade, fade, fade)
    slopes = (np.einsum("i,j,k->ijk", slope, fade, fade), np.einsum("i,j,k->ijk", fade, slope, fade),
              np.einsum("i,j,k->ijk", fade, fade, slope))  # fmt: skip
    total = sum((s * s * (x * x + y * y + z * z) + 2 * at * s * p + at * at)
                for s, p in zip(slopes, (x, y, z), strict=True))  # fmt: skip
    exact = np.sqrt(8 * 2 / 3 * np.einsum("i,j,k,ijk->", w, w, w, total))
    assert pytest.approx(exact, rel=0.015) == C1  # for gradients of every direction; the table has 256


def test_they_drift_with_the_wind_where_they_stand() -> None:
    wind = {"kind": "wind", "speed": 5.0, "gusts": 0.0, "swing": 0.0}
    scene = blowing(wind, {"kind": "eddies", "carried": "wind"})
    steady = edited(scene, {"do": "change-field", "node": "wind", "muted": True})
    still = blown(edited(scene, {"do": "change-field", "node": "eddies", "muted": True}), spread(50, 4), [30])
    points = spread(50, 4)
    later = blown(scene, points + np.array([5.0, 0, 0]), [30])  # a second on, five metres downwind
    np.testing.assert_allclose(later - still, blown(steady, points, [0]), atol=1e-9)


def test_the_rows_of_the_table_are_unit_vectors_of_every_direction() -> None:
    for k in range(3):
        rows = GRADIENTS[:, 3 * k : 3 * k + 3]
        np.testing.assert_allclose(np.linalg.norm(rows, axis=1), 1.0, atol=1e-12)
        assert np.linalg.norm(rows.mean(axis=0)) < 3 / np.sqrt(len(rows))


# whirl, push, reach


def test_a_whirl_turns_about_its_axis_fastest_at_its_radius() -> None:
    scene = blowing({"kind": "whirl", "speed": 4.0, "radius": 1.5, "inflow": 1.0, "lift": 2.0})
    v = blown(scene, np.array([[1.5, 0, 0], [0, 3.0, 0], [3.0, 1.0, 0], [0, 0, 1.5]]), [7])[0]
    np.testing.assert_allclose(v[0], [-1.0, 1.0, -4.0], atol=1e-12)
    np.testing.assert_allclose(v[1], [0, 2.0, 0], atol=1e-12)
    np.testing.assert_allclose(v[2], [-0.8, 0.4, -3.2], atol=1e-12)
    np.testing.assert_allclose(v[3], [4.0, 1.0, -1.0], atol=1e-12)


def test_a_push_blows_away_from_where_it_stands() -> None:
    scene = edited(
        blowing({"kind": "push", "speed": 3.0, "radius": 2.0}),
        {"do": "set", "address": "push/position.y", "value": 1.0},
    )
    v = blown(scene, np.array([[0.0, 3.0, 0.0], [0.0, 1.0, 0.0], [0.0, 1.0, 4.0]]), [0])[0]
    np.testing.assert_allclose(v, np.array([[0, 3.0, 0], [0, 0, 0], [0, 0, 2.4]]), atol=1e-12)


@pytest.mark.parametrize("kind", FILES)
def test_a_reach_ends_every_kind_softly(kind: str) -> None:
    free = {"kind": kind} | ({"gusts": 0.0, "swing": 0.0} if kind == "wind" else {})
    whole, part = blowing(free), blowing(free | {"reach": "within", "inner": 2.0, "outer": 4.0})
    way = np.array([1.0, 0.4, -0.7]) / np.linalg.norm([1.0, 0.4, -0.7])
    points = np.array([[1.9], [3.0], [4.0], [9.0]]) * way
    full, less = blown(whole, points, [3])[0], blown(part, points, [3])[0]
    np.testing.assert_allclose(less[0], full[0], atol=1e-12)
    assert np.all(less[2:] == 0)
    if kind != "eddies":
        np.testing.assert_allclose(less[1], full[1] / 2, atol=1e-12)


@pytest.mark.parametrize("kind", FILES)
def test_what_is_muted_or_has_nothing_to_it_moves_nothing(kind: str) -> None:
    model = FIELD_KINDS[kind]
    scene = blowing({"kind": kind})
    points = spread(40, 3)
    assert np.abs(blown(scene, points, [4])).max() > 0.1
    assert np.all(blown(edited(scene, {"do": "change-field", "node": kind, "muted": True}), points, [4]) == 0)
    for name, value in model.idle_at.items():
        idle = edited(scene, {"do": "set", "address": f"{kind}/field.{name}", "value": value})
        assert np.abs(blown(idle, points, [4])).max() < 1e-12


def test_the_air_is_the_sum_of_its_fields() -> None:
    fields = [{"kind": kind} for kind in ("wind", "whirl", "push")]
    points = spread(60, 5)
    together = blown(blowing(*fields), points, [9, 90])
    np.testing.assert_allclose(
        together, np.sum([blown(blowing(field), points, [9, 90]) for field in fields], 0), atol=1e-12
    )


# loops


@pytest.mark.parametrize(
    "fields",
    [
        [{"kind": "wind"}],
        [{"kind": "wind", "speed": 0.6}],  # less than a cell goes by: the gusts change in their place
        [{"kind": "wind"}, {"kind": "eddies"}],
        [{"kind": "eddies", "carried": "own", "drift": 0.05}],
        [{"kind": "eddies", "carried": "nothing", "life": 1.1}],
        [{"kind": "wind"}, {"kind": "eddies", "carried": "both", "life": 2.0, "octaves": 3.5}],
    ],
)
def test_the_air_meets_itself_in_a_loop(fields: list[dict[str, Any]]) -> None:
    scene = edited(blowing(*fields), {"do": "loop", "fit": True})
    points, e = spread(40, 12), 1 / 512
    v = blown(scene, points, [0, 250, 500, e, 2 * e, 250 - e, 250 - 2 * e])
    np.testing.assert_allclose(v[1], v[0], atol=1e-9)
    np.testing.assert_allclose(v[2], v[0], atol=1e-9)
    after, before = (-3 * v[0] + 4 * v[3] - v[4]) / (2 * e), (3 * v[1] - 4 * v[5] + v[6]) / (2 * e)
    np.testing.assert_allclose(before, after, atol=1e-6)  # metres per second, a frame
    assert np.ptp(blown(scene, points, np.arange(0, 250, 10)), axis=0).max() > 0.05  # and it moves


def test_a_loop_never_slows_the_wind() -> None:
    endless = blowing({"kind": "wind", "gusts": 0.0})
    looped = edited(blowing({"kind": "wind", "gusts": 0.0, "swing": 0.0}), {"do": "loop", "fit": True})
    speeds = np.linalg.norm(blown(looped, spread(9, 9), np.arange(0, 250, 9)), axis=2)
    np.testing.assert_allclose(speeds, 6.0, atol=1e-12)
    np.testing.assert_allclose(np.linalg.norm(blown(endless, spread(9, 9), [40]), axis=2), 6.0, atol=1e-12)


# the same whatever is asked beside it


def test_the_air_is_the_same_in_any_range_and_at_any_step() -> None:
    scene = blowing({"kind": "wind"}, {"kind": "eddies", "life": 1.5})
    keyed = edited(
        scene, *({"do": "put-key", "address": "wind/field.speed", "frame": f, "value": v} for f, v in ((3, 2), (99, 9)))
    )
    points = spread(30, 8)
    whole = blown(keyed, points, np.arange(0, 120.5, 0.5))
    np.testing.assert_array_equal(blown(keyed, points, [60.5])[0], whole[121])
    np.testing.assert_array_equal(blown(keyed, points, np.arange(40.0, 80.0)), whole[80:160:2])
    np.testing.assert_array_equal(blown(keyed, points[7:9], [11.0])[0], whole[22, 7:9])


# what they say of themselves


@pytest.mark.parametrize(
    "field",
    [
        {"kind": "wind", "speed": 9.0, "gust_length": 2.0},
        {"kind": "wind", "speed": 9.0, "gust_length": 2.0, "loop": 60.0, "reach": "within"},
        {"kind": "wind", "speed": 0.2, "loop": 20.0},
        {"kind": "eddies", "octaves": 2.6, "carried": "own"},
        {"kind": "eddies", "octaves": 3.0, "life": 0.7, "carried": "own", "loop": 80.0},
        {"kind": "eddies", "life": 0.5, "reach": "within", "inner": 1.0, "outer": 5.0},
    ],
)
@pytest.mark.parametrize("moving", [False, True])
def test_many_moments_in_one_go_are_the_bits_of_each_by_itself(field: dict[str, Any], moving: bool) -> None:
    scene = blowing({"kind": "wind", "speed": 3.0}, field)
    seed = {"do": "put-key", "address": f"{scene.nodes[1].id}/field.seed", "go": "step"}
    raised = {"do": "set", "address": f"{scene.nodes[1].id}/position.y", "value": 0.4}
    scene = edited(scene, raised, seed | {"frame": 0, "value": 3}, seed | {"frame": 70, "value": 4})
    clock, node = scene.clock(2), scene.nodes[1]
    assert node.field is not None
    rows = field_rows(node, clock, Scope(scene))
    path = np.linspace(0, 3, len(rows) if moving else 1)[:, None, None]
    points = np.ascontiguousarray(spread(7, 4.5) + path)
    together, alone = np.zeros((len(rows), 7, 3)), np.zeros((len(rows), 7, 3))
    node.field.blow(points, rows, together)
    for m in range(len(rows)):
        node.field.blow(points[m : m + 1] if moving else points, rows[m : m + 1], alone[m : m + 1])
    assert together.any()
    np.testing.assert_array_equal(together, alone)


@pytest.mark.parametrize("kind", FILES)
def test_fields_describe_themselves(kind: str) -> None:
    model = FIELD_KINDS[kind]
    assert get_args(model.model_fields["kind"].annotation) == (kind,)
    assert model.summary.endswith(".")
    assert model.strongest in numbers_of(model)
    for name, quantity in numbers_of(model).items():
        assert quantity.help.endswith("."), name
        assert quantity.low <= quantity.useful[0] < quantity.useful[1] <= quantity.high, name
    for name, choices in model.settings().items():
        assert set(choices) == set(get_args(model.model_fields[name].annotation))


@pytest.mark.parametrize(
    ("speed", "force", "name"),
    [(0, 0, "calm"), (3.3, 2, "a light breeze"), (6, 4, "a moderate breeze"), (-12, 6, "a strong breeze"),
     (40, 12, "a hurricane")],
)  # fmt: skip
def test_the_beaufort_scale(speed: float, force: int, name: str) -> None:
    assert beaufort(speed) == (force, name)
    assert [limit for limit, _ in NAMES] == sorted(limit for limit, _ in NAMES)


def test_whence_a_wind_blows() -> None:
    assert whence(5, 0) == (270.0, "west")
    assert whence(0, -5)[1] == "north"
    assert whence(-3, -3)[1] == "north-east"
