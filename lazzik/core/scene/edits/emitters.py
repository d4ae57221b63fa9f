"""Edits of emitters: what sends out particles."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field

from lazzik.core.document import InFrames, Label, Slug
from lazzik.core.errors import InvalidEdit
from lazzik.core.scene.carried import MOST_COLLIDERS, RunName
from lazzik.core.scene.edits.base import Edit, checked_choices, free_label, free_slug
from lazzik.core.scene.emitter import OF_OBJECT, ColorOverLife, Emitter, OverLife
from lazzik.core.scene.node import Node, Position
from lazzik.core.scene.scene import PARTS, Scene


class AddEmitter(Edit):
    """Put something that sends out particles into the scene: here, or from an object's surface, inside or edges."""

    do: Literal["emit"] = "emit"
    of: Slug | None = None
    begin: Literal["point", "surface", "inside", "edges"] | None = None
    label: Label = "Particles"
    position: tuple[float, float, float] = (0.0, 1.0, 0.0)

    def apply(self, scene: Scene) -> Scene:
        begin = self.begin or ("surface" if self.of is not None else "point")
        emitter = Emitter(begin=begin, of=self.of)
        _whole(scene, emitter, self.of or "")
        label = free_label(self.label, {node.label for node in scene.below.get(None, ())})
        slug = free_slug(self.label, {*scene.by_id, *PARTS})
        x, y, z = self.position if self.of is None else (0.0, 0.0, 0.0)
        node = Node(id=slug, label=label, position=Position(x=x, y=y, z=z), emitter=emitter)
        return scene.replaced(nodes=(*scene.nodes, node))

    def describe(self, scene: Scene) -> str:
        return f"add {self.label}"


class ChangeEmitter(Edit):
    """Change what is no number about what sends out particles. Only the fields that are given change."""

    do: Literal["change-emitter"] = "change-emitter"
    node: Slug
    settings: dict[str, str] = {}
    """Its choices: {'begin': 'surface', 'meets': 'stick'}."""
    of: Slug | None = None
    copy_of: Slug | None = None
    colliders: Annotated[tuple[Slug, ...], Field(max_length=MOST_COLLIDERS)] | None = None
    size_over_life: OverLife | None = None
    answer_over_life: OverLife | None = None
    color_over_life: ColorOverLife | None = None
    locked: RunName | None = None
    """The run that is played whatever changes; null is the one that the document asks for."""
    loop: Annotated[InFrames, Field(gt=0)] | None = None
    """Frames after which all repeats; null is endless."""

    def apply(self, scene: Scene) -> Scene:
        node, emitter = emitter_of(scene, self.node)
        given = self.model_fields_set
        changes: dict[str, Any] = {name: getattr(self, name) for name in given & {"of", "copy_of", "locked"}}
        for name in ("colliders", "size_over_life", "answer_over_life", "color_over_life"):
            if getattr(self, name) is not None:
                changes[name] = getattr(self, name)
        if "loop" in given:
            changes |= {"loop": self.loop, "fit": False}  # a length of one's own does not follow the range
        changes |= checked_choices(Emitter.settings(), self.settings, "an emitter", self.node)
        if "copy_of" in given and "drawn" not in self.settings:  # choosing one is asking to see it
            changes["drawn"] = "puffs" if self.copy_of is None else "copies"
        changed = emitter.replaced(**changes)
        _whole(scene, changed, self.node)
        return scene.with_node(node.replaced(emitter=changed))

    def describe(self, scene: Scene) -> str:
        said = sorted(self.settings) or sorted(self.model_fields_set - {"do", "node", "settings"})
        return f"{' and '.join(said).replace('_', ' ') or 'change'} of {scene.node(self.node).label}"


def emitter_of(scene: Scene, slug: str) -> tuple[Node, Emitter]:
    """An object and what it sends out. Raises UnknownAddress, and InvalidEdit if it sends out nothing."""
    node = scene.node(slug)
    if node.emitter is None:
        raise InvalidEdit(f"{node.label} sends out nothing", slug)
    return node, node.emitter


def _whole(scene: Scene, emitter: Emitter, where: str) -> None:
    """Raises InvalidEdit where an emitter lacks what it names or needs, UnknownAddress for what is not there."""
    for slug in (*((emitter.of,) if emitter.begin in OF_OBJECT else ()), *emitter.colliders):
        if slug is not None and scene.node(slug).shape is None:
            raise InvalidEdit(f"{scene.node(slug).label} has no shape", slug)
    if emitter.begin in OF_OBJECT and emitter.of is None:
        raise InvalidEdit(f"Choose the object whose {emitter.begin} they come from, or let them begin here", where)
    if emitter.drawn == "copies" and emitter.copy_of is None:
        raise InvalidEdit("Choose the object of which copies are drawn, or draw them as puffs or points", where)
