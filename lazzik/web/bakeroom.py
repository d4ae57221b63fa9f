"""What the bake page shows: what may be baked, what would come out, and what past bakes did."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass

import numpy as np

from lazzik.core.arithmetic import read_number
from lazzik.core.bake.again import Redone, stale
from lazzik.core.bake.baking import TOLERANCES, BakePlan, bakeable
from lazzik.core.channel.keys import Key, curve_through
from lazzik.core.clock import Clock
from lazzik.core.errors import BadNumber, InvalidEdit
from lazzik.core.evaluate.evaluator import number_on
from lazzik.core.evaluate.memo import Memo
from lazzik.core.evaluate.scope import Scope
from lazzik.core.fitting.minimax import PER_FRAME
from lazzik.core.progress import UNHEARD, Progress
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
    unseen: str
    """The worst error between the checked sub-frames, '' if it is no larger to speak of."""
    allowed: str
    """What the plan allows, '' if it allows anything."""
    before: str
    after: str
    beads: tuple[tuple[float, float], ...]
    span: str
    """The values that the picture's height covers."""
    share: float
    """The worst error as a part of what is allowed, by which errors of different units are sorted."""


@dataclass(frozen=True)
class ReceiptView:
    """A past bake."""

    receipt: Receipt
    summary: str
    lines: tuple[Comparison, ...]
    stale: str
    """How far the source has moved away since, in words; '' if it has not."""


@dataclass(frozen=True)
class Offer:
    """A number that may be baked."""

    address: str
    name: str
    unit: str
    chosen: bool
    """Whether it is among the numbers that were chosen on the stage."""


@dataclass(frozen=True)
class AgainView:
    """One channel of a bake that is made again: the keys as they are, and what they would become."""

    address: str
    comparison: Comparison
    edited: int
    conflicts: str
    """Where the motion about an edit changed its shape, in words."""
    moved: str


def choices(scene: Scene, chosen: Collection[str] = ()) -> list[tuple[str, list[Offer]]]:
    """What may be baked, by object."""
    groups: dict[str, list[Offer]] = {}
    for address in bakeable(scene):
        parsed = Address.parse(address)
        whole = title(scene, parsed)
        label, _, rest = whole.partition(" / ")
        offer = Offer(address, rest or whole, find(scene, parsed).quantity.unit, address in chosen)
        groups.setdefault(parsed.node, [label]).append(offer)  # type: ignore[list-item]
    return [(str(rows[0]), rows[1:]) for rows in groups.values()]


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
        extremes="extremes" in form,
        steps="steps" in form,
    )


def review(scene: Scene, placed: PlaceBake, memo: Memo, progress: Progress = UNHEARD) -> list[Comparison]:
    """The outcome of a bake that is not placed yet."""
    clock = _clock(scene, placed.first, placed.last)
    rows = []
    for channel in progress.over(placed.channels, lambda _: "curves to look at"):
        place = find(scene, Address.parse(channel.address))
        before = number_on(place.number, clock, Scope(scene, memo))
        allowed = placed.tolerances.get(place.quantity.unit, placed.tolerances.get(""))
        span = (placed.first, placed.last)
        rows.append(
            _compared(scene, channel.address, before, channel.keys, channel.worst, *span, allowed, channel.between)
        )
    return rows


def again_view(scene: Scene, receipt: Receipt, redone: list[Redone], progress: Progress = UNHEARD) -> list[AgainView]:
    """What a receipt's channels would become, those with conflicts first."""
    views = []
    for item in progress.over(redone, lambda _: "curves to look at"):
        address = Address.parse(item.address)
        unit = find(scene, address).quantity.unit
        clock = _clock(scene, receipt.first, receipt.last)
        now = curve_through(item.mine, scene.fps).at(clock.frames, scene.fps)
        comparison = _compared(
            scene, item.address, now, item.carried, item.worst, receipt.first, receipt.last, between=item.between
        )
        where = ", ".join(f"{shown(round(a, 1))} to {shown(round(b, 1))}" for a, b in item.conflicts)
        moved = f"{shown(float(f'{item.moved:.2g}'))}{' ' if unit == 'm' else ''}{unit}"
        views.append(AgainView(item.address, comparison, item.edited, where, moved))
    return sorted(views, key=lambda view: not view.conflicts)


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
                _compared(
                    scene,
                    entry.address,
                    before,
                    channel.keys,
                    entry.worst,
                    receipt.first,
                    receipt.last,
                    between=entry.between,
                )
            )
        units = {entry.unit for entry in lines}
        views.append(ReceiptView(receipt, _summary(receipt, units), tuple(lines), _stale(scene, receipt, memo)))
    return views


def _stale(scene: Scene, receipt: Receipt, memo: Memo) -> str:
    moved = stale(scene, receipt, memo)
    if not moved:
        return ""
    address = max(moved, key=moved.__getitem__)
    unit = find(scene, Address.parse(address)).quantity.unit
    most = f"{shown(float(f'{moved[address]:.2g}'))}{' ' if unit == 'm' else ''}{unit}"
    return (
        f"{len(moved)} channel{'' if len(moved) == 1 else 's'}, up to {most} on {title(scene, Address.parse(address))}"
    )


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
    allowed: float | None = None,
    between: float = 0.0,
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
        shown(float(f"{between:.2g}")) if between > 1.2 * max(worst, allowed or 0.0) else "",
        shown(allowed) if allowed else "",
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
        worst / (allowed or TOLERANCES.get(unit, TOLERANCES[""])),
    )


def _summary(receipt: Receipt, units: set[str]) -> str:
    """How it was baked, with the tolerances of the units that occur in it."""
    how = {"each": "a key on each frame", "every": f"a key on every {receipt.every}th frame", "fitted": "fitted"}
    kept = [(unit, value) for unit, value in receipt.tolerances.items() if unit in units]
    tolerances = ", ".join(f"{shown(value)}{' ' if unit == 'm' else ''}{unit}" for unit, value in kept)
    within = f" within {tolerances}" if tolerances else ""
    exact = ", with exact extremes" if receipt.extremes else ""
    return f"Frames {receipt.first} to {receipt.last}, {how[receipt.method]}{within}{exact}"


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
