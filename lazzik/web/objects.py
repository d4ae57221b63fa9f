"""Objects and what they are made of: files brought in, shapes made permanent, shapes baked, weights painted."""

from __future__ import annotations

import json
from base64 import b64decode
from contextlib import ExitStack
from typing import Annotated, Any, Literal

import numpy as np
from fastapi import APIRouter, Form, Query, Request, Response, UploadFile
from pydantic import BaseModel, Field

from lazzik.core.clock import Clock
from lazzik.core.document import Typed
from lazzik.core.errors import InvalidEdit, UnknownAddress
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.surface import surface_of
from lazzik.core.formats.bring import BROUGHT
from lazzik.core.geometry.assets import pack_mesh, pack_weights
from lazzik.core.geometry.imported import MeshShape
from lazzik.core.geometry.lettering import SHIPPED
from lazzik.core.geometry.pictures import read_grey
from lazzik.core.progress import Progress
from lazzik.core.scene.edits import applied
from lazzik.core.scene.edits.shapes import ChangeDeformer, PlaceShapeBake, SetShape
from lazzik.core.scene.node import Node
from lazzik.core.scene.scene import Scene
from lazzik.web.bodies import body_of
from lazzik.web.context import Heavy, Kept, Store, source_of, templates
from lazzik.web.fields import FrameNumber, Revision
from lazzik.web.jobs import Job, Running
from lazzik.web.jobs.queue import Result
from lazzik.web.shapes import in_range
from lazzik.web.uploads import spooled
from lazzik.work import tasks

router = APIRouter(prefix="/scenes/{scene_id}")

FONTS, PICTURES = (".ttf", ".otf"), (".png", ".jpg", ".jpeg")


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

IMPORTS: dict[str, Any] = {"memory": 500 * 2**20, "seconds": 30.0}
"""What taking a file in may cost."""


@router.post("/assets")
def keep_asset(scene_id: str, file: UploadFile, store: Store) -> dict[str, Any]:
    """Take a font or a picture from a file; it belongs to no object yet."""
    store.open(scene_id)
    name = (file.filename or "a file")[-120:]
    content = file.file.read()
    ending = name[name.rfind(".") :].lower()
    label = name.rpartition("/")[2].rpartition(".")[0][:60] or "Mesh"
    if ending in FONTS:
        from lazzik.core.geometry.fonts import check_font

        return {"what": "font", "label": check_font(content)[:60], "asset": store.put_asset(content)}
    if ending in PICTURES:
        read_grey(content)
        return {"what": "picture", "label": label, "asset": store.put_asset(content)}
    raise InvalidEdit(f"'{name}' must end in {', '.join((*FONTS, *PICTURES))}", "file")


@router.post("/bring")
def bring_in(
    scene_id: str,
    file: list[UploadFile],
    revision: Annotated[Revision, Form()],
    store: Store,
    jobs: Running,
    heavy: Heavy,
    depth: Annotated[Typed, Form()] = 0.0,
) -> dict[str, Any]:
    """Bring a file's objects into the scene, as one step; a .gltf comes with the files that it names."""
    state = store.current(scene_id, revision)
    if not 0 <= depth <= 100:
        raise InvalidEdit(f"A drawing can be 0 to 100 metres deep; {depth:g} was given", "depth")
    with ExitStack() as stack:
        paths = {(part.filename or "a file")[-120:]: stack.enter_context(spooled(jobs.folder, part)) for part in file}
        brought = heavy.run(tasks.brought, source_of(store, state), paths, depth, **IMPORTS)
    return store.edit(scene_id, revision, [brought.edit]).said | {"notes": brought.notes}


@router.post("/bring-curves")
def bring_in_curves(
    scene_id: str,
    file: UploadFile,
    revision: Annotated[Revision, Form()],
    store: Store,
    jobs: Running,
    heavy: Heavy,
    at: Annotated[str, Form()] = "",
    fitted: Annotated[bool, Form()] = False,
) -> dict[str, Any]:
    """Put the curves of a table on numbers as keys, as one step."""
    state = store.current(scene_id, revision)
    with spooled(jobs.folder, file) as path:
        edits, notes = heavy.run(tasks.brought_curves, source_of(store, state), path, at, fitted, **IMPORTS)
    return store.edit(scene_id, revision, edits).said | {"notes": notes}


