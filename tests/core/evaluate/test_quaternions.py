"""Turns as quaternions and as matrices, against SciPy's."""

from __future__ import annotations

from itertools import permutations

import numpy as np
import pytest
from scipy.spatial.transform import Rotation as Turn

from lazzik.core.evaluate.quaternions import orientations, place_by


@pytest.mark.parametrize("order", ["".join(axes) for axes in permutations("xyz")])
def test_turns_are_those_of_an_independent_reference_and_take_the_short_way(order: str) -> None:
    angles = np.cumsum(np.random.default_rng(1).normal(0, 30, (400, 3)), axis=0)
    turns = orientations(angles, order)
    written = angles[:, ["xyz".index(axis) for axis in order]]
    other = Turn.from_euler(order.upper(), written, degrees=True)
    np.testing.assert_allclose(Turn.from_quat(turns).as_matrix(), other.as_matrix(), atol=1e-14)
    np.testing.assert_allclose(np.linalg.norm(turns, axis=1), 1.0, rtol=1e-14)
    assert np.all(np.sum(turns[1:] * turns[:-1], axis=1) >= 0)


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
