"""Where cloth is held: which points of its mesh, by what, and how firmly at each moment."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lazzik.core.channel.layer import numbers_of
from lazzik.core.clock import Clock
from lazzik.core.deformers.placement import ORDERS
from lazzik.core.evaluate.airflow import world_of
from lazzik.core.evaluate.evaluator import value_of
from lazzik.core.evaluate.scope import Scope
from lazzik.core.scene.cloth import SIDES, Cloth, Pin
from lazzik.core.scene.node import Node
from lazzik.core.scene.scene import Scene
from lazzik.core.simulate.fabric import Fabric
from lazzik.core.simulate.motion import FARTHEST
from lazzik.core.types import Places, Samples

ALONG = 0.005
"""Share of its extent within which a point lies on an edge."""


@dataclass(frozen=True, eq=False)
class Pinned:
    """What is read of the pins over a clock."""

    worlds: list[NDArray[np.float64]]
    """Of each pin, (moments, 4, 4) from where its points were tied to it, to the scene."""
    strengths: list[Samples]
    """Of each, (moments,) 0 to 1."""


class Pins:
    """The pins of one object; what no triangle holds goes along with it as if it were pinned."""

    def __init__(self, scene: Scene, node: Node, cloth: Cloth, fabric: Fabric, scope: Scope) -> None:
        self.scene, self.node, self.pins, self.scope = scene, node, cloth.pins, scope
        self.local = fabric.local
        self.of = [*(_points_of(scene, pin, fabric, scope) for pin in cloth.pins), fabric.loose]
        """Of each pin, the points that it holds; last those that are loose."""
        self.points: Places = np.unique(np.concatenate(self.of))
        """(k,) all of them."""
        self._has = np.stack([np.isin(self.points, mine) for mine in self.of])
        self._tied = [self._tie(pin) for pin in cloth.pins]

    def _tie(self, pin: Pin) -> NDArray[np.float64]:
        """(4, 4) from the space of the cloth to that of what a pin follows, as they are at the first frame."""
        if pin.to is None:
            return np.eye(4)
        now = Clock(self.scene.fps, self.scene.first, np.array([float(self.scene.first)]))
        there = world_of(self.scene, self.scene.by_id[pin.to], now, self.scope)[0]
        if abs(np.linalg.det(there)) < 1e-15:
            return np.eye(4)
        return np.asarray(np.linalg.solve(there, world_of(self.scene, self.node, now, self.scope)[0]))

    def over(self, clock: Clock) -> Pinned:
        """What is read of them over a clock."""
        worlds, strengths = [], []
        for pin, tied in zip(self.pins, self._tied, strict=True):
            follows = self.scene.by_id[pin.to] if pin.to is not None else self.node
            worlds.append(np.asarray(world_of(self.scene, follows, clock, self.scope) @ tied))
            value = np.asarray(value_of(pin, "strength", clock, self.scope), dtype=float)
            strengths.append(np.broadcast_to(np.clip(np.nan_to_num(value), 0.0, 1.0), clock.frames.shape))
        worlds.append(np.asarray(world_of(self.scene, self.node, clock, self.scope)))
        strengths.append(np.ones(len(clock.frames)))
        return Pinned(worlds, strengths)

    def targets(self, pinned: Pinned, first: int, last: int) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """How firmly and where points are held from one moment up to another: by the strongest of the pins that hold a
        point, the first of those alike.

        Returns
        -------
        (moments, k) array, (moments, k, 3) array
            0 to 1; metres.
        """
        shape = (last - first, len(self.points))
        firm, to = np.full(shape, -1.0), np.zeros((*shape, 3))
        for has, world, strength in zip(self._has, pinned.worlds, pinned.strengths, strict=True):
            if not has.any():
                continue
            ways, local = world[first:last], self.local[self.points[has]]
            with np.errstate(all="ignore"):
                there = np.einsum("mij,nj->mni", ways[:, :3, :3], local) + ways[:, None, :3, 3]
            mine = np.broadcast_to(strength[first:last, None], there.shape[:2])
            better = mine > firm[:, has]
            firm[:, has] = np.where(better, mine, firm[:, has])
            to[:, has] = np.where(better[..., None], there, to[:, has])
        to = np.clip(np.nan_to_num(to, nan=0.0, posinf=FARTHEST, neginf=-FARTHEST), -FARTHEST, FARTHEST)
        return firm, np.ascontiguousarray(to)


def _points_of(scene: Scene, pin: Pin, fabric: Fabric, scope: Scope) -> Places:
    """(k,) the points of a mesh that a pin holds."""
    points = fabric.local
    low, high = points.min(axis=0), points.max(axis=0)
    size = high - low
    if pin.at == "mask":
        return np.flatnonzero(_masked(scene, pin, fabric, scope) > 0.5).astype(np.int64)
    if pin.at == "edge":
        axis, end = SIDES[pin.side]
        away = np.abs(points[:, axis] - (low, high)[end][axis])
        return np.flatnonzero(away <= ALONG * size[axis] + 1e-9).astype(np.int64)
    wide = np.sort(np.argsort(-size, kind="stable")[:2])  # the plane that it lies in, more or less
    ends = dict.fromkeys(wide.tolist(), (0, 1))
    for side in (pin.side, pin.other) if pin.at == "corner" else ():
        if side is not None and SIDES[side][0] in ends:
            ends[SIDES[side][0]] = (SIDES[side][1],) * 2
    found = set()
    for first in ends[int(wide[0])]:
        for second in ends[int(wide[1])]:
            corner = np.array([(low, high)[first][wide[0]], (low, high)[second][wide[1]]])
            found.add(int(np.argmin(np.linalg.norm(points[:, wide] - corner, axis=1))))
    return np.array(sorted(found), dtype=np.int64)


def _masked(scene: Scene, pin: Pin, fabric: Fabric, scope: Scope) -> Samples:
    """(n,) how much the mask of a pin counts at the points, at the first frame."""
    mask = pin.mask
    assert mask is not None
    now = Clock(scene.fps, scene.first, np.array([float(scene.first)]))
    numbers = {
        name: np.asarray(value_of(mask, name, now, scope), dtype=float).reshape(-1)[:1]
        for name in numbers_of(type(mask))
    }
    inside = np.ascontiguousarray(fabric.mesh_points[:, ORDERS["x"]].T)[None]
    counted = mask.at(inside, numbers, "x", scene.assets)[0]
    out = np.zeros(len(fabric.local))
    np.maximum.at(out, fabric.place, counted)
    return out
