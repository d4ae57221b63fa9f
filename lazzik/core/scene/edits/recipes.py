"""Edits of recipes: saving a stack, exposing its numbers, using it. Its stack is a number like any other, reached as
recipes/name, so all edits of layers work on it, and every use follows."""

from __future__ import annotations

from typing import Literal

from lazzik.core.channel.channel import Channel
from lazzik.core.channel.layer import Layer, numbers_of
from lazzik.core.channel.window import Window
from lazzik.core.document import Frozen, Label, Name
from lazzik.core.errors import InvalidEdit, UnknownAddress
from lazzik.core.layers import Recipe
from lazzik.core.layers.recipe import Exposed, Override, Use, exposing
from lazzik.core.scene.address import Address, Hop, find, find_layer, title, write
from lazzik.core.scene.edits.base import Edit, free_slug
from lazzik.core.scene.edits.dials import free_name
from lazzik.core.scene.edits.sheaves import left, sheaf_of
from lazzik.core.scene.references import readers
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.visit import members


class Expose(Frozen):
    """A number of a stack to expose: its way from the stack, and what to call it."""

    target: str
    label: Label | None = None


class SaveRecipe(Edit):
    """Save a number's stack as a recipe, and use the recipe in its place, so that it follows too. A window that all its
    layers share stays on the number: there it is seen, and can be dragged. So does a sheaf that all of them are in."""

    do: Literal["save-recipe"] = "save-recipe"
    address: str
    label: Label
    note: str = ""
    expose: tuple[Expose, ...] = ()
    in_place: bool = True

    def apply(self, scene: Scene) -> Scene:
        address = Address.parse(self.address).channel
        place = find(scene, address)
        if not place.channel.layers:
            raise InvalidEdit("There is no layer here that could be saved as a recipe", self.address)
        name = free_name(self.label, {recipe.id for recipe in scene.recipes}, "recipe")
        # what a sheaf says of its layers is said by each of them now, and what all are in stays on the number
        sheaves = {layer.sheaf for layer in place.channel.layers}
        sheaf = sheaves.pop() if len(sheaves) == 1 and self.in_place else None
        alone = tuple(layer.replaced(sheaf=None) if sheaf else left(scene, layer) for layer in place.channel.layers)
        stack = place.channel.replaced(layers=alone)
        window = _shared_window(stack.layers) if self.in_place else Window()
        if not window.open:
            stack = stack.replaced(layers=tuple(layer.replaced(window=Window()) for layer in stack.layers))
        recipe = Recipe(
            id=name, label=self.label, note=self.note, unit=place.quantity.unit, reach=place.reach, stack=stack
        )
        scene = scene.with_part(recipe)
        for item in self.expose:
            scene = ExposeNumber(recipe=name, target=item.target, label=item.label).apply(scene)
        if not self.in_place:
            return scene
        scene = write(scene, address, lambda channel: channel.replaced(layers=()))
        scene = UseRecipe(address=str(address), recipe=name).apply(scene)
        return write(
            scene,
            address,
            lambda channel: channel.replaced(
                layers=tuple(use.replaced(window=window, sheaf=sheaf) for use in channel.layers)
            ),
        )

    def describe(self, scene: Scene) -> str:
        return f"save recipe {self.label}"


