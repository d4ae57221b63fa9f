"""Points over the wire: the surfaces that deformers move, a few frames at a time, and where a deformer acts."""

from __future__ import annotations

from typing import Annotated, Any, Literal

import numpy as np
from fastapi import APIRouter, Query, Response

from lazzik.core.clock import Clock
from lazzik.core.errors import InvalidEdit, UnknownAddress
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.shapes import acting, shapes_below, shapes_over_time
from lazzik.core.evaluate.surface import Surface, surface_of
from lazzik.core.scene.node import Node
from lazzik.core.scene.scene import Scene
from lazzik.core.types import Points
from lazzik.web.context import Kept, Store
from lazzik.web.fields import FrameNumber
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
    first: Annotated[FrameNumber, Query(alias="from")],
    last: Annotated[FrameNumber, Query(alias="to")],
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
def counts(
    scene_id: str,
    node: str,
    deformer: str,
    frame: FrameNumber,
    store: Store,
    memo: Kept,
    what: Literal["counts", "lift"] = "counts",
) -> Response:
    """How much one deformer of an object or a group counts at each point that it acts on, or how far it pushes it, at
    a frame: what the stage shades, by object."""
    scene = store.open(scene_id).scene
    in_range(scene, frame, frame)
    owner = scene.by_id.get(node)
    item = owner.deformer(deformer) if owner else None
    if owner is None or item is None:
        raise UnknownAddress(f"There is no deformer '{deformer}' on '{node}' in this scene", node)
    if what == "lift" and not item.pushes:
        raise InvalidEdit(f"{item.label} pushes nothing one way: it has no height that could be shaded", node)
    clock = Clock.over(scene.fps, scene.first, frame, start=frame)
    found = {}
    for part in shapes_below(scene, owner):
        place = next((i for i, (_, each) in enumerate(acting(scene, part)) if each is item), None)
        if place is not None:
            surface = surface_of(scene, part, clock, Scope(scene, memo, []))
            found[part.id] = floats(surface.lift(place, 0) if what == "lift" else surface.counts(place, 0))
    if not found:
        raise UnknownAddress(f"{item.label} acts on nothing: it is muted, or has no weight", node)
    return packed({what: found, "frame": frame})


def points_of(scene: Scene, node: Node, first: int, last: int, scope: Scope, per: int = 1) -> dict[str, Any]:
    """Points and normals from a frame on, `per` moments of each, up to the last or to what one answer may carry.

    Points are float32, normals int8 of 127; a surface that is the same at every frame is sent once.
    """
    clock = Clock.over(scene.fps, scene.first, last, start=first, per_frame=per)
    motion = surface_of(scene, node, clock, scope)
    count = len(motion.rest.points)
    frames = 1 if motion.still else max(1, min(len(clock.frames), LARGEST_CHUNK // (15 * count)))
    places, normals = [], []
    for _, now in motion.each(0, frames):
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


def small_normals(motion: Surface, now: Points) -> bytes:
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
