"""What the studio's panels show, gathered from the scene's own descriptions. No kind is known here by name."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from lazzik.core.channel.channel import Channel
from lazzik.core.channel.layer import Layer, numbers_of
from lazzik.core.document import Quantity
from lazzik.core.evaluate.evaluator import number_on
from lazzik.core.evaluate.memo import Memo
from lazzik.core.scene.address import Address, find, names
from lazzik.core.scene.node import Node, channels_of
from lazzik.core.scene.scene import Scene
from lazzik.store.scenes import State
from lazzik.web.drawing import spark

SPARK = (56.0, 14.0)

COMBINES = ("add", "subtract", "multiply", "replace")

ICONS = {
    "group": "diagram-3", "box": "box", "ball": "circle", "tube": "capsule", "ring": "record-circle",
    "sheet": "square", "camera": "camera-video", "light": "lightbulb",
}  # fmt: skip


@dataclass(frozen=True)
class ChannelRow:
    """A number of the chosen object in the tree."""

    address: str
    name: str
    axis: str
    """'x', 'y', 'z' or ''."""
    value: str
    unit: str
    spark: str
    chosen: bool


@dataclass(frozen=True)
class TreeRow:
    """An object in the tree; the chosen one carries its channels."""

    node: Node
    depth: int
    icon: str
    spark: str
    chosen: bool
    href: str
    channels: tuple[ChannelRow, ...]


@dataclass(frozen=True)
class Knob:
    """A number beside the curve that it bends."""

    address: str
    name: str
    value: str
    quantity: Quantity
    keyed: bool
    driven: bool


@dataclass(frozen=True)
class LaneView:
    """One layer of the shown channel."""

    layer: Layer
    address: str
    chosen: bool
    knobs: tuple[Knob, ...]
    settings: dict[str, tuple[str, ...]]
    place: int
    """In the stack, 0 the lowest."""
    sounds: bool
    note: str


@dataclass(frozen=True)
class StrataView:
    """A channel laid open: topmost layer first, the base last."""

    address: str
    trail: tuple[tuple[str, str], ...]
    """(name, address) of what leads here; the last is the channel itself."""
    axis: str
    unit: str
    quantity: Quantity
    channel: Channel
    base: Knob
    lanes: tuple[LaneView, ...]
    base_chosen: bool


def tree(scene: Scene, chosen: Address | None, memo: Memo, *, moving_only: bool) -> list[TreeRow]:
    """The objects, each below the one it sits under."""
    below: dict[str | None, list[Node]] = {}
    for node in scene.nodes:
        below.setdefault(node.parent, []).append(node)
    rows: list[TreeRow] = []

    def put(node: Node, depth: int) -> None:
        sparks = _moving(scene, node, memo)
        is_chosen = chosen is not None and chosen.node == node.id
        if sparks or is_chosen or not moving_only:
            first = next(iter(sparks), "rotation.z")
            rows.append(
                TreeRow(
                    node,
                    depth,
                    ICONS.get(node.what, "box"),
                    next(iter(sparks.values()), ""),
                    is_chosen,
                    f"{node.id}/{first}",
                    _channels(scene, node, chosen, sparks) if is_chosen else (),
                )
            )
        for child in below.get(node.id, ()):
            put(child, depth + 1)

    for root in below.get(None, ()):
        put(root, 0)
    return rows


def count_moving(scene: Scene) -> int:
    """How many objects have a number that changes over time."""
    return sum(
        any(isinstance(number, Channel) and number.moves for _, number, _ in channels_of(node)) for node in scene.nodes
    )


def strata_view(scene: Scene, chosen: Address) -> StrataView:
    """The channel at an address, with the layer chosen that the address names; without one, the topmost."""
    place = find(scene, chosen)
    here = chosen.channel
    channel = place.channel
    unit = place.quantity.unit
    layer_id = chosen.layer or (channel.layers[-1].id if channel.layers else "")
    lanes = tuple(
        LaneView(
            layer,
            f"{here}#{layer.id}",
            layer.id == layer_id,
            _knobs(scene, here, layer),
            type(layer).settings(),
            position,
            layer in channel.sounding,
            layer.note(scene.fps),
        )
        for position, layer in reversed(list(enumerate(channel.layers)))
    )
    return StrataView(
        str(here),
        _trail(scene, here),
        axis_of(here),
        unit,
        place.quantity,
        channel,
        Knob(str(here), "value", shown(channel.value), place.quantity, bool(channel.keys), False),
        lanes,
        not channel.layers,
    )


def shown(value: float) -> str:
    """A number as a field shows it."""
    text = f"{value:.6g}"
    return "0" if text == "-0" else text


def axis_of(address: Address) -> str:
    """Which axis a channel belongs to, if any."""
    last = address.path.rsplit(".", 1)[-1]
    return last if last in ("x", "y", "z") and not address.hops else ""


def _moving(scene: Scene, node: Node, memo: Memo) -> dict[str, str]:
    """Sparklines of the numbers of an object that move, by path."""
    clock = scene.clock()
    return {
        path: spark(np.atleast_1d(number_on(number, clock, memo)), *SPARK)
        for path, number, _ in channels_of(node)
        if isinstance(number, Channel) and number.moves
    }


def _channels(scene: Scene, node: Node, chosen: Address | None, sparks: dict[str, str]) -> tuple[ChannelRow, ...]:
    rows = []
    for path, number, quantity in channels_of(node):
        address = Address(node.id, path)
        value = number.keys[0].value if isinstance(number, Channel) and number.keys else _base(number)
        rows.append(
            ChannelRow(
                str(address),
                path.replace(".", " "),
                axis_of(address),
                shown(value),
                quantity.unit,
                sparks.get(path, ""),
                chosen is not None and chosen.path == path,
            )
        )
    return tuple(rows)


def _base(number: float | Channel) -> float:
    return number.value if isinstance(number, Channel) else number


def _knobs(scene: Scene, channel: Address, layer: Layer) -> tuple[Knob, ...]:
    """The layer's own numbers first, weight last: it sits at the lane's head."""
    knobs = []
    for name in numbers_of(type(layer)):
        address = f"{channel}#{layer.id}.{name}"
        place = find(scene, Address.parse(address))
        own = place.channel
        knobs.append(Knob(address, name, shown(own.value), place.quantity, bool(own.keys), own.moves))
    return tuple(sorted(knobs, key=lambda knob: knob.name == "weight"))


def _trail(scene: Scene, address: Address) -> tuple[tuple[str, str], ...]:
    steps: list[tuple[str, str]] = []
    for depth in range(len(address.hops) + 1):
        step = Address(address.node, address.path, address.hops[:depth])
        steps.append((" / ".join(names(scene, step)[-2:]), str(step)))
    return tuple(steps)


def facts(state: State, at: str, view: StrataView | None, moving_only: bool) -> dict[str, Any]:
    """What the page's scripts need to know to draw and drag what is shown."""
    scene = state.scene
    out: dict[str, Any] = {
        "revision": state.revision,
        "at": at,
        "fps": scene.fps,
        "first": scene.first,
        "last": scene.last,
        "moving": moving_only,
        "lanes": [],
        "keys": [],
        "unit": "",
        "step": 1.0,
    }
    if view is not None:
        out["keys"] = [key.model_dump() for key in view.channel.keys]
        out["unit"], out["step"] = view.unit, view.quantity.step
        out["lanes"] = [
            {
                "id": lane.layer.id,
                "address": lane.address,
                "family": lane.layer.family,
                "window": lane.layer.window.model_dump(),
                "chosen": lane.chosen,
            }
            for lane in view.lanes
        ]
    return out
