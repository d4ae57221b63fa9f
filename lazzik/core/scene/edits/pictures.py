"""Edits of pictures on surfaces."""

from __future__ import annotations

from typing import Any, Literal

from lazzik.core.document import Label, Slug
from lazzik.core.errors import InvalidEdit
from lazzik.core.geometry.pictures import facts_of
from lazzik.core.geometry.primitives import Sheet
from lazzik.core.scene.edits.base import Edit
from lazzik.core.scene.edits.objects import AddObject
from lazzik.core.scene.node import Color, Look, Node
from lazzik.core.scene.picture import Beyond, Picture
from lazzik.core.scene.scene import Scene

WHITE = Color(r=1.0, g=1.0, b=1.0)


class PutPicture(Edit):
    """Put a picture on an object's surface, in place of the one that is there. The surface becomes white, so that the
    picture has its own colours, and a sheet whose sizes stand still gets its proportions."""

    do: Literal["put-picture"] = "put-picture"
    node: Slug
    asset: str
    label: Label = "Picture"

    def apply(self, scene: Scene) -> Scene:
        return scene.with_node(_with_picture(scene, scene.node(self.node), self.asset, self.label))

    def describe(self, scene: Scene) -> str:
        return f"put {self.label} on {scene.node(self.node).label}"


class BringPicture(Edit):
    """Add a sheet that stands upright and carries a picture in its proportions."""

    do: Literal["bring-picture"] = "bring-picture"
    asset: str
    label: Label = "Picture"
    under: Slug | None = None

    def apply(self, scene: Scene) -> Scene:
        sheet = Sheet(kind="sheet", standing=True, base=True, columns=16, rows=16, width=2.0)
        added = AddObject(label=self.label, shape=sheet, parent=self.under).apply(scene)
        return PutPicture(node=added.nodes[-1].id, asset=self.asset, label=self.label).apply(added)

    def describe(self, scene: Scene) -> str:
        return f"add the picture {self.label}"


class ChangePicture(Edit):
    """Change what is no number about an object's picture, or take it off."""

    do: Literal["change-picture"] = "change-picture"
    node: Slug
    asset: None = None
    """Null takes it off."""
    beyond: Beyond | None = None

    def apply(self, scene: Scene) -> Scene:
        node = scene.node(self.node)
        look = node.look or Look()
        if look.picture is None:
            raise InvalidEdit(f"{node.label} carries no picture", self.node)
        picture: Any = None if "asset" in self.model_fields_set else look.picture
        if picture is not None and self.beyond is not None:
            picture = picture.replaced(beyond=self.beyond)
        return scene.with_node(node.replaced(look=look.replaced(picture=picture)))

    def describe(self, scene: Scene) -> str:
        label = scene.node(self.node).label
        if "asset" in self.model_fields_set:
            return f"take the picture off {label}"
        return f"what is beyond the picture of {label}"


def _with_picture(scene: Scene, node: Node, asset: str, label: str) -> Node:
    """An object with a picture on it. Raises InvalidEdit if its surface can carry none; UnknownAsset, InvalidAsset."""
    if node.shape is None or node.shape.mesh(scene.assets).coordinates is None:
        raise InvalidEdit(
            f"{node.label} can carry no picture: its surface has no texture coordinates, which say where it would lie",
            node.id,
        )
    facts = scene.assets.read(asset, facts_of)
    look = node.look or Look()
    before = look.picture.replaced(asset=asset, label=label) if look.picture else Picture(asset=asset, label=label)
    node = node.replaced(look=look.replaced(picture=before, color=look.color if look.picture else WHITE))
    shape = node.shape
    if isinstance(shape, Sheet) and isinstance(shape.width, float) and isinstance(shape.height, float):
        height = float(f"{shape.width * facts.height / facts.width:.4g}")
        node = node.replaced(shape=shape.replaced(height=height))
    return node
