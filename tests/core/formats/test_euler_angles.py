"""Euler angles along a motion, against every writing of each orientation."""

from __future__ import annotations

from itertools import pairwise, product

import numpy as np
import pytest
from scipy.spatial.transform import Rotation as Turn

from lazzik.core.formats.euler_angles import euler_angles
from lazzik.core.types import Points


@pytest.mark.parametrize("pace", [3.0, 40.0, 170.0])
def test_each_is_a_writing_of_its_orientation_and_none_is_nearer_to_the_one_before(pace: float) -> None:
    ways = np.random.default_rng(4).normal(size=(60, 3))
    steps = Turn.from_rotvec(pace * ways / np.linalg.norm(ways, axis=1, keepdims=True), degrees=True)
    turns = [Turn.identity()]
    for step in steps:
        turns.append(step * turns[-1])
    q = Turn.concatenate(turns).as_quat()
    found = euler_angles(q)
    back = Turn.from_euler("XYZ", found, degrees=True)
    assert np.degrees((back.inv() * Turn.from_quat(q)).magnitude()).max() < 1e-6
    for before, row in pairwise(found):
        apart = np.abs(writings(row) - before).sum(axis=1)
        assert np.abs(row - before).sum() <= apart.min() + 1e-9


def test_angles_go_on_beyond_a_whole_turn_and_over_the_pole() -> None:
    frames = np.arange(100)
    about_y = Turn.from_euler("XYZ", np.outer(7.0 * frames, [0, 1, 0]), degrees=True).as_quat()
    np.testing.assert_allclose(euler_angles(about_y), np.outer(7.0 * frames, [0, 1, 0]), atol=1e-6)
    assert euler_angles(np.empty((0, 4))).shape == (0, 3)


def writings(angles: Points) -> Points:
    """All writings of an orientation within two turns of one: the same and its other, with whole turns more or less."""
    x, y, z = angles
    turns = np.array(list(product((-720, -360, 0, 360, 720), repeat=3)))
    return np.concatenate([np.array([x, y, z]) + turns, np.array([x + 180, 180 - y, z + 180]) + turns])
