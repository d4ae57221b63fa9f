"""Baking again: the source has changed since, or should be baked otherwise; edits made by hand on the keys live on.

With b the curve that the bake made, e the edited one and n the new one, the outcome is n + (e − b): an edit is the
offset that it was. Where the motion about an edit has changed its shape, the offset may no longer mean what it meant:
that is a conflict, and a person decides.

Channels baked together may read one another. What the bake rounds off on one is then no change of another's source:
they are compared with each other as they would be without the bake, and only with keys that were edited by hand as
they are.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from graphlib import TopologicalSorter
from typing import Literal

import numpy as np

from lazzik.core.bake.baking import FINER, BakePlan, finer_clock, keys_for, measured
from lazzik.core.channel.channel import Channel
from lazzik.core.channel.curve_arithmetic import CurveDifference, added, difference
from lazzik.core.channel.keys import Key, curve_through
from lazzik.core.channel.layer import clamp
from lazzik.core.clock import Clock
from lazzik.core.errors import UnknownAddress
from lazzik.core.evaluate.evaluator import number_on
from lazzik.core.evaluate.memo import Memo
from lazzik.core.evaluate.scope import Scope
from lazzik.core.fitting.fitting import worst_error
from lazzik.core.fitting.minimax import PER_FRAME
from lazzik.core.progress import UNHEARD, Progress
from lazzik.core.scene.address import Address, find, find_at, title, write
from lazzik.core.scene.edits.bakes import BakeAgain, BakedAgain
from lazzik.core.scene.receipt import Receipt, ReceiptLine
from lazzik.core.scene.references import closure, place_of, readers
from lazzik.core.scene.scene import Scene
from lazzik.core.types import Samples

Decision = Literal["carry", "fresh", "mine"]
"""Carry the offsets over, take the new bake alone, or leave the keys as they are."""

RESHAPED = 0.25
"""A change counts as one of shape when, about an edit, it varies by more than this part of what the curve spans there:
less, and an offset still sits where it was meant to sit."""


@dataclass(frozen=True, eq=False)
class Redone:
    """One channel of a receipt, baked again."""

    address: str
    baked: tuple[Key, ...]
    """What the bake makes of the source now."""
    worst: float
    between: float
    """The largest error between the checked sub-frames, 0 where it is no larger."""
    carried: tuple[Key, ...]
    """The same with the edits made by hand as offsets."""
    mine: tuple[Key, ...]
    """The keys as they stand."""
    edited: int
    """Stretches that were edited by hand."""
    conflicts: tuple[tuple[float, float], ...]
    """Edited stretches, in frames, about which the motion changed its shape."""
    moved: float
    """How far the source now is from what it was when it was baked, at most."""

    def keys(self, decision: Decision) -> tuple[Key, ...]:
        """What comes of a decision."""
        return {"carry": self.carried, "fresh": self.baked, "mine": self.mine}[decision]


def plan_of(receipt: Receipt) -> BakePlan:
    """The plan that a receipt was made by."""
    fitted = dict(receipt.tolerances) if receipt.method == "fitted" else None
    return BakePlan(
        receipt.first, receipt.last, receipt.method, receipt.every or 2,
        extremes=receipt.extremes, steps=receipt.steps, thorough=receipt.thorough,
        **({"tolerances": fitted} if fitted else {}),
    )  # fmt: skip


def stale(scene: Scene, receipt: Receipt, memo: Memo | None = None) -> dict[str, float]:
    """Channels whose source has moved away from what was baked: how far, at most, in the channel's unit."""
    out = {}
    clock = Clock.over(scene.fps, scene.first, receipt.last, start=receipt.first, per_frame=PER_FRAME)
    beside = _unbaked(scene, receipt)
    for line in receipt.lines:
        y, channel = _source(scene, beside, line, clock, memo)
        if line.baked and channel.keys:
            error = worst_error(line.baked, y, receipt.first, scene.fps)
            room = line.room * float(np.ptp(y)) + 1e-7 * max(1.0, float(np.abs(y).max()))
            if error > line.worst + room:
                out[line.address] = error
    return out


