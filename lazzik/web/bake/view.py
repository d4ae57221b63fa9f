"""What the bake page shows: what may be baked, what would come out, and what past bakes did."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from typing import TypeVar

import numpy as np

from lazzik.core.arithmetic import read_number
from lazzik.core.bake.baking import TOLERANCES, BakePlan, bakeable
from lazzik.core.bake.rebake import Redone, stale
from lazzik.core.channel.keys import Key, curve_through
from lazzik.core.clock import Clock
from lazzik.core.errors import BadNumber, InvalidEdit
from lazzik.core.evaluate.evaluator import number_at, number_on
from lazzik.core.evaluate.memo import Memo
from lazzik.core.evaluate.scope import Scope
from lazzik.core.fitting.minimax import PER_FRAME
from lazzik.core.scene.address import Address, find, find_at, title
from lazzik.core.scene.edits.bakes import PlaceBake
from lazzik.core.scene.receipt import Receipt
from lazzik.core.scene.scene import Scene
from lazzik.core.types import Samples
from lazzik.web.ui.knob import shown
from lazzik.web.ui.sparkline import line

WIDTH, HEIGHT = 560.0, 64.0
UNITS = (("m", "metres"), ("°", "degrees"), ("×", "factors"), ("", "other"))
Item = TypeVar("Item")

MOST_BEADS = 400
"""Beads drawn on one small curve; more would be a smear."""


@dataclass(frozen=True, kw_only=True)
class Row:
    """One channel of a bake in numbers. Its curves are asked for once they are in sight."""

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
    share: float
    """The worst error as a part of what is allowed, by which errors of different units are sorted."""


@dataclass(frozen=True, kw_only=True)
class Curves:
    """A channel before and after, laid over each other."""

    before: str
    after: str
    beads: tuple[tuple[float, float], ...]
    span: str
    """The values that the picture's height covers."""


@dataclass(frozen=True, kw_only=True)
class ReceiptView:
    """A past bake."""

    receipt: Receipt
    summary: str
    rows: tuple[Row, ...]


@dataclass(frozen=True, kw_only=True)
class Offer:
    """A number that may be baked."""

    address: str
    name: str
    unit: str
    chosen: bool
    """Whether it is among the numbers that were chosen on the stage."""


@dataclass(frozen=True, kw_only=True)
class AgainView:
    """One channel of a bake that is made again: the keys as they are, and what they would become."""

    address: str
    row: Row
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
        offer = Offer(
            address=address, name=rest or whole, unit=find(scene, parsed).quantity.unit, chosen=address in chosen
        )
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
        thorough=method == "fitted" and "thorough" in form,
    )


def review(scene: Scene, placed: PlaceBake) -> list[Row]:
    """The outcome of a bake that is not placed yet."""
    rows = []
    for channel in placed.channels:
        unit = _unit(scene, channel.address)
        allowed = placed.tolerances.get(unit, placed.tolerances.get(""))
        rows.append(_row(scene, channel.address, channel.keys, channel.worst, channel.between, allowed))
    return rows


def reviewed_curves(scene: Scene, placed: PlaceBake, place: int, memo: Memo) -> Curves:
    """One channel of it: as it is evaluated, and through the keys."""
    channel = _nth(placed.channels, place)
    there = find_at(scene, channel.address)
    before = number_at(there, _clock(scene, placed.first, placed.last), Scope(scene, memo))
    return _curves(scene, channel.address, before, channel.keys, placed.first, placed.last)


def again_view(scene: Scene, redone: list[Redone]) -> list[AgainView]:
    """What a receipt's channels would become."""
    views = []
    for item in redone:
        row = _row(scene, item.address, item.carried, item.worst, item.between)
        where = ", ".join(f"{shown(round(a, 1))} to {shown(round(b, 1))}" for a, b in item.conflicts)
        moved = _with_unit(item.moved, _unit(scene, item.address))
        views.append(AgainView(address=item.address, row=row, edited=item.edited, conflicts=where, moved=moved))
    return views


def again_curves(scene: Scene, receipt: Receipt, redone: list[Redone], place: int) -> Curves:
    """One channel of it: through the keys as they are, and through what they would become."""
    item = _nth(redone, place)
    now = curve_through(item.mine, scene.fps).at(_clock(scene, receipt.first, receipt.last).frames, scene.fps)
    return _curves(scene, item.address, now, item.carried, receipt.first, receipt.last)


