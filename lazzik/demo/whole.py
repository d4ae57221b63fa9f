"""Recipes of whole objects: what is more than a stack on a number comes as objects that are set up already."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from lazzik.core.air.eddies import Eddies
from lazzik.core.air.wind import Wind
from lazzik.core.channel.channel import Channel
from lazzik.core.geometry.primitives import Ball, Basin, Box, Sheet, Tube
from lazzik.core.scene.cloth import STUFFS, Cloth, Pin
from lazzik.core.scene.edits.objects import BringIn
from lazzik.core.scene.edits.swarms import WATER
from lazzik.core.scene.emitter import Emitter
from lazzik.core.scene.node import Node, Rotation
from lazzik.core.scene.swarm import Swarm
from lazzik.demo.parts import AMBER, BONE, PINE, STONE, at, breeze, layer, part, shaped


@dataclass(frozen=True, kw_only=True)
class WholeRecipe:
    """Objects that are set up to do something together."""

    key: str
    label: str
    note: str
    """In a sentence, with what it wants of the scene."""
    main: str
    """The object that others stand for where it is put on them."""
    build: Callable[[], list[Node]]
    """The objects; the last one is what is opened."""

    @property
    def edit(self) -> dict[str, Any]:
        """The edit that puts them into a scene."""
        bring = BringIn(label=self.label, nodes=tuple(self.build()))
        return bring.model_dump(mode="json", exclude_defaults=True) | {"do": bring.do}


def _snow() -> list[Node]:
    return [
        part("cloud", "Cloud", None, Box(kind="box", width=12, height=0.1, depth=8), BONE, position=at(0, 4.5, 0),
             visible=False),
        Node(id="drifting-snow", label="Drifting snow", emitter=Emitter(
            begin="surface", of="cloud", rate=150.0, life=7.0, life_varies=0.15, ahead=7.0, push=0.3, answers=0.4,
            gravity=0.2, size=0.06, size_varies=0.5, answer_over_life=((0.0, 1.0), (1.0, 0.8)),
            color_over_life=((0.0, 1.0, 1.0, 1.0, 0.0), (0.1, 1.0, 1.0, 1.0, 0.95), (0.9, 0.94, 0.97, 1.0, 0.9),
                             (1.0, 0.94, 0.97, 1.0, 0.0)))),
    ]  # fmt: skip


def _leaves() -> list[Node]:
    leaf = Sheet(kind="sheet", width=0.16, height=0.1, columns=4, rows=2)
    curled = (shaped("bend", "Curl", "x", -0.08, 0.08, angle=70.0),)
    return [
        part("leaf", "Leaf", None, leaf, AMBER, position=at(0, 0.2, 2.2), deform=curled, visible=False),
        part("crown", "Crown", None, Ball(kind="ball", radius=0.9, around=18, along=12), PINE, position=at(0, 2.6, 0)),
        Node(id="first-leaves", label="First leaves of autumn", emitter=Emitter(
            begin="surface", of="crown", rate=2.5, life=6.0, ahead=6.0, push=0.2, spread=60.0, answers=0.3,
            gravity=0.12, drawn="copies", copy_of="leaf", turned="spin", spin=160.0, spin_varies=0.8, size=0.17,
            size_varies=0.3, color_over_life=((0.0, 0.95, 0.85, 0.45, 1.0), (1.0, 0.85, 0.42, 0.25, 1.0)))),
    ]  # fmt: skip


def _flag() -> list[Node]:
    bow = Channel(layers=(layer("noise", "Bow", amplitude=2.5, period=2.4, seed=7.0), breeze(4.0, 0.9)))
    sheet = Sheet(kind="sheet", width=1.3, height=0.8, columns=28, rows=18, standing=True)
    cloth = Cloth(pins=(Pin(id="left_edge", label="Left edge", at="edge", side="left"),), ahead=3.0, **STUFFS["linen"])
    return [
        part("flag-mast", "Flag mast", None, Tube(kind="tube", radius=0.035, height=3.0, base=True), BONE,
             rotation=Rotation(z=bow)),
        part("flag", "Flag", "flag-mast", sheet, AMBER, position=at(0.68, 2.55, 0), cloth=cloth),
    ]  # fmt: skip


def _cover() -> list[Node]:
    cloth = Cloth(
        pins=(Pin(id="corners", label="Corners", at="corners"),), slack=0.05, colliders=("goods",), ahead=3.0,
        **STUFFS["canvas"],
    )  # fmt: skip
    sheet = Sheet(kind="sheet", width=1.8, height=1.5, columns=26, rows=22)
    return [
        part("goods", "Goods", None, Box(kind="box", width=1.0, height=0.7, depth=0.8, base=True), PINE),
        part("goods-cover", "Cover in gusts", None, sheet, STONE, position=at(0, 0.78, 0), cloth=cloth),
    ]  # fmt: skip


def _curtain() -> list[Node]:
    cloth = Cloth(
        pins=(Pin(id="top_edge", label="Top edge", at="edge", side="top"),), slack=0.12, ahead=3.0, **STUFFS["silk"]
    )
    sheet = Sheet(kind="sheet", width=1.6, height=2.2, columns=26, rows=30, standing=True)
    draught = Wind(kind="wind", speed=1.1, gusts=0.8, gust_length=1.5, reach="within", inner=1.5, outer=3.0)
    return [
        part("rail", "Rail", None, Tube(kind="tube", radius=0.02, height=1.8), BONE, position=at(0, 2.3, 0),
             rotation=Rotation(z=90)),
        Node(id="draught", label="Draught", field=draught, position=at(0, 1.0, -0.6), rotation=Rotation(y=-90)),
        part("curtain", "Curtain", None, sheet, BONE, position=at(0, 1.18, 0), cloth=cloth),
    ]  # fmt: skip


def _drop() -> list[Node]:
    eddies = Eddies(kind="eddies", strength=1.1, size=0.8, reach="within", inner=1.2, outer=2.5)
    swarm = Swarm(
        of="drop", spacing=0.045, cohesion=14.0, viscosity=4.0, gravity=0.0, wind="all", answers=0.9, ahead=1.0
    )
    return [
        part("drop", "Drop", None, Ball(kind="ball", radius=0.3), STONE, position=at(0, 1.4, 0), visible=False),
        Node(id="draughts", label="Draughts", field=eddies, position=at(0, 1.4, 0)),
        Node(id="afloat", label="Drop that holds together", look=WATER, swarm=swarm),
    ]


def _basin() -> list[Node]:
    tipped = Channel(layers=(layer("wave", "Carried", amplitude=4.0, period=1.4),))
    return [
        part("basin", "Basin", None, Basin(kind="basin", radius=0.4, upper=1.15, height=0.36, base=True), STONE,
             rotation=Rotation(z=tipped)),
        Node(id="water", label="Water in a basin", look=WATER, swarm=Swarm(
            of="basin", fills="hollow", full=0.6, spacing=0.04, viscosity=3.0, wind="still", ahead=2.0)),
    ]  # fmt: skip


def _smoke() -> list[Node]:
    return [
        part("chimney", "Chimney", None, Box(kind="box", width=0.4, height=1.4, depth=0.4, base=True), STONE),
        Node(id="chimney-smoke", label="Chimney smoke", parent="chimney", position=at(0, 1.45, 0), emitter=Emitter(
            rate=26.0, life=4.0, ahead=4.0, push=0.7, spread=9.0, answers=0.6, gravity=-0.12, size=0.28,
            size_varies=0.3, size_over_life=((0.0, 0.4), (0.3, 1.2), (1.0, 3.2)),
            answer_over_life=((0.0, 0.5), (0.3, 1.0)),
            color_over_life=((0.0, 0.55, 0.55, 0.56, 0.0), (0.06, 0.58, 0.58, 0.6, 0.5), (0.5, 0.7, 0.71, 0.72, 0.28),
                             (1.0, 0.78, 0.79, 0.8, 0.0)))),
    ]  # fmt: skip


def _spray() -> list[Node]:
    return [
        Node(id="spray", label="Spray", position=at(0, 0.1, 0), emitter=Emitter(
            rate=320.0, life=1.3, ahead=1.3, push=4.2, push_varies=0.35, spread=16.0, answers=1.4, gravity=1.0,
            size=0.045, size_varies=0.6, size_over_life=((0.0, 0.6), (0.3, 1.0), (1.0, 1.6)),
            answer_over_life=((0.0, 0.5), (1.0, 2.0)),
            color_over_life=((0.0, 0.86, 0.93, 0.95, 0.9), (0.7, 0.9, 0.96, 0.98, 0.7), (1.0, 0.95, 0.98, 1.0, 0.0)))),
    ]  # fmt: skip


WHOLE = (
    WholeRecipe(key="snow", main="cloud", label="Drifting snow", build=_snow,
                note="Flakes out of a hidden cloud. With a wind they drift; eddies bend their way."),
    WholeRecipe(key="leaves", main="crown", label="First leaves of autumn", build=_leaves,
                note="Now and then one lets go of the crown and spins down. Any object may take the leaf's place."),
    WholeRecipe(key="smoke", main="chimney", label="Chimney smoke", build=_smoke,
                note="Puffs that rise, grow and thin out. A wind lays the plume over."),
    WholeRecipe(key="spray", main="spray", label="Spray", build=_spray,
                note="A fountain of drops that turn to mist as they slow down. Let it meet what it falls on."),
    WholeRecipe(key="flag", main="flag-mast", label="Flag on a mast", build=_flag,
                note="Linen at a mast that bows. It wants a wind; a stiffer stuff flutters more slowly."),
    WholeRecipe(key="cover", main="goods-cover", label="Cover in gusts", build=_cover,
                note="Canvas tied at its corners over a case. Gusts of a wind lift it."),
    WholeRecipe(key="curtain", main="curtain", label="Curtain in a draught", build=_curtain,
                note="Silk on a rail, and a draught of its own that swells and sinks."),
    WholeRecipe(key="drop", main="drop", label="Drop that holds together", build=_drop,
                note="It floats; draughts of its own pull it apart, and it draws itself together again."),
    WholeRecipe(key="basin", main="basin", label="Water in a basin", build=_basin,
                note="It sloshes as the basin is tipped. Let something else fall in by what it meets."),
)  # fmt: skip
"""In the order in which they are offered."""
