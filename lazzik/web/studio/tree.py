"""The tree of objects: as many rows as a page can show at once, and of those only what has changed if no more is asked.

A scene may have thousands of objects. Which rows there are is found from the document alone; what stands in a row is
worked out only for rows that are sent.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from itertools import groupby
from urllib.parse import quote

import numpy as np

from lazzik.core.channel.channel import Channel, base_value
from lazzik.core.clock import Clock
from lazzik.core.document import Quantity
from lazzik.core.evaluate.alike import work_out_alike
from lazzik.core.evaluate.evaluator import number_on
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.shapes import surface_moves
from lazzik.core.scene.address import Address
from lazzik.core.scene.edits.cloths import stuff_of
from lazzik.core.scene.emitter import Emitter
from lazzik.core.scene.node import LAID_OPEN, Node, channels_of
from lazzik.core.scene.scene import Scene
from lazzik.core.types import Samples
from lazzik.web.aim.view import target_name
from lazzik.web.air.view import speed_of, speed_words
from lazzik.web.stack.view import axis_of
from lazzik.web.ui.knob import shown
from lazzik.web.ui.sparkline import spark

WINDOW = 160
"""Rows that are sent at once: several screens full."""

SPARK = (56.0, 14.0)

TRIPLES = ("position", "rotation", "scale")
"""Paths under which three numbers belong together."""

MOST_VALUES = 1500
"""Frames up to which the values of a number are sent with its row, to be shown as they are at the playhead."""

ICONS = {
    "group": "diagram-3", "box": "box", "ball": "circle", "tube": "capsule", "ring": "record-circle", "basin": "cup",
    "sheet": "square", "camera": "camera-video", "light": "lightbulb", "wind": "wind", "eddies": "hurricane",
    "whirl": "tornado", "push": "fan", "scatter": "flower3", "emitter": "stars", "swarm": "droplet",
}  # fmt: skip


@dataclass(frozen=True, kw_only=True)
class Listing:
    """Which rows are asked for."""

    moving: bool = False
    """Only objects that move."""
    find: str = ""
    """Only objects whose names have this in them, and those above them."""
    first: int | None = None
    """The first row of the window; around the chosen one if it is not said."""


@dataclass(frozen=True, kw_only=True)
class ChannelRow:
    """A number of the chosen object."""

    address: str
    name: str
    axis: str
    """'x', 'y', 'z' or ''."""
    value: str
    values: str
    """At each frame of the range, where it moves and the range is not too long; '' otherwise."""
    keyed: bool
    unit: str
    spark: str
    chosen: bool
    also: bool
    """Whether it is chosen beside the one that is shown."""


@dataclass(frozen=True, kw_only=True)
class TripleRow:
    """Three numbers that belong together: a place, a turn, a size, a colour."""

    address: str
    """What theirs begin with: 'post/position', 'post/look.color'."""
    name: str
    parts: tuple[ChannelRow, ...]
    chosen: bool
    """Whether all three are shown."""
    hex: str = ""
    """Of a colour."""

    @property
    def stirs(self) -> bool:
        """Whether one of them is more than a number that stands still."""
        return any(part.chosen or part.also or part.spark or part.keyed for part in self.parts)

    @property
    def open(self) -> bool:
        """Whether the three are seen one by one to begin with: what is most often set, and what stirs."""
        return self.stirs or self.name in ("position", "rotation")

    @property
    def values(self) -> str:
        """The three values as one text."""
        unit = self.parts[0].unit
        return ", ".join(part.value for part in self.parts) + (" m" if unit == "m" else unit)

    @property
    def href(self) -> str:
        """A query that shows all three, first the one that moves, if one does."""
        order = sorted(self.parts, key=lambda part: not part.spark)
        first, *others = (quote(part.address, safe="/") for part in order)
        return f"?at={first}" + "".join(f"&also={other}" for other in others)


@dataclass(frozen=True, kw_only=True)
class PartRow:
    """A part of an object that is laid open as a whole."""

    name: str
    icon: str
    words: str
    """In short, what it is."""
    chosen: bool


@dataclass(frozen=True, kw_only=True)
class TreeRow:
    """An object; the chosen one carries its channels."""

    node: Node
    depth: int
    icon: str
    spark: str
    chosen: bool
    also: bool
    href: str
    channels: tuple[ChannelRow | TripleRow, ...]
    can_form: bool
    """Whether it has a shape, or shapes below it."""
    form_chosen: bool
    parts: tuple[PartRow, ...]
    """What of it is more than numbers."""
    in_short: str
    """What it is by the first of these, where it has no shape beside."""


@dataclass(frozen=True, kw_only=True)
class TreeView:
    """A window on the tree."""

    rows: tuple[TreeRow, ...]
    first: int
    """The place of the first row in the whole tree."""
    total: int
    whole: bool
    """Whether these are all rows of the window, or only those that changed."""
    find: str


@dataclass(frozen=True, kw_only=True)
class Choice:
    """The numbers that are shown."""

    shown: Address | None
    also: tuple[Address, ...] = ()
    left_out: tuple[str, ...] = ()
    """What objects are called that were asked for and have no such number."""

    @property
    def nodes(self) -> set[str]:
        """Slugs of the objects that they belong to."""
        return {address.node for address in (self.shown, *self.also) if address is not None}


@dataclass(frozen=True, kw_only=True)
class Had:
    """What the page was sent before."""

    choice: Choice
    same: bool
    """Whether it has the same window of the same document."""


def tree_view(scene: Scene, choice: Choice, listing: Listing, scope: Scope, had: Had | None = None) -> TreeView:
    """The window on the tree. It stays where it is unless an object outside of it is chosen; where the page has it
    already, only the rows of what was and what is chosen are worked out."""
    rows = _listed(scene, choice, listing)
    slug = choice.shown.node if choice.shown else ""
    if rows is scene.tree:
        here = scene.tree_places.get(slug)
    else:
        here = next((place for place, (node, _) in enumerate(rows) if node.id == slug), None)
    last = max(0, len(rows) - WINDOW)
    first = 0 if listing.first is None else min(listing.first, last)
    elsewhere = had is None or had.choice.shown is None or had.choice.shown.node != slug
    if here is not None and (listing.first is None or (had and elsewhere and not first <= here < first + WINDOW)):
        first = min(max(0, here - WINDOW // 2), last)
    seen = rows[first : first + WINDOW]
    whole = had is None or not had.same or listing.moving or first != listing.first
    if had is not None and not whole:
        changed = choice.nodes | had.choice.nodes
        seen = tuple(row for row in seen if row[0].id in changed)
    clock, running = scene.clock(), scope.running()
    work_out_alike(((node.id, number) for node, _ in seen for _, number in node.moving[:1]), clock, running)
    made = tuple(_row(scene, node, depth, choice, clock, running) for node, depth in seen)
    return TreeView(rows=made, first=first, total=len(rows), whole=whole, find=listing.find)


def _listed(scene: Scene, choice: Choice, listing: Listing) -> tuple[tuple[Node, int], ...]:
    """Objects that are listed, each below the one that it sits under, and how deep."""
    wanted = _wanted(scene, choice, listing)
    return scene.tree if wanted is None else tuple(row for row in scene.tree if row[0].id in wanted)


def _wanted(scene: Scene, choice: Choice, listing: Listing) -> set[str] | None:
    """Slugs of the objects that are listed; None for all. Of those that move the chosen one is always among them."""
    if not listing.moving and not listing.find:
        return None
    text = listing.find.strip().casefold()
    found = {choice.shown.node} if choice.shown and not text else set()
    for node in scene.nodes:
        if text not in node.label.casefold():
            continue
        if not listing.moving or node.moving or surface_moves(scene, node):
            found |= {above.id for above in scene.lineage(node)} if text else {node.id}
    return found


def _row(scene: Scene, node: Node, depth: int, choice: Choice, clock: Clock, scope: Scope) -> TreeRow:
    chosen = choice.shown
    is_chosen = chosen is not None and chosen.node == node.id
    parts = tuple(_parts(scene, node, chosen.path if is_chosen and chosen is not None else ""))
    moving = node.moving
    drawn = moving if is_chosen else moving[:1]
    values = {path: np.atleast_1d(number_on(number, clock, scope.at(node.id))) for path, number in drawn}
    sparks = {path: spark(row, *SPARK) for path, row in values.items()}
    waves = not moving and surface_moves(scene, node)
    return TreeRow(
        node=node,
        depth=depth,
        icon=ICONS.get(node.what, "box"),
        spark=next(iter(sparks.values()), ""),
        chosen=is_chosen,
        also=any(address.node == node.id for address in choice.also),
        href=f"{node.id}/{_opened(node) or next(iter(sparks), 'shape' if waves else 'rotation.z')}",
        channels=_channels(node, choice, values) if is_chosen else (),
        can_form=node.shape is not None or node.id in scene.below,
        form_chosen=is_chosen and chosen is not None and chosen.path == "shape",
        parts=parts,
        in_short=parts[0].words if parts and node.shape is None and parts[0].name not in ADDED else "",
    )


BESIDE = ("deform.", "shape.", *(f"{field}." for field in LAID_OPEN.values()))
"""What begins the paths of numbers that are seen where the part that they belong to is laid open."""

PART_ICONS = {
    "air": "wind", "copies": "flower3", "particles": "stars", "cloth": "flag", "swarm": "droplet", "aim": "crosshair",
    "recipe": "collection",
}  # fmt: skip


ADDED = ("aim", "recipe")
"""Parts that an object of any sort may have: they are not what it is."""


def _opened(node: Node) -> str:
    """The part of an object that is laid open when it is chosen, if it has one that is more than numbers."""
    return next(
        (name for name, field in LAID_OPEN.items() if name not in ADDED and getattr(node, field) is not None), ""
    )


def _parts(scene: Scene, node: Node, chosen: str) -> Iterator[PartRow]:
    for name, field in LAID_OPEN.items():
        if getattr(node, field) is not None:
            yield PartRow(name=name, icon=PART_ICONS[name], words=_in_short(scene, node, name), chosen=chosen == name)


def _in_short(scene: Scene, node: Node, name: str) -> str:
    """What a part is, in a word or two."""
    match name:
        case "air" if node.field:
            return speed_words(speed_of(node.field))
        case "copies" if node.scatter:
            return f"{int(base_value(node.scatter.count)):,}"
        case "particles" if node.emitter:
            return _rate(node.emitter)
        case "cloth" if node.cloth:
            return stuff_of(node.cloth) or "its own"
        case "swarm" if node.swarm:
            return f"{base_value(node.swarm.spacing):.3g} m apart"
        case "recipe":
            named = (scene.object_recipe(use.recipe) for use in node.uses)
            return ", ".join(recipe.label for recipe in named if recipe is not None)
        case _:
            return target_name(scene, node.aim) if node.aim else ""


def _rate(emitter: Emitter) -> str:
    """How many particles come, in short."""
    if emitter.comes == "at once":
        return f"{int(base_value(emitter.amount)):,}"
    return f"{base_value(emitter.rate):,.4g} /s"


def _listed_values(values: Samples | None) -> str:
    if values is None or not 1 < len(values) <= MOST_VALUES:
        return ""
    return " ".join(f"{value:.5g}" for value in values)


def _channels(node: Node, choice: Choice, values: dict[str, Samples]) -> tuple[ChannelRow | TripleRow, ...]:
    """The numbers of an object, those that belong together under a row of theirs."""
    rows: list[ChannelRow | TripleRow] = []
    single = _single(node, choice, values)
    for address, group in groupby(single, key=lambda row: row.address.rpartition(".")[0]):
        parts = tuple(group)
        path = address.partition("/")[2]
        colour = path.endswith("color")
        if not colour and path not in TRIPLES:
            rows += parts
            continue
        levels = [round(255 * min(1.0, max(0.0, float(part.value)))) for part in parts] if colour else []
        row = TripleRow(
            address=address,
            name=f"{path.removesuffix('.color').replace('look', '').strip('.')} colour".strip() if colour else path,
            parts=parts,
            chosen=all(part.chosen or part.also for part in parts),
            hex="#{:02x}{:02x}{:02x}".format(*levels) if colour else "",
        )
        rows.append(row)
    return tuple(rows)


def _name(node: Node, path: str, quantity: Quantity) -> str:
    """What a number is called in its object's list: 'x' below 'position', 'glow', 'Flutter height'."""
    head, _, last = path.rpartition(".")
    if head in TRIPLES or head.endswith("color"):
        return {"r": "red", "g": "green", "b": "blue"}.get(last, last)
    label = quantity.label or last.replace("_", " ")
    part, _, rest = head.partition(".")
    deformer = node.deformer(rest.split(".")[0]) if part == "deform" else None
    return f"{deformer.label} {label}" if deformer else label


def _single(node: Node, choice: Choice, values: dict[str, Samples]) -> list[ChannelRow]:
    rows = []
    also = {(address.node, address.path) for address in choice.also}
    for path, number, quantity in channels_of(node):
        if path.startswith(BESIDE) and path not in values:
            continue  # those that stand still are seen where the shape and the aim are laid open
        address = Address(node.id, path)
        rows.append(
            ChannelRow(
                address=str(address),
                name=_name(node, path, quantity),
                axis=axis_of(address),
                value=shown(base_value(number)),
                unit=quantity.unit.replace("own", "m"),  # what belongs to a shape is measured in metres
                values=_listed_values(values.get(path)),
                keyed=isinstance(number, Channel) and bool(number.keys),
                spark=spark(values[path], *SPARK) if path in values else "",
                chosen=choice.shown is not None and choice.shown.path == path,
                also=(node.id, path) in also,
            )
        )
    return rows
