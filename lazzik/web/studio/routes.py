"""The studio's page, and the panels of it that follow the document."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Annotated, Any
from urllib.parse import parse_qs, unquote

from fastapi import APIRouter, Cookie, Depends, Query, Request, Response

from lazzik.core.evaluate.memo import Memo
from lazzik.core.evaluate.mesh_density import CoarseMarks
from lazzik.core.evaluate.scope import Scope
from lazzik.core.scene.address import Address
from lazzik.core.scene.scene import MOST_NODES, Scene
from lazzik.demo.starts import BY_KEY
from lazzik.store.scenes import State
from lazzik.web.aim.view import aim_view, split_aim
from lazzik.web.air.view import air_view, split_air
from lazzik.web.cloth.view import cloth_view, split_cloth
from lazzik.web.deps import Kept, Marked, Store
from lazzik.web.emitter.view import emitter_view, split_emitter
from lazzik.web.requests.fields import Also, AskedRevision
from lazzik.web.scatter.view import scatter_view, split_scatter
from lazzik.web.shape.facts import shape_facts
from lazzik.web.shape.view import deformer_palette, shape_view, split_shape
from lazzik.web.sheaves.view import sheaf_rows, sheaf_view
from lazzik.web.stack.palette import palette
from lazzik.web.stack.view import strata_view
from lazzik.web.studio.facts import facts_of
from lazzik.web.studio.selection import chosen, chosen_also
from lazzik.web.studio.tree import Choice, Had, Listing, tree_view
from lazzik.web.studio.view import BEYONDS, count_moving, dials
from lazzik.web.ui.templating import templates

router = APIRouter()

STILL_NEW = 6
"""Steps up to which a scene counts as new, and first steps are shown in it."""

PARTS = (split_shape, split_aim, split_air, split_scatter, split_emitter, split_cloth)
"""What tells addresses apart that show a part of an object rather than a number."""

SMALL = 15
"""Objects of a scene in which they are."""


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


def _asked(
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
    is_new = state.revision < STILL_NEW and len(state.scene.nodes) < SMALL
    taken = store.entry(scene_id).picture
    pictured = int(taken.split()[0]) if taken and not taken.endswith("svg+xml") else -1
    more = {"pictured": pictured, "start": BY_KEY.get(start), "steps": steps != "done" and is_new}
    return templates.TemplateResponse(request, "studio/page.html", _panels(state, memo, marks, shown) | more)


@router.get("/scenes/{scene_id}/panels")
def panels(request: Request, scene_id: str, store: Store, memo: Kept, marks: Marked, shown: Shown) -> Response:
    """The parts of the studio that follow the document, to be morphed into the page."""
    state = store.open(scene_id)
    return templates.TemplateResponse(request, "studio/panels.html", _panels(state, memo, marks, shown))


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
    gone = any(split(shown.at) for split in PARTS)  # a part that is there no more
    address = chosen(state.scene, "" if gone else shown.at)
    also, left_out = chosen_also(state.scene, shown.also, address)
    return Choice(shown=address, also=also, left_out=left_out)


def _part(scene: Scene, at: str) -> Choice | None:
    """The shape, the aim, the field, the copies, the particles or the cloth of an object, if that is what is asked for
    and there is one."""
    shape, aims, blows, many, sends, hangs = (split(at) for split in PARTS)
    if shape and shape[0] in scene.by_id:
        return Choice(shown=Address(shape[0], "shape"))
    if aims in scene.by_id and scene.by_id[aims].aim is not None:
        return Choice(shown=Address(aims, "aim"))
    if blows in scene.by_id and scene.by_id[blows].field is not None:
        return Choice(shown=Address(blows, "air"))
    if many in scene.by_id and scene.by_id[many].scatter is not None:
        return Choice(shown=Address(many, "copies"))
    if sends in scene.by_id and scene.by_id[sends].emitter is not None:
        return Choice(shown=Address(sends, "particles"))
    if hangs in scene.by_id and scene.by_id[hangs].cloth is not None:
        return Choice(shown=Address(hangs, "cloth"))
    return None


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


def _panels(state: State, memo: Memo, marks: CoarseMarks, shown: Asked) -> dict[str, Any]:
    scope = Scope(state.scene, memo, [])
    choice = _choice(state, shown)
    address, shape = choice.shown, split_shape(shown.at)
    node = state.scene.by_id.get(address.node) if address else None
    form = shape_view(state.scene, node, shape[1], scope) if shape and node else None
    at_part = address.path if address else ""
    aiming = aim_view(state.scene, node, node.aim) if node and node.aim and at_part == "aim" else None
    airing = air_view(state.scene, node, node.field, scope) if node and node.field and at_part == "air" else None
    many = node.scatter if node and at_part == "copies" else None
    scattering = scatter_view(state.scene, node, many, scope) if node and many else None
    emitting = (
        emitter_view(state.scene, node, node.emitter) if node and node.emitter and at_part == "particles" else None
    )
    draping = cloth_view(state.scene, node, node.cloth) if node and node.cloth and at_part == "cloth" else None
    laid_open = form or aiming or airing or scattering or emitting or draping
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
        "aiming": aiming,
        "airing": airing,
        "scattering": scattering,
        "emitting": emitting,
        "draping": draping,
        "sheaves": sheaf_rows(state.scene, address),
        "sheaf": sheaf_view(state.scene, address),
        "palette": palette(),
        "deformers": deformer_palette(),
        "beyonds": BEYONDS,
    }
