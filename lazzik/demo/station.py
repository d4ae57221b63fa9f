"""The demo scene: a weather station on a mountain ridge at dusk, built with the same documents people make.

Everything here is made up. Metres, Y up; the station looks toward +z.
"""

from __future__ import annotations

import numpy as np

from lazzik.core.channel.channel import Channel
from lazzik.core.channel.keys import Key
from lazzik.core.channel.window import Window
from lazzik.core.evaluate.copies import copies_of
from lazzik.core.evaluate.scope import Scope
from lazzik.core.geometry.lettering import Lettering
from lazzik.core.geometry.primitives import Ball, Box, Ring, Sheet, Tube
from lazzik.core.layers import Clip
from lazzik.core.layers.clip import Track
from lazzik.core.layers.recipe import Override
from lazzik.core.scene.aim import Aim
from lazzik.core.scene.dial import Dial
from lazzik.core.scene.edits.base import applied
from lazzik.core.scene.edits.scatters import TakeCopies
from lazzik.core.scene.node import Camera, Color, Light, Node, Rotation, Scale
from lazzik.core.scene.pose import Held, Pose
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.sheaf import Sheaf
from lazzik.demo import weather
from lazzik.demo.parts import (
    AMBER,
    BONE,
    BRICK,
    INK,
    LAST,
    PINE,
    SAGE,
    STEEL,
    STONE,
    at,
    bar,
    breeze,
    breezy,
    driven,
    from_library,
    layer,
    noise,
    paint,
    part,
    shaped,
    trunk,
)


def station() -> Scene:
    """The ridge weather station."""
    nodes = [
        *_ground(),
        *_mast(),
        *_anemometer(),
        *_aerial(),
        *_windsock(),
        *_lamps(),
        *_balloon(),
        *_instruments(),
        *_sign(),
        *_pool(),
        *_pines(),
        *_camera_and_light(),
        *weather.air(),
        *weather.grass(),
        *weather.snow(),
        *weather.stores(),
    ]
    scene = Scene(
        name="Ridge station", fps=30, first=0, last=LAST, nodes=tuple(nodes), dials=(SWELL,), recipes=(FLICKER,),
        clips=(TUG,), sheaves=(HAND,), poses=(UPRIGHT, LEANING),
    )  # fmt: skip
    return _cleared(scene)


SWELL = Dial(
    id="swell",
    label="Swell",
    value=1.0,
    unit="×",
    low=0.0,
    high=2.0,
    note="How high the water of the pool goes: the float reads it.",
)
FLICKER = from_library("lamp_flicker")


def _ground() -> list[Node]:
    plate = trunk(9.5, 9.0, 0.5, around=40)
    return [
        part("ridge", "Ridge", None, plate, STONE, position=at(0, -0.25, 0), scale=Scale(x=1.25)),
        part("rock-a", "Boulder", "ridge", Ball(kind="ball", radius=0.7, around=40, along=36), STONE,
             position=at(-5.2, 0.35, -3.2), scale=Scale(x=1.2, y=0.7),
             deform=(shaped("rumple", "Weather", "y", -1.0, 1.0, height=0.22, size=0.45, drift=0.0, octaves=3.0),)),
        part("rock-b", "Stone", "ridge", Ball(kind="ball", radius=0.4, around=6, along=4), STONE,
             position=at(5.9, 0.35, 2.2), scale=Scale(y=0.8)),
    ]  # fmt: skip


