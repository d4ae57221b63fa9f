"""Poses and clips: the sheet that lists them, and keeping a clip."""

from __future__ import annotations

import json
from typing import Annotated, Any

from fastapi import APIRouter, Request, Response
from pydantic import Field

from lazzik.core.bake.clips import clip_from
from lazzik.core.document import Typed
from lazzik.core.evaluate.scope import Scope
from lazzik.core.scene.address import Address, title
from lazzik.web.deps import Kept, Store
from lazzik.web.poses.view import SIZE, clip_curves, pose_choices
from lazzik.web.requests.bodies import body_of
from lazzik.web.requests.fields import Also, RevisionBody
from lazzik.web.ui.templating import templates

router = APIRouter(prefix="/scenes/{scene_id}")


class KeepClip(RevisionBody):
    """A stretch to keep, on a revision."""

    label: Annotated[str, Field(min_length=1, max_length=120)]
    addresses: tuple[str, ...]
    first: Typed
    last: Typed


@router.get("/poses")
def sheet(
    request: Request,
    scene_id: str,
    at: str,
    store: Store,
    memo: Kept,
    also: Also = (),
    frame: float = 0.0,
) -> Response:
    """Poses and clips of the scene, and the forms that keep new ones."""
    scene = store.open(scene_id).scene
    address = Address.parse(at).channel
    numbers = (str(address), *also) if address.path != "shape" else also
    choices = [choice for choice in pose_choices(scene, scene.by_id.get(address.node), numbers) if choice.addresses]
    titles = [title(scene, Address.parse(number)) for number in numbers]
    chosen = titles[0] if len(titles) == 1 else f"the {len(titles)} chosen numbers"
    content = {
        "scene": scene, "frame": frame, "size": SIZE, "numbers": numbers,
        "offers": [(json.dumps(choice.addresses), choice.name) for choice in choices],
        "played_on": [("[]", "what it came from"), (json.dumps(numbers), chosen)],
        "clips": [(clip, clip_curves(scene, clip, Scope(scene, memo, []))) for clip in scene.clips],
    }  # fmt: skip
    return templates.TemplateResponse(request, "poses/sheet.html", content)


@router.post("/keep-clip")
def keep(scene_id: str, store: Store, memo: Kept, body: Annotated[KeepClip, body_of(KeepClip)]) -> dict[str, Any]:
    """Keep a stretch of motion as a clip."""
    scene = store.at(scene_id, body.revision)
    edit = clip_from(scene, body.label, list(body.addresses), round(body.first), round(body.last), memo)
    return store.edit(scene_id, body.revision, [edit]).answer
