"""The sheets that find out: why something does not show, and which seams do not meet."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from fastapi import APIRouter, Request, Response

from lazzik.core.diagnose.aim import why_aim
from lazzik.core.diagnose.air import why_field
from lazzik.core.diagnose.cloth import why_cloth
from lazzik.core.diagnose.number import why
from lazzik.core.diagnose.particles import why_particles
from lazzik.core.diagnose.reason import Reason
from lazzik.core.diagnose.shape import why_shape
from lazzik.core.diagnose.swarm import why_swarm
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.seams import seams
from lazzik.core.scene.address import Address, part_named, title
from lazzik.core.scene.node import Node
from lazzik.core.scene.scene import Scene
from lazzik.web.deps import Kept, Store
from lazzik.web.diagnose.words import reason_view
from lazzik.web.shape.view import split_shape
from lazzik.web.ui.templating import templates

router = APIRouter(prefix="/scenes/{scene_id}")


WHY: Mapping[str, Callable[[Scene, Node, Scope], list[Reason]]] = {
    "air": why_field, "particles": why_particles, "cloth": why_cloth, "swarm": why_swarm, "aim": why_aim,
}  # fmt: skip
"""By the part of an object that is laid open."""


@router.get("/why")
def why_sheet(request: Request, scene_id: str, at: str, store: Store, memo: Kept) -> Response:
    """Why a layer, a number with all its layers, a deformer, or another part of an object does not show."""
    scene = store.open(scene_id).scene
    scope = Scope(scene, memo, [])
    part, shape = part_named(at), split_shape(at)
    if part is not None and part[1] in WHY:
        node = scene.node(part[0])
        heading, reasons = f"{node.label} / {part[1]}", WHY[part[1]](scene, node, scope)
    elif shape is None:
        address = Address.parse(at)
        heading, reasons = title(scene, address), why(scene, address, scope)
    else:
        node = scene.node(shape[0])
        heading, reasons = f"{node.label} / shape", why_shape(scene, node, shape[1], scope)
    content = {"title": heading, "reasons": [reason_view(reason) for reason in reasons]}
    return templates.TemplateResponse(request, "diagnose/why.html", content)


@router.get("/seams")
def seam_sheet(request: Request, scene_id: str, store: Store, memo: Kept) -> Response:
    """Every number that does not meet itself at the end of the range."""
    scene = store.open(scene_id).scene
    found = seams(scene, Scope(scene, memo, []))
    rows = [(title(scene, Address.parse(seam.address)), seam) for seam in found]
    return templates.TemplateResponse(request, "diagnose/seams.html", {"rows": rows, "scene": scene})
