"""Recipes of whole objects: what is more than a stack on a number comes as objects that are set up already."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from lazzik.core.geometry.primitives import Ball, Box, Sheet
from lazzik.core.scene.edits.objects import BringIn
from lazzik.core.scene.emitter import Emitter
from lazzik.core.scene.node import Node
from lazzik.demo.station import AMBER, BONE, PINE, STONE, at, part, shaped


@dataclass(frozen=True, kw_only=True)
class WholeRecipe:
    """Objects that are set up to do something together."""

    key: str
    label: str
    note: str
    """In a sentence, with what it wants of the scene."""
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
    WholeRecipe(key="snow", label="Drifting snow", build=_snow,
                note="Flakes out of a hidden cloud. With a wind they drift; eddies bend their way."),
    WholeRecipe(key="leaves", label="First leaves of autumn", build=_leaves,
                note="Now and then one lets go of the crown and spins down. Any object may take the leaf's place."),
    WholeRecipe(key="smoke", label="Chimney smoke", build=_smoke,
                note="Puffs that rise, grow and thin out. A wind lays the plume over."),
    WholeRecipe(key="spray", label="Spray", build=_spray,
                note="A fountain of drops that turn to mist as they slow down. Let it meet what it falls on."),
)  # fmt: skip
"""In the order in which they are offered."""
