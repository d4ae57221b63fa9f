"""The sheets on which an object is saved as a recipe, recipes are put on objects, and their numbers are exposed."""

from __future__ import annotations

from fastapi import APIRouter, Request, Response

from lazzik.core.scene.edits.object_putting import object_recipe_of
from lazzik.core.scene.edits.object_saving import belonging
from lazzik.web.deps import Store
from lazzik.web.object_recipes.view import offers
from lazzik.web.requests.fields import Chosen
from lazzik.web.ui.templating import templates

router = APIRouter(prefix="/scenes/{scene_id}")


@router.get("/object-recipe-form")
def save_sheet(request: Request, scene_id: str, store: Store, node: Chosen) -> Response:
    """The form that saves the first of the chosen objects as a recipe, the others with it."""
    scene = store.open(scene_id).scene
    main, also = scene.node(node[0]), [slug for slug in node[1:] if scene.node(slug)]
    inside = belonging(scene, main, also)
    content = {
        "main": main, "also": also, "inside": [scene.called[other.id] for other in inside],
        "offers": offers(scene, [main, *inside]),
    }  # fmt: skip
    return templates.TemplateResponse(request, "object_recipes/save.html", content)


@router.get("/put-recipe-form")
def put_sheet(request: Request, scene_id: str, store: Store, node: Chosen) -> Response:
    """The recipes of objects that may be put on the chosen ones."""
    scene = store.open(scene_id).scene
    nodes = [scene.node(slug) for slug in node]
    content = {"nodes": nodes, "recipes": scene.object_recipes}
    return templates.TemplateResponse(request, "object_recipes/put.html", content)


@router.get("/exposed-form")
def exposed_sheet(request: Request, scene_id: str, store: Store, recipe: str) -> Response:
    """Which numbers of a recipe each use is meant to have of its own."""
    scene = store.open(scene_id).scene
    of = object_recipe_of(scene, recipe)
    exposed = frozenset(item.address for item in of.exposed)
    content = {"recipe": of, "offers": offers(scene, list(of.nodes), exposed)}
    return templates.TemplateResponse(request, "object_recipes/exposed.html", content)
