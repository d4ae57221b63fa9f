"""Parts of a scene with all that they read, as a small scene of their own; and such a scene's parts in another one."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from typing import Any

from lazzik.core.channel.channel import Channel
from lazzik.core.errors import UnknownAddress
from lazzik.core.geometry.primitives import Ball
from lazzik.core.layers import Clip, Recipe
from lazzik.core.scene.bundle import assets_of
from lazzik.core.scene.dial import TAKEN, Dial
from lazzik.core.scene.edits.base import free_label
from lazzik.core.scene.edits.dials import free_name
from lazzik.core.scene.edits.sheaves import left
from lazzik.core.scene.edits.stacks import refit
from lazzik.core.scene.node import Node
from lazzik.core.scene.object_recipe import ObjectRecipe
from lazzik.core.scene.pose import Pose
from lazzik.core.scene.references import node_reads, reads_of
from lazzik.core.scene.renaming import readdressed
from lazzik.core.scene.retime import retimed
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.shelf_item import FIELDS, Sort
from lazzik.core.scene.visit import with_layers

Kept = Recipe | ObjectRecipe | Clip | Pose | Node

OTHERWISE = {"dials": "dial", "recipes": "recipe", "clips": "clip", "object_recipes": "recipe"}
"""What a name begins with that could not begin as its label does."""


def content_of(scene: Scene, sort: Sort, name: str) -> Scene:
    """A part of a scene, with the dials, recipes and clips that it reads at any depth, in no sheaf. A material is what
    it looks like on a ball. Raises UnknownAddress if there is no such part."""
    part: Kept | None = next((row for row in getattr(scene, FIELDS[sort]) if row.id == name), None)
    if part is None:
        raise UnknownAddress(f"There is no {sort} '{name[:64]}' in this scene", name)
    if sort == "material":
        assert isinstance(part, Node)
        if part.look is None:
            raise UnknownAddress(f"{part.label} has no look of its own that could be kept", name)
        part = Node(id=part.id, label=part.label, shape=Ball(kind="ball"), look=part.look)
    found = _read(scene, _reads(part))
    rows: dict[str, list[object]] = {name: [] for name in OTHERWISE}
    for address in found:
        field, _, id_ = address.partition("/")
        rows[field] += [row for row in getattr(scene, field) if row.id == id_]
    rows.setdefault(FIELDS[sort], [])
    if part not in rows[FIELDS[sort]]:
        rows[FIELDS[sort]].append(part)
    return Scene.model_validate(
        {"name": part.label, "fps": scene.fps, "first": scene.first, "last": scene.last}
        | {field: tuple(_alone(scene, row) for row in parts) for field, parts in rows.items()}
    ).with_assets(scene.assets)


def with_content(scene: Scene, content: Scene) -> tuple[Scene, dict[str, str]]:
    """A scene with the parts of another one, on its own clock; and what they are called now ('recipes/gust' -> name).
    One that is here already, equal to the bit, serves; another one of the same name makes what comes give way."""
    content = refit(retimed(content, scene.fps, float(scene.first)).replaced(first=scene.first, last=scene.last))
    named = {}
    for field, otherwise in OTHERWISE.items():
        here = {row.id: row for row in getattr(scene, field)}
        taken = set(here) | (TAKEN if field == "dials" else set())
        for row in getattr(content, field):
            free = row.id not in taken or here.get(row.id) == row
            named[f"{field}/{row.id}"] = row.id if free else free_name(row.label, taken, otherwise)
            taken.add(named[f"{field}/{row.id}"])

    def change(address: str) -> str:
        head, mark, rest = address.partition("#")
        field, _, id_ = head.partition("/")
        stem, dot, track = id_.partition(".")
        new = named.get(f"{field}/{stem}")
        return address if new is None else f"{field}/{new}{dot}{track}{mark}{rest}"

    for field in OTHERWISE:
        rows = list(getattr(scene, field))
        known = {row.id for row in rows}
        labels = {row.label for row in rows}
        for row in getattr(content, field):
            name = named[f"{field}/{row.id}"]
            if name not in known:
                rows.append(_renamed(row, change).replaced(id=name, label=free_label(row.label, labels)))
        scene = scene.replaced(**{field: tuple(rows)})
    for asset in sorted({asset for node in content.kept_nodes for asset in assets_of(node)}):
        if scene.assets.get(asset) is None:
            scene.assets.put(content.assets.content(asset))
    return scene, named


def _reads(part: object) -> Iterator[str]:
    """Addresses that a part reads."""
    match part:
        case Recipe():
            yield from reads_of(part.stack)
        case Dial():
            yield from reads_of(part.value)
        case Clip():
            for track in part.tracks:
                yield from reads_of(track.motion)
        case ObjectRecipe():
            for node in part.nodes:
                yield from _reads(node)
        case Node():
            for reads in node_reads(part).values():
                yield from reads


def _read(scene: Scene, addresses: Iterable[str]) -> list[str]:
    """The dials, recipes and clips that are read, at any depth: 'dials/speed'."""
    found: dict[str, None] = {}
    ahead = list(addresses)
    while ahead:
        field, _, name = ahead.pop().split("#", 1)[0].partition("/")
        name = name.partition(".")[0]
        part = next((row for row in getattr(scene, field) if row.id == name), None) if field in OTHERWISE else None
        if part is not None and f"{field}/{name}" not in found:
            found[f"{field}/{name}"] = None
            ahead += _reads(part)
    return list(found)


def _alone(scene: Scene, part: object) -> object:
    """A part whose layers are in no sheaf."""
    if isinstance(part, Dial) and isinstance(part.value, Channel):
        return part.replaced(value=with_layers(part.value, lambda layer: left(scene, layer)))
    return part


def _renamed(part: Any, change: Callable[[str], str]) -> Any:
    """A part with a change made to each address that a layer of it reads."""
    match part:
        case Recipe():
            return part.replaced(stack=with_layers(part.stack, lambda layer: layer.readdressed(change)))
        case Dial():
            return part.replaced(value=with_layers(part.value, lambda layer: layer.readdressed(change)))
        case Clip():
            tracks = (
                track.replaced(motion=with_layers(track.motion, lambda layer: layer.readdressed(change)))
                for track in part.tracks
            )
            return part.replaced(tracks=tuple(tracks))
        case ObjectRecipe():
            return part.replaced(nodes=tuple(readdressed(node, change) for node in part.nodes))
    return part