def _mast() -> list[Node]:
    sway = driven(
        noise("Gust", 4.8, 0.9, 116, octaves=2.0, gain=0.6, loop=None,
              window=Window(start=40, end=215, fade_in=26, fade_out=34)),
        noise("Tremble", 0.48, 0.16, 4, octaves=2.0),
        layer("settle", "Ring on arrival", frequency=1.9, damping=0.14, strength=0.6, when="arrivals"),
        keys=(
            Key(frame=0, value=0), Key(frame=30, value=0), Key(frame=58, value=6),
            Key(frame=120, value=6), Key(frame=150, value=-2), Key(frame=250, value=0),
        ),
    )  # fmt: skip
    blink = driven(
        layer("repeat", "Blink", side="after"), noise("Flicker", 0.16, 0.2, 8, octaves=2.0),
        keys=(Key(frame=0, value=0.3), Key(frame=8, value=2.4), Key(frame=16, value=2.2), Key(frame=30, value=0.3),
              Key(frame=50, value=0.3)),
    )  # fmt: skip
    ribbon = Sheet(kind="sheet", width=1.6, height=0.22, columns=48, rows=4, standing=True)
    wave = {"height": breezy(0.12), "length": 0.7, "speed": 2.1, "toward": "across"}
    stream = (
        shaped("twist", "Curl", "x", -0.8, 0.8, angle=driven(noise("Turn", 85, 1.4, 18), base=90)),
        shaped("undulate", "Stream", "x", -0.8, 0.8, fade="start", fade_length=0.5, **wave),
    )
    return [
        Node(id="mast", label="Mast", position=at(0.3, 0, 0)),
        part("mast-foot", "Foot plate", "mast", Box(kind="box", width=1.6, height=0.16, depth=1.6, base=True), PINE,
             rotation=Rotation(y=45)),
        part("beacon-mast", "Beacon mast", "mast", bar(0.17, 4.6, 0.1), BONE, position=at(0, 0.16, 0),
             rotation=Rotation(y=12, z=sway)),
        part("crossbar", "Crossbar", "beacon-mast", Box(kind="box", width=1.7, height=0.07, depth=0.07), INK,
             position=at(0, 4.5, 0)),
        part("beacon", "Warning beacon", "beacon-mast", Ball(kind="ball", radius=0.25, around=16, along=10),
             paint("#E4572E", glow=blink), position=at(0, 4.84, 0)),
        *(_plate(k) for k in range(3)),
        part("ribbon", "Ribbon", "crossbar", ribbon, AMBER, position=at(1.65, -0.05, 0), deform=stream,
             rotation=Rotation(z=driven(noise("Lift", 6.4, 1.3, 17), base=-12))),
        part("ladder", "Step rings", "beacon-mast",
             Ring(kind="ring", radius=0.2, thickness=0.06, around=14, across=6), BRICK, position=at(0, 1.5, 0)),
        part("collar", "Collar", "beacon-mast",
             Ring(kind="ring", radius=0.19, thickness=0.06, around=14, across=6), BRICK, position=at(0, 3.0, 0)),
    ]  # fmt: skip


def _plate(k: int) -> Node:
    """A plate between foot and mast, wrung by the mast's leaning."""
    wrung = driven(layer("link", "Lean", source="beacon-mast/rotation.z", gain=3.0, combine="add"))
    return part(f"guy-plate-{k + 1}", f"Guy plate {k + 1}", "mast-foot",
                Box(kind="box", width=0.08, height=0.9, depth=0.26, cuts_y=14, base=True), STEEL,
                position=at((0.0, 0.55, -0.55)[k], 0.16, (0.62, -0.35, -0.35)[k]), rotation=Rotation(y=120.0 * k),
                deform=(shaped("twist", "Wring", "y", 0.0, 0.9, angle=wrung),))  # fmt: skip


def _anemometer() -> list[Node]:
    # the cups turn as fast as the wind goes by, a little late, and the bearing is not the best
    rate = driven(
        breeze(433, 0.9, what="speed", combine="replace", damping=1.0), noise("Lull", 24, 1.6, 3, octaves=2.0)
    )
    spin = driven(layer("turn", "Spin", rate=rate))
    nodes = [
        part("anemometer", "Anemometer", "mast", bar(0.06, 2.9), INK, position=at(1.75, 0, 0.3)),
        part("rotor", "Cups", "anemometer", Ball(kind="ball", radius=0.1, around=10, along=6), INK,
             position=at(0, 2.95, 0), rotation=Rotation(y=spin)),
    ]  # fmt: skip
    for k in range(3):
        arm = part(f"arm-{k + 1}", f"Arm {k + 1}", "rotor", Box(kind="box", width=0.04, height=0.04, depth=0.62), INK,
                   rotation=Rotation(y=120.0 * k))  # fmt: skip
        bowl = trunk(0.17, 0.05, 0.2, around=12)
        cup = part(f"cup-{k + 1}", f"Cup {k + 1}", f"arm-{k + 1}", bowl, BONE, position=at(0, 0, 0.5),
                   rotation=Rotation(z=90))  # fmt: skip
        nodes += [arm, cup]
    return nodes


def _aerial() -> list[Node]:
    """One thin bar, thinner toward its tip, that bends with the wind."""
    lash = driven(breeze(38, 0.75, "Whip"), base=6)
    whip = Tube(kind="tube", radius=0.05, height=3.9, around=8, along=48, base=True)
    deform = (
        shaped("taper", "Thin", "y", 0.0, 3.9, last=0.3),
        shaped("bend", "Whip", "y", 0.0, 3.9, angle=lash, direction=-90.0),
    )
    return [part("aerial", "Whip aerial", "mast", whip, INK, position=at(-1.9, 0, 0.2), deform=deform)]


