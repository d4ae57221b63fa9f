"""Where objects are over time: local position, orientation and size, as glTF and the stage want them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lazzik.core.channel.channel import Channel
from lazzik.core.clock import Clock
from lazzik.core.evaluate.evaluator import number_on
from lazzik.core.evaluate.scope import ALONE, Scope
from lazzik.core.scene.node import Node, Position, Rotation, Scale, channels_of
from lazzik.core.types import Points, Quaternions, Samples


@dataclass(frozen=True, eq=False)
class Transforms:
    """An object's own transform over a clock, within the object above it."""

    position: Points  # (frames, 3) metres
    orientation: Quaternions  # (frames, 4) x, y, z, w, each in the half-space of the one before
    scale: Points  # (frames, 3) factors


def moves(node: Node, parts: tuple[str, ...] = ("position", "rotation", "scale")) -> bool:
    """Whether one of these parts of an object can change over time."""
    return any(
        isinstance(number, Channel) and number.moves
        for name in parts
        for _, number, _ in channels_of(getattr(node, name))
    )


def transforms(node: Node, clock: Clock, scope: Scope = ALONE) -> Transforms:
    """An object's own transform at every moment of a clock."""
    rows, problems = scope.kept_pose(node, clock), len(scope.problems or ())
    if rows is None:
        turn = orientations(triple(node.rotation, clock, scope), node.rotation.order)
        rows = np.concatenate([triple(node.position, clock, scope), turn, triple(node.scale, clock, scope)], axis=1)
        if len(scope.problems or ()) == problems:  # as with channels
            scope.keep_pose(node, clock, rows)
    return Transforms(rows[:, :3], rows[:, 3:7], rows[:, 7:])


def triple(part: Position | Rotation | Scale, clock: Clock, scope: Scope = ALONE) -> Points:
    """X, y and z of a part.

    Returns
    -------
    (frames, 3) array
        In the part's unit.
    """
    out = np.empty((len(clock.frames), 3))
    for column, number in enumerate((part.x, part.y, part.z)):
        out[:, column] = number_on(number, clock, scope)
    return out


def orientations(angles: Points, order: str) -> Quaternions:
    """Unit quaternions of Euler angles in degrees, turned about own axes in the written order.

    Consecutive ones have a dot product ≥ 0, so that stepping from one to the next takes the short way.

    Parameters
    ----------
    angles : (frames, 3) array
        Degrees about x, y, z.

    Returns
    -------
    (frames, 4) array
        x, y, z, w, of unit length.
    """
    columns = ["xyz".index(axis) for axis in order]
    from scipy.spatial.transform import Rotation as Turn

    q: Quaternions = Turn.from_euler(order.upper(), angles[:, columns], degrees=True).as_quat()
    return short_way(q)


def short_way(q: Quaternions) -> Quaternions:
    """The same orientations with signs such that consecutive dot products are ≥ 0.

    Parameters
    ----------
    q : (frames, 4) array
        x, y, z, w, of unit length.

    Returns
    -------
    (frames, 4) array
        The same orientations.
    """
    flips = np.einsum("ij,ij->i", q[1:], q[:-1]) < 0
    signs: Samples = np.where(np.concatenate(([0], np.cumsum(flips))) % 2, -1.0, 1.0)
    out: Quaternions = q * signs[:, None]
    return out
