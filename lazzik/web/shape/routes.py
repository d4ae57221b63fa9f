"""An object's shape: made permanent, baked, painted."""

from __future__ import annotations

import json
from typing import Annotated, Any, Literal

from fastapi import APIRouter, Request, Response
from pydantic import BaseModel, Field

from lazzik.core.bake.permanent import make_permanent as permanent
from lazzik.core.evaluate.scope import Scope
from lazzik.core.progress import Progress
from lazzik.core.scene.edits.base import applied
from lazzik.core.scene.edits.shapes import PlaceShapeBake
from lazzik.core.scene.edits.shapes import paint as painted
from lazzik.core.scene.rest_pose import extent
from lazzik.web.deps import Kept, Long, Store, source_of
from lazzik.web.jobs import Job, Running
from lazzik.web.jobs.queue import Result
from lazzik.web.requests.bodies import body_of
from lazzik.web.requests.fields import FrameNumber, Revision
from lazzik.web.stage.points import in_range
from lazzik.web.ui.encode import weights_in
from lazzik.web.ui.templating import templates

router = APIRouter(prefix="/scenes/{scene_id}")


@router.get("/deformers")
def copied(scene_id: str, node: str, store: Store, deformer: str = "") -> dict[str, Any]:
    """A deformer, or all of an object's, as they are copied, with the size that they were measured by."""
    scene = store.open(scene_id).scene
    owner = scene.node(node)
    one = owner.deformer(deformer)
    rows = list(owner.deform) if one is None else [one]
    return {
        "deformers": [row.model_dump(mode="json", exclude_defaults=True) for row in rows],
        "size": extent(scene, owner).size,
        "label": rows[0].label if len(rows) == 1 else f"{len(rows)} deformers",
    }


class OnNode(BaseModel):
    """A request about one object, made on a revision."""

    revision: Revision
    node: str
    frame: FrameNumber = 0
    deformer: str = ""
    first: FrameNumber = 0
    last: FrameNumber = 0
    how: Literal["targets", "frames"] = "targets"
    tolerance: Annotated[float, Field(allow_inf_nan=False)] = 0.001
    weights: str = ""
    """Base64 of float32, one for each point."""


Given = Annotated[OnNode, body_of(OnNode)]


@router.post("/permanent")
def make_permanent(scene_id: str, body: Given, store: Store, memo: Kept) -> dict[str, Any]:
    """Write an object's shape at a frame into its mesh, and take its own deformers off. One step, undone like any."""
    with store.aside() as assets:
        scene = store.at(scene_id, body.revision).with_assets(assets)
        edit = permanent(scene, body.node, body.frame, Scope(scene, memo))
    return store.edit(scene_id, body.revision, [edit]).answer


@router.post("/bake-shape")
def bake_a_shape(scene_id: str, body: Given, store: Store, jobs: Running, long: Long) -> dict[str, Any]:
    """Bake an object's deformers over a range, to shape targets within a tolerance or to points per frame, as a job
    whose end is the edit."""
    state = store.current(scene_id, body.revision)
    in_range(state.scene, body.first, body.last)
    node = state.scene.node(body.node)
    tolerance = None if body.how == "frames" else body.tolerance

    def work(progress: Progress) -> Result:
        made = long.bake_shape(source_of(store, state), node.id, body.first, body.last, tolerance, progress)
        edit = PlaceShapeBake(node=body.node, targets=made)
        landed = store.land(scene_id, body.revision, applied(state.scene, [edit]), edit.describe(state.scene))
        return Result(content=json.dumps(landed.answer).encode())

    return jobs.start(Job(f"Baking the shape of {node.label}", "application/json"), work).news


@router.get("/shape-bake")
def shape_bake_sheet(request: Request, scene_id: str, node: str, store: Store) -> Response:
    """The form that bakes a shape, or what its bake did."""
    scene = store.open(scene_id).scene
    owner = scene.node(node)
    return templates.TemplateResponse(request, "shape/bake.html", {"scene": scene, "node": owner})


@router.post("/paint")
def paint(scene_id: str, body: Given, store: Store) -> dict[str, Any]:
    """Keep painted weights as the mask of a deformer."""
    weights = weights_in(body.weights)
    with store.aside() as assets:
        scene = store.at(scene_id, body.revision).with_assets(assets)
        edit = painted(scene, body.node, body.deformer, weights)
    return store.edit(scene_id, body.revision, [edit]).answer
