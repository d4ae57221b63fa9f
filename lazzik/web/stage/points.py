"""The points of surfaces that deformers move, as many objects and frames as an answer carries."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from lazzik.core.clock import Clock
from lazzik.core.errors import InvalidEdit, UnknownAddress
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.shapes import hangs_as_cloth, shapes_over_time, surface_moves
from lazzik.core.evaluate.surface import Surface, surface_of
from lazzik.core.scene.node import Node
from lazzik.core.scene.scene import Scene

LARGEST_ANSWER = 2 * 2**20
"""Bytes of points in one answer: what is beyond it is asked for again, so no request ever holds more."""

MOST_AT_ONCE = 512
"""Frames in one answer."""

MOST_TOGETHER = 64
"""Objects in one answer."""


MOST_MOMENTS = 64
"""Moments of a frame that may be asked for: as many as a film mixes for its blur."""


def surfaces_of(scene: Scene, nodes: list[Node], clock: Clock, scope: Scope, first: int) -> dict[str, Any]:
    """The points of objects over a clock that begins with a frame: of as many of them, and of the last of these over as
    many moments, as one answer may carry."""
    found: list[dict[str, Any]] = []
    left = LARGEST_ANSWER
    for node in nodes:
        sent = points_of(scene, node, clock, scope, first, left)
        found.append(sent)
        left -= sent["points"].nbytes + sent["normals"].nbytes
        if left <= 0 or (sent["frames"] < len(clock.frames) and not sent["still"]):
            break
    return {"surfaces": found}


def points_of(
    scene: Scene, node: Node, clock: Clock, scope: Scope, first: int, most: int = LARGEST_ANSWER
) -> dict[str, Any]:
    """Points and normals over a clock that begins with a frame, or over as much of it as takes so many bytes at most,
    one moment at least.

    Points are float32, normals int8 of 127; a surface that is the same at every frame is sent once.
    """
    motion = surface_of(scene, node, clock, scope)
    count = len(motion.rest.points)
    still = not surface_moves(scene, node)  # one that moves may be the same at all these moments
    frames = 1 if still else max(1, min(len(clock.frames), most // (15 * count)))
    places, normals = small(motion, frames)
    return {
        "node": node.id,
        "from": first,
        "frames": frames,
        "still": still,
        "count": count,
        "points": places,
        "normals": normals,
    }


def small(motion: Surface, moments: int) -> tuple[NDArray[np.float32], NDArray[np.int8]]:
    """A surface at its first moments, as pages are sent it.

    Returns
    -------
    (moments, n, 3) float32 array, (moments, n, 3) int8 array
        Metres, in the object's space; normals, of length 127.
    """
    count = len(motion.rest.points)
    places, normals = np.empty((moments, count, 3), np.float32), np.empty((moments, count, 3), np.int8)
    for index, now in motion.each(0, moments):
        places[index], normals[index] = now, np.round(127 * motion.normals(now))
    if motion.still:
        places[1:], normals[1:] = places[0], normals[0]
    return places, normals


def in_range(scene: Scene, first: int, last: int) -> None:
    """Refuse frames that the scene does not have."""
    if not scene.first <= first <= last <= scene.last:
        raise InvalidEdit(f"Frames {first} to {last} do not lie in the range {scene.first} to {scene.last}", "frames")


def end_of(first: int, last: int, per: int) -> int:
    """The last frame that an answer may reach, of those that are asked for with so many moments each."""
    return min(last, first + max(1, MOST_AT_ONCE // per) - 1)


def bends(scene: Scene, node: Node) -> bool:
    """Whether something changes an object's shape that the stage asks for by frames: cloth comes with its run."""
    return shapes_over_time(scene, node) and not hangs_as_cloth(node)


def shaped(scene: Scene, slug: str) -> Node:
    """An object whose points move. Raises UnknownAddress."""
    node = scene.node(slug)
    if not shapes_over_time(scene, node):
        raise UnknownAddress(f"Nothing changes the shape of {node.label}", slug)
    return node
