"""Edits, and the arrays that the stage and the lanes draw."""

from __future__ import annotations

from typing import Annotated, Any
from zlib import crc32

import numpy as np
from fastapi import APIRouter, Query, Response
from pydantic import ValidationError

from lazzik.core.clock import Clock
from lazzik.core.errors import InvalidEdit
from lazzik.core.evaluate.evaluator import base_on, read, strata
from lazzik.core.evaluate.memo import Memo
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.shapes import reshaped, shapes_over_time
from lazzik.core.formats.gltf import write_glb
from lazzik.core.scene.address import Address, find, title
from lazzik.core.scene.edits import EditRow, applied, measures_of, refused
from lazzik.core.scene.references import affected
from lazzik.core.scene.scene import MOST_FRAMES, Scene
from lazzik.web.bodies import Raw, body_of, described, invalid
from lazzik.web.context import Heavy, Kept, Store
from lazzik.web.fields import Also, AskedRevision, FrameNumber, Step
from lazzik.web.jobs import Running
from lazzik.web.lanes import MOST_DRAWN
from lazzik.web.shapes import MOST_MOMENTS, points_of
from lazzik.web.steps import ANSWERS, stored
from lazzik.web.wire import floats, motion_of, motion_of_one, packed, strata_of, streamed

router = APIRouter(prefix="/scenes/{scene_id}")

MOST_SHAPED = 40
"""Objects whose points a preview sends; the others follow once the drag has landed."""

MOST_POINTS = 1200
"""Points of a drawn curve: about one and a half for each pixel of a wide lane."""


class Edits(Step):
    """Edits, each as it describes itself."""

    edits: EditRow
    at: str = ""
    """For a preview: the channel whose lanes are shown."""
    also: tuple[str, ...] = ()
    """And those that are drawn beside it."""
    frame: FrameNumber | None = None
    """The frame on the stage, whose points are wanted of what takes another shape."""


def _edits(scene_id: str, raw: Raw, store: Store) -> Edits:
    try:
        return Edits.model_validate_json(raw, context=measures_of(lambda: store.open(scene_id).scene))
    except ValidationError as error:
        if error.errors(include_url=False)[0]["loc"][:1] == ("edits",):
            raise refused(error, 1) from None
        raise invalid(error) from None


Given = Annotated[Edits, described(Edits, _edits)]
OnRevision = Annotated[Step, body_of(Step)]


@router.post("/edits", responses=ANSWERS)
def edit(scene_id: str, body: Given, store: Store, jobs: Running, heavy: Heavy) -> Any:
    """Apply and store edits; all or none. What takes long is answered by the job that it became."""
    return stored(scene_id, body.revision, list(body.edits), store, jobs, heavy)


@router.post("/undo")
def undo(scene_id: str, body: OnRevision, store: Store) -> dict[str, Any]:
    """One step back."""
    return store.undo(scene_id, body.revision).said


@router.post("/redo")
def redo(scene_id: str, body: OnRevision, store: Store) -> dict[str, Any]:
    """One step forward."""
    return store.redo(scene_id, body.revision).said


@router.post("/preview")
def preview(scene_id: str, body: Given, store: Store, memo: Kept) -> Response:
    """What edits would do, evaluated and not stored: the shown lanes, and the motion of the objects that differ."""
    before = store.at(scene_id, body.revision)
    after = applied(before, list(body.edits))
    # what a drag shows is gone with the next pointer move, so it is kept out of the memo
    scope = Scope(after, Memo(behind=memo), [])
    nodes = affected(before, after)
    content: dict[str, Any] = {}
    if body.at:  # on the finest clock, so first: the others find what they need in it
        content["strata"] = _strata(scope, after, body.at, body.also)
    content["motion"] = motion_of(after, nodes, after.clock(), scope)
    if body.frame is not None and after.first <= body.frame <= after.last:
        shaped = [node for node in reshaped(before, after, nodes) if node.visible and shapes_over_time(after, node)]
        content["points"] = [points_of(after, node, body.frame, body.frame, scope) for node in shaped[:MOST_SHAPED]]
    return packed(content)


@router.get("/curves")
def curves(
    scene_id: str,
    address: str,
    store: Store,
    memo: Kept,
    also: Also = (),
    revision: AskedRevision = None,
) -> Response:
    """A channel laid open, and others beside it."""
    state = store.open(scene_id)
    scene = state.scene if revision is None else store.at(scene_id, revision)
    return packed({"revision": state.revision, "strata": _strata(Scope(scene, memo, []), scene, address, also)})


@router.get("/motion")
def motion(
    scene_id: str,
    store: Store,
    memo: Kept,
    since: AskedRevision = None,
    first: Annotated[FrameNumber | None, Query(alias="from")] = None,
    last: Annotated[FrameNumber | None, Query(alias="to")] = None,
    per: Annotated[int, Query(ge=1, le=MOST_MOMENTS)] = 1,
) -> Response:
    """Transforms of the objects over the range (or part of it): all, or those that differ from a revision's."""
    state = store.open(scene_id)
    scene = state.scene
    begin = scene.first if first is None else first
    end = scene.last if last is None else last
    if not begin <= end <= begin + MOST_FRAMES:
        raise InvalidEdit(f"Frames {begin} to {end} are no range that can be asked for", "from")
    before = store.at(scene_id, since) if since is not None else None
    same_clock = before and (before.fps, before.first, before.last) == (scene.fps, scene.first, scene.last)
    nodes = affected(before, scene) if before and same_clock else list(scene.nodes)
    clock = Clock.over(scene.fps, scene.first, end, start=begin, per_frame=per)
    took_shape = reshaped(before, scene, nodes) if before and same_clock else list(scene.nodes)
    head = {
        "shaped": [node.id for node in scene.nodes if node.visible and shapes_over_time(scene, node)],
        "reshaped": [node.id for node in took_shape],
        "revision": state.revision,
        "from": begin,
        "frames": end - begin + 1,
        "geometry": geometry_key(scene),
    }
    scope = Scope(scene, memo, [])
    return streamed(head, "motion", ((node.id, motion_of_one(scene, node, clock, scope)) for node in nodes), len(nodes))


@router.get("/rest.glb")
def rest(scene_id: str, store: Store, memo: Kept) -> Response:
    """The geometry at rest, from the same exporter that people use."""
    scene = store.open(scene_id).scene
    return Response(write_glb(scene, animated=False, memo=memo), media_type="model/gltf-binary")


def geometry_key(scene: Scene) -> str:
    """Changes when the stage has to fetch the geometry anew."""
    parts = [(n.id, n.parent, n.visible, n.shape, n.look.color if n.look else None) for n in scene.nodes]
    return f"{crc32(str(parts).encode()):08x}"


def _strata(scope: Scope, scene: Scene, text: str, also: tuple[str, ...]) -> dict[str, Any]:
    address = Address.parse(text).channel
    place = find(scene, address)
    fine = max(1, min(4, MOST_POINTS // scene.frames))
    clock = scene.clock(fine)
    content = strata_of(strata(place.number, clock, scope), place, str(address), scene, clock, scope)
    content["also"] = [
        {
            "channel": str(other),
            "title": title(scene, other),
            "base": floats(base_on(find(scene, other).channel, clock)),
            "result": floats(np.broadcast_to(read(str(other), clock, scope), clock.frames.shape)),
        }
        for other in (Address.parse(item).channel for item in also[:MOST_DRAWN])
    ]
    return content
