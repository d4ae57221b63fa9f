"""Swarms: held against brute force, a plain solver and themselves more finely; the same to the bit however they are
asked for; finite whatever they are given."""

from __future__ import annotations

import hashlib
import subprocess
import sys
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from scipy.integrate import quad
from scipy.spatial import cKDTree

from lazzik.core.errors import InvalidEdit
from lazzik.core.evaluate.airflow import world_of
from lazzik.core.evaluate.scope import Scope
from lazzik.core.scene.serialize import scene_text
from lazzik.core.simulate import pbf, swarm
from lazzik.core.simulate.coarse_swarm import MOST, coarse_swarm
from lazzik.core.simulate.kept import KeptFrames, course, packed, unpacked
from lazzik.core.simulate.playback import Playback, seams, stretches_read
from lazzik.core.simulate.run import FolderStorage, run_key
from lazzik.core.simulate.swarm import SwarmRun
from tests.conftest import edited
from tests.core.simulate.swarms import AFLOAT, densities_in, drop, moments_of, rest_density, tank, wendland

Points = np.ndarray[tuple[int, ...], np.dtype[np.float64]]

WIND = {"do": "add-object", "label": "Wind", "field": {"kind": "wind", "speed": 6.0, "gusts": 0.0}}
EDDIES = {"do": "add-object", "label": "Eddies", "field": {"kind": "eddies", "strength": 1.5, "size": 0.6}}
ALL_OF_IT = {"do": "change-swarm", "node": "swarm", "settings": {"wind": "all"}}


