"""The scenes that one can begin with, as they are built."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from lazzik.core.air.wind import Wind
from lazzik.core.channel.channel import Channel
from lazzik.core.channel.keys import Key
from lazzik.core.geometry.lettering import Lettering
from lazzik.core.geometry.primitives import Ball, Box, Sheet, Tube
from lazzik.core.scene.node import Camera, Node, Position, Rotation, Scale
from lazzik.core.scene.scene import Scene
from lazzik.demo.parts import (
    BONE,
    BRICK,
    INK,
    PINE,
    SAGE,
    STONE,
    at,
    bar,
    breeze,
    driven,
    layer,
    noise,
    paint,
    part,
    shaped,
)  # fmt: skip

LAST = 150
LOOP: dict[str, Any] = {"loop": float(LAST)}


def _scene(name: str, *nodes: Node, eye: Node | None = None) -> Scene:
    floor = part("floor", "Floor", None, Sheet(kind="sheet", width=9, height=7), STONE)
    return Scene(name=name, last=LAST, nodes=(floor, *nodes, eye or _eye()))


def _eye(
    y: float = 1.7, z: float = 6.4, tilt: float | Channel = -3.0, pan: float | Channel = 0.0, **fields: Any
) -> Node:
    turned = Rotation(x=tilt, y=pan, order="yxz")
    place = fields.pop("position", None) or Position(x=0.0, y=y, z=z)
    return Node(id="camera", label="Camera", camera=Camera(view=36), position=place, rotation=turned, **fields)


def _sign(name: str) -> Scene:
    """Two knocks, and it rings after each."""
    keys = [(0, 0.0), (14, 0.0), (17, 14.0), (20, 0.0), (74, 0.0), (77, -9.0), (80, 0.0), (LAST, 0.0)]
    knocked = driven(
        layer("settle", "Ring", frequency=1.7, damping=0.09, strength=1.0, **LOOP),
        keys=tuple(Key(frame=frame, value=value, go="linear") for frame, value in keys),
    )
    board = Box(kind="box", width=1.2, height=0.7, depth=0.05)
    return _scene(
        name,
        part("post", "Post", None, bar(0.06, 2.6), INK, position=at(-0.9, 0, 0)),
        part("arm", "Arm", "post", Box(kind="box", width=1.9, height=0.06, depth=0.06), INK, position=at(0.85, 2.5, 0)),
        Node(id="hinge", label="Hinge", parent="arm", position=at(0.1, -0.05, 0), rotation=Rotation(z=knocked)),
        part("board", "Board", "hinge", board, BRICK, position=at(0, -0.45, 0)),
        part("name", "Lettering", "board", Lettering(kind="lettering", text="HUT", size=0.34, depth=0.03), BONE,
             position=at(0, 0, 0.03)),
    )  # fmt: skip


def _pennant(name: str) -> Scene:
    """A mast that leans in gusts, and cloth that streams from it."""
    lean = driven(noise("Gust", 5.0, 1.4, 7, octaves=2.0, **LOOP), base=-4)
    stream = {"fade": "start", "fade_length": 0.8, "length": 1.0, "speed": 2.6}
    cloth = Sheet(kind="sheet", width=1.8, height=0.5, columns=60, rows=8, standing=True)
    deform = (
        shaped("taper", "Point", "x", -0.9, 0.9, first=1.0, last=0.25),
        shaped("undulate", "Stream", "x", -0.9, 0.9, toward="across", height=0.14, **stream),
    )
    bent = (
        shaped("bend", "Bow", "y", 0.0, 3.0, angle=driven(noise("Bow", 9, 1.4, 7, **LOOP), base=12), direction=90.0),
    )
    mast = Tube(kind="tube", radius=0.05, upper=0.5, height=3.0, around=12, along=40, base=True)
    return _scene(
        name,
        part("mast", "Mast", None, mast, INK, position=at(-0.7, 0, 0), rotation=Rotation(z=lean), deform=bent),
        part("pennant", "Pennant", "mast", cloth, paint("#C58A1A"), position=at(1.25, 2.65, 0), deform=deform),
    )  # fmt: skip


def _pool(name: str) -> Scene:
    """A float that bobs, and rings that run from it."""
    bob = driven(layer("wave", "Bob", amplitude=0.05, period=1.25, **LOOP), base=0.05)
    tip = driven(noise("Tip", 9.0, 0.9, 12, **LOOP))
    rings = {"height": 0.05, "spacing": 0.4, "speed": 0.8, "begin": -200.0, "far": 1.1}
    water = Tube(kind="tube", radius=1.7, height=0.08, around=72, lids=28)
    return _scene(
        name,
        part("pool", "Pool", None, water, paint("#7FA7B5"), position=at(0, 0.04, 0),
             deform=(shaped("ripple", "Rings", "y", -1.0, 1.0, placement={"of": "float"}, **rings),)),
        part("float", "Float", "pool", Ball(kind="ball", radius=0.17, around=18, along=12), BRICK,
             position=at(0.3, bob, 0.1), rotation=Rotation(z=tip)),
        part("pin", "Pin", "float", bar(0.018, 0.55), INK),
        eye=_eye(y=2.5, z=4.6, tilt=-27.0),
    )  # fmt: skip


def _lettering(name: str) -> Scene:
    """Letters that spring into place, one after the other."""
    nodes = []
    for k, letter in enumerate("RIDGE"):
        begin = 8 + 5 * k
        grows = driven(
            layer("settle", "Spring", frequency=2.6, damping=0.18, strength=0.9, when="arrivals", **LOOP),
            keys=(
                Key(frame=0, value=0.02), Key(frame=begin, value=0.02, go="linear"), Key(frame=begin + 7, value=1.0),
                Key(frame=LAST - 14, value=1.0), Key(frame=LAST, value=0.02),
            ),
        )  # fmt: skip
        shape = Lettering(kind="lettering", text=letter, size=0.9, depth=0.12)
        nodes.append(
            part(f"letter-{k + 1}", letter, "word", shape, PINE if k else BRICK,
                 position=at(0.62 * (k - 2), 0, 0), scale=Scale(x=grows, y=grows))
        )  # fmt: skip
    return _scene(name, Node(id="word", label="Word", position=at(0, 1.1, 0)), *nodes, eye=_eye(y=1.4, z=5.6))


def _camera(name: str) -> Scene:
    """A camera that goes by on a shoulder."""
    way = driven(layer("travel", "Pass", begin=-1.3, finish=1.3, start=0.0, length=float(LAST), ease="sine"))
    pan = driven(
        layer("travel", "Follow", begin=-13.0, finish=13.0, start=0.0, length=float(LAST), ease="sine"),
        noise("Hand", 0.9, 0.9, 5, octaves=3.0, loop=None),
    )
    tilt = driven(noise("Hand", 0.7, 1.1, 6, octaves=3.0, loop=None), base=-6)
    eye = _eye(tilt=tilt, pan=pan, position=Position(x=way, y=1.7, z=5.2))
    hut = Box(kind="box", width=1.3, height=1.1, depth=1.0, base=True)
    roof = Tube(kind="tube", radius=1.05, upper=0.02, height=0.7, around=4, base=True)
    fir = Tube(kind="tube", radius=0.45, upper=0.02, height=1.5, around=9, base=True)
    trees = [
        part(f"tree-{k}", f"Tree {k}", None, fir, SAGE, position=at(x, 0, z))
        for k, (x, z) in enumerate(((-2.3, -0.8), (-1.7, -1.6), (2.1, -1.1), (2.9, -0.2)), 1)
    ]  # fmt: skip
    return _scene(
        name,
        part("hut", "Hut", None, hut, BONE),
        part("roof", "Roof", "hut", roof, PINE, position=at(0, 1.1, 0), rotation=Rotation(y=45)),
        *trees,
        eye=eye,
    )


def _mast(name: str) -> Scene:
    """A mast and two poles downwind of it: a gust goes from one to the next."""
    nodes: list[Node] = []
    poles = ((-1.8, 2.8, 0.8, 24.0), (0.4, 2.0, 1.2, 15.0), (2.4, 1.5, 1.7, 9.0))
    for k, (x, height, frequency, gain) in enumerate(poles, 1):
        lean = driven(breeze(-gain, frequency, fit=True, **LOOP))
        aside = driven(breeze(gain, frequency, what="z", fit=True, **LOOP))
        pole = "mast" if k == 1 else f"pole-{k}"
        nodes += [
            part(pole, "Mast" if k == 1 else f"Pole {k}", None, bar(0.05, height, 0.03), INK, position=at(x, 0, 0),
                 rotation=Rotation(x=aside, z=lean)),
            part(f"ball-{k}", f"Ball {k}", pole, Ball(kind="ball", radius=0.1 + 0.04 * (k == 1), around=14, along=9),
                 BRICK if k == 1 else BONE, position=at(0, height, 0)),
        ]  # fmt: skip
    wind = Wind(kind="wind", speed=6.0, gusts=0.6, gust_length=3.0, swing=10.0, seed=2.0, fit=True, **LOOP)
    return _scene(name, *nodes, Node(id="wind", label="Wind", position=at(-3.4, 0.6, 0.8), field=wind))


def first_scene(name: str) -> Scene:
    """What a new scene starts with: one object to move, seen by a camera."""
    post = Box(kind="box", width=0.4, height=2, depth=0.4, base=True)
    floor = Sheet(kind="sheet", width=8, height=8)
    return Scene(
        name=name,
        last=150,
        nodes=(
            part("floor", "Floor", None, floor, STONE),
            part("post", "Post", None, post, BRICK),
            Node(
                id="camera", label="Camera", camera=Camera(view=36), position=at(0, 1.9, 6.5), rotation=Rotation(x=-9)
            ),
        ),
    )


BUILD: dict[str, Callable[[str], Scene]] = {
    "empty": first_scene,
    "sign": _sign,
    "pennant": _pennant,
    "mast": _mast,
    "pool": _pool,
    "lettering": _lettering,
    "camera": _camera,
}
"""By the keys of the starts."""
