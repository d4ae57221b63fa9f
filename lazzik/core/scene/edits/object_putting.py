"""A recipe of an object put on objects of a scene, and followed by them when it changes."""

from __future__ import annotations

from typing import Any
from zlib import crc32

from lazzik.core.channel.layer import Layer
from lazzik.core.errors import InvalidEdit, UnknownAddress
from lazzik.core.scene.edits.base import free_label, free_slug
from lazzik.core.scene.edits.dials import free_name
from lazzik.core.scene.edits.layers import SEEDS
from lazzik.core.scene.edits.object_saving import ids_on, parts_of
from lazzik.core.scene.edits.objects import RemoveObject
from lazzik.core.scene.laying import TAKEN_WHOLE, bare, following, laid, without_lost
from lazzik.core.scene.node import Node
from lazzik.core.scene.object_recipe import ObjectRecipe
from lazzik.core.scene.object_use import MOST_USES, ObjectUse
from lazzik.core.scene.rest_pose import across, extent
from lazzik.core.scene.scene import MOST_NODES, PARTS, Scene
from lazzik.core.scene.visit import with_own_layers


class Putting:
    """A recipe being put on objects, all at once."""

    def __init__(self, scene: Scene, recipe: ObjectRecipe) -> None:
        self.scene, self.recipe = scene, recipe
        self.taken = {*scene.by_id, *PARTS}
        self.labels: dict[str | None, set[str]] = {}
        self.nodes: dict[str, Node] = {}
        self.new: list[Node] = []

    def on(self, node: Node, *, own_seeds: bool) -> None:
        """Put it on one of them."""
        recipe = self.recipe
        _check(node, recipe)
        use = extended(self._use(node), None, recipe, node, self.taken)
        main, others = laid(recipe, use, node)
        made = [without_lost(item, self.taken) for item in (main, *others)]
        if own_seeds:
            made = [_reseeded(item) for item in made]
        self.nodes[node.id] = made[0].replaced(uses=(*node.uses, use))
        self.new += [self._labelled(item) for item in made[1:]]

    def done(self) -> Scene:
        """The scene with all of it."""
        scene = self.scene
        if len(scene.nodes) + len(self.new) > MOST_NODES:
            raise InvalidEdit(f"A scene holds at most {MOST_NODES:,} objects; these would be too many", self.recipe.id)
        nodes = (*(self.nodes.get(node.id, node) for node in scene.nodes), *self.new)
        return scene.replaced(nodes=nodes)

    def _use(self, node: Node) -> ObjectUse:
        scene, recipe = self.scene, self.recipe
        if not any(inner.shape is not None for inner in scene.within(node)):
            return ObjectUse(recipe=recipe.id)
        inside, outside = extent(scene, node).size / recipe.size, across(scene, node) / recipe.across
        return ObjectUse(recipe=recipe.id, inside=float(f"{inside:.6g}"), outside=float(f"{outside:.6g}"))

    def _labelled(self, node: Node) -> Node:
        beside = self.labels.setdefault(node.parent, {other.label for other in self.scene.below.get(node.parent, ())})
        label = free_label(node.label, beside)
        beside.add(label)
        return node if label == node.label else node.replaced(label=label)


def object_recipe_of(scene: Scene, name: str) -> ObjectRecipe:
    """A recipe of objects by name. Raises UnknownAddress."""
    recipe = scene.object_recipe(name)
    if recipe is None:
        raise UnknownAddress(f"There is no recipe of objects '{name}' in this scene", name)
    return recipe


def followers(scene: Scene, recipe: str) -> list[Node]:
    """The objects that follow a recipe."""
    return [node for node in scene.nodes if any(use.recipe == recipe for use in node.uses)]


def laid_out(scene: Scene, recipe: ObjectRecipe, main: Node) -> list[Node]:
    """An object that follows a recipe, and what came with it, as the recipe alone makes them."""
    use = use_of(main, recipe)
    there, others = laid(recipe, use, bare(recipe, use, main))
    found = [there, *(node for node in others if node.id in scene.by_id)]
    return [without_lost(node, scene.by_id).replaced(label=scene.by_id[node.id].label) for node in found]


