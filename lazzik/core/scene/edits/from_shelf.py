"""Edits that take what the shelf holds into a scene, and put it to use at once."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from lazzik.core.document import InFrames, Slug
from lazzik.core.errors import InvalidEdit
from lazzik.core.scene.edits.base import Edit, free_label
from lazzik.core.scene.edits.clips import PlayClip
from lazzik.core.scene.edits.dials import free_name
from lazzik.core.scene.edits.object_recipes import PutObjectRecipe
from lazzik.core.scene.edits.poses import PlacePose
from lazzik.core.scene.edits.recipes import UseRecipe
from lazzik.core.scene.edits.shelf_content import with_content
from lazzik.core.scene.node import Look
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.shelf_item import ShelfItem


class TakeFromShelf(Edit):
    """Take something from the shelf into the scene, in the scene's time; what it reads comes along. It is put to use
    where it is said: a recipe of a number on numbers, one of an object on objects or as new ones, a clip or a pose at a
    frame, a material on objects."""

    do: Literal["take-from-shelf"] = "take-from-shelf"
    item: ShelfItem
    on: Annotated[tuple[str, ...], Field(max_length=1000)] = ()
    """Numbers or objects."""
    use: bool = True
    """Whether it is put to use; otherwise it is only there from then on."""
    frame: InFrames | None = None

    def apply(self, scene: Scene) -> Scene:
        item = self.item
        scene, named = with_content(scene, item.content)
        match item.sort:
            case "recipe":
                name = named[f"recipes/{item.part}"]
                for address in self.on if self.use else ():
                    scene = UseRecipe(address=address, recipe=name).apply(scene)
            case "object":
                name = named[f"object_recipes/{item.part}"]
                scene = PutObjectRecipe(recipe=name, nodes=self.on).apply(scene) if self.use else scene
            case "clip":
                name = named[f"clips/{item.part}"]
                if self.use:
                    scene = PlayClip(clip=name, frame=self._frame(scene), addresses=self.on).apply(scene)
            case "pose":
                scene = self._posed(scene)
            case "material":
                look = next(node.look for node in item.content.nodes if node.id == item.part)
                scene = PutLook(nodes=self.on, look=look).apply(scene) if look is not None else scene
        return scene

    def _frame(self, scene: Scene) -> float:
        return float(scene.first) if self.frame is None else self.frame

    def _posed(self, scene: Scene) -> Scene:
        pose = next(pose for pose in self.item.content.poses if pose.id == self.item.part)
        here = next((other for other in scene.poses if other.held == pose.held), None)
        if here is None:
            name = free_name(pose.label, {other.id for other in scene.poses}, "pose")
            label = free_label(pose.label, {other.label for other in scene.poses})
            here = pose.replaced(id=name, label=label)
            scene = scene.replaced(poses=(*scene.poses, here))
        return PlacePose(pose=here.id, frame=self._frame(scene)).apply(scene) if self.use else scene

    def describe(self, scene: Scene) -> str:
        return f"take {self.item.label} from the shelf"


class PutLook(Edit):
    """Give objects another look: colour, glow, roughness and picture, with the layers on them."""

    do: Literal["put-look"] = "put-look"
    nodes: Annotated[tuple[Slug, ...], Field(min_length=1, max_length=1000)]
    look: Look

    def apply(self, scene: Scene) -> Scene:
        found = [scene.node(slug) for slug in self.nodes]
        bare = next((node for node in found if node.shape is None and node.carried is None), None)
        if bare is not None:
            raise InvalidEdit(f"{bare.label} has no surface that could look like anything", bare.id)
        return scene.with_nodes(node.replaced(look=self.look) for node in found)

    def describe(self, scene: Scene) -> str:
        first = scene.node(self.nodes[0]).label
        return f"look of {first if len(self.nodes) == 1 else f'{len(self.nodes)} objects'}"

    @property
    def where(self) -> str:
        return self.nodes[0]
