"""Edits over HTTP: stored, previewed, undone and done again."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Annotated, Any

from fastapi import APIRouter, Response
from fastapi.responses import JSONResponse
from pydantic import ValidationError

from lazzik.core.clock import Clock
from lazzik.core.evaluate.memo import Memo
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.shapes import reshaped
from lazzik.core.scene.edits.base import Edit, applied
from lazzik.core.scene.edits.every import EditRow, measures_of, refused
from lazzik.core.scene.references import affected
from lazzik.core.scene.scene import Scene
from lazzik.store.scenes import SceneStore
from lazzik.web.air.gusts import gusts_of
from lazzik.web.carried.moments import carried_seen
from lazzik.web.deps import Heavy, Kept, Store
from lazzik.web.edits.landing import ANSWERS, stored
from lazzik.web.jobs import Running
from lazzik.web.requests.bodies import Raw, body_of, described, invalid
from lazzik.web.requests.fields import FrameNumber, RevisionBody
from lazzik.web.scatter.crowds import crowds_between
from lazzik.web.stack.curves import curves_of
from lazzik.web.stage.motion import motions_of
from lazzik.web.stage.points import bends, points_of
from lazzik.web.ui.encode import packed
from lazzik.work.source import Source

router = APIRouter(prefix="/scenes/{scene_id}")


MOST_SHAPED = 40
"""Objects whose points a preview sends; the others follow once the drag has landed."""


COARSE = (24, 120)
"""Distances and moments of the gust chart while something is dragged."""


class Edits(RevisionBody):
    """Edits, each as it describes itself."""

    edits: EditRow
    at: str = ""
    """For a preview: the channel whose lanes are shown."""
    also: tuple[str, ...] = ()
    """And those that are drawn beside it."""
    frame: FrameNumber | None = None
    """The frame on the stage, whose points are wanted of what takes another shape."""
    field: str = ""
    """The field whose gusts are shown."""


def _edits(scene_id: str, raw: bytes, store: SceneStore) -> Edits:
    try:
        return Edits.model_validate_json(raw, context=measures_of(lambda: store.open(scene_id).scene))
    except ValidationError as error:
        if error.errors(include_url=False)[0]["loc"][:1] == ("edits",):
            raise refused(error, 1) from None
        raise invalid(error) from None


async def _given(scene_id: str, raw: Raw, store: Store) -> Callable[[], Edits]:
    return partial(_edits, scene_id, raw, store)


Given = Annotated[Callable[[], Edits], described(Edits, _given)]
"""Reads the edits: in the thread that goes on with them."""


OnRevision = Annotated[RevisionBody, body_of(RevisionBody)]


@router.post("/edits", responses=ANSWERS)
async def edit(scene_id: str, given: Given, store: Store, jobs: Running, heavy: Heavy) -> JSONResponse:
    """Apply and store edits; all or none. What takes long is answered by the job that it became."""

    def asked() -> tuple[int, list[Edit]]:
        body = given()
        return body.revision, list(body.edits)

    return await stored(scene_id, asked, store, jobs, heavy)


@router.post("/undo")
def undo(scene_id: str, body: OnRevision, store: Store) -> dict[str, Any]:
    """One step back."""
    return store.undo(scene_id, body.revision).answer


@router.post("/redo")
def redo(scene_id: str, body: OnRevision, store: Store) -> dict[str, Any]:
    """One step forward."""
    return store.redo(scene_id, body.revision).answer


@router.post("/preview")
def preview(scene_id: str, given: Given, store: Store, memo: Kept) -> Response:
    """What edits would do, evaluated and not stored: the shown lanes, and the motion of the objects that differ."""
    body = given()
    return packed(previewed(store.at(scene_id, body.revision), body, memo))


def previewed(before: Scene, body: Edits, memo: Memo) -> dict[str, Any]:
    """What edits would do to a scene: the shown lanes, and the motion, points, copies and gusts that differ."""
    after = applied(before, list(body.edits))
    # what a drag shows is gone with the next pointer move, so it is kept out of the memo
    scope = Scope(after, Memo(behind=memo), [])
    nodes = affected(before, after)
    content: dict[str, Any] = {}
    if body.at:  # on the finest clock, so first: the others find what they need in it
        content["strata"] = curves_of(scope, after, body.at, body.also)
    content["motion"] = dict(motions_of(after, nodes, after.clock(), scope))
    if body.frame is not None and after.first <= body.frame <= after.last:
        shaped = [node for node in reshaped(before, after, nodes) if node.visible and bends(after, node)]
        now = Clock.over(after.fps, after.first, body.frame, start=body.frame)
        content["points"] = [points_of(after, node, now, scope, body.frame) for node in shaped[:MOST_SHAPED]]
    content["crowds"] = crowds_between(before, after, scope)
    if body.field in after.by_id and after.by_id[body.field].field is not None:
        content["gusts"] = gusts_of(after, after.by_id[body.field], scope, *COARSE)
    return content


@router.post("/preview-carried")
def preview_carried(scene_id: str, given: Given, store: Store, heavy: Heavy) -> Response:
    """What edits would do to particles at the frame that is shown: asked for apart, since it takes longer than all else
    that a drag shows, and worked out by a worker, so that the curves need not wait for it."""
    body = given()
    source = Source(store.folder, scene_id, body.revision)
    return packed({"carried": heavy.run(carried_seen, source, list(body.edits), body.frame)})
