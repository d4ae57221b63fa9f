"""The copies of a scatter, as the stage draws them: where they stand, and how they lean."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Query, Request, Response
from pydantic import BaseModel, Field
from typing_extensions import TypedDict

from lazzik.core.bake.real import MOST_REAL, made_real
from lazzik.core.clock import Clock
from lazzik.core.compare.motion import in_step
from lazzik.core.evaluate.copies import copies_of, density
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.variants import shifted
from lazzik.core.scene.edits.scatters import bears, paint_density, scatter_of
from lazzik.core.scene.scatter import MOST_COPIES, MOST_VARIANTS
from lazzik.web.deps import Kept, Store
from lazzik.web.requests.bodies import body_of
from lazzik.web.requests.fields import Chosen, FrameNumber, Revision
from lazzik.web.scatter.crowds import evenly, laid_of, leans_of
from lazzik.web.scatter.facts import ScatterFacts, scatter_facts
from lazzik.web.stage.points import MOST_MOMENTS, end_of, in_range, shaped, surfaces_of
from lazzik.web.states import Beside, Seen
from lazzik.web.ui.encode import floats, packed, weights_in
from lazzik.web.ui.templating import templates

router = APIRouter(prefix="/scenes/{scene_id}")

MOST_LEANS = 2_600_000
"""Leans of copies in one answer: ten thousand over 250 frames, ten megabytes."""

MOST_OFFERED = 2000
"""Objects on one sheet."""


class MakeReal(BaseModel):
    """A request about copies, made on a revision."""

    revision: Revision
    node: str
    copies: Annotated[tuple[Annotated[int, Field(ge=0)], ...], Field(min_length=1, max_length=MOST_REAL)] | None = None
    """Their numbers; all that stand, if none is named."""


@router.post("/make-real")
def make_real(scene_id: str, body: Annotated[MakeReal, body_of(MakeReal)], store: Store, memo: Kept) -> dict[str, Any]:
    """Make copies objects of their own, as one step."""
    scene = store.at(scene_id, body.revision)
    return store.edit(scene_id, body.revision, made_real(scene, body.node, body.copies, Scope(scene, memo))).answer


class Painted(BaseModel):
    """Where copies are dense, as a brush left it, made on a revision."""

    revision: Revision
    node: str
    weights: str
    """Base64 of float32, one for each point of the surface."""


@router.post("/paint-density")
def paint(scene_id: str, body: Annotated[Painted, body_of(Painted)], store: Store) -> dict[str, Any]:
    """Keep painted weights as where copies are dense."""
    weights = weights_in(body.weights)
    with store.aside() as assets:
        edit = paint_density(store.at(scene_id, body.revision).with_assets(assets), body.node, weights)
    return store.edit(scene_id, body.revision, [edit]).answer


@router.get("/density")
def density_there(scene_id: str, node: str, store: Store) -> Response:
    """How dense copies are at the points of the surface that bears them."""
    scene = store.open(scene_id).scene
    owner, scatter = scatter_of(scene, node)
    surface = bears(scene, scatter.surface, owner.id)
    return packed({"surface": surface.id, "weights": floats(density(scene, surface, scatter))})


class ScattersNow(TypedDict):
    """The scatters of a scene."""

    revision: int
    last: int
    scatters: list[ScatterFacts]


Most = Annotated[int | None, Query(ge=1, le=MOST_COPIES)]
"""Copies that are drawn at most: where there is no graphics hardware, thousands would make every picture slow."""


@router.get("/copies")
def copies(node: str, memo: Kept, seen: Seen, most: Most = None) -> Response:
    """Where the copies of a scatter stand, the shapes that each is made of, and which of them are to be drawn."""
    owner, scatter = scatter_of(seen.scene, node)
    scope = Scope(seen.scene, memo, [])
    found = copies_of(seen.scene, owner, scope)
    return packed({"revision": seen.on} | laid_of(seen.scene, owner, scatter, found, scope, most))


First = Annotated[FrameNumber, Query(alias="from")]
Last = Annotated[FrameNumber, Query(alias="to")]
Moments = Annotated[int, Query(ge=1, le=MOST_MOMENTS)]


@router.get("/leans")
def copies_lean(
    node: str, memo: Kept, seen: Seen, beside: Beside, first: First, last: Last, per: Moments = 1, most: Most = None
) -> Response:
    """How the copies of a scatter that are drawn lean from a frame on, and where their surface carries them: `per`
    moments of each frame, as many as one answer may carry. Beside another state the frames are that one's, in
    step with it."""
    scene = seen.scene
    timed = beside.scene if beside else scene
    in_range(timed, first, last)
    owner, _ = scatter_of(scene, node)
    scope = Scope(scene, memo, [])
    found = copies_of(scene, owner, scope)
    if most is not None:
        found = found.only(evenly(len(found), most))
    end = min(last, first + max(1, MOST_LEANS // max(1, per * len(found))) - 1)
    clock = in_step(scene, Clock.over(timed.fps, timed.first, end, start=first, per_frame=per))
    return packed({"from": first, "to": end} | leans_of(scene, owner, found, clock, scope))


@router.get("/copy-points")
def copy_points(
    node: str,
    part: str,
    variant: Annotated[int, Query(ge=0, le=MOST_VARIANTS)],
    memo: Kept,
    seen: Seen,
    beside: Beside,
    first: First,
    last: Last,
    per: Moments = 1,
) -> Response:
    """The points of what a scatter repeats in one of its shifts of time, `per` moments of each frame from one on, as
    many as one answer may carry."""
    scene = seen.scene
    timed = beside.scene if beside else scene
    in_range(timed, first, last)
    owner, scatter = scatter_of(scene, node)
    scope = Scope(scene, memo, [])
    clock = in_step(scene, Clock.over(timed.fps, timed.first, end_of(first, last, per), start=first, per_frame=per))
    later = shifted(scene, scatter, variant, clock, scope.at(owner.id))
    return packed(surfaces_of(scene, [shaped(scene, part)], later, scope, first))


@router.get("/scatters")
def scatters(seen: Seen) -> ScattersNow:
    """What there is to draw of scatters, for whoever draws the scene without its studio."""
    return {"revision": seen.on, "last": seen.scene.last, "scatters": scatter_facts(seen.scene)}


@router.get("/scatter-form")
def scatter_sheet(request: Request, scene_id: str, store: Store, node: Chosen) -> Response:
    """Where the chosen objects may be scattered."""
    scene = store.open(scene_id).scene
    nodes = [scene.node(slug) for slug in node if scene.node(slug).scatter is None][:16]
    edit = {"do": "scatter", "nodes": [each.id for each in nodes]}
    offered = [(each.id, scene.called[each.id]) for each in scene.nodes if each.shape is not None and each not in nodes]
    content = {"first": nodes[0] if nodes else None, "more": len(nodes) - 1, "edit": edit}
    return templates.TemplateResponse(request, "scatter/sheet.html", content | {"offered": offered[:MOST_OFFERED]})
