"""The sheets that find out: why something does not show, and which seams do not meet."""

from __future__ import annotations

from fastapi import APIRouter, Request, Response

from lazzik.core.diagnose.aim import why_aim
from lazzik.core.diagnose.air import why_field
from lazzik.core.diagnose.cloth import why_cloth
from lazzik.core.diagnose.number import why
from lazzik.core.diagnose.particles import why_particles
from lazzik.core.diagnose.shape import why_shape
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.seams import seams
from lazzik.core.scene.address import Address, title
from lazzik.web.aim.view import split_aim
from lazzik.web.air.view import split_air
from lazzik.web.cloth.view import split_cloth
from lazzik.web.deps import Kept, Store
from lazzik.web.diagnose.words import reason_view
from lazzik.web.emitter.view import split_emitter
from lazzik.web.shape.view import split_shape
from lazzik.web.ui.templating import templates

router = APIRouter(prefix="/scenes/{scene_id}")


@router.get("/why")
def why_sheet(request: Request, scene_id: str, at: str, store: Store, memo: Kept) -> Response:
    """Why a layer, a number with all its layers, a deformer, an aim, a field, what is sent out or cloth does not
    show."""
    scene = store.open(scene_id).scene
    scope = Scope(scene, memo, [])
    shape, aims, blows = split_shape(at), split_aim(at), split_air(at)
    sends = split_emitter(at)
    hangs = split_cloth(at)
    if hangs is not None:
        node = scene.node(hangs)
        heading, reasons = f"{node.label} / cloth", why_cloth(scene, node, scope)
    elif sends is not None:
        node = scene.node(sends)
        heading, reasons = f"{node.label} / particles", why_particles(scene, node, scope)
    elif blows is not None:
        node = scene.node(blows)
        heading, reasons = f"{node.label} / air", why_field(scene, node, scope)
    elif aims is not None:
        node = scene.node(aims)
        heading, reasons = f"{node.label} / aim", why_aim(scene, node, scope)
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
