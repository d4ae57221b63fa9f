"""Edits of whole stacks: putting copied layers somewhere, and one loop for many."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from lazzik.core.channel.channel import Channel
from lazzik.core.channel.layer import Layer
from lazzik.core.channel.repeats import Repeats
from lazzik.core.document import Finite, InFrames
from lazzik.core.layers import AnyLayer, Recipe
from lazzik.core.layers.recipe import Use
from lazzik.core.scene.address import Address, find, find_at, find_layer, title, write
from lazzik.core.scene.edits.base import Edit, free_label, free_slug
from lazzik.core.scene.edits.dials import free_name
from lazzik.core.scene.node import Node
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.sheaf import Sheaf
from lazzik.core.scene.visit import (
    layered,
    layers_on,
    parts_repeating,
    with_every_layer,
    with_layers,
    with_layers_at,
    with_own_layers,
    with_recipe_objects,
    with_repeating,
)


class PutLayers(Edit):
    """Put copied layers on top of a number's stack, or in its place.

    `unit` and `reach` are those of the number they were copied from: on a number of another unit they are sized so
    that they show as well as there. `recipes` are those that the layers use where they come from: what is not here yet
    is brought along, under another name if another recipe has its name here. So are the `sheaves` that they are in;
    within one scene they join theirs.
    """

    do: Literal["put-layers"] = "put-layers"
    address: str
    layers: Annotated[tuple[AnyLayer, ...], Field(min_length=1, max_length=200)]
    unit: str | None = None
    reach: Annotated[Finite, Field(gt=0)] | None = None
    how: Literal["on-top", "instead"] = "on-top"
    recipes: Annotated[tuple[Recipe, ...], Field(max_length=200)] = ()
    sheaves: Annotated[tuple[Sheaf, ...], Field(max_length=200)] = ()

    def apply(self, scene: Scene) -> Scene:
        address = Address.parse(self.address).channel
        scene, layers = with_recipes(scene, self.recipes, self.layers)
        scene, layers = with_sheaves(scene, self.sheaves, layers)
        place = find(scene, address)
        elsewhere = self.reach is not None and self.unit is not None and self.unit != place.quantity.unit
        factor = place.reach / self.reach if elsewhere and self.reach else 1.0
        stack = list(place.channel.layers) if self.how == "on-top" else []
        for layer in layers:
            for reads in sorted(layer.references()):
                find_at(scene, reads)
            slug = free_slug(layer.label, {item.id for item in stack})
            fitted = layer if factor == 1.0 or layer.combine == "multiply" else layer.scaled(factor)
            stack.append(fitted.replaced(id=slug))
        return write(scene, address, lambda channel: channel.replaced(layers=tuple(stack)))

    def describe(self, scene: Scene) -> str:
        what = self.layers[0].label if len(self.layers) == 1 else f"{len(self.layers)} layers"
        return f"paste {what} on {title(scene, Address.parse(self.address).channel)}"


def with_recipes(
    scene: Scene, recipes: tuple[Recipe, ...], layers: tuple[Layer, ...]
) -> tuple[Scene, tuple[Layer, ...]]:
    """The scene with the recipes that it has not yet, and layers that use them by the names that they have here."""
    named: dict[str, str] = {}
    taken = {recipe.id for recipe in scene.recipes}
    for recipe in recipes:
        here = scene.recipe(recipe.id)
        named[recipe.id] = recipe.id if here in (None, recipe) else free_name(recipe.label, taken, "recipe")
        taken.add(named[recipe.id])

    def here_called(layer: Layer) -> Layer:
        name = named.get(layer.recipe, layer.recipe) if isinstance(layer, Use) else ""
        return layer.replaced(recipe=name) if isinstance(layer, Use) and name != layer.recipe else layer

    for recipe in recipes:
        if scene.recipe(named[recipe.id]) is None:
            stack = with_layers(recipe.stack, here_called)
            scene = scene.with_part(recipe.replaced(id=named[recipe.id], stack=stack))
    changed = with_layers(Channel(layers=layers), here_called)
    return scene, changed.layers if isinstance(changed, Channel) else layers


def with_sheaves(
    scene: Scene, sheaves: tuple[Sheaf, ...], layers: tuple[Layer, ...]
) -> tuple[Scene, tuple[Layer, ...]]:
    """The scene with the sheaves that it has not yet, and layers that are in them by the names that they have here; a
    layer whose sheaf is nowhere is in none."""
    named: dict[str, str] = {}
    for sheaf in sheaves:
        here = scene.sheaf(sheaf.id)
        taken = {other.id for other in scene.sheaves}
        named[sheaf.id] = sheaf.id if here is None or _alike(here, sheaf) else free_name(sheaf.label, taken, "sheaf")
        if scene.sheaf(named[sheaf.id]) is None:
            label = free_label(sheaf.label, {other.label for other in scene.sheaves})
            scene = scene.with_part(sheaf.replaced(id=named[sheaf.id], label=label))

    def here_in(layer: Layer) -> Layer:
        name = named.get(layer.sheaf or "", layer.sheaf)
        name = name if scene.sheaf(name) is not None else None
        return layer if name == layer.sheaf else layer.replaced(sheaf=name)

    changed = with_layers(Channel(layers=layers), here_in)
    return scene, changed.layers if isinstance(changed, Channel) else layers


def _alike(here: Sheaf, there: Sheaf) -> bool:
    """Whether a sheaf of this scene is the one that comes with what is pasted: it may have been moved since."""
    return (here.id, here.label) == (there.id, there.label)


def used_sheaves(scene: Scene, layers: tuple[Layer, ...]) -> tuple[Sheaf, ...]:
    """The sheaves that layers are in, at any depth."""
    names = {layer.sheaf for _, layer in layers_on(Channel(layers=layers), "") if layer.sheaf is not None}
    return tuple(sheaf for sheaf in scene.sheaves if sheaf.id in names)


def used_recipes(scene: Scene, layers: tuple[Layer, ...]) -> tuple[Recipe, ...]:
    """The recipes that layers use, at any depth, those that others are made of first."""
    found: dict[str, Recipe] = {}

    def note(layer: Layer) -> Layer:
        recipe = scene.recipe(layer.recipe) if isinstance(layer, Use) else None
        if recipe and recipe.id not in found:
            with_layers(recipe.stack, note)
            found[recipe.id] = recipe
        return layer

    with_layers(Channel(layers=layers), note)
    return tuple(found.values())


class SetLoop(Edit):
    """One loop for many layers: those named, all on the named numbers or objects, or all of the scene.

    A layer in a sheaf loops with all of it; lag of what aims, fields of the air and deformers do as layers do. `fit`
    makes the loop as long as the scene's range and keeps it so when the range changes. Without frames and fit the
    layers are endless again. Layers on layers' numbers loop with them.
    """

    do: Literal["loop"] = "loop"
    addresses: tuple[str, ...] = ()
    frames: Annotated[InFrames, Field(gt=0)] | None = None
    fit: bool = False

    def apply(self, scene: Scene) -> Scene:
        length = float(scene.last - scene.first) if self.fit else self.frames

        touched: set[str] = set()

        def looped(layer: Layer) -> Layer:
            if layer.sheaf is not None:
                touched.add(layer.sheaf)
                return layer
            if not type(layer).loops or (layer.loop, layer.fit) == (length, self.fit):
                return layer
            return layer.replaced(loop=length, fit=self.fit)

        def all_repeating(scene: Scene, names: set[str]) -> Scene:
            for sheaf in scene.sheaves:
                if sheaf.id in names and (sheaf.loop, sheaf.fit) != (length, self.fit):
                    scene = scene.with_part(sheaf.replaced(loop=length, fit=self.fit))
            return scene

        def repeating(part: Repeats) -> Repeats:
            return part.looped(length, fit=self.fit) if part.repeats else part

        if not self.addresses:
            scene = with_repeating(with_every_layer(scene, looped), repeating)
            return all_repeating(scene, {sheaf.id for sheaf in scene.sheaves})
        for text in self.addresses:
            if text in scene.by_id:
                scene = with_repeating(scene, repeating, (text,))
                inside = [a for a, _ in layered(scene) if a.startswith(f"{text}/")]
                scene = with_layers_at(scene, inside, looped)
                continue
            address = Address.parse(text)
            if not address.layer:
                scene = with_layers_at(scene, [text], looped)
                continue
            one = find_layer(scene, address)
            changed = with_layers(Channel(layers=(one,)), looped)
            layer = changed.layers[0] if isinstance(changed, Channel) else one
            scene = _with_layer(scene, address, layer)
        return all_repeating(scene, touched)

    def describe(self, scene: Scene) -> str:
        where = "the scene" if not self.addresses else f"{len(self.addresses)} chosen"
        length = "the range" if self.fit else "nothing" if self.frames is None else f"{self.frames:g} frames"
        return f"loop {where} over {length}"


def refit(scene: Scene) -> Scene:
    """The scene with all that follows the range as long as the range is now."""
    first, last = float(scene.first), float(scene.last)
    scene = with_every_layer(scene, lambda layer: layer.fitted(first, last))
    for sheaf in scene.sheaves:
        if (fitted := sheaf.fitted(first, last)) is not sheaf:
            scene = scene.with_part(fitted)
    scene = with_repeating(scene, lambda part: part.fitted(first, last))
    return with_recipe_objects(scene, lambda node: _refit(node, first, last))


def _refit(node: Node, first: float, last: float) -> Node:
    node = with_own_layers(node, lambda layer: layer.fitted(first, last))
    return parts_repeating(node, lambda part: part.fitted(first, last))


def _with_layer(scene: Scene, address: Address, layer: Layer) -> Scene:
    return write(
        scene,
        address,
        lambda channel: channel.replaced(layers=tuple(layer if i.id == layer.id else i for i in channel.layers)),
    )
