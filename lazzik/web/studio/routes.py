"""The studio's page, and the panels of it that follow the document."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Any

from fastapi import APIRouter, Depends, Query, Request, Response

from lazzik.core.evaluate.coarse import CoarseMarks
from lazzik.core.evaluate.memo import Memo
from lazzik.core.evaluate.scope import Scope
from lazzik.core.scene.address import Address
from lazzik.store.scenes import State
from lazzik.web.deps import Kept, Marked, Store
from lazzik.web.shape.view import MADE_HERE, deformer_palette, shape_facts, shape_view, split_shape
from lazzik.web.stack.palette import palette
from lazzik.web.stack.view import strata_view
from lazzik.web.studio.selection import chosen, chosen_also
from lazzik.web.studio.view import BEYONDS, COMBINES, count_moving, dials, facts, tree
from lazzik.web.ui.templating import templates

router = APIRouter()


@dataclass(frozen=True, kw_only=True)
class Asked:
    """What a page of the studio is asked to show."""

    at: str
    also: tuple[str, ...]
    """Numbers chosen beside the one at `at`."""
    moving: bool


def _asked(at: str = "", also: Annotated[tuple[str, ...], Query()] = (), moving: bool = False) -> Asked:
    return Asked(at=at, also=also, moving=moving)


Shown = Annotated[Asked, Depends(_asked)]


@router.get("/scenes/{scene_id}")
def studio(request: Request, scene_id: str, store: Store, memo: Kept, marks: Marked, shown: Shown) -> Response:
    """The studio."""
    state = store.open(scene_id)
    return templates.TemplateResponse(request, "studio/page.html", _panels(state, memo, marks, shown))


@router.get("/scenes/{scene_id}/panels")
def panels(request: Request, scene_id: str, store: Store, memo: Kept, marks: Marked, shown: Shown) -> Response:
    """The parts of the studio that follow the document, to be morphed into the page."""
    state = store.open(scene_id)
    return templates.TemplateResponse(request, "studio/panels.html", _panels(state, memo, marks, shown))


def _panels(state: State, memo: Memo, marks: CoarseMarks, shown: Asked) -> dict[str, Any]:
    scope = Scope(state.scene, memo, [])
    shape = split_shape(shown.at)
    node = state.scene.by_id.get(shape[0]) if shape else None
    form = shape_view(state.scene, node, shape[1], scope) if shape and node else None
    address = Address(node.id, "shape") if node else chosen(state.scene, shown.at if not shape else "")
    others = () if form else chosen_also(state.scene, shown.also, address)
    view = strata_view(state.scene, address, others) if address and not form else None
    at = shown.at if form else str(address or "")
    return {
        "state": state,
        "scene": state.scene,
        "step": "stage",
        "at": at,
        "tree": tree(state.scene, address, others, scope, shown.moving),
        "coarse": marks.of(state.scene, scope),
        "dials": dials(state.scene),
        "moving_only": shown.moving,
        "moving": count_moving(state.scene),
        "view": view,
        "facts": facts(state, at, view, shown.moving) | ({"shape": shape_facts(form)} if form else {"shape": None}),
        "form": form,
        "palette": palette(),
        "deformers": deformer_palette(),
        "mask_kinds": MADE_HERE,
        "combines": COMBINES,
        "beyonds": BEYONDS,
    }
