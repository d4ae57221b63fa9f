"""A reason why something does not show, and those that lie with the object itself."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any, Literal

import numpy as np

from lazzik.core.channel.channel import Channel
from lazzik.core.channel.layer import numbers_of
from lazzik.core.document import Frozen, Quantity, counts_under
from lazzik.core.evaluate.evaluator import number_on
from lazzik.core.evaluate.scope import Scope
from lazzik.core.scene.edits.base import Edit
from lazzik.core.scene.edits.every import read_edits
from lazzik.core.scene.node import Node
from lazzik.core.scene.scene import Scene

UNSEEN = 0.02
"""Part of a well-seen change below which a motion is too small to be seen."""

STILL = 1e-9


Code = Literal[
    "aimed", "aims-still", "all-held", "baked", "beyond", "carries-nothing", "changes-nothing", "clamped", "clear",
    "coarse", "comes-late", "covered", "crowded", "dark", "depends", "falls", "falls-free", "far", "few-points",
    "fills-nothing", "hangs-still", "hidden", "holds-none", "idle", "in-still-air", "locked", "masked", "muted",
    "no-aim", "no-air", "no-copies", "no-deformers", "no-emitter", "no-field", "no-keys", "no-reach", "nothing-below",
    "nothing-shaped", "out-of-reach", "overfull", "pins-nothing", "points-still", "problem", "reads-still", "round",
    "shape-baked", "shrunk", "shut", "silenced", "softened-twice", "stiff", "stirs-carried", "too-deep", "too-little",
    "unanswered", "unlooped", "unmet", "unmoved", "weightless", "zero-below",
]  # fmt: skip


@dataclass(frozen=True)
class Reason:
    """Why something does not show."""

    code: Code
    values: Mapping[str, str | float] = field(default_factory=dict)
    """What it is about: names, numbers, units."""
    edits: tuple[Edit, ...] = ()
    """What mends it; none if only a person can."""


def reason(code: Code, *edits: dict[str, Any], **values: str | float) -> Reason:
    """A reason, with the edits that mend it as they are written."""
    return Reason(code, values, tuple(read_edits(list(edits))) if edits else ())


def idle(name: str, number: str, value: float, better: Any, edits: list[dict[str, Any]]) -> Reason:
    """A number stands where its layer or deformer does nothing; `better` is where it would do something."""
    return reason("idle", *edits, name=name, number=number, value=value, better=better)


def unseen(scene: Scene, node: Node) -> Iterator[Reason]:
    """What hides an object or makes nothing of it, itself or anything above it."""
    for here in scene.lineage(node):
        if not here.visible:
            yield reason("hidden", {"do": "change-object", "node": here.id, "visible": True}, name=here.label)
        for axis, number in (("x", here.scale.x), ("y", here.scale.y), ("z", here.scale.z)):
            if number == 0.0:
                yield reason("shrunk", set_to(f"{here.id}/scale.{axis}", 1.0), name=here.label, axis=axis)


def set_to(address: str, value: float) -> dict[str, Any]:
    """The edit that sets a number."""
    return {"do": "set", "address": address, "value": float(value)}


def largest(number: float | Channel, scene: Scene, scope: Scope, centre: float = 0.0) -> float:
    """How far a number goes from a value at most, over the scene's range."""
    return float(np.abs(np.asarray(number_on(number, scene.clock(), scope)) - centre).max())


def beyond(here: str, name: str, part: Frozen, only: tuple[str, ...] = ()) -> Iterator[Reason]:
    """Numbers that are far from what is usual: what is done so looks mad."""
    chosen = {name: getattr(part, name) for name in type(part).model_fields}
    for number, quantity in numbers_of(type(part)).items():
        value = getattr(part, number)
        if not counts_under(quantity.only, chosen) or quantity.moment:
            continue
        if isinstance(value, Channel) or quantity.whole or (only and number not in only):
            continue
        if not _usual(value, quantity):
            low, high = quantity.useful
            nearest = min(max(value, low), high)
            about = {"number": number, "value": value, "low": low, "high": high, "unit": quantity.unit}
            yield reason("beyond", set_to(f"{here}.{number}", nearest), name=name, better=nearest, **about)


def _usual(value: float, quantity: Quantity) -> bool:
    low, high = quantity.useful
    return low - 1e-9 <= value <= high + 1e-9
