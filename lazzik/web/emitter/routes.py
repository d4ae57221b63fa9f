"""Particles that become objects."""

from __future__ import annotations

import json
from typing import Annotated, Any

from fastapi import APIRouter, Request, Response
from pydantic import BaseModel, Field

from lazzik.core.bake.flown import MOST_FLOWN
from lazzik.core.progress import Progress
from lazzik.core.scene.edits.base import applied
from lazzik.core.scene.edits.emitters import emitter_of
from lazzik.web.deps import Heavy, Store, source_of
from lazzik.web.jobs import Job, Running
from lazzik.web.jobs.queue import Result
from lazzik.web.requests.bodies import body_of
from lazzik.web.requests.fields import Revision
from lazzik.web.ui.templating import templates
from lazzik.work import tasks

router = APIRouter(prefix="/scenes/{scene_id}")


class MakeObjects(BaseModel):
    """Particles of an object that are to be objects, chosen evenly among all, on a revision."""

    revision: Revision
    node: str
    most: Annotated[int, Field(ge=1, le=MOST_FLOWN)]


@router.get("/objects-form")
def objects_sheet(request: Request, scene_id: str, node: str, store: Store) -> Response:
    """The form that makes particles objects."""
    owner, _ = emitter_of(store.open(scene_id).scene, node)
    return templates.TemplateResponse(request, "emitter/objects.html", {"node": owner, "most": MOST_FLOWN})


@router.post("/make-objects")
def make_objects(
    scene_id: str, body: Annotated[MakeObjects, body_of(MakeObjects)], store: Store, jobs: Running, heavy: Heavy
) -> dict[str, Any]:
    """Make particles objects with keys from birth to death, as a job whose end is the edit."""
    state = store.current(scene_id, body.revision)
    node, _ = emitter_of(state.scene, body.node)

    def work(progress: Progress) -> Result:
        edits = heavy.run(tasks.flown, source_of(store, state), node.id, body.most, progress=progress)
        landed = store.land(scene_id, body.revision, applied(state.scene, edits), edits[0].describe(state.scene))
        return Result(content=json.dumps(landed.answer).encode())

    return jobs.start(Job(f"Particles of {node.label} as objects", "application/json"), work).news
