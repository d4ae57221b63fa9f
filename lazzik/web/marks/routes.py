"""The sheet of a mark: a new one at a frame, or one that is there."""

from __future__ import annotations

from fastapi import APIRouter, Request, Response

from lazzik.core.errors import UnknownAddress
from lazzik.core.scene.edits.base import free_label
from lazzik.core.scene.mark import COLORS, LONGEST_REMARK
from lazzik.web.deps import Store
from lazzik.web.requests.fields import FrameNumber
from lazzik.web.ui.templating import templates

router = APIRouter(prefix="/scenes/{scene_id}")


@router.get("/mark")
def mark_sheet(request: Request, scene_id: str, store: Store, mark: str = "", frame: FrameNumber = 0) -> Response:
    """The form of a mark: by its name; or the one at a frame, or a new one there."""
    marks = store.open(scene_id).scene.marks
    there = next((item for item in marks if (item.id == mark if mark else item.frame == frame)), None)
    if mark and there is None:
        raise UnknownAddress(f"There is no mark '{mark[:80]}' in this scene", mark[:80])
    content = {
        "mark": there, "frame": there.frame if there else frame, "colors": COLORS, "most": LONGEST_REMARK,
        "label": there.label if there else free_label("Mark", {item.label for item in marks}),
    }  # fmt: skip
    return templates.TemplateResponse(request, "marks/sheet.html", content)
