"""The studio's page, and the panels of it that follow the document."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Annotated, Any, cast
from urllib.parse import parse_qs, unquote

from fastapi import APIRouter, Cookie, Depends, Query, Request, Response

from lazzik.core.evaluate.memo import Memo
from lazzik.core.evaluate.mesh_density import CoarseMarks
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.shapes import count_moving
from lazzik.core.scene.address import Address, part_named
from lazzik.core.scene.aim import Aim
from lazzik.core.scene.cloth import Cloth
from lazzik.core.scene.emitter import Emitter
from lazzik.core.scene.node import LAID_OPEN, Node
from lazzik.core.scene.scatter import Scatter
from lazzik.core.scene.scene import MOST_NODES, Scene
from lazzik.core.scene.swarm import Swarm
from lazzik.demo.starts import BY_KEY
from lazzik.store.scenes import State
from lazzik.web.aim.view import aim_view
from lazzik.web.air.view import air_view
from lazzik.web.cloth.view import cloth_view
from lazzik.web.deps import Kept, Store
from lazzik.web.emitter.view import emitter_view
from lazzik.web.object_recipes.view import following_view
from lazzik.web.pages import begun
from lazzik.web.requests.fields import Also, AskedRevision
from lazzik.web.scatter.view import scatter_view
from lazzik.web.shape.facts import shape_facts
from lazzik.web.shape.view import deformer_palette, shape_view, split_shape
from lazzik.web.sheaves.view import sheaf_rows, sheaf_view
from lazzik.web.stack.palette import palette
from lazzik.web.stack.view import strata_view
from lazzik.web.stage.geometry import geometry_key
from lazzik.web.studio.facts import facts_of
from lazzik.web.studio.selection import chosen, chosen_also
from lazzik.web.studio.tree import Choice, Had, Listing, tree_view
from lazzik.web.studio.view import BEYONDS, dials
from lazzik.web.swarm.view import swarm_view
from lazzik.web.ui.templating import templates

router = APIRouter()

STILL_NEW = 6
"""Steps up to which a scene counts as new, and first steps are shown in it."""

SMALL = 15
"""Objects of a scene in which they are."""


async def _marks(request: Request) -> CoarseMarks:
    return cast(CoarseMarks, request.app.state.marks)


Marked = Annotated[CoarseMarks, Depends(_marks)]

PANELS = ("aiming", "airing", "scattering", "emitting", "draping", "swarming", "following")
"""What the panels call the parts of an object that they lay open."""


@dataclass(frozen=True, kw_only=True)
class Asked:
    """What a page of the studio is asked to show."""

    at: str
    also: tuple[str, ...]
    """Numbers chosen beside the one at `at`."""
    listing: Listing
    was: int | None
    """The revision of the document whose window with this listing the page has."""
    was_at: str
    was_also: tuple[str, ...]


async def _asked(
    at: str = "",
    also: Also = (),
    moving: bool = False,
    find: Annotated[str, Query(max_length=120)] = "",
    first: Annotated[int | None, Query(ge=0, le=MOST_NODES)] = None,
    was: AskedRevision = None,
    was_at: str = "",
    was_also: Also = (),
) -> Asked:
    listing = Listing(moving=moving, find=find, first=first)
    return Asked(at=at, also=also, listing=listing, was=was, was_at=was_at, was_also=was_also)


Shown = Annotated[Asked, Depends(_asked)]


@router.get("/scenes/{scene_id}")
def studio(
    request: Request,
    scene_id: str,
    store: Store,
    memo: Kept,
    marks: Marked,
    shown: Shown,
    left: Annotated[str, Cookie(alias="shown", include_in_schema=False)] = "",
    start: Annotated[str, Query(max_length=40)] = "",
    steps: Annotated[str, Cookie(include_in_schema=False)] = "",
) -> Response:
    """The studio; where nothing is asked for, with what this browser left it with."""
    state = store.open(scene_id)
    if not shown.at:
        before = parse_qs(unquote(left))
        shown = replace(shown, at=before.get("at", [""])[0], also=tuple(before.get("also", ())))
    choice = _choice(state, shown)

    def panels_and_more() -> dict[str, Any]:
        is_new = state.revision < STILL_NEW and len(state.scene.nodes) < SMALL
        taken = store.entry(scene_id).picture
        pictured = int(taken.split()[0]) if taken and not taken.endswith("svg+xml") else -1
        more = {
            "pictured": pictured,
            "geometry": geometry_key(state.scene),
            "start": BY_KEY.get(start),
            "steps": steps != "done" and is_new,
            "palette": palette(),
            "deformers": deformer_palette(),
        }
        return _panels(state, memo, marks, shown, choice) | more

    return begun(request, "studio/page.html", {"scene": state.scene}, panels_and_more)


@router.get("/scenes/{scene_id}/panels")
def panels(request: Request, scene_id: str, store: Store, memo: Kept, marks: Marked, shown: Shown) -> Response:
    """The parts of the studio that follow the document, to be morphed into the page."""
    state = store.open(scene_id)
    parts = _panels(state, memo, marks, shown, _choice(state, shown))
    return templates.TemplateResponse(request, "studio/panels.html", parts)


@router.get("/scenes/{scene_id}/tree")
def rows(request: Request, scene_id: str, store: Store, memo: Kept, marks: Marked, shown: Shown) -> Response:
    """A window on the tree, as it is scrolled or searched."""
    state = store.open(scene_id)
    scope = Scope(state.scene, memo, [])
    return templates.TemplateResponse(
        request, "studio/rows.html", _tree(state, marks, shown, _choice(state, shown), scope)
    )


def _choice(state: State, shown: Asked) -> Choice:
    part = _part(state.scene, shown.at)
    if part is not None:
        return part
    gone = part_named(shown.at) or split_shape(shown.at)  # a part that is there no more
    address = chosen(state.scene, "" if gone else shown.at)
    also, left_out = chosen_also(state.scene, shown.also, address)
    return Choice(shown=address, also=also, left_out=left_out)


def _part(scene: Scene, at: str) -> Choice | None:
    """The shape or another part of an object, if that is what is asked for and there is one."""
    shape, part = split_shape(at), part_named(at)
    if shape and shape[0] in scene.by_id:
        return Choice(shown=Address(shape[0], "shape"))
    if part and part[0] in scene.by_id and getattr(scene.by_id[part[0]], LAID_OPEN[part[1]]) is not None:
        return Choice(shown=Address(*part))
    return None


def _laid_open(scene: Scene, address: Address | None, scope: Scope) -> dict[str, Any]:
    """The part of an object that an address lays open, by what its panel calls it; nothing if it lays open none."""
    node = scene.by_id.get(address.node) if address else None
    match (getattr(node, LAID_OPEN.get(address.path, ""), None) if address else None, node):
        case (Aim() as aim, Node()):
            return {"aiming": aim_view(scene, node, aim)}
        case (Scatter() as scatter, Node()):
            return {"scattering": scatter_view(scene, node, scatter, scope)}
        case (Emitter() as emitter, Node()):
            return {"emitting": emitter_view(scene, node, emitter)}
        case (Cloth() as cloth, Node()):
            return {"draping": cloth_view(scene, node, cloth)}
        case (Swarm() as swarm, Node()):
            return {"swarming": swarm_view(scene, node, swarm)}
        case (tuple(), Node()):
            return {"following": following_view(scene, node)}
        case (None, _):
            return {}
        case (field, Node()):
            return {"airing": air_view(scene, node, field, scope)}
    return {}


def _tree(state: State, marks: CoarseMarks, shown: Asked, choice: Choice, scope: Scope) -> dict[str, Any]:
    had = None
    if shown.was is not None:
        before = _choice(state, replace(shown, at=shown.was_at, also=shown.was_also))
        had = Had(choice=before, same=shown.was == state.revision)
    return {
        "tree": tree_view(state.scene, choice, shown.listing, scope, had),
        "coarse": marks.of(state.scene, scope),
        "moving_only": shown.listing.moving,
    }


def _panels(state: State, memo: Memo, marks: CoarseMarks, shown: Asked, choice: Choice) -> dict[str, Any]:
    scope = Scope(state.scene, memo, [])
    address, shape = choice.shown, split_shape(shown.at)
    node = state.scene.by_id.get(address.node) if address else None
    form = shape_view(state.scene, node, shape[1], scope) if shape and node else None
    opened = dict.fromkeys(PANELS) | _laid_open(state.scene, address, scope)
    laid_open = form or any(opened.values())
    view = strata_view(state.scene, address, choice.also, choice.left_out) if address and not laid_open else None
    at = shown.at if laid_open else str(address or "")
    tree = _tree(state, marks, shown, choice, scope)
    return tree | {
        "state": state,
        "scene": state.scene,
        "step": "stage",
        "at": at,
        "dials": dials(state.scene),
        "moving": count_moving(state.scene),
        "view": view,
        "facts": facts_of(
            state, at, view, shape_facts(form) if form else None, moving=shown.listing.moving, find=shown.listing.find
        ),
        "form": form,
        **opened,
        "sheaves": sheaf_rows(state.scene, address),
        "sheaf": sheaf_view(state.scene, address),
        "beyonds": BEYONDS,
    }