def receipts(scene: Scene) -> list[ReceiptView]:
    """Past bakes, the newest first."""
    views = []
    for receipt in reversed(scene.receipts):
        rows = []
        for entry in receipt.lines:
            keys = find_at(scene, entry.address).channel.keys
            rows.append(_row(scene, entry.address, keys, entry.worst, entry.between))
        views.append(
            ReceiptView(receipt=receipt, summary=_summary(receipt, {row.unit for row in rows}), rows=tuple(rows))
        )
    return views


def receipt_curves(scene: Scene, receipt: Receipt, place: int, memo: Memo) -> Curves:
    """One channel of a past bake: as its layers would move it, and through its keys."""
    entry = _nth(receipt.lines, place)
    there = find_at(scene, entry.address)
    channel, scope = there.channel, Scope(scene, memo, [], home=there.home)
    before = number_on(entry.source(channel), _clock(scene, receipt.first, receipt.last), scope)
    return _curves(scene, entry.address, before, channel.keys, receipt.first, receipt.last)


def moved_away(scene: Scene, receipt: Receipt, memo: Memo) -> str:
    """How far the source of a bake has moved away since, in words; '' if it has not."""
    moved = stale(scene, receipt, memo)
    if not moved:
        return ""
    address = max(moved, key=moved.__getitem__)
    most = _with_unit(moved[address], _unit(scene, address))
    return (
        f"{len(moved)} channel{'' if len(moved) == 1 else 's'}, up to {most} on {title(scene, Address.parse(address))}"
    )


def _clock(scene: Scene, first: int, last: int) -> Clock:
    return Clock.over(scene.fps, scene.first, last, start=first, per_frame=PER_FRAME)


def _unit(scene: Scene, address: str) -> str:
    return find_at(scene, address).quantity.unit


def _with_unit(value: float, unit: str) -> str:
    return f"{shown(float(f'{value:.2g}'))}{' ' if unit == 'm' else ''}{unit}"


def _nth(items: Sequence[Item], place: int) -> Item:
    if not 0 <= place < len(items):
        raise InvalidEdit(f"There is no channel {place}; there are {len(items)}", "place")
    return items[place]


def _row(
    scene: Scene, address: str, keys: tuple[Key, ...], worst: float, between: float, allowed: float | None = None
) -> Row:
    unit = _unit(scene, address)
    return Row(
        title=title(scene, Address.parse(address)),
        unit=unit,
        keys=len(keys),
        between=sum(key.frame != round(key.frame) for key in keys),
        worst=shown(float(f"{worst:.2g}")),
        unseen=shown(float(f"{between:.2g}")) if between > 1.2 * max(worst, allowed or 0.0) else "",
        allowed=shown(allowed) if allowed else "",
        share=worst / (allowed or TOLERANCES.get(unit, TOLERANCES[""])),
    )


def _curves(
    scene: Scene, address: str, before: float | Samples, keys: tuple[Key, ...], first: int, last: int
) -> Curves:
    clock = _clock(scene, first, last)
    old = np.full(len(clock.frames), before) if isinstance(before, float | int) else before
    new = curve_through(keys, scene.fps).at(clock.frames, scene.fps) if keys else np.zeros_like(old)
    low, high = float(min(old.min(), new.min())), float(max(old.max(), new.max()))
    margin = 0.08 * (high - low) or 1.0
    bottom, top = low - margin, high + margin
    inside = [key for key in keys if first <= key.frame <= last]
    unit = _unit(scene, address)
    return Curves(
        before=line(old, WIDTH, HEIGHT, bottom, top),
        after=line(new, WIDTH, HEIGHT, bottom, top),
        beads=tuple(
            (
                round((key.frame - first) / (last - first) * WIDTH, 1),
                round(HEIGHT - (key.value - bottom) / (top - bottom) * HEIGHT, 1),
            )
            for key in (inside if len(inside) <= MOST_BEADS else [])
        ),
        span=f"{shown(round(low, 3))} to {shown(round(high, 3))}{' ' if unit == 'm' else ''}{unit}",
    )


def _summary(receipt: Receipt, units: set[str]) -> str:
    """How it was baked, with the tolerances of the units that occur in it."""
    how = {"each": "a key on each frame", "every": f"a key on every {receipt.every}th frame", "fitted": "fitted"}
    how_long = " thoroughly" if receipt.thorough else ""
    kept = [(unit, value) for unit, value in receipt.tolerances.items() if unit in units]
    tolerances = ", ".join(f"{shown(value)}{' ' if unit == 'm' else ''}{unit}" for unit, value in kept)
    within = f" within {tolerances}" if tolerances else ""
    exact = ", with exact extremes" if receipt.extremes else ""
    return f"Frames {receipt.first} to {receipt.last}, {how[receipt.method]}{how_long}{within}{exact}"


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
