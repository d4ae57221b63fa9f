"""Addresses: the written path of a number, and how to read and write what it leads to.

beacon/rotation.z                     a number of an object
beacon/rotation.z#gust                a layer on it
beacon/rotation.z#gust.amplitude      a number of that layer, which may carry layers itself: …#slow.period
"""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import TypeVar

from lazzik.core.channel.channel import Channel, as_channel, simplest
from lazzik.core.channel.layer import Layer, numbers_of
from lazzik.core.document import Frozen, Quantity
from lazzik.core.errors import InvalidEdit, UnknownAddress
from lazzik.core.scene.node import Node
from lazzik.core.scene.scene import Scene

Part = TypeVar("Part", bound=Frozen)

DEEPEST = 8
"""Layers on numbers of layers on numbers …"""

_SLUG = r"[a-z0-9]+(?:-[a-z0-9]+)*"
_WRITTEN = re.compile(rf"(?P<node>{_SLUG})/(?P<path>[a-z_]+(?:\.[a-z_]+)*)(?P<hops>(?:#{_SLUG}(?:\.[a-z_]+)?)*)")


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

    @classmethod
    def parse(cls, text: str) -> Address:
        """Read a written address. Raises UnknownAddress if it is malformed."""
        match = _WRITTEN.fullmatch(text) if len(text) <= 2000 else None
        if match is None:
            raise UnknownAddress(f"'{text[:120]}' is not an address; one looks like beacon/rotation.z", text[:120])
        hops = tuple(Hop(*hop.partition(".")[::2]) for hop in match["hops"].split("#")[1:])
        if any(not hop.number for hop in hops[:-1]):
            raise UnknownAddress(f"'{text}' goes on from a layer without naming one of its numbers", text)
        if len(hops) > DEEPEST:
            raise UnknownAddress(f"'{text[:120]}…' is nested deeper than {DEEPEST} layers", text[:120])
        return cls(match["node"], match["path"], hops)

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


@dataclass(frozen=True)
class Place:
    """What an address leads to: the number, and how it describes itself (units settled)."""

    node: Node
    number: float | Channel
    quantity: Quantity
    reach: float
    """A change of the number that is well seen, in its own unit."""

    @property
    def channel(self) -> Channel:
        """The number with room for keys and layers."""
        return as_channel(self.number)


def find(scene: Scene, address: Address) -> Place:
    """The number at an address (for a layer's address, the number it lies on). Raises UnknownAddress."""
    node = _node(scene, address)
    number, quantity = _own_number(node, address)
    reach = _well_seen(node, quantity)
    for hop in address.channel.hops:
        layer = _layer(as_channel(number), hop, address)
        unit = quantity.unit
        number, quantity = getattr(layer, hop.number), numbers_of(type(layer))[hop.number]
        if quantity.unit.startswith("own"):
            low, high = quantity.useful
            useful = (float(f"{low * reach:.2g}"), float(f"{high * reach:.2g}"))
            quantity = replace(
                quantity,
                unit=quantity.unit.replace("own", unit),
                useful=useful,
                step=float(f"{quantity.step * reach:.1g}"),
            )
            reach = 0.25 * (useful[1] - min(useful[0], 0.0))
        else:
            reach = _well_seen(node, quantity)
    return Place(node, number, quantity, reach)


def find_layer(scene: Scene, address: Address) -> Layer:
    """The layer at an address. Raises UnknownAddress."""
    if not address.layer:
        raise UnknownAddress(f"'{address}' is a number, not a layer", str(address))
    return _layer(find(scene, address).channel, address.hops[-1], address)


def write(scene: Scene, address: Address, change: Callable[[Channel], Channel]) -> Scene:
    """The scene with the channel at an address changed; all else is shared. Raises UnknownAddress, InvalidEdit."""
    node = _node(scene, address)
    number, _ = _own_number(node, address)
    changed = _written(as_channel(number), address.channel.hops, address, change)
    if depth(changed) > DEEPEST:
        raise InvalidEdit(f"Layers on '{address}' would be nested deeper than {DEEPEST}", str(address))
    return scene.with_node(_with(node, address.path.split("."), simplest(changed)))


def names(scene: Scene, address: Address) -> list[str]:
    """What an address passes on its way, in people's words: object, number, layer, number …"""
    parts = [_node(scene, address).label, address.path.replace(".", " ").replace("_", " ")]
    above = Address(address.node, address.path)
    for hop in address.hops:
        layer = _layer(find(scene, above).channel, hop, address)
        parts += [layer.label, hop.number.replace("_", " ")] if hop.number else [layer.label]
        above = Address(address.node, address.path, (*above.hops, hop))
    return parts


def title(scene: Scene, address: Address) -> str:
    """An address for people: 'Beacon mast / rotation z / Gust / amplitude'."""
    return " / ".join(names(scene, address))


def _well_seen(node: Node, quantity: Quantity) -> float:
    """Some degrees, a share of the object's size, or of the useful range."""
    match quantity.unit:
        case "°":
            reach = 8.0
        case "m":
            reach = 0.15 * node.size()
        case _:
            reach = 0.2 * (quantity.useful[1] - quantity.useful[0])
    return float(f"{reach:.2g}")


def _node(scene: Scene, address: Address) -> Node:
    node = scene.by_id.get(address.node)
    if node is None:
        raise UnknownAddress(f"There is no object '{address.node}' in this scene", str(address))
    return node


def _own_number(node: Node, address: Address) -> tuple[float | Channel, Quantity]:
    part: Frozen | None = node
    *way, last = address.path.split(".")
    for name in way:
        part = getattr(part, name, None) if part is not None and name in type(part).model_fields else None
        if not isinstance(part, Frozen):
            part = None
    quantity = numbers_of(type(part)).get(last) if part is not None else None
    if quantity is None:
        raise UnknownAddress(f"'{node.label}' has no number '{address.path}'", str(address))
    return getattr(part, last), quantity


def _layer(channel: Channel, hop: Hop, address: Address) -> Layer:
    layer = channel.layer(hop.layer)
    if layer is None:
        raise UnknownAddress(f"There is no layer '{hop.layer}' where '{address}' points", str(address))
    if hop.number and hop.number not in numbers_of(type(layer)):
        raise UnknownAddress(f"A {layer.title} layer has no number '{hop.number}'", str(address))
    return layer


def _written(
    channel: Channel, hops: tuple[Hop, ...], address: Address, change: Callable[[Channel], Channel]
) -> Channel:
    if not hops:
        return change(channel)
    layer = _layer(channel, hops[0], address)
    name = hops[0].number
    inner = _written(as_channel(getattr(layer, name)), hops[1:], address, change)
    written = layer.replaced(**{name: simplest(inner)})
    return channel.replaced(layers=tuple(written if item.id == layer.id else item for item in channel.layers))


def _with(part: Part, path: list[str], number: float | Channel) -> Part:
    name, *rest = path
    return part.replaced(**{name: _with(getattr(part, name), rest, number) if rest else number})


def depth(number: float | Channel) -> int:
    """How many layers deep a number is nested; a plain number is 0."""
    if not isinstance(number, Channel):
        return 0
    return max(
        (1 + max(depth(getattr(layer, n)) for n in numbers_of(type(layer))) for layer in number.layers),
        default=0,
    )