def _windsock() -> list[Node]:
    """One tube of cloth: held at its mouth, a wave runs down it, and it hangs a little."""
    swing = driven(noise("Veer", 3, 1.9, 31, octaves=2.0), breeze(-95, 1.1, what="z", damping=0.5), base=-4)
    flutter = {"fade": "start", "fade_length": 0.9, "length": 1.1, "speed": 3.3}
    deform = (
        shaped("undulate", "Flutter", "y", 0.0, 2.1, toward="across", height=breezy(0.16), **flutter),
        shaped("undulate", "Sidle", "y", 0.0, 2.1, toward="side", height=breezy(0.1), phase=0.3, **flutter),
        shaped("bend", "Hang", "y", 0.0, 2.1, angle=driven(noise("Lull", 11, 1.7, 33), base=16), direction=90.0),
    )
    cloth = Tube(kind="tube", radius=0.3, upper=0.5, height=2.1, around=24, along=80, base=True)
    hoop = Ring(kind="ring", radius=0.3, thickness=0.03, around=20, across=6)
    return [
        part("sock-pole", "Windsock", None, bar(0.06, 3.3), INK, position=at(3.9, 0, -0.6)),
        Node(id="sock", label="Sock", parent="sock-pole", position=at(0, 3.15, 0), rotation=Rotation(y=swing)),
        part("cloth", "Cloth", "sock", cloth, BRICK, position=at(0.06, 0, 0), rotation=Rotation(z=-90), deform=deform),
        part("hoop", "Hoop", "sock", hoop, BONE, position=at(0.06, 0, 0), rotation=Rotation(z=-90)),
    ]


def _lamps() -> list[Node]:
    nodes = [Node(id="lamps", label="Lamp row", position=at(1.7, 0, 2.6))]
    for k in range(6):
        # loose in its foot, and each answers the gust when it gets there, at its own pace
        nod = driven(
            noise("Nod", 0.6, 1.1, 40, octaves=2.0, shift=0.22 * k), breeze(-9.0, (1.5, 1.7, 1.4, 1.8, 1.55, 1.65)[k])
        )
        glow = driven(
            layer("recipe", "Lamp flicker", recipe=FLICKER.id, size=0.45,
                  overrides=(Override(name="seed", value=float(20 + k)),)), base=0.75,
        )  # fmt: skip
        lamp = f"lamp-{k + 1}"
        nodes += [
            part(lamp, f"Lamp {k + 1}", "lamps", bar(0.03, 0.8), INK, position=at(0.78 * k, 0, -0.16 * k),
                 rotation=Rotation(z=nod)),
            part(f"shade-{k + 1}", f"Shade {k + 1}", lamp,
                 trunk(0.16, 0.1, 0.26, around=10),
                 paint("#E9C46A", glow=glow), position=at(0, 0.9, 0)),
        ]  # fmt: skip
    return nodes


def _balloon() -> list[Node]:
    sway = driven(noise("Drift", 3.7, 2.4, 51, octaves=2.0), base=3)
    lean = driven(noise("Drift", 2.7, 2.8, 52, octaves=2.0))
    breath = driven(layer("wave", "Breath", amplitude=0.05, period=2.8), base=1.08)
    return [
        part("winch", "Balloon", None, Box(kind="box", width=0.7, height=0.4, depth=0.5, base=True), SAGE,
             position=at(-4.3, 0, -0.4)),
        part("tether", "Tether", "winch", bar(0.015, 4.0), INK, position=at(0, 0.4, 0),
             rotation=Rotation(x=lean, z=sway)),
        part("envelope", "Envelope", "tether", Ball(kind="ball", radius=0.75, around=22, along=14), BONE,
             position=at(0, 4.7, 0), scale=Scale(y=breath),
             deform=(shaped("jiggle", "Slack", "y", -1.0, 1.0, placement={"y": -0.8}, reach=1.6, frequency=1.4),)),
        part("band", "Band", "envelope", Ring(kind="ring", radius=0.755, thickness=0.05, around=28, across=6), BRICK),
    ]  # fmt: skip


