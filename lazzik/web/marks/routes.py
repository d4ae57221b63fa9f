"""The sheet of a mark: a new one at a frame, or one that is there; and remarks that come as marks."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Form, Request, Response, UploadFile

from lazzik.core.errors import InvalidDocument, InvalidEdit, UnknownAddress
from lazzik.core.scene.edits.base import Edit, free_label
from lazzik.core.scene.mark import COLORS, LONGEST_REMARK
from lazzik.core.scene.remarks import LARGEST, marks_of, read_remarks
from lazzik.web.deps import Store
from lazzik.web.jobs import Running
from lazzik.web.requests.fields import FrameNumber, Revision
from lazzik.web.requests.uploads import spooled
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


@router.post("/remarks")
def take_remarks(
    scene_id: str, file: UploadFile, revision: Annotated[Revision, Form()], store: Store, jobs: Running
) -> dict[str, Any]:
    """Open remarks that a page for review saved: marks on the ruler, as one step."""
    state = store.current(scene_id, revision)
    with spooled(jobs.folder, file) as path:
        if path.stat().st_size > LARGEST:
            raise InvalidDocument(f"The file is larger than {LARGEST // 2**20} MB, the most that remarks may have.")
        found = read_remarks(path.read_bytes())
    edits: list[Edit] = list(marks_of(found))
    if not edits:
        raise InvalidEdit("There is no remark in this file", "file")
    about = [f"They are about {found.scene}."] if found.scene not in ("", state.scene.name) else []
    count = f"{len(edits)} remark{'' if len(edits) == 1 else 's'} on the ruler."
    return store.edit(scene_id, revision, edits).answer | {"notes": [count, *about]}
