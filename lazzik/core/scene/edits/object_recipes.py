"""Edits of recipes of objects: saving one, putting it on others, changing it with all that follow, parting from it."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from lazzik.core.document import Label, Name, Slug, Typed
from lazzik.core.errors import InvalidEdit
from lazzik.core.scene.address import Address, find, title, write
from lazzik.core.scene.edits.base import Edit, free_label, free_slug
from lazzik.core.scene.edits.dials import free_name
from lazzik.core.scene.edits.object_putting import (
    Putting,
    check_room,
    followed,
    followers,
    laid_out,
    object_recipe_of,
    use_of,
    with_recipe,
)
from lazzik.core.scene.edits.object_saving import belonging, drives, leads_to, saved_objects, with_swaps
from lazzik.core.scene.edits.objects import RemoveObject
from lazzik.core.scene.laying import bare
from lazzik.core.scene.object_recipe import ExposedNumber, ObjectRecipe
from lazzik.core.scene.object_use import ObjectUse
from lazzik.core.scene.rest_pose import across, extent
from lazzik.core.scene.scene import MOST_DIALS, PARTS, Scene

Slugs = Annotated[tuple[Slug, ...], Field(max_length=1000)]


class SaveObjectRecipe(Edit):
    """Save an object as a recipe, with all that hangs under it, all that it is made from and, where they are named,
    others beside it. The object itself follows the recipe from then on."""

    do: Literal["save-object-recipe"] = "save-object-recipe"
    node: Slug
    label: Label
    note: str = ""
    also: Slugs = ()
    expose: tuple[ExposedNumber, ...] = ()

    def apply(self, scene: Scene) -> Scene:
        main = scene.node(self.node)
        if len(scene.object_recipes) >= MOST_DIALS:
            raise InvalidEdit(f"A scene holds at most {MOST_DIALS} recipes of objects", self.node)
        check_room(main)
        name = free_name(self.label, {recipe.id for recipe in scene.object_recipes}, "recipe")
        nodes = saved_objects(scene, main, belonging(scene, main, self.also))
        if not any(drives(node) for node in nodes):
            raise InvalidEdit(f"Nothing drives {main.label} yet: there is no layer, deformer or run to save", self.node)
        for item in self.expose:
            if not leads_to(scene, nodes, item.address):
                raise InvalidEdit(f"There is no number at '{item.address[:120]}' in what is saved", item.address)
        recipe = ObjectRecipe(
            id=name, label=self.label, note=self.note, nodes=nodes, exposed=self.expose,
            size=extent(scene, main).size, across=across(scene, main),
        )  # fmt: skip
        use = ObjectUse(recipe=name, objects=tuple((node.id, node.id) for node in recipe.others))
        scene = scene.with_node(main.replaced(uses=(*main.uses, use)))
        return scene.replaced(object_recipes=(*scene.object_recipes, recipe))

    def describe(self, scene: Scene) -> str:
        return f"save {scene.node(self.node).label} as the recipe {self.label}"


class PutObjectRecipe(Edit):
    """Put a recipe on objects, sized to each; without any, bring it in as new objects. Each keeps its own place, shape
    and looks. With seeds of their own no two move alike."""

    do: Literal["put-object-recipe"] = "put-object-recipe"
    recipe: Name
    nodes: Slugs = ()
    seeds: Literal["own", "same"] = "own"
    position: tuple[Typed, Typed, Typed] | None = None
    """Where new objects go; None is where the recipe has them."""

    def apply(self, scene: Scene) -> Scene:
        recipe = object_recipe_of(scene, self.recipe)
        if not self.nodes:
            return self._as_new(scene, recipe)
        putting = Putting(scene, recipe)
        for slug in dict.fromkeys(self.nodes):
            putting.on(scene.node(slug), own_seeds=self.seeds == "own" and len(self.nodes) > 1)
        return putting.done()

    def _as_new(self, scene: Scene, recipe: ObjectRecipe) -> Scene:
        label = free_label(recipe.main.label, {node.label for node in scene.below.get(None, ())})
        slug = free_slug(recipe.main.id, {*scene.by_id, *PARTS})
        stripped = bare(recipe, ObjectUse(recipe=recipe.id), recipe.main)
        main = stripped.replaced(id=slug, label=label, parent=None)
        if self.position is not None:
            x, y, z = self.position
            main = main.replaced(position=main.position.replaced(x=x, y=y, z=z))
        putting = Putting(scene.replaced(nodes=(*scene.nodes, main)), recipe)
        putting.on(main, own_seeds=False)
        return putting.done()

    def describe(self, scene: Scene) -> str:
        label = object_recipe_of(scene, self.recipe).label
        if not self.nodes:
            return f"bring in {label}"
        first = scene.node(self.nodes[0]).label
        return f"put {label} on {first if len(self.nodes) == 1 else f'{len(self.nodes)} objects'}"

    @property
    def where(self) -> str:
        return self.nodes[0] if self.nodes else ""


class UpdateObjectRecipe(Edit):
    """Make a recipe what an object that follows it has become. All others that follow it follow, save what they have of
    their own."""

    do: Literal["update-object-recipe"] = "update-object-recipe"
    node: Slug
    recipe: Name

    def apply(self, scene: Scene) -> Scene:
        before, main = object_recipe_of(scene, self.recipe), scene.node(self.node)
        use = use_of(main, before)
        here = {slug: there for there, slug in use.objects if slug in scene.by_id}
        inside = belonging(scene, main, tuple(here))
        taken = {node.id for node in before.nodes}
        names = {main.id: before.main.id} | here
        for node in inside:
            names.setdefault(node.id, free_slug(node.label, taken))
            taken.add(names[node.id])
        parts = with_swaps(main, use.parts)
        nodes = saved_objects(scene, main, inside, names, parts)
        after = before.replaced(
            nodes=nodes, size=extent(scene, main).size, across=across(scene, main),
            exposed=tuple(item for item in before.exposed if leads_to(scene, nodes, item.address)),
        )  # fmt: skip
        renamed = tuple((there, slug) for slug, there in names.items() if slug != main.id)
        own = use.replaced(inside=1.0, outside=1.0, objects=renamed, parts=parts)
        changed = main.replaced(uses=tuple(own if other is use else other for other in main.uses))
        return followed(scene.with_node(changed), before, after, self.node)

    def describe(self, scene: Scene) -> str:
        label = object_recipe_of(scene, self.recipe).label
        return f"change the recipe {label} to {scene.node(self.node).label}"


class ChangeObjectRecipe(Edit):
    """Rename a recipe of objects, note when to use it, or expose other numbers. Only what is given changes."""

    do: Literal["change-object-recipe"] = "change-object-recipe"
    recipe: Name
    label: Label | None = None
    note: str | None = None
    exposed: tuple[ExposedNumber, ...] | None = None

    def apply(self, scene: Scene) -> Scene:
        recipe = object_recipe_of(scene, self.recipe)
        given = {name: getattr(self, name) for name in ("label", "note", "exposed")}
        for item in self.exposed or ():
            if not leads_to(scene, recipe.nodes, item.address):
                raise InvalidEdit(f"The recipe {recipe.label} has no number at '{item.address[:120]}'", item.address)
        changed = recipe.replaced(**{name: value for name, value in given.items() if value is not None})
        return with_recipe(scene, changed)

    def describe(self, scene: Scene) -> str:
        return f"change the recipe {object_recipe_of(scene, self.recipe).label}"


class FollowObjectRecipe(Edit):
    """Let an object follow its recipe again, in the numbers that are named or in all that it has of its own."""

    do: Literal["follow-object-recipe"] = "follow-object-recipe"
    node: Slug
    recipe: Name
    addresses: Annotated[tuple[str, ...], Field(max_length=1000)] = ()

    def apply(self, scene: Scene) -> Scene:
        recipe, main = object_recipe_of(scene, self.recipe), scene.node(self.node)
        as_laid = scene.with_nodes(laid_out(scene, recipe, main))
        if not self.addresses:
            return as_laid
        for text in self.addresses:
            address = Address.parse(text)
            number = find(as_laid, address).channel
            scene = write(scene, address, lambda _, number=number: number)  # type: ignore[misc]
        return scene

    def describe(self, scene: Scene) -> str:
        label = object_recipe_of(scene, self.recipe).label
        if len(self.addresses) == 1:
            return f"{title(scene, Address.parse(self.addresses[0]))} follows {label}"
        return f"{scene.node(self.node).label} follows {label}"


class PartObjectRecipe(Edit):
    """Part objects from a recipe: all stays as it is, and follows no longer. Or take off all that came from it."""

    do: Literal["part-object-recipe"] = "part-object-recipe"
    nodes: Annotated[Slugs, Field(min_length=1)]
    recipe: Name
    parts: Literal["stay", "go"] = "stay"

    def apply(self, scene: Scene) -> Scene:
        recipe = object_recipe_of(scene, self.recipe)
        for slug in dict.fromkeys(self.nodes):
            main = scene.node(slug)
            use = use_of(main, recipe)
            uses = tuple(other for other in main.uses if other is not use)
            if self.parts == "stay":
                scene = scene.with_node(main.replaced(uses=uses))
                continue
            gone = [here for _, here in use.objects if here in scene.by_id]
            scene = scene.with_node(bare(recipe, use, main).replaced(uses=uses))
            if gone:
                scene = RemoveObject(node=gone[0], also=tuple(gone[1:])).apply(scene)
        return scene

    def describe(self, scene: Scene) -> str:
        label = object_recipe_of(scene, self.recipe).label
        what = scene.node(self.nodes[0]).label if len(self.nodes) == 1 else f"{len(self.nodes)} objects"
        return f"part {what} from {label}" if self.parts == "stay" else f"take {label} off {what}"

    @property
    def where(self) -> str:
        return self.nodes[0]


class RemoveObjectRecipe(Edit):
    """Take a recipe of objects out of the scene. What follows it is parted from it, or keeps it here."""

    do: Literal["remove-object-recipe"] = "remove-object-recipe"
    recipe: Name
    part: bool = False

    def apply(self, scene: Scene) -> Scene:
        gone = object_recipe_of(scene, self.recipe)
        using = followers(scene, gone.id)
        if using and not self.part:
            more = f" and {len(using) - 1} more" if len(using) > 1 else ""
            raise InvalidEdit(f"{using[0].label}{more} follows the recipe {gone.label}; part it from that first")
        if using:
            scene = PartObjectRecipe(nodes=tuple(node.id for node in using), recipe=gone.id).apply(scene)
        return scene.replaced(object_recipes=tuple(item for item in scene.object_recipes if item.id != gone.id))

    def describe(self, scene: Scene) -> str:
        return f"remove the recipe {object_recipe_of(scene, self.recipe).label}"