def _instruments() -> list[Node]:
    tick = driven(
        noise("Reading", 23, 1.0, 61, octaves=3.0, bias=0.6),
        layer("hold", "Every ten", every=10.0),
        layer("settle", "Needle swing", frequency=3.2, damping=0.2, strength=0.8),
        base=-10,
    )
    flap = driven(
        layer(
            "travel",
            "Open and shut",
            begin=0.0,
            finish=-34.0,
            start=50.0,
            length=50.0,
            after="alternate",
            ease="bounce",
            way="out",
        ),
        noise("Rattle", 2.1, 0.4, 62, octaves=2.0),
        layer("limit", "Hinge", lowest=-36.0, highest=2.0, knee=3.0),
    )
    tracking = Aim(target="envelope", axis="y", lag=True, frequency=0.5, damping=0.5, loop=float(LAST), fit=True)
    motor = driven(noise("Motor", 1.5, 2.1, 63), layer("follow", "Bearing", frequency=0.9, damping=0.7))
    return [
        part("gauge", "Gauge", None, Box(kind="box", width=1.1, height=0.85, depth=0.24, base=True), SAGE,
             position=at(-1.9, 0.25, 2.4), rotation=Rotation(x=-12, y=14)),
        part("dial-face", "Face", "gauge", Tube(kind="tube", radius=0.33, height=0.03, around=24), BONE,
             position=at(0, 0.45, 0.13), rotation=Rotation(x=90)),
        part("needle", "Needle", "gauge", Box(kind="box", width=0.035, height=0.3, depth=0.02, base=True), BRICK,
             position=at(0, 0.45, 0.16), rotation=Rotation(z=tick)),
        part("crate", "Instruments", None, Box(kind="box", width=1.2, height=0.7, depth=0.8, base=True), PINE,
             position=at(-3.1, 0, 1.3), rotation=Rotation(y=-18)),
        part("cover", "Rain cover", "crate", Box(kind="box", width=1.35, height=0.05, depth=0.95), AMBER,
             position=at(0, 0.76, 0), rotation=Rotation(x=flap)),
        part("dish-post", "Dish", None, bar(0.07, 0.9), INK, position=at(-5.3, 0, 1.6)),
        part("dish", "Dish bowl", "dish-post", trunk(0.12, 0.55, 0.28, around=20), BONE,
             position=at(0, 1.0, 0), rotation=Rotation(x=motor), aim=tracking),
    ]  # fmt: skip


def _sign() -> list[Node]:
    rock = driven(noise("Creak", 2.1, 1.2, 71, octaves=2.0))
    letters = Lettering(kind="lettering", text="RIDGE", size=0.26, depth=0.03, density=12)
    # it comes down into its frame, rings, and goes up again at the end of the loop
    grows = driven(
        layer("settle", "Ring", frequency=2.4, damping=0.2, strength=0.7, when="arrivals"),
        keys=(Key(frame=0, value=0.35), Key(frame=10, value=0.35, go="linear"), Key(frame=22, value=1.0),
              Key(frame=225, value=1.0), Key(frame=250, value=0.35)), base=1.0,
    )  # fmt: skip
    return [
        part("sign", "Sign", None, bar(0.05, 1.5), INK, position=at(5.7, 0, 0.6)),
        part("sign-arm", "Arm", "sign", Box(kind="box", width=1.1, height=0.06, depth=0.06), INK,
             position=at(-0.5, 1.45, 0)),
        part("board", "Board", "sign-arm", Box(kind="box", width=0.9, height=0.5, depth=0.04, cuts_x=8, cuts_y=6), BONE,
             position=at(0, -0.32, 0), rotation=Rotation(x=rock),
             deform=(shaped("stretch", "Entrance", "y", -0.25, 0.25, factor=grows, held="end"),)),
        part("name", "Lettering", "board", letters, BRICK, position=at(0, 0.02, 0.03)),
    ]  # fmt: skip


def _pool() -> list[Node]:
    """The float is tugged at its mooring every fifty frames: a clip, over and over."""
    bob = driven(
        noise("Bob", 0.027, 0.9, 81, octaves=2.0),
        layer("formula", "Swell", text="x + 0.02 * swell * sin(tau * frame / 50)"), base=0.06,
    )  # fmt: skip
    tip = driven(
        noise("Tip", 7.4, 0.9, 82, octaves=2.0),
        layer("clip", "Tug", source=TUG.address(TUG.tracks[0]), combine="add"),
    )
    water = Tube(kind="tube", radius=1.2, height=0.06, around=72, lids=28)
    rings = {"height": breezy(0.035), "spacing": 0.36, "speed": 0.7, "begin": -200.0, "far": 0.9}
    return [
        part("pool", "Meltwater pool", None, water, paint("#7FA7B5"), position=at(-0.2, 0.032, 4.3), scale=Scale(x=1.4),
             deform=(shaped("ripple", "Rings", "y", -1.0, 1.0, placement={"of": "float"}, **rings),)),
        part("float", "Float", "pool", Ball(kind="ball", radius=0.14, around=12, along=8), BRICK,
             position=at(0.3, bob, 0.1), rotation=Rotation(z=tip)),
        part("float-pin", "Pin", "float", bar(0.015, 0.45), INK),
    ]  # fmt: skip


