"""Why a field of the air does not show, and why something does not answer the air, or answers it madly."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np

from lazzik.core.channel.channel import Channel, base_value
from lazzik.core.channel.layer import numbers_of
from lazzik.core.diagnose.reason import STILL, Reason, beyond, largest, reason, set_to
from lazzik.core.evaluate.airflow import air
from lazzik.core.evaluate.blowing import answering
from lazzik.core.evaluate.scope import Scope
from lazzik.core.layers.breeze import Breeze
from lazzik.core.scene.node import Node
from lazzik.core.scene.references import acts, fields_for, stirs_all
from lazzik.core.scene.rest_pose import rest_position
from lazzik.core.scene.scene import Scene

LOOKS = 25
"""Moments of the range at which it is asked whether the air moves somewhere."""

A_WIND = {"do": "add-object", "label": "Wind", "field": {"kind": "wind"}}


def why_field(scene: Scene, node: Node, scope: Scope) -> list[Reason]:
    """The reasons why an object does not move the air; none if it does and something answers."""
    field, scope = node.field, scope.at(node.id)
    if field is None:
        return [reason("no-field", name=node.label)]
    found: list[Reason] = []
    if field.muted:
        found.append(_muted(node))
    name = type(field).strongest
    if largest(getattr(field, name), scene, scope) < STILL:
        better = type(field).model_fields[name].default
        mend = [] if isinstance(getattr(field, name), Channel) else [set_to(f"{node.id}/field.{name}", better)]
        found.append(reason("idle", *mend, name=node.label, number=name, value=0.0, better=better))
    if field.reach == "within" and largest(field.outer, scene, scope) < STILL:
        found.append(reason("no-reach", _everywhere(node), name=node.label))
    answered = any(row.frequency for row in answering(scene, node, scope)) if stirs_all(node) else _carries(scene)
    if not answered:
        found.append(reason("unanswered" if stirs_all(node) else "carries-nothing", name=node.label))
    found += beyond(f"{node.id}/field", node.label, field)
    return [*found, *_ends(scene, node)]


def why_in_air(scene: Scene, node: Node | None, home: str, name: str, scope: Scope) -> Iterator[Reason]:
    """Why there is no air where something answers it."""
    if not scene.fields:
        yield reason("no-air", A_WIND, name=name)
        return
    blowing = fields_for(scene, home)
    for field in scene.fields:
        if not acts(field):
            yield _muted(field)
        elif not stirs_all(field):
            if blowing:
                continue
            stir = {"do": "change-field", "node": field.id, "settings": {"stirs": "all"}}
            yield reason("stirs-carried", stir, name=name, field=field.label)
        elif field not in blowing:
            yield reason("depends", name=name, field=field.label, home=node.label if node else name)
    if not blowing:
        return
    place = rest_position(scene, node)[None, None] if node is not None else np.zeros((1, 1, 3))
    clock = scene.clock().at(np.linspace(scene.first, scene.last, LOOKS))
    if np.abs(air(place, clock, scope, blowing)).max() >= STILL:
        return
    for field in blowing:
        model, strongest = type(field.field), getattr(field.field, type(field.field).strongest)  # type: ignore[union-attr]
        if largest(strongest, scene, scope.at(field.id)) < STILL:
            number = model.strongest  # type: ignore[union-attr]
            better = model.model_fields[number].default  # type: ignore[union-attr]
            mend = [] if isinstance(strongest, Channel) else [set_to(f"{field.id}/field.{number}", better)]
            yield reason("idle", *mend, name=field.label, number=number, value=0.0, better=better)
        else:
            away = float(np.linalg.norm(place[0, 0] - rest_position(scene, field)))
            outer = base_value(field.field.outer)  # type: ignore[union-attr]
            yield reason("far", _everywhere(field), name=name, field=field.label, away=away, outer=outer)


def why_breeze(scene: Scene, node: Node | None, home: str, here: str, layer: Breeze, scope: Scope) -> Iterator[Reason]:
    """Why a Breeze does not show, or looks mad."""
    yield from why_in_air(scene, node, home, layer.label, scope)
    if not isinstance(layer.frequency, Channel) and layer.frequency > scene.fps / 2:
        yield reason(
            "stiff", set_to(f"{here}.frequency", 2.0), name=layer.label, value=layer.frequency, limit=scene.fps / 2
        )
    yield from beyond(here, layer.label, layer, ("frequency", "damping"))
    if layer.loop is not None:
        for field in fields_for(scene, home):
            if field.field is not None and field.field.loop != layer.loop:
                yield reason("unlooped", {"do": "loop", "fit": True}, name=layer.label, field=field.label)


def _carries(scene: Scene) -> bool:
    """Whether the air carries anything."""
    return any(node.carried is not None and node.carried.in_air and node.visible for node in scene.nodes)


def _muted(node: Node) -> Reason:
    return reason("muted", {"do": "change-field", "node": node.id, "muted": False}, name=node.label)


def _everywhere(node: Node) -> dict[str, Any]:
    return {"do": "change-field", "node": node.id, "settings": {"reach": "everywhere"}}


def _ends(scene: Scene, node: Node) -> Iterator[Reason]:
    """Numbers of a field that loops which do not meet themselves."""
    field = node.field
    if field is None or field.loop is None:
        return
    for number in numbers_of(type(field)):
        value = getattr(field, number)
        if isinstance(value, Channel) and len(value.keys) > 1 and value.keys[0].value != value.keys[-1].value:
            yield reason("unmet", name=node.label, number=number)