class KeepSheaf(Edit):
    """Keep what a sheaf does as a recipe: its first layer, whose pattern each use has of its own. The layers of that
    kind in it become uses of the recipe, each as large as it was and with its own seed; the sheaf stays."""

    do: Literal["keep-sheaf"] = "keep-sheaf"
    sheaf: Name
    label: Label | None = None

    def apply(self, scene: Scene) -> Scene:
        sheaf = sheaf_of(scene, self.sheaf)
        addresses = [Address.parse(text) for text in members(scene, sheaf.id)]
        first, place = find_layer(scene, addresses[0]), find(scene, addresses[0])
        label = self.label or sheaf.label
        name = free_name(label, {recipe.id for recipe in scene.recipes}, "recipe")
        plain = first.replaced(sheaf=None, weight=1.0, muted=False, solo=False)
        recipe = Recipe(
            id=name, label=label, note=f"The sheaf {sheaf.label}.", unit=place.quantity.unit, reach=place.reach,
            stack=Channel(layers=(plain,)),
        )  # fmt: skip
        scene = scene.with_part(recipe)
        seeded = "seed" in numbers_of(type(first))
        if seeded:
            scene = ExposeNumber(recipe=name, target=f"{first.id}.seed", label="seed").apply(scene)
        exposed = scene.recipe(name)
        assert exposed is not None
        for address in addresses:
            layer = find_layer(scene, address)
            if layer.kind == first.kind:
                use = _use_like(layer, first, find(scene, address).reach / place.reach, exposed)
                scene = write(scene, address, lambda channel, use=use: _with(channel, use))  # type: ignore[misc]
        return scene

    def describe(self, scene: Scene) -> str:
        return f"keep {sheaf_of(scene, self.sheaf).label} as a recipe"


def _with(channel: Channel, layer: Layer) -> Channel:
    return channel.replaced(layers=tuple(layer if item.id == layer.id else item for item in channel.layers))


def _use_like(layer: Layer, first: Layer, reach: float, recipe: Recipe) -> Use:
    """A use of a recipe in the place of a layer like the one that the recipe is made of."""
    own, model = (getattr(item, "amplitude", None) for item in (layer, first))
    both = isinstance(own, float) and isinstance(model, float) and model != 0
    size = own / model if both else reach  # type: ignore[operator]
    overrides = tuple(
        Override(name=item.name, value=layer.seed)  # type: ignore[attr-defined]
        for item in recipe.exposed
        if item.target.endswith(".seed")
    )
    return Use(
        kind="recipe", id=layer.id, label=layer.label, recipe=recipe.id, size=float(f"{size:.6g}"), overrides=overrides,
        sheaf=layer.sheaf, weight=layer.weight, muted=layer.muted, solo=layer.solo, combine=layer.combine,
    )  # fmt: skip


class PutRecipe(Edit):
    """Bring a whole recipe into the scene, from the library or another scene; one of that name already there stays."""

    do: Literal["put-recipe"] = "put-recipe"
    recipe: Recipe

    def apply(self, scene: Scene) -> Scene:
        return scene if scene.recipe(self.recipe.id) else scene.with_part(self.recipe)

    def describe(self, scene: Scene) -> str:
        return f"bring in recipe {self.recipe.label}"


class UseRecipe(Edit):
    """Put a recipe on a number, in the size that suits it."""

    do: Literal["use-recipe"] = "use-recipe"
    address: str
    recipe: Name

    def apply(self, scene: Scene) -> Scene:
        address = Address.parse(self.address).channel
        recipe = _recipe(scene, self.recipe)
        place = find(scene, address)
        slug = free_slug(recipe.label, {layer.id for layer in place.channel.layers})
        size = float(f"{place.reach / recipe.reach:.3g}")
        use = Use(kind="recipe", id=slug, label=recipe.label, recipe=recipe.id, size=size)
        return write(scene, address, lambda channel: channel.replaced(layers=(*channel.layers, use)))

    def describe(self, scene: Scene) -> str:
        recipe = scene.recipe(self.recipe)
        return f"use {recipe.label if recipe else self.recipe} on {title(scene, Address.parse(self.address).channel)}"


class ChangeRecipe(Edit):
    """Give a recipe another label or note."""

    do: Literal["change-recipe"] = "change-recipe"
    recipe: Name
    label: Label | None = None
    note: str | None = None

    def apply(self, scene: Scene) -> Scene:
        changes = {name: getattr(self, name) for name in self.model_fields_set - {"do", "recipe"}}
        return scene.with_part(_recipe(scene, self.recipe).replaced(**changes))

    def describe(self, scene: Scene) -> str:
        return f"change recipe {_recipe(scene, self.recipe).label}"


