"""What the bake page shows: what may be baked, what would come out, and what past bakes did."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from lazzik.core.arithmetic import read_number
from lazzik.core.bake.baking import TOLERANCES, BakePlan, bakeable
from lazzik.core.channel.keys import Key, curve_through
from lazzik.core.clock import Clock
from lazzik.core.errors import BadNumber, InvalidEdit
from lazzik.core.evaluate.evaluator import number_on
from lazzik.core.evaluate.memo import Memo
from lazzik.core.evaluate.scope import Scope
from lazzik.core.fitting.minimax import PER_FRAME
from lazzik.core.scene.address import Address, find, title
from lazzik.core.scene.edits.bakes import PlaceBake
from lazzik.core.scene.receipt import Receipt
from lazzik.core.scene.scene import Scene
from lazzik.core.types import Samples
from lazzik.web.drawing import line
from lazzik.web.lanes import shown

WIDTH, HEIGHT = 560.0, 64.0
UNITS = (("m", "metres"), ("°", "degrees"), ("×", "factors"), ("", "other"))
MOST_BEADS = 400
"""Beads drawn on one small curve; more would be a smear."""


@dataclass(frozen=True)
class Comparison:
    """One channel before and after, laid over each other."""

    title: str
    unit: str
    keys: int
    between: int
    """Keys that are not on whole frames."""
    worst: str
    before: str
    after: str
    beads: tuple[tuple[float, float], ...]
    span: str
    """The values that the picture's height covers."""


@dataclass(frozen=True)
class ReceiptView:
    """A past bake."""

    receipt: Receipt
    summary: str
    lines: tuple[Comparison, ...]


def choices(scene: Scene) -> list[tuple[str, str, str]]:
    """What may be baked: (address, name, unit)."""
    return [(a, title(scene, Address.parse(a)), find(scene, Address.parse(a)).quantity.unit) for a in bakeable(scene)]


def plan_from(form: Mapping[str, str]) -> BakePlan:
    """The plan that the form describes. Raises InvalidEdit, naming the field."""
    method = form.get("method", "fitted")
    if method not in ("each", "every", "fitted"):
        raise InvalidEdit(f"'{method[:40]}' is no way to bake", "method")
    return BakePlan(
        _whole(form, "first"),
        _whole(form, "last"),
        method,  # type: ignore[arg-type]
        _whole(form, "every") if method == "every" else 2,
        {unit: _number(form, f"tolerance-{name}") for unit, name in UNITS} if method == "fitted" else dict(TOLERANCES),
    )


def review(scene: Scene, placed: PlaceBake, memo: Memo) -> list[Comparison]:
    """The outcome of a bake that is not placed yet."""
    return [
        _compared(
            scene,
            channel.address,
            number_on(
                find(scene, Address.parse(channel.address)).number,
                _clock(scene, placed.first, placed.last),
                Scope(scene, memo),
            ),
            channel.keys,
            channel.worst,
            placed.first,
            placed.last,
        )
        for channel in placed.channels
    ]


def receipts(scene: Scene, memo: Memo) -> list[ReceiptView]:
    """Past bakes, the newest first."""
    views = []
    for receipt in reversed(scene.receipts):
        lines = []
        for entry in receipt.lines:
            channel = find(scene, Address.parse(entry.address)).channel
            before = number_on(
                entry.source(channel), _clock(scene, receipt.first, receipt.last), Scope(scene, memo, [])
            )
            lines.append(
                _compared(scene, entry.address, before, channel.keys, entry.worst, receipt.first, receipt.last)
            )
        views.append(ReceiptView(receipt, _summary(receipt, {entry.unit for entry in lines}), tuple(lines)))
    return views


def _clock(scene: Scene, first: int, last: int) -> Clock:
    return Clock.over(scene.fps, scene.first, last, start=first, per_frame=PER_FRAME)


def _compared(
    scene: Scene,
    address: str,
    before: float | Samples,
    keys: tuple[Key, ...],
    worst: float,
    first: int,
    last: int,
) -> Comparison:
    clock = _clock(scene, first, last)
    old = np.full(len(clock.frames), before) if isinstance(before, float | int) else before
    new = curve_through(keys, scene.fps).at(clock.frames, scene.fps) if keys else np.zeros_like(old)
    low, high = float(min(old.min(), new.min())), float(max(old.max(), new.max()))
    margin = 0.08 * (high - low) or 1.0
    low, high = low - margin, high + margin
    inside = [key for key in keys if first <= key.frame <= last]
    unit = find(scene, Address.parse(address)).quantity.unit
    return Comparison(
        title(scene, Address.parse(address)),
        unit,
        len(keys),
        sum(key.frame != round(key.frame) for key in keys),
        shown(float(f"{worst:.2g}")),
        line(old, WIDTH, HEIGHT, low, high),
        line(new, WIDTH, HEIGHT, low, high),
        tuple(
            (
                round((key.frame - first) / (last - first) * WIDTH, 1),
                round(HEIGHT - (key.value - low) / (high - low) * HEIGHT, 1),
            )
            for key in (inside if len(inside) <= MOST_BEADS else [])
        ),
        f"{shown(round(low + margin, 3))} to {shown(round(high - margin, 3))}{' ' if unit == 'm' else ''}{unit}",
    )


def _summary(receipt: Receipt, units: set[str]) -> str:
    """How it was baked, with the tolerances of the units that occur in it."""
    how = {"each": "a key on each frame", "every": f"a key on every {receipt.every}th frame", "fitted": "fitted"}
    kept = [(unit, value) for unit, value in receipt.tolerances.items() if unit in units]
    tolerances = ", ".join(f"{shown(value)}{' ' if unit == 'm' else ''}{unit}" for unit, value in kept)
    within = f" within {tolerances}" if tolerances else ""
    return f"Frames {receipt.first} to {receipt.last}, {how[receipt.method]}{within}"


def _number(form: Mapping[str, str], name: str) -> float:
    try:
        return read_number(form.get(name, ""))
    except BadNumber as error:
        raise InvalidEdit(f"{name.replace('-', ' ')}: {error.message}", name) from None


def _whole(form: Mapping[str, str], name: str) -> int:
    value = _number(form, name)
    if value != round(value) or abs(value) > 1e9:
        raise InvalidEdit(f"{name}: a whole number of frames is needed; {value:g} was given", name)
    return round(value)
