"""The form of a dial."""

from __future__ import annotations

from fastapi import APIRouter, Request, Response

from lazzik.core.errors import UnknownAddress
from lazzik.web.deps import Store
from lazzik.web.ui.knob import shown
from lazzik.web.ui.templating import templates

router = APIRouter(prefix="/scenes/{scene_id}")


@router.get("/dial-form")
def dial_sheet(request: Request, scene_id: str, store: Store, dial: str = "") -> Response:
    """The form of a new dial, or of one that is there."""
    scene = store.open(scene_id).scene
    there = scene.dial(dial)
    if dial and there is None:
        raise UnknownAddress(f"There is no dial '{dial}' in this scene", dial)
    return templates.TemplateResponse(request, "dials/form.html", {"dial": there, "shown": shown})
