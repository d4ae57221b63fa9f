"""Swarms for tests, and what is summed up over them by brute force."""

from __future__ import annotations

from typing import Any

import numpy as np
from scipy.spatial import cKDTree

from lazzik.core.scene.scene import Scene
from lazzik.core.simulate.particles import Moment
from lazzik.core.simulate.swarm import SwarmRun
from tests.conftest import edited

Points = np.ndarray[tuple[int, ...], np.dtype[np.float64]]

AFLOAT: dict[str, Any] = {"gravity": 0.0}


def tank(
    *more: dict[str, Any], size: tuple[float, float, float] = (0.5, 1.0, 0.5), apart: float = 0.05, last: int = 60,
    **numbers: float,
) -> Scene:  # fmt: skip
    """A swarm in a box that holds it, in still air."""
    box = {"kind": "box", "width": size[0], "height": size[1], "depth": size[2], "base": True}
    return _swarm("hollow", box, more, {"spacing": apart, "full": 1.0, "ahead": 0.0} | numbers, last, (0.0, 0.0, 0.0))


def drop(
    *more: dict[str, Any], radius: float = 0.2, apart: float = 0.05, last: int = 60,
    shape: dict[str, Any] | None = None, **numbers: float,
) -> Scene:  # fmt: skip
    """A swarm out of a ball, a metre up, in still air."""
    ball = {"kind": "ball", "radius": radius, "around": 32, "along": 24}
    return _swarm("body", shape or ball, more, {"spacing": apart, "ahead": 0.0} | numbers, last, (0.0, 1.0, 0.0))


def _swarm(
    fills: str, shape: dict[str, Any], more: tuple[dict[str, Any], ...], numbers: dict[str, float], last: int,
    position: tuple[float, float, float],
) -> Scene:  # fmt: skip
    return edited(
        Scene(name="Water", fps=25, last=last),
        {"do": "add-object", "label": "Vessel", "shape": shape, "position": position},
        {"do": "pour", "of": "vessel", "fills": fills},
        {"do": "change-swarm", "node": "swarm", "settings": {"wind": "still"}},
        *({"do": "set", "address": f"swarm/swarm.{name}", "value": value} for name, value in numbers.items()),
        *more,
    )


def moments_of(scene: Scene, last: int, first: int = 0) -> list[Moment]:
    return [moment for moment, _ in SwarmRun(scene, "swarm").frames(first, last)]


def wendland(away: Points, support: float) -> Points:
    """The kernel as it is published: 21/(2πh³)·(1 − q)⁴(4q + 1)."""
    q = np.minimum(away / support, 1.0)
    return np.asarray(21.0 / (2.0 * np.pi * support**3) * (1.0 - q) ** 4 * (4.0 * q + 1.0))


def rest_density(apart: float) -> float:
    """Σ d³W over a cubic lattice, by brute force."""
    row = np.arange(-3, 4) * apart
    grid = np.stack(np.meshgrid(row, row, row), axis=-1).reshape(-1, 3)
    return float(apart**3 * wendland(np.linalg.norm(grid, axis=1), 2.0 * apart).sum())


def densities_in(places: Points, where: Points, apart: float) -> Points:
    """(n,) densities at some places in times of that of the lattice."""
    tree = cKDTree(places)
    sums = [wendland(np.linalg.norm(places[near] - x, axis=1), 2 * apart).sum() for x, near in
            zip(where, tree.query_ball_point(where, 2 * apart), strict=True)]  # fmt: skip
    return np.array(sums) * apart**3 / rest_density(apart)
