"""What the stage draws: geometry, motion, and the points of what bends."""

from __future__ import annotations

from typing import Annotated, Literal, cast

from fastapi import APIRouter, Depends, Query, Request, Response
from typing_extensions import TypedDict

from lazzik.core.cache import BoundedCache
from lazzik.core.clock import Clock
from lazzik.core.compare.motion import in_step
from lazzik.core.errors import InvalidEdit, UnknownAddress
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.shapes import acting, reshaped, shapes_below
from lazzik.core.evaluate.surface import surface_of
from lazzik.core.formats.gltf import write_glb
from lazzik.core.scene.references import affected
from lazzik.core.scene.scene import MOST_FRAMES
from lazzik.web.deps import Kept, Store
from lazzik.web.requests.fields import AskedRevision, FrameNumber
from lazzik.web.stage.geometry import geometry_key
from lazzik.web.stage.motion import motions_of
from lazzik.web.stage.points import MOST_MOMENTS, MOST_TOGETHER, bends, end_of, in_range, shaped, surfaces_of
from lazzik.web.states import Beside, Seen
from lazzik.web.ui.encode import floats, packed, streamed

router = APIRouter(prefix="/scenes/{scene_id}")


async def _at_rest(request: Request) -> BoundedCache[bytes]:
    return cast(BoundedCache[bytes], request.app.state.at_rest)


AtRest = Annotated[BoundedCache[bytes], Depends(_at_rest)]


@router.get("/motion")
def motion(
    scene_id: str,
    store: Store,
    memo: Kept,
    seen: Seen,
    beside: Beside,
    since: AskedRevision = None,
    first: Annotated[FrameNumber | None, Query(alias="from")] = None,
    last: Annotated[FrameNumber | None, Query(alias="to")] = None,
    per: Annotated[int, Query(ge=1, le=MOST_MOMENTS)] = 1,
) -> Response:
    """Transforms of the objects over the range (or part of it): all, or those that differ from a revision's.

    Beside another state the range is that one's, in step with it, and of what is the same in both nothing is sent.
    """
    scene = seen.scene
    timed = beside.scene if beside else scene
    begin = timed.first if first is None else first
    end = timed.last if last is None else last
    if not begin <= end <= begin + MOST_FRAMES:
        raise InvalidEdit(f"Frames {begin} to {end} are no range that can be asked for", "from")
    before = beside.scene if beside else store.at(scene_id, since) if since is not None else None
    same_clock = before is not None and (before.fps, before.first) == (scene.fps, scene.first)
    same = same_clock and before is not None and (beside is not None or before.last == scene.last)
    nodes = affected(before, scene) if before and same else list(scene.nodes)
    clock = in_step(scene, Clock.over(timed.fps, timed.first, end, start=begin, per_frame=per))
    took_shape = reshaped(before, scene, nodes) if before and same else list(scene.nodes)
    head = {
        "shaped": [node.id for node in scene.nodes if node.visible and bends(scene, node)],
        "reshaped": [node.id for node in took_shape],
        "revision": seen.on,
        "from": begin,
        "frames": end - begin + 1,
        "geometry": geometry_key(scene),
    }
    scope = Scope(scene, memo, [])
    return streamed(head, "motion", motions_of(scene, nodes, clock, scope), len(nodes))


@router.get("/rest.glb")
def rest_geometry(scene_id: str, seen: Seen, memo: Kept, made: AtRest) -> Response:
    """The geometry at rest, from the same exporter that people use; of a step it is made once for all who see it."""
    step = (scene_id, seen.revision)
    content = made.get(step) if seen.revision is not None else None
    if content is None:
        content = write_glb(seen.scene, animated=False, memo=memo)
        if seen.revision is not None:
            made.put(step, content, len(content))
    return Response(content, media_type="model/gltf-binary")


class Names(TypedDict):
    """What objects are called, told apart."""

    revision: int
    names: dict[str, str]


@router.get("/names")
def names(scene_id: str, store: Store) -> Names:
    """What each object is called, for the pointer on the stage."""
    state = store.open(scene_id)
    return {"revision": state.revision, "names": state.scene.called}


@router.get("/points")
def points(
    node: Annotated[list[str], Query(min_length=1, max_length=MOST_TOGETHER)],
    memo: Kept,
    seen: Seen,
    beside: Beside,
    first: Annotated[FrameNumber, Query(alias="from")],
    last: Annotated[FrameNumber, Query(alias="to")],
    per: Annotated[int, Query(ge=1, le=MOST_MOMENTS)] = 1,
) -> Response:
    """The points of objects from a frame on, `per` moments of each, as many as one answer may carry. Beside another
    state the frames are that one's, in step with it."""
    scene = seen.scene
    timed = beside.scene if beside else scene
    owners = [shaped(scene, slug) for slug in node]
    in_range(timed, first, last)
    clock = in_step(scene, Clock.over(timed.fps, timed.first, end_of(first, last, per), start=first, per_frame=per))
    return packed({"revision": seen.on} | surfaces_of(scene, owners, clock, Scope(scene, memo, []), first))


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
