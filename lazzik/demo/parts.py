"""What the station is put together of: looks, bars, layers and deformers as its objects want them."""

from __future__ import annotations

from typing import Any

from lazzik.core.channel.channel import Channel
from lazzik.core.channel.keys import Key
from lazzik.core.channel.layer import Layer
from lazzik.core.deformers import BY_KIND as DEFORMERS
from lazzik.core.deformers import Deformer
from lazzik.core.geometry.primitives import Tube
from lazzik.core.layers import BY_KIND, Recipe
from lazzik.core.scene.node import Color, Look, Node, Position
from lazzik.demo.recipes import library

LAST = 250


def paint(code: str, *, glow: float | Channel = 0.0) -> Look:
    """A look from a colour written as in style sheets."""
    r, g, b = (round(int(code[i : i + 2], 16) / 255, 4) for i in (1, 3, 5))
    return Look(color=Color(r=r, g=g, b=b), glow=glow)


STEEL, BONE, INK, BRICK, PINE = (paint(c) for c in ("#8F9A96", "#E6DCC6", "#2B3A3E", "#C4472B", "#2E6F68"))
STONE, SAGE, AMBER = (paint(c) for c in ("#B9AD96", "#A9BBA6", "#E9C46A"))


def at(x: float | Channel = 0.0, y: float | Channel = 0.0, z: float | Channel = 0.0) -> Position:
    """A position."""
    return Position(x=x, y=y, z=z)


def part(node_id: str, label: str, parent: str | None, shape: Any, look: Look, **fields: Any) -> Node:
    """An object with a shape."""
    return Node(id=node_id, label=label, parent=parent, shape=shape, look=look, **fields)


def trunk(radius: float, top: float, height: float, **fields: Any) -> Tube:
    """A round bar that narrows or widens to another radius."""
    return Tube(kind="tube", radius=radius, upper=top / radius, height=height, **fields)


def bar(radius: float, height: float, top: float | None = None) -> Tube:
    """A round bar that stands on its origin."""
    upper = 1.0 if top is None else top / radius
    return Tube(kind="tube", radius=radius, upper=upper, height=height, around=10, base=True)


def layer(kind: str, label: str, **fields: Any) -> Layer:
    """A layer of any kind; one that can loop follows the scene's range."""
    named = {"kind": kind, "id": label.lower().replace(" ", "-"), "label": label}
    loops = {"loop": float(LAST), "fit": True} if BY_KIND[kind].loops else {}
    return BY_KIND[kind].model_validate(named | loops | fields)


def noise(label: str, amplitude: float | Channel, period: float, seed: int, **fields: Any) -> Layer:
    """A noise layer."""
    numbers = {"amplitude": amplitude, "period": period, "seed": float(seed)}
    if fields.get("loop", 1.0) is None:
        fields = {"fit": False} | fields
    return layer("noise", label, **(numbers | fields))


def shaped(kind: str, label: str, axis: str, start: float, end: float, **fields: Any) -> Deformer:
    """A deformer of any kind over a span of its axis."""
    named = {
        "kind": kind,
        "id": label.lower().replace(" ", "_"),
        "label": label,
        "axis": axis,
        "start": start,
        "end": end,
    }
    return DEFORMERS[kind].model_validate(named | fields)


def breeze(gain: float, frequency: float, label: str = "Breeze", **fields: Any) -> Layer:
    """What answers the wind: so far at 10 m/s, so quickly."""
    return layer("breeze", label, gain=gain, frequency=frequency, **({"damping": 0.25} | fields))


def breezy(value: float) -> Channel:
    """A number that is as it is written in the usual wind, and goes with it."""
    return Channel(value=value, layers=(breeze(1.2, 1.6, what="speed", offset=0.28, combine="multiply"),))


def from_library(name: str) -> Recipe:
    """A recipe of the library whose layers loop over the range."""
    recipe = next(recipe for recipe in library() if recipe.id == name)
    loops = (item.replaced(loop=float(LAST), fit=True) if type(item).loops else item for item in recipe.stack.layers)
    return recipe.replaced(stack=recipe.stack.replaced(layers=tuple(loops)))


def driven(*layers: Layer, base: float = 0.0, keys: tuple[Key, ...] = ()) -> Channel:
    """A channel with layers."""
    return Channel(value=base, keys=keys, layers=layers)
