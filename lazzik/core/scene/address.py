"""Addresses: the written path of a number, and how to read and write what it leads to.

beacon/rotation.z                     a number of an object
beacon/rotation.z#gust                a layer on it
beacon/rotation.z#gust.amplitude      a number of that layer, which may carry layers itself: …#slow.period
dials/speed                           a dial of the scene
recipes/gust                          a recipe's stack, with its layers and their numbers as above
clips/calm.swing                      a track of a clip
sheaves/hand                          the weight of a sheaf
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace
from functools import cache, cached_property, lru_cache
from typing import TypeVar

from lazzik.core.channel.channel import Channel, as_channel, simplest
from lazzik.core.channel.layer import Layer, numbers_of
from lazzik.core.document import Frozen, Quantity
from lazzik.core.errors import InvalidEdit, UnknownAddress
from lazzik.core.layers import Clip, Recipe
from lazzik.core.scene.dial import Dial
from lazzik.core.scene.node import LAID_OPEN, Node
from lazzik.core.scene.rest_pose import extent, largest_extent
from lazzik.core.scene.scene import PARTS, Scene
from lazzik.core.scene.sheaf import WEIGHT, Sheaf

Part = TypeVar("Part", bound=Frozen)

DEEPEST = 8
"""Layers on numbers of layers on numbers …"""

WORDS = {"dials": "dial", "recipes": "recipe", "clips": "clip", "sheaves": "sheaf"}
"""What each part of a scene that is no object is called."""

_SLUG = r"[a-z0-9]+(?:-[a-z0-9]+)*"
_NAME = r"[a-z_][a-z0-9_]*"
_WRITTEN = re.compile(rf"(?P<node>{_SLUG})/(?P<path>{_NAME}(?:\.{_NAME})*)(?P<hops>(?:#{_SLUG}(?:\.{_NAME})?)*)")


@dataclass(frozen=True)
class Hop:
    """From a number to a layer on it, and on to one of the layer's numbers ('' on the last hop: the layer itself)."""

    layer: str
    number: str = ""


@dataclass(frozen=True)
class Address:
    """A parsed address."""

    node: str
    path: str
    hops: tuple[Hop, ...] = ()

    @cached_property
    def owner(self) -> str:
        """The address without what follows the number it begins with."""
        return f"{self.node}/{self.path}"

    @cached_property
    def way(self) -> tuple[str, ...]:
        """The names from the object to its number."""
        return tuple(self.path.split("."))

    @staticmethod
    @lru_cache(maxsize=2**14)
    def parse(text: str) -> Address:
        """Read a written address. Raises UnknownAddress if it is malformed."""
        match = _WRITTEN.fullmatch(text) if len(text) <= 2000 else None
        if match is None:
            raise UnknownAddress(f"'{text[:120]}' is not an address; one looks like beacon/rotation.z", text[:120])
        hops = tuple(Hop(*hop.partition(".")[::2]) for hop in match["hops"].split("#")[1:])
        if any(not hop.number for hop in hops[:-1]):
            raise UnknownAddress(f"'{text}' goes on from a layer without naming one of its numbers", text)
        if len(hops) > DEEPEST:
            raise UnknownAddress(f"'{text[:120]}…' is nested deeper than {DEEPEST} layers", text[:120])
        return Address(match["node"], match["path"], hops)

    def __str__(self) -> str:
        hops = "".join(f"#{h.layer}" + (f".{h.number}" if h.number else "") for h in self.hops)
        return f"{self.node}/{self.path}{hops}"

    @property
    def layer(self) -> str:
        """The id of the layer that the address ends at, '' if it ends at a number."""
        return self.hops[-1].layer if self.hops and not self.hops[-1].number else ""

    @property
    def channel(self) -> Address:
        """The number itself, or for a layer the number that it lies on."""
        return Address(self.node, self.path, self.hops[:-1]) if self.layer else self


@dataclass(eq=False, slots=True)
class Place:
    """What an address leads to: the number, and how it describes itself (units settled).

    (Made for every number that is asked for: a frozen one would take four times as long to make.)
    """

    node: Node | None
    """The object; None for a dial and what belongs to a recipe."""
    number: float | Channel
    quantity: Quantity
    reach: float
    """A change of the number that is well seen, in its own unit."""
    home: str = ""
    """What it belongs to: an object's id, or the address of a dial, recipe, clip or sheaf."""

    @property
    def channel(self) -> Channel:
        """The number with room for keys and layers."""
        return as_channel(self.number)


def find(scene: Scene, address: Address) -> Place:
    """The number at an address (for a layer's address, the number it lies on). Raises UnknownAddress."""
    place = _root(scene, address)
    for hop in address.hops:
        if hop.number:
            place = into(scene, place, hop, address)
    return place


