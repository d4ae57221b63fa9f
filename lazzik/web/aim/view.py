"""What an object's aim shows: its target, and its numbers and choices as controls."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from lazzik.core.channel.layer import numbers_of
from lazzik.core.document import counts_under, option_of
from lazzik.core.scene.aim import Aim, AimPoint
from lazzik.core.scene.node import Node
from lazzik.core.scene.scene import Scene
from lazzik.web.shape.controls import loop_field, number_control
from lazzik.web.ui.controls import Control, Group, Select, grouped, select_of
from lazzik.web.ui.knob import Knob

TITLES = {"where": "What it aims at", "does": "How it turns", "time": "In time"}


@dataclass(frozen=True, kw_only=True)
class AimView:
    """An object's aim laid open."""

    node: Node
    aim: Aim
    target: str
    """What the target is called."""
    weight: Knob
    groups: tuple[Group, ...]


def target_name(scene: Scene, aim: Aim) -> str:
    """What an aim's target is called."""
    return scene.called[aim.target] if aim.target is not None else "a point of the scene"


def aim_view(scene: Scene, node: Node, aim: Aim) -> AimView:
    """The aim of an object."""
    return AimView(
        node=node,
        aim=aim,
        target=target_name(scene, aim),
        weight=number_control(scene, node, "aim.weight"),
        groups=grouped(f"{node.id}-aim", _controls(scene, node, aim), titles=TITLES),
    )


def _controls(scene: Scene, node: Node, aim: Aim) -> Iterator[Control]:
    chosen = {name: str(getattr(aim, name)) for name in Aim.settings()}
    edit = {"do": "change-aim", "node": node.id}
    yield Select(
        id="aim-target",
        label="at",
        help="The object that it aims at, or a point of the scene.",
        value=aim.target or "",
        options=(*((slug, name) for slug, name in scene.called.items() if slug != node.id), ("", "a point")),
        edit={"do": "aim", "nodes": [node.id]},
        into="target",
        takes="slug",
        group="where",
    )
    for name, values in Aim.settings().items():
        id, into = f"aim-{name}", f"settings.{name}"
        yield select_of(option_of(Aim, name), name, values, chosen[name], id=id, edit=edit, into=into)
    for name, quantity in numbers_of(Aim).items():
        if name != "weight" and counts_under(quantity.only, chosen):
            yield number_control(scene, node, f"aim.{name}")
    if aim.lag:
        yield loop_field("aim", aim.loop, edit, "its lag repeats")
    yield from (
        number_control(scene, node, f"aim.point.{name}", label=f"point {name}") for name in numbers_of(AimPoint)
    )
