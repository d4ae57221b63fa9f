"""Recipes as the page shows them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from lazzik.core.channel.layer import Layer
from lazzik.core.evaluate.evaluator import strata
from lazzik.core.evaluate.scope import Scope
from lazzik.core.layers import Recipe
from lazzik.core.scene.address import Address, title
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
    here: bool
    """Whether the scene has it."""
    bring: list[dict[str, Any]]
    """The edits that bring it into the scene."""
    put: list[dict[str, Any]]
    """The edits that put it on the number that the page was opened for."""


def recipe_card(scene: Scene, recipe: Recipe, target: Address | None, scope: Scope) -> RecipeCard:
    """A recipe of the scene or of the library; `target` is the number that it may be put on."""
    here = scene.recipe(recipe.id) is not None
    seen = scope if here else Scope(scene.replaced(recipes=(*scene.recipes, recipe)), scope.memo, [])
    laid = strata(recipe.stack, scene.clock(), seen)
    low, high = float(laid.result.min()), float(laid.result.max())
    using = [address for address, reads in readers(scene) if f"recipes/{recipe.id}" in reads]
    bring: list[dict[str, Any]] = (
        [] if here else [{"do": "put-recipe", "recipe": recipe.model_dump(mode="json", exclude_defaults=True)}]
    )
    use = [{"do": "use-recipe", "address": str(target.channel), "recipe": recipe.id}] if target else []
    return RecipeCard(
        recipe=recipe,
        curve=line(laid.result, *SIZE, low, high),
        under=line(laid.base, *SIZE, low, high) if np.ptp(laid.base) else "",
        layers=recipe.stack.layers,
        uses=tuple((title(scene, Address.parse(address)), address) for address in using),
        here=here,
        bring=bring,
        put=[*bring, *use],
    )