def find_at(scene: Scene, text: str) -> Place:
    """The number at a written address, looked up once in each state of a scene. Raises UnknownAddress."""
    places: dict[str, Place] = scene.looked_up
    place = places.get(text)
    if place is None:
        place = places[text] = find(scene, Address.parse(text))
    return place


def part_named(text: str) -> tuple[str, str] | None:
    """The object and the part of it that an address lays open: 'cover/cloth'; None if it is none of these."""
    slug, _, part = text.partition("/")
    return (slug, part) if part in LAID_OPEN else None


def exists(scene: Scene, text: str) -> bool:
    """Whether a written address leads to a number, or to a layer."""
    try:
        address = Address.parse(text)
        find_layer(scene, address) if address.layer else find(scene, address)
    except UnknownAddress:
        return False
    return True


def into(scene: Scene, place: Place, hop: Hop, address: Address) -> Place:
    """From a number to one of a layer on it. Raises UnknownAddress, with the whole address that was asked for."""
    layer = _layer(place.channel, hop, address)
    entry = layer.numbers(scene).get(hop.number)
    if entry is None:
        raise UnknownAddress(f"A {layer.title} layer has no number '{hop.number}'", str(address))
    number, quantity = entry
    if not quantity.unit.startswith("own"):
        return Place(place.node, number, quantity, _well_seen(scene, place.node, quantity), place.home)
    quantity = _settled(quantity, place.quantity.unit, place.reach)
    reach = 0.25 * (quantity.useful[1] - min(quantity.useful[0], 0.0))
    return Place(place.node, number, quantity, reach, place.home)


def _settled(quantity: Quantity, unit: str, reach: float) -> Quantity:
    """A quantity in its own unit, in the unit of the place where it stands."""
    low, high = quantity.useful
    return replace(
        quantity,
        unit=quantity.unit.replace("own", unit),
        useful=(float(f"{low * reach:.2g}"), float(f"{high * reach:.2g}")),
        step=float(f"{quantity.step * reach:.1g}"),
    )


def find_layer(scene: Scene, address: Address) -> Layer:
    """The layer at an address. Raises UnknownAddress."""
    if not address.layer:
        raise UnknownAddress(f"'{address}' is a number, not a layer", str(address))
    return _layer(find(scene, address).channel, address.hops[-1], address)


def write(scene: Scene, address: Address, change: Callable[[Channel], Channel]) -> Scene:
    """The scene with the channel at an address changed; all else is shared. Raises UnknownAddress, InvalidEdit."""
    root = _root(scene, address)
    changed = _written(scene, root.channel, address.channel.hops, address, change)
    if depth(changed) > DEEPEST:
        raise InvalidEdit(f"Layers on '{address}' would be nested deeper than {DEEPEST}", str(address))
    if root.node is not None:
        return scene.with_node(with_number(root.node, address.path.split("."), simplest(changed)))
    part = scene.held_at(address.owner)
    if isinstance(part, Dial):
        return scene.with_part(part.replaced(value=simplest(changed)))
    if isinstance(part, Recipe):
        return scene.with_part(part.replaced(stack=changed))
    if isinstance(part, Sheaf):
        return scene.with_part(part.replaced(weight=simplest(changed)))
    if isinstance(part, Clip):
        return scene.with_part(part.with_motion(address.path.partition(".")[2], changed))
    raise UnknownAddress(f"There is nothing at '{address}'", str(address))


def write_all(scene: Scene, changes: Iterable[tuple[Address, Callable[[Channel], Channel]]]) -> Scene:
    """The scene with many channels changed, as `write` changes one; each object is made anew once. Raises
    UnknownAddress, InvalidEdit."""
    nodes: dict[str, Node] = {}
    for address, change in changes:
        part = scene.held_at(address.owner)
        if not isinstance(part, Node):
            scene = write(scene, address, change)
            continue
        node = nodes.get(part.id, part)
        number, _ = _own_number(node, address)
        changed = _written(scene, as_channel(number), address.channel.hops, address, change)
        if depth(changed) > DEEPEST:
            raise InvalidEdit(f"Layers on '{address}' would be nested deeper than {DEEPEST}", str(address))
        nodes[part.id] = with_number(node, address.path.split("."), simplest(changed))
    return scene.with_nodes(nodes.values())


def names(scene: Scene, address: Address) -> list[str]:
    """What an address passes on its way, in people's words: object, number, layer, number …"""
    place = _root(scene, address)
    part = scene.held_at(address.owner)
    first = scene.called[part.id] if isinstance(part, Node) else part.label if part else address.node
    parts = [first, address.path.replace(".", " ").replace("_", " ")]
    if place.node is None:
        track = part.track(address.path.partition(".")[2]) if isinstance(part, Clip) else None
        parts = [WORDS[address.node], parts[0], *([track.label] if track else [])]
    for hop in address.hops:
        layer = _layer(place.channel, hop, address)
        parts += [layer.label, hop.number.replace("_", " ")] if hop.number else [layer.label]
        place = into(scene, place, hop, address) if hop.number else place
    return parts


