"""The shell of a swarm, where it begins, and the walls near it."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
import trimesh

from lazzik.core.errors import InvalidEdit
from lazzik.core.geometry.primitives import Ball, Basin, Box
from lazzik.core.simulate.contacts import MOST_WALLS, add_contacts, nearest_on
from lazzik.core.simulate.grid import grid_of
from lazzik.core.simulate.particles import Moment
from lazzik.core.simulate.shell import MOST_CORNERS, shell_of
from lazzik.core.simulate.swarm import SwarmRun
from tests.conftest import edited
from tests.core.simulate.swarms import AFLOAT, drop, moments_of, tank

Points = np.ndarray[tuple[int, ...], np.dtype[np.float64]]


def moment_at(places: Points) -> Moment:
    n = len(places)
    return Moment(0, np.arange(n), places, np.zeros((n, 3)), np.zeros(n), np.ones(n))


def _turns_about(corners: Points, places: Points) -> Points:
    """How often a surface goes about places: the sum of the solid angles of its triangles (A. van Oosterom, J.
    Strackee, 1983), over 4π."""
    turns = []
    for place in places:
        a, b, c = np.swapaxes(corners - place, 0, 1)
        la, lb, lc = (np.linalg.norm(row, axis=1) for row in (a, b, c))
        above = np.einsum("ni,ni->n", a, np.cross(b, c))
        dots = [np.einsum("ni,ni->n", p, q) for p, q in ((a, b), (b, c), (c, a))]
        below = la * lb * lc + dots[0] * lc + dots[1] * la + dots[2] * lb
        turns.append(2.0 * np.arctan2(above, below).sum() / (4.0 * np.pi))
    return np.array(turns)


def _nearest(corners: Points, places: Points) -> Points:
    """(n,) how far places are from the nearest triangle, looked for among all."""
    each = [trimesh.triangles.closest_point(corners, np.tile(place, (len(corners), 1))) - place for place in places]
    return np.array([np.linalg.norm(row, axis=1).min() for row in each])


def test_a_shell_is_closed_looks_outward_and_holds_what_is_in_it() -> None:
    scene = drop(radius=0.3, apart=0.04, **AFLOAT)
    run = SwarmRun(scene, "swarm")
    moment = moments_of(scene, 4)[-1]
    shell = shell_of(run, moment)
    solid = trimesh.Trimesh(shell.points, shell.triangles, process=True)
    assert solid.is_watertight
    assert solid.volume == pytest.approx(len(moment) * 0.04**3, rel=0.08)
    assert np.all(_turns_about(shell.points[shell.triangles], moment.places) > 0.5)
    a, b, c = (shell.points[shell.triangles[:, k]] for k in range(3))
    ways = np.einsum("ij,ij->i", np.cross(b - a, c - a), shell.normals[shell.triangles].mean(axis=1))
    assert (ways > 0).mean() > 0.999
    np.testing.assert_allclose(np.linalg.norm(shell.normals, axis=1), 1.0, atol=1e-5)


def test_one_alone_has_a_ball_about_it_and_two_far_apart_have_two() -> None:
    run = SwarmRun(drop({"do": "set", "address": "swarm/swarm.fine", "value": 4}), "swarm")
    one = shell_of(run, moment_at(np.array([[1.0, 2.0, 3.0]])))
    np.testing.assert_allclose(np.linalg.norm(one.points - [1, 2, 3], axis=1), 0.55 * 0.05, rtol=0.03)
    two = shell_of(run, moment_at(np.array([[0.0, 0, 0], [0.4, 0, 0]])))
    assert len(trimesh.Trimesh(two.points, two.triangles).split()) == 2
    assert len(shell_of(run, moment_at(np.empty((0, 3)))).points) == 0


def test_what_is_far_off_does_not_make_the_grid_larger_than_there_is_room_for() -> None:
    run = SwarmRun(drop(), "swarm")
    near = run.filled.places
    far = shell_of(run, moment_at(np.concatenate([near, [[1e6, 0, 0]]])))
    assert np.abs(far.points).max() < 10
    wide = np.random.default_rng(0).uniform(-60, 60, (500, 3))
    assert len(shell_of(run, moment_at(wide)).points) < 3 * MOST_CORNERS


def test_a_body_is_filled_as_it_is_seen_and_a_hollow_up_to_where_it_is_full() -> None:
    body = SwarmRun(drop(radius=0.3, apart=0.05), "swarm").filled.places
    assert len(body) * 0.05**3 == pytest.approx(4 / 3 * np.pi * 0.3**3, rel=0.05)
    assert np.linalg.norm(body - [0, 1, 0], axis=1).max() < 0.31
    half = SwarmRun(tank(full=0.5), "swarm").filled.places
    whole = SwarmRun(tank(), "swarm").filled.places
    assert len(half) == pytest.approx(len(whole) / 2, rel=0.01)
    assert half[:, 1].max() < 0.5


def test_the_hollow_of_a_basin_has_none_in_its_wall() -> None:
    shape = {"kind": "basin", "radius": 0.4, "upper": 1.0, "height": 0.4, "wall": 0.1, "base": True}
    scene = tank({"do": "set-shape", "node": "vessel", "shape": shape}, apart=0.04)
    places = SwarmRun(scene, "swarm").filled.places
    assert np.linalg.norm(places[:, [0, 2]], axis=1).max() < 0.3
    assert places[:, 1].min() > 0.1
    assert len(places) * 0.04**3 == pytest.approx(np.pi * 0.3**2 * 0.3, rel=0.25)
    body = {"do": "change-swarm", "node": "swarm", "settings": {"fills": "body"}}
    solid = SwarmRun(edited(scene, body), "swarm").filled.places
    inside = np.linalg.norm(solid[:, [0, 2]], axis=1) < 0.29
    assert solid[inside, 1].max() < 0.11  # its body is its wall and its floor


def test_too_many_are_refused_with_a_sentence() -> None:
    with pytest.raises(InvalidEdit, match=r"particles 0\.01 m apart fill Vessel; at most 100,000"):
        _ = SwarmRun(drop(radius=0.4, apart=0.01), "swarm").filled
    with pytest.raises(InvalidEdit, match=r"Vessel is far too large for particles that are 0\.001 m apart"):
        _ = SwarmRun(drop(radius=0.4, apart=0.001), "swarm").filled


def test_the_nearest_point_of_a_triangle_is_the_nearest_of_many() -> None:
    chance = np.random.default_rng(4)
    rows = np.linspace(0, 1, 60)
    u, v = (row.ravel() for row in np.meshgrid(rows, rows))
    shares = np.stack([1 - u - v, u, v], axis=1)[u + v <= 1]
    room, out = np.empty((3, 3)), np.empty(3)
    triangles = [chance.normal(size=(3, 3)) for _ in range(60)]
    triangles += [np.repeat(chance.normal(size=(1, 3)), 3, axis=0), np.array([[0.0, 0, 0], [1, 0, 0], [2, 0, 0]])]
    for corners in triangles:
        place = chance.normal(size=3)
        nearest_on(corners, place, room, out)
        tried = np.linalg.norm(shares @ corners - place, axis=1)
        assert np.linalg.norm(out - place) <= tried.min() + 1e-9
        assert np.linalg.norm(out - place) > tried.min() - 0.12


@pytest.mark.parametrize("shape", [Ball(kind="ball", radius=0.5), Box(kind="box"), Basin(kind="basin")])
def test_walls_part_a_place_from_all_that_is_near(shape: Any) -> None:
    """Of every triangle nearer than the reach some wall has the near part behind it, and the nearest wall is as far
    off as the surface."""
    mesh = shape.mesh()
    corners = np.ascontiguousarray(mesh.points[mesh.triangles])
    grid = grid_of(corners)
    places = np.random.default_rng(2).uniform(-0.8, 0.8, (300, 3))
    n, reach = len(places), 0.15
    counts, normals = np.zeros(n, dtype=np.int64), np.zeros((n, MOST_WALLS, 3))
    offsets, carried = np.zeros((n, MOST_WALLS)), np.zeros((n, 3))
    before = np.eye(4)
    before[0, 3] = -0.2
    add_contacts(
        grid.corners, grid.low, grid.cell, grid.size, grid.starts, grid.members, grid.clear, before, np.eye(4), 0.1,
        reach, places, counts, normals, offsets, carried,
    )  # fmt: skip
    away = _nearest(corners, places)
    near = away < reach
    np.testing.assert_array_equal(counts > 0, near)
    first = np.einsum("ni,ni->n", normals[:, 0], places) - offsets[:, 0]
    np.testing.assert_allclose(first[near], away[near], atol=1e-9)
    np.testing.assert_allclose(carried[near], [[2.0, 0, 0]] * int(near.sum()), atol=1e-9)
    for n in np.flatnonzero(near)[:60]:
        walls = counts[n]
        rows = np.einsum("ci,ni->nc", normals[n, :walls], mesh.points) - offsets[n, :walls]
        close = np.linalg.norm(mesh.points - places[n], axis=1) < 0.7 * reach
        assert np.all(rows[close].min(axis=1) < 0.03)  # a corner that is near lies behind some wall, or nearly