def bake_again(scene: Scene, name: str, memo: Memo | None = None, progress: Progress = UNHEARD) -> list[Redone]:
    """A receipt's channels baked again by its own plan. Raises UnknownAddress if there is no such receipt, Stopped."""
    receipt = receipt_of(scene, name)
    plan = plan_of(receipt)
    out = {}
    beside = _unbaked(scene, receipt)
    for line in progress.over(_read_first(scene, receipt), lambda line: title(scene, Address.parse(line.address))):
        fine, channel = _source(scene, beside, line, finer_clock(scene, plan.first, plan.last), memo)
        unit = find_at(scene, line.address).quantity.unit
        baked, worst, between = measured(fine, plan, unit, scene.fps)
        y = fine[::FINER].copy()
        old, mine = line.baked or channel.keys, channel.keys or baked
        offset = difference(mine, old, scene.fps)
        carried = added(baked, offset, scene.fps)
        if carried is None:  # a step among the edits: sample the sum and bake that
            frames = plan.first + np.arange(len(y)) / PER_FRAME
            hand = curve_through(mine, scene.fps).at(frames, scene.fps)
            hand -= curve_through(old, scene.fps).at(frames, scene.fps)
            carried = keys_for(y + hand, plan, unit, scene.fps)
        moved = float(np.max(np.abs(y - _curve(old, receipt, scene.fps))))
        conflicts = _conflicts(offset, y, old, receipt, scene.fps, line.worst)
        redone = Redone(line.address, baked, worst, between, carried, mine, len(offset.regions), conflicts, moved)
        out[line.address] = redone
        if redone.edited:
            beside = write(beside, Address.parse(line.address), lambda c, keys=carried: c.replaced(keys=keys))  # type: ignore[misc]
    return [out[line.address] for line in receipt.lines]


def placed_again(scene: Scene, name: str, redone: list[Redone], decisions: Mapping[str, Decision]) -> BakeAgain:
    """The edit that places the outcome; a channel without a decision carries its edits over."""
    receipt_of(scene, name)
    return BakeAgain(
        receipt=name,
        channels=tuple(
            BakedAgain(
                address=item.address, keys=item.keys(decisions.get(item.address, "carry")), baked=item.baked,
                worst=item.worst, between=item.between,
            )
            for item in redone
        ),
    )  # fmt: skip


def _unbaked(scene: Scene, receipt: Receipt) -> Scene:
    """The scene with those of a receipt's channels that anything reads as they were before the bake, unless their keys
    were edited by hand since."""
    read = closure(scene, frozenset().union(*(reads for _, reads in readers(scene))))
    out = scene
    for line in receipt.lines:
        address = Address.parse(line.address)
        if (
            read.intersection({line.address, place_of(line.address)})
            and find(scene, address).channel.keys == line.baked
        ):
            out = write(out, address, line.source)
    return out


def _read_first(scene: Scene, receipt: Receipt) -> list[ReceiptLine]:
    """A receipt's lines, those that others read before their readers."""
    order = list(TopologicalSorter(dict(readers(scene))).static_order())
    place = {address: index for index, address in enumerate(order)}
    return sorted(receipt.lines, key=lambda line: place.get(line.address, -1))


def _source(scene: Scene, beside: Scene, line: ReceiptLine, clock: Clock, memo: Memo | None) -> tuple[Samples, Channel]:
    """(samples,) what the bake stands for, as it is now in the scene `beside`, and the channel."""
    place = find_at(scene, line.address)
    channel = place.channel
    y = clamp(number_on(line.stands_for(channel), clock, Scope(beside, memo, [], home=place.home)), place.quantity)
    return np.array(np.broadcast_to(y, clock.frames.shape), dtype=float), channel


def _curve(keys: tuple[Key, ...], receipt: Receipt, fps: float) -> Samples:
    frames = receipt.first + np.arange((receipt.last - receipt.first) * PER_FRAME + 1) / PER_FRAME
    return curve_through(keys, fps).at(frames, fps)


def _conflicts(
    offset: CurveDifference, y: Samples, old: tuple[Key, ...], receipt: Receipt, fps: float, worst: float
) -> tuple[tuple[float, float], ...]:
    before = _curve(old, receipt, fps)
    frames = receipt.first + np.arange(len(y)) / PER_FRAME
    found = []
    for a, b in offset.regions:
        here = (frames >= a) & (frames <= b)
        if not here.any():
            continue
        change, span = np.ptp((y - before)[here]), np.ptp(before[here])
        if change > max(RESHAPED * float(span), 4 * worst, 1e-9):
            found.append((float(max(a, receipt.first)), float(min(b, receipt.last))))
    return tuple(found)


def receipt_of(scene: Scene, name: str) -> Receipt:
    """A receipt of the scene. Raises UnknownAddress."""
    found = next((receipt for receipt in scene.receipts if receipt.id == name), None)
    if found is None:
        raise UnknownAddress(f"There is no receipt '{name}' in this scene", name)
    return found