def title(scene: Scene, address: Address) -> str:
    """An address for people: 'Beacon mast / rotation z / Gust / amplitude'."""
    return " / ".join(names(scene, address))


def _well_seen(scene: Scene, node: Node | None, quantity: Quantity) -> float:
    """Some degrees, a share of the object's size, or of the useful range."""
    match quantity.unit:
        case "°":
            return 8.0
        case "m":
            reach = 0.15 * (largest_extent(scene, node) if node else 1.0)
        case _:
            reach = 0.2 * (quantity.useful[1] - quantity.useful[0])
    return float(f"{reach:.2g}")


def _root(scene: Scene, address: Address) -> Place:
    """The number that an address begins with: an object's, a dial, or a recipe's stack."""
    part = scene.held_at(address.owner)
    if isinstance(part, Node):
        number, quantity = _own_number(part, address)
        if not quantity.unit.startswith("own"):
            return Place(part, number, quantity, _well_seen(scene, part, quantity), part.id)
        size = extent(scene, part).size  # what belongs to a shape is measured by the object's size
        return Place(part, number, _settled(quantity, "m", size), float(f"{0.15 * size:.2g}"), part.id)
    home = address.owner
    match part:
        case Dial():
            return Place(None, part.value, part.quantity, _well_seen(scene, None, part.quantity), home)
        case Recipe():
            useful = (-4 * part.reach, 4 * part.reach)
            quantity = Quantity(part.unit, part.note or f"The stack of {part.label}.", useful, part.reach / 100)
            return Place(None, part.stack, quantity, part.reach, home)
        case Clip():
            return _track(part, address)
        case Sheaf():
            return Place(None, part.weight, WEIGHT, _well_seen(scene, None, WEIGHT), home)
    raise UnknownAddress(_missing(address), str(address))


def _track(clip: Clip, address: Address) -> Place:
    """A track of a clip."""
    track = clip.track(address.path.partition(".")[2])
    assert track is not None  # it is by its track that the clip was found
    return Place(None, track.motion, clip.quantities[track.id], clip.reaches[track.id], address.owner)


def _missing(address: Address) -> str:
    if address.node in PARTS:
        return f"There is no {WORDS[address.node]} '{address.path}' in this scene"
    return f"There is no object '{address.node}' in this scene"


def _own_number(node: Node, address: Address) -> tuple[float | Channel, Quantity]:
    part: object = node
    *way, last = address.way
    for name in way:
        part = _inner(part, name)
    quantity = numbers_of(type(part)).get(last) if isinstance(part, Frozen) else None
    if quantity is None:
        raise UnknownAddress(f"'{node.label}' has no number '{address.path}'", str(address))
    return getattr(part, last), quantity


@cache
def _fields(model: type[Frozen]) -> frozenset[str]:
    return frozenset(model.model_fields)


def _inner(part: object, name: str) -> object:
    """A named field of a part, or of a row of parts the one with that id; None if there is none."""
    if isinstance(part, tuple):
        return next((item for item in part if getattr(item, "id", None) == name), None)
    return getattr(part, name) if isinstance(part, Frozen) and name in _fields(type(part)) else None


def _layer(channel: Channel, hop: Hop, address: Address) -> Layer:
    layer = channel.layer(hop.layer)
    if layer is None:
        raise UnknownAddress(f"There is no layer '{hop.layer}' where '{address}' points", str(address))
    return layer


def _written(
    scene: Scene, channel: Channel, hops: tuple[Hop, ...], address: Address, change: Callable[[Channel], Channel]
) -> Channel:
    if not hops:
        return change(channel)
    layer, name = _layer(channel, hops[0], address), hops[0].number
    entry = layer.numbers(scene).get(name)
    if entry is None:
        raise UnknownAddress(f"A {layer.title} layer has no number '{name}'", str(address))
    inner = _written(scene, as_channel(entry[0]), hops[1:], address, change)
    written = layer.with_number(name, simplest(inner))
    return channel.replaced(layers=tuple(written if item.id == layer.id else item for item in channel.layers))


def with_number(part: Part, path: list[str], number: float | Channel) -> Part:
    """A part of the document with one of its numbers changed, by the way to it: deform, bend, angle."""
    name, *rest = path
    if not rest:
        return part.replaced(**{name: number})
    inner = getattr(part, name)
    if isinstance(inner, tuple):
        chosen, *rest = rest
        row = tuple(with_number(item, rest, number) if item.id == chosen else item for item in inner)
        return part.replaced(**{name: row})
    return part.replaced(**{name: with_number(inner, rest, number)})


def depth(number: float | Channel) -> int:
    """How many layers deep a number is nested; a plain number is 0."""
    if not isinstance(number, Channel):
        return 0
    return max(
        (1 + max(depth(own) for own in layer.stored()) for layer in number.layers),
        default=0,
    )
