"""Recipes as the page shows them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from lazzik.core.channel.layer import Layer
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.strata import strata
from lazzik.core.layers import Recipe
from lazzik.core.scene.address import Address, title
from lazzik.core.scene.edits.object_putting import followers
from lazzik.core.scene.object_recipe import ObjectRecipe
from lazzik.core.scene.references import readers
from lazzik.core.scene.scene import Scene
from lazzik.web.ui.sparkline import line

SIZE = (280.0, 64.0)


@dataclass(frozen=True, kw_only=True)
class RecipeCard:
    """A recipe as the page shows it."""

    recipe: Recipe
    curve: str
    under: str
    layers: tuple[Layer, ...]
    uses: tuple[tuple[str, str], ...]
    """(title, address) of the numbers that it is used on."""
    put: list[dict[str, Any]]
    """The edits that put it on the numbers that the page was opened for."""


@dataclass(frozen=True, kw_only=True)
class ObjectRecipeCard:
    """A recipe of objects as the page shows it."""

    recipe: ObjectRecipe
    uses: tuple[tuple[str, str], ...]
    """(name, id) of the objects that follow it."""
    put: list[dict[str, Any]]
    """The edit that puts it on the objects that the page was opened for."""


def recipe_card(scene: Scene, recipe: Recipe, numbers: Sequence[str], scope: Scope) -> RecipeCard:
    """A recipe of the scene; `numbers` are those that it may be put on."""
    laid = strata(recipe.stack, scene.clock(), scope)
    low, high = float(laid.result.min()), float(laid.result.max())
    using = [address for address, reads in readers(scene) if f"recipes/{recipe.id}" in reads]
    return RecipeCard(
        recipe=recipe,
        curve=line(laid.result, *SIZE, low, high),
        under=line(laid.base, *SIZE, low, high) if np.ptp(laid.base) else "",
        layers=recipe.stack.layers,
        uses=tuple((title(scene, Address.parse(address)), address) for address in using),
        put=[
            {"do": "use-recipe", "address": str(Address.parse(number).channel), "recipe": recipe.id}
            for number in numbers
        ],
    )


def object_recipe_card(scene: Scene, recipe: ObjectRecipe, objects: Sequence[str]) -> ObjectRecipeCard:
    """A recipe of objects of the scene; `objects` are those that it may be put on."""
    using = followers(scene, recipe.id)
    free = [slug for slug in objects if all(node.id != slug for node in using)]
    return ObjectRecipeCard(
        recipe=recipe,
        uses=tuple((scene.called[node.id], node.id) for node in using),
        put=[{"do": "put-object-recipe", "recipe": recipe.id, "nodes": free}] if free else [],
    )
