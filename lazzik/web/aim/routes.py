"""The sheets on which one chooses what objects aim at, or go round."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Request, Response

from lazzik.core.scene.scene import Scene
from lazzik.web.deps import Store
from lazzik.web.requests.fields import Chosen
from lazzik.web.ui.templating import templates

router = APIRouter(prefix="/scenes/{scene_id}")

MOST_OFFERED = 2000
"""Objects on one sheet."""


@router.get("/aim-form")
def aim_sheet(request: Request, scene_id: str, store: Store, node: Chosen) -> Response:
    """Objects that the chosen ones may aim at."""
    scene = store.open(scene_id).scene
    edit = {"do": "aim", "nodes": node}
    content = _offered(scene, node) | {"edit": edit, "into": "target", "what": "aim", "free": edit}
    return templates.TemplateResponse(request, "aim/sheet.html", content)


@router.get("/orbit-form")
def orbit_sheet(request: Request, scene_id: str, store: Store, node: Chosen) -> Response:
    """Objects that the first of the chosen ones may go round."""
    scene = store.open(scene_id).scene
    content = _offered(scene, node[:1]) | {
        "edit": {"do": "orbit", "node": node[0]}, "into": "around", "what": "orbit", "free": None,
    }  # fmt: skip
    return templates.TemplateResponse(request, "aim/sheet.html", content)


def _offered(scene: Scene, chosen: list[str]) -> dict[str, Any]:
    nodes = [scene.node(slug) for slug in chosen]
    offered = [(slug, name) for slug, name in scene.called.items() if slug not in chosen]
    return {"first": nodes[0], "more": len(nodes) - 1, "offered": offered[:MOST_OFFERED]}
