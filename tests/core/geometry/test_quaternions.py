"""Turns as quaternions and as matrices, against SciPy's."""

from __future__ import annotations

from itertools import permutations

import numpy as np
import pytest
from scipy.spatial.transform import Rotation as Turn

from lazzik.core.geometry.quaternions import invert_axes, orientations, place_by, quaternions_of


@pytest.mark.parametrize("order", ["".join(axes) for axes in permutations("xyz")])
def test_turns_are_those_of_an_independent_reference_and_take_the_short_way(order: str) -> None:
    angles = np.cumsum(np.random.default_rng(1).normal(0, 30, (1200, 3)), axis=0)
    turns = orientations(angles.T, order, len(angles))
    written = angles[:, ["xyz".index(axis) for axis in order]]
    other = Turn.from_euler(order.upper(), written, degrees=True)
    np.testing.assert_allclose(Turn.from_quat(turns).as_matrix(), other.as_matrix(), atol=1e-14)
    np.testing.assert_allclose(np.linalg.norm(turns, axis=1), 1.0, rtol=1e-14)
    assert np.all(np.sum(turns[1:] * turns[:-1], axis=1) >= 0)


@pytest.mark.parametrize("stays", [(0,), (1, 2), (0, 1, 2)])
def test_an_angle_that_stays_is_one_number(stays: tuple[int, ...]) -> None:
    angles = np.random.default_rng(3).uniform(-400, 400, (1200, 3))
    angles[:, stays] = [0.0, -37.5, 212.0][: len(stays)]
    numbers = [float(angles[0, axis]) if axis in stays else angles[:, axis] for axis in range(3)]
    np.testing.assert_array_equal(orientations(numbers, "yzx", 1200), orientations(angles.T, "yzx", 1200))


def test_matrices_scale_then_turn_then_move() -> None:
    rng = np.random.default_rng(2)
    places, factors = rng.normal(size=(50, 3)), rng.uniform(-2, 2, (50, 3))
    turns = Turn.random(50, random_state=3)
    matrices = np.empty((50, 4, 4))
    place_by(np.concatenate([places, turns.as_quat(), factors], axis=1), matrices)
    point = rng.normal(size=3)
    there = np.einsum("fij,j->fi", matrices, np.append(point, 1.0))
    np.testing.assert_allclose(there[:, :3], turns.apply(factors * point) + places, atol=1e-14)
    np.testing.assert_array_equal(there[:, 3], 1.0)


def test_turns_are_read_off_matrices_also_half_turns_and_none() -> None:
    half = Turn.from_rotvec(np.pi * np.array([[1, 0, 0], [0, 1, 0], [0, 0, 1], [0.6, 0, 0.8]]))
    turns = Turn.concatenate([Turn.random(500, random_state=1), half, Turn.identity()])
    found = quaternions_of(turns.as_matrix())
    np.testing.assert_allclose(np.linalg.norm(found, axis=1), 1.0, rtol=1e-15)
    np.testing.assert_allclose(Turn.from_quat(found).as_matrix(), turns.as_matrix(), atol=1e-15)
    assert quaternions_of(np.empty((0, 3, 3))).shape == (0, 4)


def test_directions_come_back_out_of_any_space_that_has_some() -> None:
    rng = np.random.default_rng(4)
    matrices = np.tile(np.eye(4), (200, 1, 1))
    matrices[:, :3] = rng.normal(size=(200, 3, 4))
    matrices[:50, :3, :3] = Turn.random(50, random_state=5).as_matrix() * rng.uniform(1e-3, 50, (50, 1, 3))
    matrices[7, :3, 1] = 0.0
    back = np.empty((200, 3, 3))
    invert_axes(matrices, 1e-12, back)
    np.testing.assert_array_equal(back[7], 0.0)
    sound = np.delete(np.arange(200), 7)
    np.testing.assert_allclose(back[sound], np.linalg.inv(matrices[sound, :3, :3]), rtol=1e-9, atol=1e-11)
