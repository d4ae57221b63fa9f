"""The station's weather: the wind over the ridge, the grass that stands in it, snow, and a canvas that flutters."""

from __future__ import annotations

from lazzik.core.air.eddies import Eddies
from lazzik.core.air.wind import Wind
from lazzik.core.channel.channel import Channel
from lazzik.core.channel.keys import Key
from lazzik.core.deformers.masks import NoiseMask
from lazzik.core.geometry.primitives import Box, Sheet, Tube
from lazzik.core.scene.cloth import STUFFS, Cloth, Pin
from lazzik.core.scene.emitter import Emitter
from lazzik.core.scene.node import Node, Rotation
from lazzik.core.scene.scatter import Scatter
from lazzik.demo.parts import AMBER, BONE, INK, LAST, STONE, at, bar, paint, part


def air() -> list[Node]:
    """One wind over the ridge, and eddies in the lee of the mast that it carries along."""
    looped = {"loop": float(LAST), "fit": True}
    return [
        Node(id="ridge-wind", label="Ridge wind", position=at(-9, 1.2, 2.5),
             field=Wind(kind="wind", speed=6.0, gusts=0.5, gust_length=7.0, swing=12.0, seed=3.0, **looped)),
        Node(id="lee-eddies", label="Lee eddies", position=at(2.5, 1.5, 0.0),
             field=Eddies(kind="eddies", strength=1.1, size=0.9, octaves=2.0, reach="within", inner=2.0, outer=6.0,
                          **looped)),
    ]  # fmt: skip


def grass() -> list[Node]:
    """Ten thousand tufts in patches over the ridge, bowing to the wind one after the other."""
    blade = Tube(kind="tube", radius=0.035, upper=0.0, height=0.17, around=3, base=True)
    patches = NoiseMask(kind="noise", size=2.2, contrast=3.0, seed=5.0)
    return [
        part("tuft", "Tuft", None, blade, paint("#7F8F5E"), position=at(9.0, 0, 5.0), visible=False),
        Node(id="grass", label="Grass", scatter=Scatter(
            sources=("tuft",), surface="ridge", count=10_000.0, mask=patches, size_varies=0.5, lean_varies=14.0,
            gain=34.0, frequency=1.6, frequency_varies=0.25, damping=0.22, loop=float(LAST), fit=True)),
    ]  # fmt: skip


def snow() -> list[Node]:
    """Snow out of a cloud upwind, ended by the sign's lettering and the ground. Aloft, large eddies bend the whole of
    it and small ones jitter, each at its time; the crossbar stirs what it passes. These move nothing but the snow."""
    looped = {"loop": float(LAST), "fit": True}
    aloft = {"reach": "within", "inner": 2.6, "outer": 4.2, "stirs": "carried"}
    return [
        part("cloud", "Cloud", None, Box(kind="box", width=26, height=0.2, depth=11), BONE, position=at(-8.5, 5.4, 0.5),
             visible=False),
        Node(id="snow", label="Snow", emitter=Emitter(
            begin="surface", of="cloud", rate=260.0, life=6.0, life_varies=0.15, ahead=6.0, seed=4.0, push=0.3,
            answers=0.4, gravity=0.24, colliders=("name", "ridge"), meets="end", size=0.07, size_varies=0.4,
            size_over_life=((0.0, 0.3), (0.12, 1.0), (1.0, 0.9)), answer_over_life=((0.0, 1.0), (1.0, 0.8)),
            color_over_life=((0.0, 1.0, 1.0, 1.0, 0.0), (0.1, 1.0, 1.0, 1.0, 0.95), (0.85, 0.93, 0.96, 1.0, 0.9),
                             (1.0, 0.93, 0.96, 1.0, 0.0)), **looped)),
        Node(id="large-eddies", label="Large eddies", position=at(-1.0, 5.0, 0.5), field=Eddies(
            kind="eddies", size=2.4, octaves=1.0, seed=11.0, strength=swelling(0.3, 1.6, 70), **aloft, **looped)),
        Node(id="small-eddies", label="Small eddies", position=at(1.5, 5.0, 0.5), field=Eddies(
            kind="eddies", size=0.35, octaves=2.0, seed=12.0, strength=swelling(0.2, 1.0, 170), **aloft, **looped)),
        Node(id="wake", label="Wake", parent="crossbar", position=at(0.9, 0, 0), field=Eddies(
            kind="eddies", size=0.3, octaves=2.0, seed=13.0, strength=1.6, reach="within", inner=0.3, outer=1.1,
            stirs="carried", **looped)),
    ]  # fmt: skip


def stores() -> list[Node]:
    """A case in the open, under a canvas that is tied to four posts and flutters in the gusts."""
    canvas = Sheet(kind="sheet", width=1.6, height=1.4, columns=16, rows=14)
    tied = (Pin(id="corners", label="Corners", at="corners"),)
    stuff = {**STUFFS["tarpaulin"], "bend": 4.0, "calm": 1.5}
    return [
        part("stores", "Stores", None, Box(kind="box", width=0.9, height=0.62, depth=0.7, base=True), STONE,
             position=at(-4.1, 0, 4.7), rotation=Rotation(y=16)),
        *(
            part(f"post-{k + 1}", f"Corner post {k + 1}", "stores", bar(0.022, 0.7), INK, position=at(x, 0, z))
            for k, (x, z) in enumerate(((-0.79, 0.69), (0.79, 0.69), (0.79, -0.69), (-0.79, -0.69)))
        ),
        part("canvas", "Rain canvas", "stores", canvas, AMBER, position=at(0, 0.7, 0), cloth=Cloth(
            pins=tied, slack=0.04, ahead=3.0, colliders=("stores",), loop=float(LAST), fit=True, blend=20.0, **stuff)),
    ]  # fmt: skip


def swelling(low: float, high: float, frame: float) -> Channel:
    """A number that is low at both ends of the range and high about a frame."""
    rows = ((0.0, low), (frame, high), (float(LAST), low))
    return Channel(value=low, keys=tuple(Key(frame=f, value=value, slope_in=0.0, slope_out=0.0) for f, value in rows))
