"""The scene: the whole document, a value."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from functools import cached_property
from itertools import compress
from operator import is_not
from typing import Annotated, Any, Literal, Self
from weakref import ref

from pydantic import Field, model_validator

from lazzik.core.channel.layer import Layer
from lazzik.core.clock import Clock
from lazzik.core.document import Finite, Frozen, Label
from lazzik.core.errors import UnknownAddress
from lazzik.core.geometry.assets import AssetStore
from lazzik.core.layers import Clip, Recipe
from lazzik.core.scene.dial import Dial
from lazzik.core.scene.mark import Mark
from lazzik.core.scene.node import Node
from lazzik.core.scene.object_recipe import ObjectRecipe
from lazzik.core.scene.pose import Pose
from lazzik.core.scene.receipt import Receipt
from lazzik.core.scene.scatter import Scatter
from lazzik.core.scene.sheaf import Sheaf, within

MOST_NODES = 10_000
MOST_FRAMES = 20_000
MOST_DIALS = 200
MOST_MARKS = 1000
PARTS = ("dials", "recipes", "clips", "sheaves")
"""What an address may begin with in place of an object."""
DEEPEST = 64
"""Objects below objects."""


ScenePart = Dial | Recipe | Clip | Sheaf

FIELDS: dict[type[ScenePart], str] = {Dial: "dials", Recipe: "recipes", Clip: "clips", Sheaf: "sheaves"}


class ById(Mapping[str, Node]):
    """Objects by id: where each stands, and those that stand there. Where they stand stays from edit to edit, so of
    thousands of objects no edit makes another table, through which a search for garbage would go."""

    __slots__ = ("_nodes", "_places")

    def __init__(self, nodes: tuple[Node, ...], places: dict[str, int]) -> None:
        self._nodes, self._places = nodes, places

    def __getitem__(self, slug: str) -> Node:
        return self._nodes[self._places[slug]]

    def __contains__(self, slug: object) -> bool:
        return slug in self._places

    def __iter__(self) -> Iterator[str]:
        return iter(self._places)

    def __len__(self) -> int:
        return len(self._places)


class Scene(Frozen):
    """Frame rate, range, objects in the order of the tree, dials, recipes of numbers and of objects, clips, sheaves,
    poses, marks, and receipts, oldest first."""

    format: Literal["lazzik-scene"] = "lazzik-scene"
    version: Literal[2] = 2
    name: Label
    fps: Annotated[Finite, Field(gt=0, le=1000)] = 30.0
    first: Annotated[int, Field(ge=-1_000_000, le=1_000_000)] = 0
    last: Annotated[int, Field(ge=-1_000_000, le=1_000_000)] = 250
    nodes: Annotated[tuple[Node, ...], Field(max_length=MOST_NODES)] = ()
    dials: Annotated[tuple[Dial, ...], Field(max_length=MOST_DIALS)] = ()
    recipes: Annotated[tuple[Recipe, ...], Field(max_length=MOST_DIALS)] = ()
    clips: Annotated[tuple[Clip, ...], Field(max_length=MOST_DIALS)] = ()
    object_recipes: Annotated[tuple[ObjectRecipe, ...], Field(max_length=MOST_DIALS)] = ()
    sheaves: Annotated[tuple[Sheaf, ...], Field(max_length=MOST_DIALS)] = ()
    poses: Annotated[tuple[Pose, ...], Field(max_length=MOST_DIALS)] = ()
    marks: Annotated[tuple[Mark, ...], Field(max_length=MOST_MARKS)] = ()
    receipts: tuple[Receipt, ...] = ()

    @model_validator(mode="after")
    def _whole(self) -> Self:
        if self.last <= self.first:
            raise ValueError(f"the range must end after it begins, but runs from {self.first} to {self.last}")
        if self.last - self.first > MOST_FRAMES:
            raise ValueError(f"the range may span at most {MOST_FRAMES} frames")
        if len(self.by_id) < len(self.nodes):
            ids = [node.id for node in self.nodes]
            raise ValueError(f"two objects share the id '{next(i for i in ids if ids.count(i) > 1)}'")
        for node in self.nodes:
            self._check_parents(node)
            if node.aim is not None and node.aim.target is not None and node.aim.target not in self.by_id:
                raise ValueError(f"the object '{node.id}' aims at '{node.aim.target}', which is not there")
            if node.scatter is not None:
                self._check_scatter(node, node.scatter)
            for slug in node.carried.refers if node.carried is not None else ():
                if slug not in self.by_id:
                    raise ValueError(f"the run of '{node.id}' needs '{slug}', which is not there")
        if word := next((word for word in PARTS if word in self.by_id), None):
            raise ValueError(f"no object may have the id '{word}'")
        for word in (*PARTS, "object_recipes", "poses", "marks"):
            names = [part.id for part in getattr(self, word)]
            if len(set(names)) < len(names):
                raise ValueError(f"two {word.replace('_', ' ')} share a name")
        return self

    def _check_parents(self, node: Node) -> None:
        above, steps = node.parent, 0
        while above is not None:
            if above not in self.by_id:
                raise ValueError(f"the object '{node.id}' sits under '{above}', which is not there")
            steps += 1
            if above == node.id or steps > DEEPEST:
                raise ValueError(f"the object '{node.id}' sits, by way of others, under itself or too deep")
            above = self.by_id[above].parent

    def _check_scatter(self, node: Node, scatter: Scatter) -> None:
        for slug in scatter.refers:
            if slug not in self.by_id:
                raise ValueError(f"'{node.id}' scatters '{slug}', which is not there")
        for slug in scatter.sources:
            if any(inner.scatter is not None for inner in self.within(self.by_id[slug])):
                raise ValueError(f"'{node.id}' can't scatter '{slug}', in which copies are scattered themselves")

    def within(self, node: Node) -> Iterator[Node]:
        """An object and all that lies below it, each before what it holds."""
        yield node
        for child in self.below.get(node.id, ()):
            yield from self.within(child)

    @cached_property
    def by_id(self) -> ById:
        """Objects by id."""
        return ById(self.nodes, self.places)

    @cached_property
    def looked_up(self) -> dict[str, Any]:
        """Numbers that were looked up, by their addresses: see `find_at`."""
        return {}

    @cached_property
    def called(self) -> dict[str, str]:
        """What each object is called where it stands alone: its label, and before it those of the objects above it as
        far as it takes to tell it from others of the same label ('Post 2 / Lamp')."""
        alike: dict[str, list[Node]] = {}
        for node in self.nodes:
            alike.setdefault(node.label, []).append(node)
        called: dict[str, str] = {}
        for label, nodes in alike.items():
            if len(nodes) == 1:
                called[nodes[0].id] = label
                continue
            ways = {node.id: [above.label for above in self.lineage(node)] for node in nodes}
            for slug, way in ways.items():
                steps = next(
                    (n for n in range(1, len(way)) if sum(w[:n] == way[:n] for w in ways.values()) == 1), len(way)
                )
                called[slug] = " / ".join(reversed(way[:steps]))
        return called

    def node(self, slug: str) -> Node:
        """The object with this id. Raises UnknownAddress."""
        node = self.by_id.get(slug)
        if node is None:
            raise UnknownAddress(f"There is no object '{slug[:80]}' in this scene", slug)
        return node

    def lineage(self, node: Node) -> Iterator[Node]:
        """An object, and those above it from the nearest up."""
        yield node
        while node.parent is not None:
            node = self.by_id[node.parent]
            yield node

    def topmost(self, slugs: Iterable[str]) -> list[Node]:
        """Objects of which none hangs under another of them, in the order of the document. Raises UnknownAddress."""
        wanted = {slug: self.node(slug) for slug in slugs}
        outer = {
            slug for slug, node in wanted.items()
            if not any(above.id in wanted for above in self.lineage(node) if above is not node)
        }  # fmt: skip
        return [node for node in self.nodes if node.id in outer]

    @cached_property
    def below(self) -> dict[str | None, tuple[Node, ...]]:
        """Objects by the one that they sit under, in the order of the document."""
        rows: dict[str | None, list[Node]] = {}
        for node in self.nodes:
            rows.setdefault(node.parent, []).append(node)
        return {parent: tuple(row) for parent, row in rows.items()}

    @cached_property
    def tree(self) -> tuple[tuple[Node, int], ...]:
        """Every object, each after the one that it sits under, and how deep."""
        rows: list[tuple[Node, int]] = []
        ahead = [(node, 0) for node in reversed(self.below.get(None, ()))]
        while ahead:
            node, depth = ahead.pop()
            rows.append((node, depth))
            ahead += [(child, depth + 1) for child in reversed(self.below.get(node.id, ()))]
        return tuple(rows)

    @cached_property
    def tree_places(self) -> dict[str, int]:
        """Where in `tree` each object stands."""
        return {node.id: place for place, (node, _) in enumerate(self.tree)}

    @cached_property
    def fields(self) -> tuple[Node, ...]:
        """The objects that move the air, in the order of the document."""
        return tuple(node for node in self.nodes if node.field is not None)

    @cached_property
    def common_fields(self) -> tuple[Node, ...]:
        """Those of them that move all that stands in the air, and not only what is carried by it."""
        common = tuple(node for node in self.fields if node.field is not None and node.field.stirs == "all")
        return self.fields if len(common) == len(self.fields) else common

    @cached_property
    def carrying(self) -> tuple[Node, ...]:
        """The objects that are more than themselves: that scatter copies, or carry particles, cloth or a swarm."""
        return tuple(node for node in self.nodes if _carries(node))

    @cached_property
    def assets(self) -> AssetStore:
        """Where what is heavy of it is kept. No part of the value: where a thing lies says nothing of what it is."""
        return AssetStore()

    def with_assets(self, assets: AssetStore) -> Scene:
        """The same scene, whose assets are kept elsewhere."""
        fields = {name: getattr(self, name) for name in type(self).model_fields}
        scene = Scene.model_construct(**fields)
        scene.__dict__["assets"] = assets
        return scene

    def replaced(self, **changes: Any) -> Self:
        scene = super().replaced(**changes)
        scene.__dict__["assets"] = self.assets
        return scene

    @property
    def kept_nodes(self) -> tuple[Node, ...]:
        """All objects that the document holds: those of the scene, and those of its recipes of objects."""
        return (*self.nodes, *(node for recipe in self.object_recipes for node in recipe.nodes))

    def object_recipe(self, name: str) -> ObjectRecipe | None:
        """A recipe of objects by name."""
        return next((recipe for recipe in self.object_recipes if recipe.id == name), None)

    @property
    def frames(self) -> int:
        """How many frames the range has, both ends counted."""
        return self.last - self.first + 1

    def clock(self, per_frame: int = 1) -> Clock:
        """Every frame of the range, each cut into `per_frame` parts."""
        return Clock.over(self.fps, self.first, self.last, per_frame=per_frame)

    @cached_property
    def places(self) -> dict[str, int]:
        """Where in `nodes` each object stands."""
        return {node.id: place for place, node in enumerate(self.nodes)}

    @cached_property
    def _parts(self) -> dict[str, ScenePart]:
        parts: dict[str, ScenePart] = {f"dials/{dial.id}": dial for dial in self.dials}
        parts |= {f"recipes/{recipe.id}": recipe for recipe in self.recipes}
        parts |= {sheaf.address: sheaf for sheaf in self.sheaves}
        return parts | {clip.address(track): clip for clip in self.clips for track in clip.tracks}

    def dial(self, name: str) -> Dial | None:
        """A dial by name."""
        found = self._parts.get(f"dials/{name}")
        return found if isinstance(found, Dial) else None

    def recipe(self, name: str) -> Recipe | None:
        """A recipe by name."""
        found = self._parts.get(f"recipes/{name}")
        return found if isinstance(found, Recipe) else None

    def sheaf(self, name: str | None) -> Sheaf | None:
        """A sheaf by name."""
        found = self._parts.get(f"sheaves/{name}")
        return found if isinstance(found, Sheaf) else None

    def counted(self, layers: tuple[Layer, ...]) -> tuple[Layer, ...]:
        """Layers as they count: those that are in a sheaf with what they share, but for its weight."""
        if not self.sheaves:
            return layers
        return tuple(within(layer, sheaf) if (sheaf := self.sheaf(layer.sheaf)) else layer for layer in layers)

    def held_at(self, address: str) -> Node | ScenePart | None:
        """The object, dial, recipe, clip or sheaf that an address begins with."""
        return self._parts.get(address.split("#", 1)[0]) or self.by_id.get(address.split("/", 1)[0])

    def others(self, before: Scene) -> list[Node]:
        """Objects that are not the very same as in a scene before, in order. An edit leaves most as they are, so they
        are told apart place by place first."""
        if len(self.nodes) == len(before.nodes):
            rows: Iterable[Node] = (self.nodes[place] for place in self.places_since(before))
        else:
            rows = self.nodes
        return [node for node in rows if before.by_id.get(node.id) is not node]

    def places_since(self, before: Scene) -> Iterable[int]:
        """Where in `nodes` others stand than in a scene of as many before, in order. Of the very scene that an edit
        began with it is known: to look at thousands of objects takes longer than all else that an edit does."""
        since: tuple[ref[Scene], tuple[int, ...]] | None = self.__dict__.get("_since")
        if since is not None and since[0]() is before:
            return since[1]
        return compress(range(len(self.nodes)), map(is_not, self.nodes, before.nodes))

    def with_part(self, part: ScenePart) -> Scene:
        """The scene with a dial, recipe, clip or sheaf in place of the one with the same name, or as a new one."""
        field = FIELDS[type(part)]
        parts = getattr(self, field)
        known = any(item.id == part.id for item in parts)
        changed = tuple(part if item.id == part.id else item for item in parts) if known else (*parts, part)
        return self.replaced(**{field: changed})

    def with_node(self, node: Node) -> Scene:
        """The scene with an object in place of the one with the same id."""
        return self.with_nodes((node,))

    def with_nodes(self, changed: Iterable[Node]) -> Scene:
        """The scene with objects in place of those with the same ids."""
        nodes = list(self.nodes)
        rehung = renamed = blows = carries = False
        there: set[int] = set()
        for node in changed:
            place = self.places[node.id]
            was = nodes[place]
            there.add(place)
            blows = blows or node.field is not None or was.field is not None
            carries = carries or _carries(node) or _carries(was)
            rehung, renamed = rehung or node.parent != was.parent, renamed or node.label != was.label
            nodes[place] = node
        if rehung:
            return self.replaced(nodes=tuple(nodes))
        # the tree is the same and the object was checked when it was made: nothing is left to check, so that an edit
        # of one object costs the same in a scene of thousands
        fields = {name: getattr(self, name) for name in type(self).model_fields}
        scene = Scene.model_construct(**(fields | {"nodes": tuple(nodes)}))
        scene.__dict__ |= {"places": self.places, "assets": self.assets}
        scene.__dict__["_since"] = ref(self), tuple(sorted(there))
        if not renamed and "called" in self.__dict__:
            scene.__dict__["called"] = self.called
        if not blows and "fields" in self.__dict__:
            scene.__dict__ |= {"fields": self.fields, "common_fields": self.common_fields}
        if not carries and "carrying" in self.__dict__:
            scene.__dict__["carrying"] = self.carrying
        return scene


def _carries(node: Node) -> bool:
    return node.scatter is not None or node.carried is not None