def pairs_of(places: Points, reach: float) -> tuple[Points, np.ndarray[Any, Any], np.ndarray[Any, Any]]:
    """Places in the order of their cells, and their pairs."""
    keys = pbf.keys_of(places, reach)
    order = np.argsort(keys, kind="stable")
    there, starts = np.ascontiguousarray(places[order]), np.empty(len(places) + 1, dtype=np.int64)
    others = np.empty(len(places) ** 2, dtype=np.int64)
    found = pbf.find_pairs(keys[order], there, reach, starts, others)
    few = np.empty(found // 3, dtype=np.int64)  # as far as there is room, they are the same
    assert pbf.find_pairs(keys[order], there, reach, np.empty_like(starts), few) == len(few)
    np.testing.assert_array_equal(few, others[: len(few)])
    return there, starts, others[:found]


@pytest.mark.parametrize("seed", range(6))
def test_neighbours_are_those_that_brute_force_finds(seed: int) -> None:
    chance = np.random.default_rng(seed)
    places = chance.normal(0.0, 0.3 if seed % 2 else 3.0, (400, 3)) + chance.integers(-40, 40, 3)
    places[:40] = np.round(places[:40] / 0.25) * 0.25  # on the rims of cells, several in one spot
    there, starts, others = pairs_of(places, 0.25)
    found = {(a, int(b)) for a in range(len(there)) for b in others[starts[a] : starts[a + 1]]}
    away = np.linalg.norm(there[:, None] - there[None], axis=2)
    wanted = {(a, b) for a, b in zip(*np.nonzero(away < 0.25), strict=True) if a < b}
    assert {tuple(sorted(pair)) for pair in found} == wanted
    assert len(found) == len(others)


def test_densities_and_their_gradients_are_the_sums_that_are_written_down() -> None:
    places = np.random.default_rng(3).uniform(0.0, 0.4, (300, 3))
    apart, support = 0.06, 0.12
    there, starts, others = pairs_of(places, support)
    n = len(there)
    densities, squares, slopes, gradients = np.empty(n), np.empty(n), np.empty(len(others)), np.empty((n, 3))
    scale = apart**3 * 21 / (2 * np.pi * support**3) / rest_density(apart)
    pbf.sum_densities(there, starts, others, support, scale, densities, gradients, squares, slopes)
    np.testing.assert_allclose(densities, densities_in(there, there, apart), rtol=1e-12)

    def dense(a: int, place: Points) -> float:
        moved = there.copy()
        moved[a] = place
        return float(densities_in(moved, place[None], apart)[0])

    for a in (0, 77, 299):
        step = 1e-6 * np.eye(3)
        slope = [(dense(a, there[a] + s) - dense(a, there[a] - s)) / 2e-6 for s in step]
        np.testing.assert_allclose(gradients[a], slope, rtol=1e-5, atol=1e-4)
    away = there[:, None] - there[None]
    r = np.linalg.norm(away, axis=2)
    steep = -20 * scale / support**2 * np.maximum(1 - r / support, 0) ** 3 * r
    np.testing.assert_allclose(squares, (steep**2).sum(axis=1), rtol=1e-9)


def test_a_wall_counts_for_the_share_of_the_kernel_that_lies_beyond_it() -> None:
    for s in (0.0, 0.2, 0.55, 0.9):
        beyond, _ = quad(lambda r, s=s: 2 * np.pi * r * (r - s) * float(wendland(np.array(r), 1.0)), s, 1.0)
        assert np.polynomial.Polynomial(pbf.WALL)(s) == pytest.approx(beyond, abs=1e-12)
        slope = (np.polynomial.Polynomial(pbf.WALL)(s + 1e-6) - np.polynomial.Polynomial(pbf.WALL)(s)) / 1e-6
        assert np.polynomial.Polynomial(pbf.WALL_SLOPE)(s) == pytest.approx(slope, abs=1e-4)
    even, _ = quad(lambda r: 4 * np.pi * r**2 * 20 * 21 / (2 * np.pi) * (1 - r) ** 3, 0, 1)
    assert pytest.approx(even) == pbf.EVEN
    assert pytest.approx(rest_density(0.05), rel=1e-12) == pbf.AT_REST


def plain_step(places: Points, speeds: Points, apart: float, seconds: float, numbers: dict[str, float]) -> Any:
    """One sub-step without walls, written for one particle after the other as it is published."""
    support, n = 2 * apart, len(places)
    mass = apart**3 / rest_density(apart)
    to = [places[a] + seconds * (speeds[a] + [0, -9.81 * numbers["gravity"] * seconds, 0]) for a in range(n)]
    pairs = [[b for b in range(n) if b != a and np.linalg.norm(to[a] - to[b]) < support] for a in range(n)]

    def steep(r: Points) -> Points:
        far = float(np.linalg.norm(r))
        if far >= support:
            return np.zeros(3)
        return np.asarray(-20 * 21 / (2 * np.pi * support**5) * mass * (1 - far / support) ** 3 * r)

    for _ in range(swarm.SWEEPS):
        share, own = [], []
        for a in range(n):
            gap = np.array([np.linalg.norm(to[a] - to[b]) for b in (a, *pairs[a])])
            dense = mass * float(wendland(gap, support).sum())
            each = [steep(to[a] - to[b]) for b in pairs[a]]
            own.append(sum(each, np.zeros(3)))
            below = sum(float(g @ g) for g in each) + float(own[a] @ own[a]) + 1e-6 / apart**2
            share.append(-0.75 * max(dense - 1.0, 0.0) / below)
        slopes = [{b: steep(to[a] - to[b]) for b in pairs[a]} for a in range(n)]
        gaps = [{b: float(np.linalg.norm(to[a] - to[b])) for b in pairs[a]} for a in range(n)]
        moves = [sum(((share[a] + share[b]) * slopes[a][b] for b in pairs[a]), np.zeros(3)) for a in range(n)]
        for a in range(n):
            far = float(np.linalg.norm(moves[a]))
            to[a] = to[a] + moves[a] * min(1.0, 0.4 * apart / far if far else 1.0)
    fast = [(to[a] - places[a]) / seconds for a in range(n)]
    even = (1 - np.exp(-numbers["viscosity"] * seconds)) * support**2 / 14.0
    out = []
    for a in range(n):
        pull = numbers["cohesion"] * seconds * support / 1.5 * own[a]
        pull *= min(1.0, 0.25 * apart / seconds / max(float(np.linalg.norm(pull)), 1e-300))
        drag = np.zeros(3)
        for b in pairs[a]:
            weight = float(np.linalg.norm(slopes[a][b])) / max(gaps[a][b], 1e-300)
            drag += even * weight * (fast[b] - fast[a])
        out.append(fast[a] + pull + drag)
    return np.array(to), np.array(out)


def test_thirty_particles_go_as_a_plain_solver_has_them() -> None:
    scene = drop(radius=0.1, apart=0.05, viscosity=8.0, cohesion=12.0)
    run = SwarmRun(scene, "swarm")
    chance = np.random.default_rng(5)
    places = np.ascontiguousarray(run.filled.places[:30] * [0.9, 1.0, 0.9])  # pressed, so that it is pushed apart
    speeds = chance.normal(0.0, 0.3, (len(places), 3))
    assert len(places) == 30
    state = run.begun(0, places, speeds)
    numbers = {"gravity": 1.0, "viscosity": 8.0, "cohesion": 12.0}
    for _ in range(6):
        state = run.stepped(state, state.step + 1)
        places, speeds = plain_step(places, speeds, 0.05, 0.01, numbers)
        np.testing.assert_allclose(state.places, places, atol=1e-9)
        np.testing.assert_allclose(state.speeds, speeds, atol=1e-7)


def test_at_rest_in_a_box_it_is_as_dense_as_it_began_and_nothing_is_outside() -> None:
    apart, (wide, deep) = 0.05, (0.6, 0.75)
    scene = tank(size=(wide, 1.2, wide), apart=apart, full=deep / 1.2, last=100)
    moment = moments_of(scene, 100, first=100)[0]
    places = moment.places
    assert np.ptp(SwarmRun(scene, "swarm").filled.places[:, 1]) == pytest.approx(14 * apart, abs=0.2 * apart)
    assert np.all(np.abs(places[:, [0, 2]]) < wide / 2)
    assert places[:, 1].min() > 0
    inner = np.all(np.abs(places[:, [0, 2]]) < wide / 2 - 2 * apart, axis=1)
    inner &= (places[:, 1] > 2 * apart) & (places[:, 1] < deep - 3 * apart)
    assert densities_in(places, places[inner], apart).mean() == pytest.approx(1.0, abs=0.03)
    assert places[:, 1].mean() == pytest.approx(deep / 2, rel=0.03)  # nor has it lost any room
    assert np.linalg.norm(moment.speeds, axis=1).mean() < 0.03


def test_it_is_the_same_at_twice_the_resolution() -> None:
    levels = []
    for apart in (0.06, 0.03):
        scene = tank(size=(0.6, 0.72, 0.6), apart=apart, full=0.5, last=60)
        places = moments_of(scene, 60, first=60)[0].places
        levels.append(places[:, 1].mean())
    assert levels[1] == pytest.approx(levels[0], rel=0.07)
    assert levels[1] == pytest.approx(0.18, rel=0.03)


def test_the_middle_of_what_is_free_falls_as_anything_does() -> None:
    scene = drop(cohesion=15.0, viscosity=6.0)
    run = SwarmRun(scene, "swarm")
    begun = run.filled.places.mean(axis=0)
    for moment in moments_of(scene, 10):
        step = 4 * moment.frame
        fallen = 9.81 * 0.01**2 * step * (step + 1) / 2  # speeds first, then places
        np.testing.assert_allclose(moment.places.mean(axis=0), begun - [0, fallen, 0], atol=2e-4)


def test_cohesion_draws_it_round_and_without_it_eddies_pull_it_apart() -> None:
    box = {"kind": "box", "width": 0.6, "height": 0.25, "depth": 0.25}

    def sides(moment: Any) -> Points:
        off = moment.places - moment.places.mean(axis=0)
        return np.asarray(np.sqrt(np.linalg.eigvalsh(off.T @ off / len(off))))

    held = moments_of(drop(shape=box, cohesion=25.0, viscosity=6.0, **AFLOAT), 60)
    assert sides(held[0])[2] > 2.2 * sides(held[0])[0]
    assert sides(held[60])[2] < 1.35 * sides(held[60])[0]
    loose = moments_of(drop(EDDIES, ALL_OF_IT, cohesion=0.0, answers=0.3, **AFLOAT), 50)
    firm = moments_of(drop(EDDIES, ALL_OF_IT, cohesion=30.0, answers=0.3, **AFLOAT), 50)
    assert sides(loose[50])[2] > 2.0 * sides(loose[0])[2]
    assert sides(firm[50])[2] < 0.6 * sides(loose[50])[2]


def test_neighbours_come_to_go_alike_and_none_of_their_motion_is_lost() -> None:
    run = SwarmRun(drop(viscosity=30.0, **AFLOAT), "swarm")
    places = run.filled.places
    speeds = np.random.default_rng(1).normal(0.0, 0.2, places.shape)
    state = run.begun(0, places, speeds)
    for _ in range(20):
        state = run.stepped(state, state.step + 1)
    np.testing.assert_allclose(state.speeds.mean(axis=0), speeds.mean(axis=0), atol=5e-3)
    assert state.speeds.std() < 0.45 * speeds.std()


def test_the_air_takes_all_of_it_along_or_its_surface_first() -> None:
    whole = SwarmRun(drop(WIND, ALL_OF_IT, answers=0.5, viscosity=0.0, **AFLOAT), "swarm")
    moment = [m for m, _ in whole.frames(0, 5)][-1]
    np.testing.assert_allclose(moment.speeds[:, 0].mean(), 6.0 * (1 - np.exp(-0.2 / 0.5)), rtol=1e-3)
    skin = {"do": "change-swarm", "node": "swarm", "settings": {"wind": "surface"}}
    outer = SwarmRun(drop(WIND, skin, answers=0.5, viscosity=0.0, radius=0.3, **AFLOAT), "swarm")
    moment = next(m for m, _ in outer.frames(1, 1))
    off = np.linalg.norm(moment.places - moment.places.mean(axis=0), axis=1)
    assert moment.speeds[off > 0.26, 0].mean() > 5 * abs(moment.speeds[off < 0.15, 0]).mean()


def test_it_is_the_same_to_the_bit_in_parts_from_any_frame_and_in_another_process() -> None:
    scene = tank(EDDIES, size=(0.3, 0.6, 0.3), full=0.5, cohesion=2.0, ahead=0.3)
    whole = list(SwarmRun(scene, "swarm").frames(0, 24))
    begun = list(SwarmRun(scene, "swarm").frames(7, 7))[-1]
    assert np.array_equal(begun[1].places, whole[7][1].places)
    kept = unpacked(packed(KeptFrames([moment for moment, _ in whole[:8]], begun[1])))
    rest = list(SwarmRun(scene, "swarm").frames(8, 24, kept.state))
    for (a, state_a), (b, state_b) in zip(rest, whole[8:], strict=True):
        assert np.array_equal(a.places, b.places)
        assert np.array_equal(state_a.speeds, state_b.speeds)
    code = (
        "import sys, hashlib; from lazzik.core.scene.serialize import read_scene;"
        "from lazzik.core.simulate.swarm import SwarmRun;"
        "run = SwarmRun(read_scene(sys.stdin.buffer.read()), 'swarm');"
        "print(hashlib.sha256(list(run.frames(24, 24))[0][1].places.tobytes()).hexdigest())"
    )
    other = subprocess.run(
        [sys.executable, "-c", code], input=scene_text(scene).encode(), capture_output=True, check=True
    )
    assert other.stdout.decode().strip() == hashlib.sha256(whole[24][1].places.tobytes()).hexdigest()


def test_stretches_are_kept_and_say_how_many_there_are_and_how_fast(tmp_path: Path) -> None:
    run = list(SwarmRun(drop(), "swarm").frames(0, 5))
    stretch = KeptFrames([moment for moment, _ in run], run[-1][1])
    back = unpacked(packed(stretch))
    for was, now in zip(stretch.rounded().moments, back.moments, strict=True):
        assert np.array_equal(was.places, now.places)
        assert np.array_equal(was.ids, now.ids)
    assert np.array_equal(back.state.places, stretch.state.places)
    assert back.state.step == stretch.state.step
    path = tmp_path / "kept"
    path.write_bytes(packed(stretch))
    alive, pace = course(path)
    assert alive == [len(run[0][0])] * 6
    assert pace[5] == pytest.approx(np.median(np.linalg.norm(run[5][0].speeds, axis=1)), rel=1e-6)
    with pytest.raises(ValueError, match="damaged"):
        unpacked(packed(stretch)[:-40])


def waved(number: str, period: float, amplitude: float) -> dict[str, Any]:
    wave = {"kind": "wave", "id": "wave", "label": "Wave", "period": period, "amplitude": amplitude}
    return {"do": "put-layers", "address": f"vessel/{number}", "layers": [wave]}


def in_the_vessel(scene: Any, moment: Any) -> Points:
    now = scene.clock().at(np.array([float(moment.frame)]))
    back = np.linalg.inv(world_of(scene, scene.by_id["vessel"], now, Scope(scene))[0])
    return np.asarray(moment.places @ back[:3, :3].T + back[:3, 3])


def test_nothing_leaves_a_vessel_that_is_shaken() -> None:
    scene = tank(waved("rotation.z", 0.9, 25.0), waved("position.x", 0.7, 0.4), full=0.35, last=50)
    for moment in moments_of(scene, 50):
        own = in_the_vessel(scene, moment)
        assert np.all(np.abs(own[:, [0, 2]]) < 0.25)
        assert np.all((own[:, 1] > 0) & (own[:, 1] < 1.0))


def test_none_is_in_what_stands_in_its_way() -> None:
    buoy = {"kind": "ball", "radius": 0.08, "around": 24, "along": 16}
    ball = {"do": "add-object", "label": "Buoy", "shape": buoy, "position": [0, 0.2, 0]}
    meets = {"do": "change-swarm", "node": "swarm", "colliders": ["buoy"]}
    scene = tank(ball, meets, waved("position.x", 0.7, 0.06), full=0.35, last=50)
    assert len(SwarmRun(scene, "swarm").filled.places) < len(SwarmRun(tank(full=0.35), "swarm").filled.places)
    for moment in moments_of(scene, 50):
        assert np.linalg.norm(moment.places - [0, 0.2, 0], axis=1).min() > 0.078  # of a ball with flat sides
        assert np.all(np.abs(in_the_vessel(scene, moment)[:, [0, 2]]) < 0.25)


def test_a_loop_is_blended_at_its_seam(tmp_path: Path) -> None:
    scene = drop(EDDIES, ALL_OF_IT, {"do": "change-swarm", "node": "swarm", "loop": 20}, answers=0.4, **AFLOAT)
    scene = edited(scene, {"do": "set", "address": "swarm/swarm.blend", "value": 6})
    assert seams(scene, "swarm") == (20, 6)
    assert stretches_read(scene, "swarm", 0, 20) == 2  # what is blended in lies beyond the loop
    storage = FolderStorage(tmp_path)
    steps = np.array([0.0, 1e-3, 20 - 1e-3, 20.0])
    begin, after, before, end = Playback(scene, "swarm", storage).moments(steps)
    np.testing.assert_allclose(end.places, begin.places, atol=1e-9)
    fast = np.linalg.norm(after.places - begin.places, axis=1) / 1e-3
    np.testing.assert_allclose(
        (after.places - begin.places) / 1e-3, (end.places - before.places) / 1e-3, atol=0.05 * fast.max() + 1e-3
    )


def test_only_what_it_reads_makes_another_run() -> None:
    scene = tank()
    same: tuple[dict[str, Any], ...] = (
        {"do": "change-swarm", "node": "swarm", "settings": {"drawn": "balls"}},
        {"do": "set", "address": "swarm/look.color.r", "value": 0.1},
        {"do": "set", "address": "swarm/swarm.fine", "value": 2},
        {"do": "change-object", "node": "vessel", "visible": False},
        WIND,
    )
    for edit in same:
        assert run_key(edited(scene, edit), "swarm") == run_key(scene, "swarm"), edit
    other: tuple[dict[str, Any], ...] = (
        {"do": "set", "address": "swarm/swarm.viscosity", "value": 9},
        {"do": "set", "address": "vessel/position.x", "value": 1},
        {"do": "change-swarm", "node": "swarm", "settings": {"wind": "all"}},
    )
    for edit in other:
        assert run_key(edited(scene, edit), "swarm") != run_key(scene, "swarm"), edit


def test_a_coarse_one_goes_on_from_where_it_is(tmp_path: Path) -> None:
    scene = tank(size=(0.6, 1.0, 0.6), full=0.5, apart=0.04, last=40)
    storage = FolderStorage(tmp_path)
    whole = next(Playback(scene, "swarm", storage).moments(np.array([20.0])))
    thick = edited(scene, {"do": "set", "address": "swarm/swarm.viscosity", "value": 30})
    run, moment = coarse_swarm(thick, "swarm", 20.0, scene, storage)
    assert 0.3 * MOST < len(moment) < 1.6 * MOST
    assert run.spacing > 1.4 * 0.04
    np.testing.assert_allclose(moment.places.mean(axis=0), whole.places.mean(axis=0), atol=0.03)
    fewer = edited(scene, {"do": "set", "address": "swarm/swarm.full", "value": 0.2})
    _, other = coarse_swarm(fewer, "swarm", 20.0, scene, storage)
    assert other.places[:, 1].max() < 0.3


def test_particles_beyond_number_are_refused_with_a_sentence() -> None:
    with pytest.raises(InvalidEdit, match="farther apart"):
        moments_of(tank(size=(0.3, 0.5, 0.3), spacing=1e-3), 1)


@pytest.mark.parametrize(
    "numbers",
    [
        {"viscosity": 100_000.0}, {"cohesion": 100_000.0}, {"gravity": 1e6}, {"gravity": -1e9}, {"answers": 0.0},
        {"friction": 1.0, "full": 0.01}, {"ahead": 0.2, "spacing": 1000.0},
    ],
    ids=str,
)  # fmt: skip
def test_hostile_numbers_stay_finite_and_inside(numbers: dict[str, Any]) -> None:
    gale = {"do": "add-object", "label": "Gale", "field": {"kind": "wind", "speed": 300.0}}
    for moment in moments_of(tank(gale, ALL_OF_IT, size=(0.3, 0.5, 0.3), **numbers), 8):
        assert np.isfinite(moment.places).all()
        assert np.isfinite(moment.speeds).all()
        assert np.all(np.abs(moment.places[:, [0, 2]]) < 0.15 + 1e-6)


@pytest.mark.parametrize("squashed", [0.0, -1.0, 1e-9])
def test_what_has_no_room_holds_nothing_or_little(squashed: float) -> None:
    scene = tank({"do": "set", "address": "vessel/scale.y", "value": squashed})
    for moment in moments_of(scene, 3):
        assert np.isfinite(moment.places).all()


def test_none_are_nearer_than_they_are_let_where_all_begin_in_one_spot() -> None:
    run = SwarmRun(drop(**AFLOAT), "swarm")
    state = run.begun(0, np.zeros((40, 3)), np.zeros((40, 3)))
    for _ in range(4):
        state = run.stepped(state, state.step + 1)
    assert np.isfinite(state.places).all()
    state = run.begun(0, np.random.default_rng(0).normal(0.0, 1e-3, (40, 3)), np.zeros((40, 3)))
    for _ in range(40):
        state = run.stepped(state, state.step + 1)
    nearest = cKDTree(state.places).query(state.places, k=2)[0][:, 1]
    assert np.median(nearest) > 0.6 * 0.05
