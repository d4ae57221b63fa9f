"""The scene: the whole document, a value."""

from __future__ import annotations

from functools import cached_property
from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from lazzik.core.clock import Clock
from lazzik.core.document import Finite, Frozen, Label
from lazzik.core.scene.node import Node
from lazzik.core.scene.receipt import Receipt

VERSION = 1
MOST_NODES = 10_000
MOST_FRAMES = 20_000
DEEPEST = 64
"""Objects below objects."""


class Scene(Frozen):
    """Frame rate, range, objects in the order of the tree, and receipts of bakes, oldest first."""

    format: Literal["lazzik-scene"] = "lazzik-scene"
    version: Literal[1] = 1
    name: Label
    fps: Annotated[Finite, Field(gt=0, le=1000)] = 30.0
    first: Annotated[int, Field(ge=-1_000_000, le=1_000_000)] = 0
    last: Annotated[int, Field(ge=-1_000_000, le=1_000_000)] = 250
    nodes: Annotated[tuple[Node, ...], Field(max_length=MOST_NODES)] = ()
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

    @cached_property
    def by_id(self) -> dict[str, Node]:
        """Objects by id."""
        return {node.id: node for node in self.nodes}

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

    def with_node(self, node: Node) -> Scene:
        """The scene with an object in place of the one with the same id."""
        nodes = list(self.nodes)
        nodes[self.places[node.id]] = node
        if node.parent != self.by_id[node.id].parent:
            return self.replaced(nodes=tuple(nodes))
        # the tree is the same and the object was checked when it was made: nothing is left to check, so that an edit
        # of one object costs the same in a scene of thousands
        fields = {name: getattr(self, name) for name in type(self).model_fields}
        scene = Scene.model_construct(**(fields | {"nodes": tuple(nodes)}))
        scene.__dict__["places"] = self.places
        return scene
