"""The recipes page, and the form that makes a stack a recipe."""

from __future__ import annotations

from fastapi import APIRouter, Request, Response

from lazzik.core.evaluate.scope import Scope
from lazzik.core.scene.address import Address, find, title
from lazzik.demo.recipes import library
from lazzik.demo.whole import WHOLE
from lazzik.web.deps import Kept, Store
from lazzik.web.recipes.view import SIZE, recipe_card
from lazzik.web.studio.selection import chosen
from lazzik.web.ui.templating import templates

router = APIRouter(prefix="/scenes/{scene_id}")


@router.get("/recipes")
def page(request: Request, scene_id: str, store: Store, memo: Kept, at: str = "") -> Response:
    """The scene's recipes and the library."""
    state = store.open(scene_id)
    scene = state.scene
    target = chosen(scene, at) if at else None
    known = {recipe.id for recipe in scene.recipes}
    content = {
        "state": state,
        "scene": scene,
        "step": "recipes",
        "at": str(target.channel) if target else "",
        "target": title(scene, target.channel) if target else "",
        "own": [recipe_card(scene, recipe, target, Scope(scene, memo, [])) for recipe in scene.recipes],
        "library": [recipe_card(scene, r, target, Scope(scene, memo, [])) for r in library() if r.id not in known],
        "size": SIZE,
        "whole": WHOLE,
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
