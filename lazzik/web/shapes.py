"""Points over the wire: the surfaces that deformers move, a few frames at a time, and where a deformer acts."""

from __future__ import annotations

from typing import Annotated, Any

import numpy as np
from fastapi import APIRouter, Query, Response

from lazzik.core.clock import Clock
from lazzik.core.errors import InvalidEdit, UnknownAddress
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.shapes import ShapeMotion, acting, shape_motion, shapes_over_time
from lazzik.core.scene.node import Node
from lazzik.core.scene.scene import Scene
from lazzik.core.types import Points
from lazzik.web.context import Kept, Store
from lazzik.web.wire import floats, packed

router = APIRouter(prefix="/scenes/{scene_id}")

LARGEST_CHUNK = 6 * 2**20
"""Bytes of points in one answer: what is beyond it is asked for again, so no request ever holds more."""

MOST_FRAMES = 64

MOST_MOMENTS = 64
"""Moments of a frame that may be asked for: as many as a film mixes for its blur."""


@router.get("/points")
def points(
    scene_id: str,
    node: str,
    store: Store,
    memo: Kept,
    first: Annotated[int, Query(alias="from")],
    last: Annotated[int, Query(alias="to")],
    per: Annotated[int, Query(ge=1, le=MOST_MOMENTS)] = 1,
) -> Response:
    """An object's points from a frame on, `per` moments of each, as many as one answer may carry."""
    state = store.open(scene_id)
    scene = state.scene
    owner = _shaped(scene, node)
    in_range(scene, first, last)
    content = points_of(scene, owner, first, min(last, first + MOST_FRAMES - 1), Scope(scene, memo, []), per)
    return packed({"revision": state.revision} | content)


@router.get("/counts")
def counts(scene_id: str, node: str, deformer: str, frame: int, store: Store, memo: Kept) -> Response:
    """How much one deformer counts at each point of an object, at a frame: what the stage shades."""
    scene = store.open(scene_id).scene
    in_range(scene, frame, frame)
    owner = _shaped(scene, node)
    place = next((i for i, (_, item) in enumerate(acting(scene, owner)) if item.id == deformer), None)
    if place is None:
        raise UnknownAddress(f"{owner.label} has no deformer '{deformer}' that acts", node)
    motion = shape_motion(scene, owner, Clock.over(scene.fps, scene.first, frame, start=frame), Scope(scene, memo, []))
    return packed({"counts": floats(motion.counts(place, 0)), "frame": frame})


def points_of(scene: Scene, node: Node, first: int, last: int, scope: Scope, per: int = 1) -> dict[str, Any]:
    """Points and normals from a frame on, `per` moments of each, up to the last or to what one answer may carry.

    Points are float32, normals int8 of 127; a surface that is the same at every frame is sent once.
    """
    clock = Clock.over(scene.fps, scene.first, last, start=first, per_frame=per)
    motion = shape_motion(scene, node, clock, scope)
    count = len(motion.rest.points)
    frames = 1 if motion.still else max(1, min(len(clock.frames), LARGEST_CHUNK // (15 * count)))
    places, normals = [], []
    for index in range(frames):
        now = motion.points(index)
        places.append(floats(now))
        normals.append(small_normals(motion, now))
    return {
        "node": node.id,
        "from": first,
        "frames": frames,
        "still": motion.still,
        "count": count,
        "points": b"".join(places),
        "normals": b"".join(normals),
    }


def small_normals(motion: ShapeMotion, now: Points) -> bytes:
    """(n, 3) normals as signed bytes."""
    return np.round(motion.normals(now) * 127).astype(np.int8).tobytes()


def in_range(scene: Scene, first: int, last: int) -> None:
    """Refuse frames that the scene does not have."""
    if not scene.first <= first <= last <= scene.last:
        raise InvalidEdit(f"Frames {first} to {last} do not lie in the range {scene.first} to {scene.last}", "frames")


def _shaped(scene: Scene, slug: str) -> Node:
    node = scene.by_id.get(slug)
    if node is None:
        raise UnknownAddress(f"There is no object '{slug}' in this scene", slug)
    if not shapes_over_time(scene, node):
        raise UnknownAddress(f"Nothing changes the shape of {node.label}", slug)
    return node