class RemoveRecipe(Edit):
    """Take a recipe out of the scene. One in use stays."""

    do: Literal["remove-recipe"] = "remove-recipe"
    recipe: Name

    def apply(self, scene: Scene) -> Scene:
        gone = _recipe(scene, self.recipe)
        using = [address for address, reads in readers(scene) if f"recipes/{gone.id}" in reads]
        if using:
            more = f" and {len(using) - 1} more" if len(using) > 1 else ""
            raise InvalidEdit(f"The recipe {gone.label} is used on {using[0]}{more}; take it off there first")
        return scene.replaced(recipes=tuple(recipe for recipe in scene.recipes if recipe.id != gone.id))

    def describe(self, scene: Scene) -> str:
        return f"remove recipe {_recipe(scene, self.recipe).label}"


class ExposeNumber(Edit):
    """Let each use of a recipe have its own value of a number, or no longer."""

    do: Literal["expose"] = "expose"
    recipe: Name
    target: str
    label: Label | None = None
    on: bool = True

    def apply(self, scene: Scene) -> Scene:
        recipe = _recipe(scene, self.recipe)
        others = tuple(item for item in recipe.exposed if item.target != self.target)
        if not self.on:
            return scene.with_part(recipe.replaced(exposed=others))
        address = Address.parse(f"recipes/{recipe.id}#{self.target}")
        quantity = find(scene, address).quantity
        last: Hop = address.hops[-1]
        if not last.number:
            raise InvalidEdit("A number is exposed, not a whole layer", self.target)
        label = self.label or f"{find_layer(scene, _layer_of(address)).label} {last.number.replace('_', ' ')}"
        taken = {item.name for item in others} | {"size", "weight"}
        name = free_name(last.number, taken, "number")
        item = Exposed.model_validate(exposing(name, label, self.target, quantity))
        return scene.with_part(recipe.replaced(exposed=(*others, item)))

    def describe(self, scene: Scene) -> str:
        verb = "expose" if self.on else "no longer expose"
        return f"{verb} {self.target} of {_recipe(scene, self.recipe).label}"


class FollowRecipe(Edit):
    """Let an exposed number of a use follow the recipe again."""

    do: Literal["follow-recipe"] = "follow-recipe"
    address: str
    number: Name

    def apply(self, scene: Scene) -> Scene:
        address = Address.parse(self.address)
        use = find_layer(scene, address)
        if not isinstance(use, Use):
            raise InvalidEdit(f"'{use.label}' is no recipe in use", self.address)
        kept = tuple(override for override in use.overrides if override.name != self.number)
        follows = use.replaced(overrides=kept)
        return write(
            scene,
            address,
            lambda channel: channel.replaced(
                layers=tuple(follows if layer.id == use.id else layer for layer in channel.layers)
            ),
        )

    def describe(self, scene: Scene) -> str:
        return f"{self.number} of {find_layer(scene, Address.parse(self.address)).label} follows its recipe"


def _shared_window(layers: tuple[Layer, ...]) -> Window:
    """The window that all layers of a stack have and that comes to the same around the whole of it: of one layer, or of
    layers that each add what they are whatever lies below. Else an open one."""
    first = layers[0].window
    plain = all(layer.combine in ("add", "subtract") and layer.below == "ignored" for layer in layers)
    shared = all(layer.window == first for layer in layers) and (len(layers) == 1 or plain)
    return first if shared else Window()


def _recipe(scene: Scene, name: str) -> Recipe:
    recipe = scene.recipe(name)
    if recipe is None:
        raise UnknownAddress(f"There is no recipe '{name}' in this scene", f"recipes/{name}")
    return recipe


def _layer_of(address: Address) -> Address:
    return Address(address.node, address.path, (*address.hops[:-1], Hop(address.hops[-1].layer)))