def _pines() -> list[Node]:
    nodes = [Node(id="pines", label="Dwarf pines")]
    places = ((6.9, -2.2, 1.0), (7.6, -0.9, 0.75), (-6.9, -1.6, 1.1), (-7.4, 0.2, 0.8))
    for k, (x, z, size) in enumerate(places):
        wag = driven(breeze(-6.0, (1.1, 1.35, 1.0, 1.25)[k]), base=2)
        tree = f"pine-{k + 1}"
        nodes += [
            Node(id=tree, label=f"Pine {k + 1}", parent="pines", position=at(x, 0, z), rotation=Rotation(z=wag),
                 scale=Scale(x=size, y=size, z=size),
                 deform=(shaped("sway", "Sway", "y", 0.0, 1.75, wind="air", angle=24.0, period=(0.9, 0.75, 1.0, 0.8)[k],
                                tip=0.6, tip_period=0.34, loop=float(LAST), fit=True),)),
            part(f"{tree}-trunk", "Trunk", tree, trunk(0.07, 0.07, 0.4, around=10, along=6, base=True), INK),
            part(f"{tree}-low", "Boughs", tree, trunk(0.6, 0.0, 1.0, around=9, along=8, base=True),
                 PINE, position=at(0, 0.3, 0)),
            part(f"{tree}-top", "Top", tree, trunk(0.42, 0.0, 0.9, around=9, along=8, base=True),
                 PINE, position=at(0, 0.85, 0)),
        ]  # fmt: skip
    return nodes


TUG = Clip(
    id="tug", label="Tug at the mooring", length=50,
    tracks=(Track(id="tip", label="Float / rotation z", unit="°", origin="float/rotation.z", motion=Channel(
        keys=(Key(frame=0, value=0), Key(frame=5, value=18), Key(frame=14, value=-9), Key(frame=24, value=4),
              Key(frame=34, value=0), Key(frame=50, value=0)))),),
)  # fmt: skip


def _pose(name: str, label: str, lean: float, turn: float) -> Pose:
    held = (Held(address="beacon-mast/rotation.z", value=lean), Held(address="beacon-mast/rotation.y", value=turn))
    return Pose(id=name, label=label, held=held)


UPRIGHT, LEANING = _pose("upright", "Upright", 0.0, 12.0), _pose("leaning", "Leaning", 6.0, -20.0)


HAND = Sheaf(id="unsteady_hand", label="Unsteady hand", loop=float(LAST), fit=True)


def _camera_and_light() -> list[Node]:
    held = {"loop": None, "sheaf": HAND.id}
    pan = driven(noise("Hands", 0.27, 1.0, 5, octaves=4.0, **held), layer("smooth", "Steady rig", cutoff=2.5))
    tilt = driven(noise("Hands", 0.17, 1.2, 6, octaves=3.0, **held), base=-4)
    return [
        Node(id="camera", label="Camera", camera=Camera(view=36), position=at(0, 2.9, 13.5),
             rotation=Rotation(x=tilt, y=pan, order="yxz")),
        Node(id="sun", label="Low sun", light=Light(kind="sun", intensity=2.0, color=Color(r=1.0, g=0.86, b=0.7)),
             rotation=Rotation(x=-32, y=-48, order="yxz")),
    ]  # fmt: skip


def _cleared(scene: Scene) -> Scene:
    """The grass taken away where the pool lies and the mast stands."""
    grass = scene.by_id["grass"]
    copies = copies_of(scene, grass, Scope(scene))
    x, _, z = copies.places.T
    wet = ((x + 0.2) / 1.85) ** 2 + ((z - 4.3) / 1.35) ** 2 < 1
    trodden = np.hypot(x, z) < 1.1
    return applied(scene, [TakeCopies(node="grass", copies=tuple(copies.ids[wet | trodden].tolist()))])
