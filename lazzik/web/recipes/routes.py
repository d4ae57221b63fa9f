"""The recipes page, with the shelf, and the form that makes a stack a recipe."""

from __future__ import annotations

from fastapi import APIRouter, Request, Response

from lazzik.core.evaluate.scope import Scope
from lazzik.core.scene.address import Address, find, title
from lazzik.web.deps import Kept, ShelfOf, Store
from lazzik.web.recipes.view import SIZE, object_recipe_card, recipe_card
from lazzik.web.requests.fields import Also
from lazzik.web.shelf.view import shelf_view, target_of
from lazzik.web.ui.templating import templates

router = APIRouter(prefix="/scenes/{scene_id}")


@router.get("/recipes")
def page(
    request: Request,
    scene_id: str,
    store: Store,
    memo: Kept,
    shelf: ShelfOf,
    at: str = "",
    also: Also = (),
    frame: float = 0.0,
) -> Response:
    """The scene's recipes, and the shelf."""
    state = store.open(scene_id)
    scene = state.scene
    target = target_of(scene, at, also, frame)
    content = {
        "state": state,
        "scene": scene,
        "step": "recipes",
        "at": at,
        "also": also,
        "target": target,
        "own": [recipe_card(scene, recipe, target.numbers, Scope(scene, memo, [])) for recipe in scene.recipes],
        "objects": [object_recipe_card(scene, recipe, target.objects) for recipe in scene.object_recipes],
        "shelf": shelf_view(shelf),
        "size": SIZE,
    }
    return templates.TemplateResponse(request, "recipes/page.html", content)


@router.get("/recipe-form")
def recipe_sheet(request: Request, scene_id: str, at: str, store: Store) -> Response:
    """The form that saves a stack as a recipe: its name, and which numbers each use may have of its own."""
    scene = store.open(scene_id).scene
    address = Address.parse(at).channel
    channel = find(scene, address).channel
    rows = []
    for layer in channel.layers:
        usual = {*(type(layer).feel or ()), *type(layer).idle_at, "seed"}
        names = [name for name in layer.numbers(scene) if name != "weight"]
        rows.append((layer, [(name, f"{layer.id}.{name}", name in usual) for name in names]))
    content = {"title": title(scene, address), "address": str(address), "rows": rows}
    return templates.TemplateResponse(request, "recipes/form.html", content)