def followed(scene: Scene, before: ObjectRecipe, after: ObjectRecipe, origin: str) -> Scene:
    """The scene in which all that followed a recipe follows what became of it. `origin` is as it should be already."""
    scene = with_recipe(scene, after)
    changed: list[Node] = []
    new: list[Node] = []
    gone: list[str] = []
    taken = {*scene.by_id, *PARTS}
    for node in followers(scene, before.id):
        if node.id == origin:
            continue
        use = use_of(node, before)
        own = bare(before, use, node)
        was, others_were = laid(before, use, own)
        use_now = extended(use, before, after, own, taken)
        becomes, others_become = laid(after, use_now, own)
        uses = tuple(use_now if other is use else other for other in node.uses)
        changed.append(following(was, node, without_lost(becomes, taken)).replaced(uses=uses))
        former = {other.id: other for other in others_were}
        for other in others_become:
            here = scene.by_id.get(other.id)
            if here is None:
                new.append(without_lost(other, taken))
            else:
                changed.append(following(former[other.id], here, without_lost(other, taken)))
        stay = {other.id for other in others_become}
        gone += [slug for slug, other in former.items() if slug not in stay and slug in scene.by_id]
    scene = scene.with_nodes(changed)
    scene = scene.replaced(nodes=(*scene.nodes, *new)) if new else scene
    return RemoveObject(node=gone[0], also=tuple(gone[1:])).apply(scene) if gone else scene


def check_room(node: Node) -> None:
    """Raises InvalidEdit where an object follows as many recipes as it can."""
    if len(node.uses) >= MOST_USES:
        raise InvalidEdit(f"{node.label} follows {MOST_USES} recipes already, and more would be too many", node.id)


def use_of(node: Node, recipe: ObjectRecipe) -> ObjectUse:
    """How an object uses a recipe. Raises InvalidEdit if it does not."""
    use = next((use for use in node.uses if use.recipe == recipe.id), None)
    if use is None:
        raise InvalidEdit(f"{node.label} does not follow the recipe {recipe.label}", node.id)
    return use


def with_recipe(scene: Scene, recipe: ObjectRecipe) -> Scene:
    """The scene with a recipe of objects in place of the one of the same name."""
    rows = tuple(recipe if item.id == recipe.id else item for item in scene.object_recipes)
    return scene.replaced(object_recipes=rows)


def extended(use: ObjectUse, before: ObjectRecipe | None, after: ObjectRecipe, own: Node, taken: set[str]) -> ObjectUse:
    """A use with what a recipe brings that it did not bring before: ids for new objects, and for new parts whose own
    ids are taken; without what it brings no longer. New ids are taken from then on."""
    objects = [pair for pair in use.objects if after.node(pair[0]) is not None]
    for node in after.others:
        if before is None or before.node(node.id) is None:
            slug = free_slug(node.id, taken)
            taken.add(slug)
            objects.append((node.id, slug))
    places = {place for place, _ in parts_of(after.main)}
    known = {place for place, _ in parts_of(before.main)} if before is not None else set()
    parts = [pair for pair in use.parts if pair[0] in places]
    for place, slug in parts_of(after.main):
        holder = place[: -len(slug) - 1]
        others = ids_on(own, holder)
        if place not in known and slug in others:
            free = free_name(slug, others, "deformer") if holder == "deform" else free_slug(slug, others)
            parts.append((place, free))
    was = before or after
    return use.replaced(
        objects=tuple(objects), parts=tuple(parts),
        inside=use.inside * was.size / after.size, outside=use.outside * was.across / after.across,
    )  # fmt: skip


def _check(node: Node, recipe: ObjectRecipe) -> None:
    """Raises InvalidEdit where a recipe can't be put on an object."""
    if any(use.recipe == recipe.id for use in node.uses):
        raise InvalidEdit(f"{node.label} follows the recipe {recipe.label} already", node.id)
    check_room(node)
    for name in TAKEN_WHOLE:
        if getattr(recipe.main, name) is None:
            continue
        if getattr(node, name) is not None:
            raise InvalidEdit(f"{node.label} has a part of the sort '{name}' already; take that off it first", node.id)
        if name == "cloth" and node.shape is None:
            raise InvalidEdit(f"{node.label} has no mesh that could be cloth", node.id)
        if name not in ("aim", "cloth") and node.what != "group":
            raise InvalidEdit(
                f"The recipe {recipe.label} is of {_a(recipe.main.what)}, and goes on an empty object or comes as new "
                f"objects; {node.label} is {_a(node.what)}",
                node.id,
            )


def _a(what: str) -> str:
    return f"an {what}" if what[0] in "aeiou" else f"a {what}"


def _reseeded(node: Node) -> Node:
    """An object whose layers and deformers have seeds of their own, where theirs stand still."""

    def seed(name: str) -> dict[str, Any]:
        return {"seed": float(crc32(f"{node.id}#{name}".encode()) % SEEDS)}

    def own(layer: Layer) -> Layer:
        still = isinstance(getattr(layer, "seed", None), float)
        return layer.replaced(**seed(layer.id)) if still else layer

    node = with_own_layers(node, own)
    deform = tuple(
        item.replaced(**seed(item.id)) if isinstance(getattr(item, "seed", None), float) else item
        for item in node.deform
    )
    return node.replaced(deform=deform)
