"""What a field of the air shows: its numbers and choices as controls, what its speed is called, and what answers."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from lazzik.core.air import AirField
from lazzik.core.air.beaufort import beaufort, whence
from lazzik.core.channel.channel import base_value
from lazzik.core.channel.layer import numbers_of
from lazzik.core.document import counts_under, option_of
from lazzik.core.evaluate.airflow import world_of
from lazzik.core.evaluate.blowing import Answering, answering
from lazzik.core.evaluate.scope import Scope
from lazzik.core.scene.address import Address, title
from lazzik.core.scene.node import Node
from lazzik.core.scene.references import acts
from lazzik.core.scene.scene import Scene
from lazzik.web.shape.controls import loop_field, number_control
from lazzik.web.ui.controls import Control, Group, grouped, select_of
from lazzik.web.ui.knob import shown

TITLES = {"does": "How it blows", "time": "In time", "where": "Where it acts"}

MOST_LANES = 60
"""Of what answers, drawn at once: the nearest."""


@dataclass(frozen=True, kw_only=True)
class AnswerRow:
    """Something that answers, as a lane."""

    row: Answering
    name: str
    note: str


@dataclass(frozen=True, kw_only=True)
class AirView:
    """A field laid open."""

    node: Node
    field: AirField
    called: str
    """What its speed is called, and whence it blows; '' for what has no direction."""
    groups: tuple[Group, ...]
    answers: tuple[AnswerRow, ...]
    count: int
    """How many things answer the air in all."""
    farthest: float
    """Metres downwind of the farthest of them."""


def speed_of(field: AirField) -> float:
    """Metres per second by which it moves the air, by its base."""
    return base_value(getattr(field, type(field).strongest))


def speed_words(speed: float) -> str:
    """A speed as the tree tells it."""
    return f"{shown(round(speed, 2))} m/s"


def called(scene: Scene, node: Node, scope: Scope) -> str:
    """A wind in words: 'a moderate breeze from the west'."""
    assert node.field is not None
    speed = speed_of(node.field)
    force, name = beaufort(speed)
    if node.field.kind != "wind" or not force:
        return name if node.field.kind == "wind" else ""
    first = scene.clock().start
    way = world_of(scene, node, first, scope)[0, :3, 0] * np.sign(speed)
    if np.hypot(way[0], way[2]) < 0.2 * np.linalg.norm(way):
        return f"{name}, {'upward' if way[1] > 0 else 'downward'}"
    degrees, point = whence(way[0], -way[2])
    return f"{name} from the {point} ({degrees:.0f}°)"


def air_view(scene: Scene, node: Node, field: AirField, scope: Scope) -> AirView:
    """The field of an object."""
    rows = answering(scene, node, scope)
    return AirView(
        node=node,
        field=field,
        called=called(scene, node, scope),
        groups=grouped(f"{node.id}-air", _controls(scene, node, field), titles=TITLES),
        answers=tuple(_answer(scene, row) for row in rows[:MOST_LANES]),
        count=len({row.node for row in rows}),
        farthest=max((row.distance for row in rows), default=0.0),
    )


def _answer(scene: Scene, row: Answering) -> AnswerRow:
    what = "" if row.deformer else title(scene, Address.parse(row.address)).partition(" / ")[2]
    where = f"{abs(row.distance):.0f} m {'downwind' if row.distance >= 0 else 'upwind'}"
    note = f"{where} · {row.frequency:.2g} Hz" + (f" · {what}" if what else "")
    return AnswerRow(row=row, name=scene.called[row.node], note=note)


def _controls(scene: Scene, node: Node, field: AirField) -> Iterator[Control]:
    chosen = {name: str(getattr(field, name)) for name in type(field).settings()}
    edit = {"do": "change-field", "node": node.id}
    yield from (
        number_control(scene, node, f"field.{name}")
        for name, quantity in numbers_of(type(field)).items()
        if quantity.group != "where" and counts_under(quantity.only, chosen)
    )
    for name, values in type(field).settings().items():
        option = option_of(type(field), name)
        yield select_of(option, name, values, chosen[name], id=f"air-{name}", edit=edit, into=f"settings.{name}")
    yield from (
        number_control(scene, node, f"field.{name}")
        for name, quantity in numbers_of(type(field)).items()
        if quantity.group == "where" and counts_under(quantity.only, chosen)
    )
    yield number_control(scene, node, "rotation.y", label="turned", about="where")
    yield loop_field("air", field.loop, edit)


def blows(scene: Scene) -> bool:
    """Whether anything moves the air of a scene."""
    return any(acts(node) for node in scene.fields)