@router.post("/permanent")
def make_permanent(scene_id: str, body: Given, store: Store, memo: Kept) -> dict[str, Any]:
    """Write an object's shape at a frame into its mesh, and take its own deformers off. One step, undone like any."""
    scene = store.at(scene_id, body.revision)
    in_range(scene, body.frame, body.frame)
    node = _node(scene, body.node)
    if node.shape is None or not (node.deform or node.targets):
        raise InvalidEdit(f"Nothing bends {node.label}, so its shape is permanent already", body.node)
    clock = Clock.over(scene.fps, scene.first, body.frame, start=body.frame)
    motion = surface_of(scene, node, clock, Scope(scene, memo), own=True)
    points = motion.points(0)
    name = store.put_asset(pack_mesh(motion.rest.moved(points)))
    drop = tuple(deformer.id for deformer in node.deform)
    edit = SetShape(node=node.id, shape=MeshShape(kind="mesh", asset=name), drop=drop)
    return store.edit(scene_id, body.revision, [edit]).said


@router.post("/bake-shape")
def bake_a_shape(scene_id: str, body: Given, store: Store, jobs: Running, heavy: Heavy) -> dict[str, Any]:
    """Bake an object's deformers over a range, to shape targets within a tolerance or to points per frame, as a job
    whose end is the edit."""
    state = store.current(scene_id, body.revision)
    in_range(state.scene, body.first, body.last)
    node = _node(state.scene, body.node)
    tolerance = None if body.how == "frames" else body.tolerance

    def work(progress: Progress) -> Result:
        made = heavy.run(
            tasks.baked_shape, source_of(store, state), node.id, body.first, body.last, tolerance, progress=progress
        )
        edit = PlaceShapeBake(node=body.node, targets=made)
        landed = store.land(scene_id, body.revision, applied(state.scene, [edit]), edit.said(state.scene))
        return Result(json.dumps(landed.said).encode())

    return jobs.start(Job(f"Baking the shape of {node.label}", "application/json"), work).news


@router.get("/shape-bake")
def shape_bake_sheet(request: Request, scene_id: str, node: str, store: Store) -> Response:
    """The form that bakes a shape, or what its bake did."""
    scene = store.open(scene_id).scene
    owner = _node(scene, node)
    return templates.TemplateResponse(request, "_shape_bake.html", {"scene": scene, "node": owner})


@router.post("/paint")
def paint(scene_id: str, body: Given, store: Store) -> dict[str, Any]:
    """Keep painted weights as the mask of a deformer."""
    scene = store.at(scene_id, body.revision)
    node = _node(scene, body.node)
    try:
        weights = np.frombuffer(b64decode(body.weights, validate=True), "<f4").astype(np.float64)
    except ValueError:
        raise InvalidEdit("The painted weights can't be read", "weights") from None
    count = len(node.shape.mesh(scene.assets).points) if node.shape else 0
    if len(weights) != count or not np.all(np.isfinite(weights)):
        raise InvalidEdit(f"{node.label} has {count:,} points; weights for {len(weights):,} were given", "weights")
    name = store.put_asset(pack_weights(np.clip(weights, 0, 1)))
    mask = {"kind": "weights", "asset": name}
    edit = ChangeDeformer.model_validate({"node": node.id, "deformer": body.deformer, "mask": mask})
    return store.edit(scene_id, body.revision, [edit]).said


@router.get("/object-form")
def object_sheet(request: Request, scene_id: str, store: Store, at: Annotated[str, Query()] = "") -> Response:
    """The sheet that adds an object."""
    store.open(scene_id)
    return templates.TemplateResponse(request, "_object_form.html", {"fonts": SHIPPED, "endings": BROUGHT})


@router.get("/duplicate-form")
def duplicate_sheet(request: Request, scene_id: str, node: str, store: Store) -> Response:
    """The sheet that repeats an object."""
    owner = _node(store.open(scene_id).scene, node)
    return templates.TemplateResponse(request, "_duplicate_form.html", {"node": owner})


def _node(scene: Scene, slug: str) -> Node:
    if slug not in scene.by_id:
        raise UnknownAddress(f"There is no object '{slug}' in this scene", slug)
    return scene.by_id[slug]
