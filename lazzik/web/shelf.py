"""Poses and clips: the sheet that lists them, and keeping a clip."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Any

import numpy as np
from fastapi import APIRouter, Query, Request, Response
from pydantic import Field

from lazzik.core.bake.clips import clip_from
from lazzik.core.channel.channel import as_channel
from lazzik.core.clock import Clock
from lazzik.core.document import Typed
from lazzik.core.evaluate.evaluator import number_on
from lazzik.core.evaluate.poses import moving_numbers
from lazzik.core.evaluate.scope import Scope
from lazzik.core.layers.clip import Clip
from lazzik.core.scene.address import Address, title
from lazzik.core.scene.node import Node
from lazzik.core.scene.scene import Scene
from lazzik.web.bodies import body_of
from lazzik.web.context import Kept, Store, templates
from lazzik.web.drawing import line
from lazzik.web.fields import Step

router = APIRouter(prefix="/scenes/{scene_id}")

SIZE = (150.0, 36.0)
MOST_CURVES = 5


@dataclass(frozen=True)
class Choice:
    """Numbers that a pose or a clip may be made of."""

    name: str
    addresses: tuple[str, ...]


class KeepClip(Step):
    """A stretch to keep, on a revision."""

    label: Annotated[str, Field(min_length=1, max_length=120)]
    addresses: tuple[str, ...]
    first: Typed
    last: Typed


@router.get("/poses")
def sheet(
    request: Request,
    scene_id: str,
    at: str,
    store: Store,
    memo: Kept,
    also: Annotated[tuple[str, ...], Query()] = (),
    frame: float = 0.0,
) -> Response:
    """Poses and clips of the scene, and the forms that keep new ones."""
    scene = store.open(scene_id).scene
    address = Address.parse(at).channel
    numbers = (str(address), *also) if address.path != "shape" else also
    choices = tuple(choice for choice in _choices(scene, scene.by_id.get(address.node), numbers) if choice.addresses)
    content = {
        "scene": scene, "frame": frame, "choices": choices, "size": SIZE, "numbers": numbers,
        "titles": [title(scene, Address.parse(number)) for number in numbers],
        "clips": [(clip, _curves(scene, clip, Scope(scene, memo, []))) for clip in scene.clips],
    }  # fmt: skip
    return templates.TemplateResponse(request, "_poses.html", content)


@router.post("/keep-clip")
def keep(scene_id: str, store: Store, memo: Kept, body: Annotated[KeepClip, body_of(KeepClip)]) -> dict[str, Any]:
    """Keep a stretch of motion as a clip."""
    scene = store.at(scene_id, body.revision)
    edit = clip_from(scene, body.label, list(body.addresses), round(body.first), round(body.last), memo)
    return store.edit(scene_id, body.revision, [edit]).said


def _choices(scene: Scene, node: Node | None, numbers: tuple[str, ...]) -> list[Choice]:
    """The shown numbers, the object, and all below it."""
    shown = title(scene, Address.parse(numbers[0])) if len(numbers) == 1 else f"the {len(numbers)} chosen numbers"
    out = [Choice(shown, numbers)]
    if node is None:
        return out
    whole = tuple(f"{node.id}/{part}.{axis}" for part in ("position", "rotation", "scale") for axis in "xyz")
    below, ahead = [], [node]
    while ahead:
        here = ahead.pop(0)
        below.append(here)
        ahead += scene.below.get(here.id, ())
    moving = [(item, f"{item.id}/{path}") for item in below for path, _ in moving_numbers(item)]
    own = tuple(address for item, address in moving if item is node)
    return [
        *out,
        Choice(f"place, turn and size of {node.label}", whole),
        Choice(f"all that moves of {node.label} ({len(own)})", own),
        Choice(f"all that moves of {node.label} and below it ({len(moving)})", tuple(a for _, a in moving)),
    ]


def _curves(scene: Scene, clip: Clip, scope: Scope) -> list[str]:
    """The first tracks of a clip, each to its own height."""
    clock = Clock(scene.fps, 0, np.linspace(0, clip.length, 90))
    curves = []
    for track in clip.tracks[:MOST_CURVES]:
        values = np.broadcast_to(number_on(as_channel(track.motion), clock, scope), clock.frames.shape)
        curves.append(line(values, *SIZE, float(values.min()), float(values.max())))
    return curves
