"""What an object follows, and what may be saved of one, as their sheets and panels show it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace

from lazzik.core.compare.paths import path_of
from lazzik.core.compare.words import Worded, grouped, in_words
from lazzik.core.deformers import Deformer
from lazzik.core.scene.address import exists
from lazzik.core.scene.differences import Difference, differences, under
from lazzik.core.scene.edits.object_putting import followers, laid_out
from lazzik.core.scene.laying import address_here, lying
from lazzik.core.scene.node import Node
from lazzik.core.scene.object_recipe import ObjectRecipe
from lazzik.core.scene.object_use import ObjectUse
from lazzik.core.scene.scene import Scene
from lazzik.web.shape.controls import number_control
from lazzik.web.ui.knob import Knob

MOST_OWN = 8
"""Differences that a panel tells one by one."""

TICKED = 8
"""Numbers that a new recipe exposes unless it is said otherwise."""


@dataclass(frozen=True, kw_only=True)
class UseView:
    """One recipe that an object follows."""

    recipe: ObjectRecipe
    others: tuple[str, ...]
    """What else follows it."""
    knobs: tuple[Knob, ...]
    own: tuple[Worded, ...]
    """What the object has of its own, as far as it is told one by one."""
    own_count: int
    size: str
    """How large it is here, where that is not 1."""


@dataclass(frozen=True, kw_only=True)
class FollowingView:
    """What an object follows."""

    node: Node
    uses: tuple[UseView, ...]


@dataclass(frozen=True, kw_only=True)
class ExposeOffer:
    """A layer or a deformer whose numbers may be exposed."""

    title: str
    numbers: tuple[tuple[str, str, str, bool], ...]
    """(name, address, what it is called where it stands alone, whether it is ticked)."""


def following_view(scene: Scene, node: Node) -> FollowingView:
    """What an object follows."""
    found = ((scene.object_recipe(use.recipe), use) for use in node.uses)
    uses = tuple(_use_view(scene, node, recipe, use) for recipe, use in found if recipe is not None)
    return FollowingView(node=node, uses=uses)


def _use_view(scene: Scene, node: Node, recipe: ObjectRecipe, use: ObjectUse) -> UseView:
    as_laid = scene.with_nodes(laid_out(scene, recipe, node))
    rows = differences(as_laid, scene)
    told = in_words([group[0].difference for group in grouped(in_words(rows, as_laid, scene))], as_laid, scene)
    return UseView(
        recipe=recipe,
        others=tuple(scene.called[other.id] for other in followers(scene, recipe.id) if other is not node),
        knobs=tuple(_knobs(scene, node, recipe, use, rows)),
        own=tuple(told[:MOST_OWN]),
        own_count=len(rows),
        size="" if use.inside == 1.0 else f"{use.inside:.3g} × as large",
    )


def _knobs(scene: Scene, node: Node, recipe: ObjectRecipe, use: ObjectUse, own: list[Difference]) -> Iterator[Knob]:
    for item in recipe.exposed:
        address = address_here(recipe, use, node, item.address)
        if not exists(scene, address):
            continue
        slug, _, path = address.partition("/")
        knob = number_control(scene, scene.by_id[slug], path, label=item.label)
        differs = any(under(row.path, path_of(address)) for row in own)
        edit = {"do": "follow-object-recipe", "node": node.id, "recipe": recipe.id, "addresses": [address]}
        yield replace(knob, follows=edit if differs else None)


def offers(scene: Scene, nodes: list[Node], exposed: frozenset[str] | None = None) -> list[ExposeOffer]:
    """What of some objects may be exposed: numbers of their layers and deformers. Ticked are those that are `exposed`;
    of new ones what the kinds are about."""
    found: list[ExposeOffer] = []
    left = TICKED
    for node in nodes:
        for holder, address, names, usual in _holders(scene, node):
            rows = []
            for name in names:
                here = f"{address}.{name}"
                ticked = here in exposed if exposed is not None else name in usual and left > 0
                left -= ticked
                words = name.replace("_", " ")
                rows.append((words, here, f"{holder.rpartition(' / ')[2]} {words}"[:120], ticked))
            if rows:
                found.append(ExposeOffer(title=f"{node.label} / {holder}", numbers=tuple(rows)))
    return found


def _holders(scene: Scene, node: Node) -> Iterator[tuple[str, str, list[str], set[str]]]:
    """(title, address, names of numbers, those that the kind is about) of layers and deformers."""
    for path, channel in lying(node):
        for layer in channel.layers:
            names = [name for name in layer.numbers(scene) if name != "weight"]
            about = set(type(layer).idle_at) - {"weight"}
            yield f"{path.replace('.', ' ')} / {layer.label}", f"{node.id}/{path}#{layer.id}", names, about
    for item in node.deform:
        yield item.label, f"{node.id}/deform.{item.id}", _names(item), set(type(item).idle_at)


def _names(item: Deformer) -> list[str]:
    return [path for path, _ in item.stored() if "." not in path and path != "weight"]
