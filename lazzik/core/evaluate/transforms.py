"""Where objects are over time: within the object above, as glTF and the stage want them, and in the scene.

What aims is turned by evaluate/aimed.py.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from lazzik.core.channel.channel import Channel
from lazzik.core.clock import Clock
from lazzik.core.evaluate.aimed import Aimer
from lazzik.core.evaluate.scope import ALONE, Scope
from lazzik.core.evaluate.triples import by_axis, triple
from lazzik.core.geometry.quaternions import orientations, place_by
from lazzik.core.scene.node import Node, channels_of
from lazzik.core.scene.scene import Scene
from lazzik.core.types import Points, Quaternions

Part = Literal["position", "rotation", "scale"]


@dataclass(frozen=True, eq=False)
class Transforms:
    """An object's own transform over a clock, within the object above it."""

    position: Points  # (frames, 3) metres
    orientation: Quaternions  # (frames, 4) x, y, z, w, each in the half-space of the one before
    scale: Points  # (frames, 3) factors


PARTS: tuple[Part, ...] = ("position", "rotation", "scale")


def moves(scene: Scene, node: Node, parts: tuple[Part, ...] = PARTS) -> bool:
    """Whether one of these parts of an object's transform can change over time."""
    for name in parts:
        part = getattr(node, name)
        if _changes(part.x) or _changes(part.y) or _changes(part.z):
            return True
    aim = node.aim if "rotation" in parts and node.aim is not None and node.aim.acts else None
    if aim is None:
        return False
    if any(_changes(number) for part in (aim, node.position) for _, number, _ in channels_of(part)):
        return True
    above = tuple(scene.lineage(node))[1:]
    if aim.target is None:
        return any(moves(scene, here) for here in above)
    target = scene.node(aim.target)
    turned: tuple[Part, ...] = PARTS if aim.turned_target else ("position",)
    carriers = (*above, *tuple(scene.lineage(target))[1:])
    return moves(scene, target, turned) or any(moves(scene, here) for here in carriers)


def _changes(number: float | Channel) -> bool:
    return isinstance(number, Channel) and number.moves


def numbers_of_transforms(nodes: Iterable[Node]) -> Iterator[float | Channel]:
    """The numbers of where objects are."""
    for node in nodes:
        for part in (node.position, node.rotation, node.scale):
            yield from (part.x, part.y, part.z)


def transforms(node: Node, clock: Clock, scope: Scope = ALONE) -> Transforms:
    """An object's own transform at every moment of a clock. Without a scene nothing aims."""
    rows = rows_of(node, clock, scope)
    return Transforms(rows[:, :3], rows[:, 3:7], rows[:, 7:])


def rows_of(node: Node, clock: Clock, scope: Scope = ALONE) -> NDArray[np.float64]:
    """The same as one array. Not to be written to.

    Returns
    -------
    (frames, 10) array
        Position in metres, orientation as x, y, z, w, and scale.
    """
    scope = scope.at(node.id)
    rows, problems = scope.kept_pose(node, clock), len(scope.problems or ())
    if rows is None:
        turn = _turn(node, clock, scope)
        if node.aim is not None and node.aim.acts and scope.scene is not None:
            scene = scope.scene
            aimer = Aimer(scene, node, node.aim, scope, lambda other, at: world(scene, other, at, scope))
            turn = aimer.turned(turn, clock)
        rows = np.concatenate([triple(node.position, clock, scope), turn, triple(node.scale, clock, scope)], axis=1)
        if len(scope.problems or ()) == problems:  # as with channels
            scope.keep_pose(node, clock, rows)
    return rows


def part_of(node: Node, part: Part, clock: Clock, scope: Scope) -> NDArray[np.float64]:
    """One part of an object's transform.

    Returns
    -------
    (frames, 3) or (frames, 4) array
        Metres, quaternions or factors.
    """
    if part != "rotation":
        return triple(getattr(node, part), clock, scope.at(node.id))
    if node.aim is not None and node.aim.acts:
        return rows_of(node, clock, scope)[:, 3:7]
    return _turn(node, clock, scope.at(node.id))


def _turn(node: Node, clock: Clock, scope: Scope) -> Quaternions:
    """(frames, 4) the orientation that its numbers give it, whatever it aims at."""
    return orientations(by_axis(node.rotation, clock, scope), node.rotation.order, len(clock.frames))


def world(scene: Scene, node: Node | None, clock: Clock, scope: Scope = ALONE) -> NDArray[np.float64]:
    """From the object's space to the scene's: parent · T · R · S; without an object, the scene's own.

    Returns
    -------
    (frames, 4, 4) array
        From the object's space to the scene's, metres.
    """
    matrix: NDArray[np.float64] | None = None
    for here in scene.lineage(node) if node is not None else ():
        local = np.empty((len(clock.frames), 4, 4))
        place_by(np.ascontiguousarray(rows_of(here, clock, scope)), local)
        matrix = local if matrix is None else local @ matrix
    return np.tile(np.eye(4), (len(clock.frames), 1, 1)) if matrix is None else matrix
