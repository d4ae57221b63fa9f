"""What the page of versions shows: the versions, two states beside each other, and all that differs between them."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from itertools import groupby
from typing import Any

import numpy as np

from lazzik.core.compare.motion import apart, farthest_apart
from lazzik.core.compare.paths import address_of
from lazzik.core.compare.words import Worded, group_name, grouped, in_words
from lazzik.core.evaluate.memo import Memo
from lazzik.core.evaluate.scope import Scope
from lazzik.core.scene.address import Address, exists, find_at, title
from lazzik.core.scene.differences import differences
from lazzik.core.scene.scene import Scene
from lazzik.web.stack.curves import MOST_POINTS
from lazzik.web.states import NamedState
from lazzik.web.ui.encode import floats

MOST_ROWS = 1500
"""Differences that are listed one by one; of more, a row for each object."""


@dataclass(frozen=True, kw_only=True)
class DifferenceRow:
    """One difference, or the same one in several places."""

    keys: tuple[str, ...]
    name: str
    first: str
    """In the first state, '—' where it is not there."""
    second: str
    address: str
    """The number whose curves can be seen; '' if there is none."""
    parts: tuple[DifferenceRow, ...] = ()
    """The places, where there are several."""


@dataclass(frozen=True, kw_only=True)
class DifferenceGroup:
    """What differs of one object, or of the scene itself."""

    key: str
    """By which all of it is taken over; '' for the scene's own."""
    name: str
    rows: tuple[DifferenceRow, ...]
    whole: bool
    """Whether it is there in one of the two only, so that it is one row."""


@dataclass(frozen=True, kw_only=True)
class ComparedView:
    """Two states beside each other."""

    before: NamedState
    after: NamedState
    many: tuple[DifferenceRow, ...]
    """What is the same difference in several places."""
    groups: tuple[DifferenceGroup, ...]
    count: int
    moving: int
    """Numbers that move otherwise."""
    address: str
    """The number whose curves are seen; '' if none moves otherwise."""
    title: str
    takes: bool
    """Whether what differs can be taken over: into now alone."""


def compared_view(before: NamedState, after: NamedState, at: str, memo: Memo) -> ComparedView:
    """Two states, the curves of a number chosen: the one that is farthest apart if none is asked for."""
    rows = in_words(differences(after.scene, before.scene), after.scene, before.scene)
    scopes = (Scope(before.scene, memo, []), Scope(after.scene, memo, []))
    scenes = (before.scene, after.scene)
    moving = farthest_apart(*scopes)
    address = at if at and any(exists(state.scene, at) for state in (before, after)) else ""
    address = address or (moving[0][0] if moving else next((a for row in rows if (a := _curve(row, scenes))), ""))
    listed = rows[:MOST_ROWS]
    groups = list(grouped(listed))
    many = tuple(_many(group, scenes) for group in groups if len(group) > 1 and not group[0].came_or_went)
    told = {key for row in many for key in row.keys}
    held = groupby((row for row in listed if row.difference.key not in told), lambda row: row.holder)
    return ComparedView(
        before=before,
        after=after,
        many=many,
        groups=(*(_group(holder, list(some), scenes) for holder, some in held), *_cut(rows[MOST_ROWS:], scenes)),
        count=len(rows),
        moving=len(moving),
        address=address,
        title=_title(address, *scenes),
        takes=after.word == "now",
    )


def _many(group: list[Worded], scenes: tuple[Scene, Scene]) -> DifferenceRow:
    parts = tuple(_row(row, " / ".join(row.names), scenes) for row in group)
    keys = tuple(part.keys[0] for part in parts)
    # they lead from the second state to the first, from which they are taken over
    first, second = group[0].becomes, group[0].was
    return DifferenceRow(keys=keys, name=group_name(group), first=first, second=second, address="", parts=parts)


def _row(row: Worded, name: str, scenes: tuple[Scene, Scene]) -> DifferenceRow:
    keys = (row.difference.key,)
    return DifferenceRow(keys=keys, name=name, first=row.becomes, second=row.was, address=_curve(row, scenes))


def _curve(row: Worded, scenes: tuple[Scene, Scene]) -> str:
    """The number whose curve a difference bends: that of the object or dial on which it sits."""
    number = address_of(row.difference.path).partition("#")[0]
    return number if any(exists(scene, number) for scene in scenes) else ""


def _group(holder: str, rows: list[Worded], scenes: tuple[Scene, Scene]) -> DifferenceGroup:
    if holder == "scene":
        own = tuple(_row(row, row.names[0], scenes) for row in rows)
        return DifferenceGroup(key="", name="The scene", rows=own, whole=False)
    key = "/".join(rows[0].difference.path[:2])
    slug = rows[0].difference.path[1]
    called = next((scene.called[slug] for scene in reversed(scenes) if slug in scene.by_id), rows[0].names[0])
    whole = len(rows) == 1 and len(rows[0].difference.path) == 2 and rows[0].came_or_went
    own = tuple(_row(row, called if whole else " / ".join(row.names[1:]) or "all of it", scenes) for row in rows)
    return DifferenceGroup(key=key, name=called, rows=own, whole=whole)


def _cut(rows: list[Worded], scenes: tuple[Scene, Scene]) -> Iterator[DifferenceGroup]:
    """What is too much to be listed one by one: a row for each object, by which all of it is taken over."""
    for holder, some in groupby(rows, lambda row: row.holder):
        group = _group(holder, list(some), scenes)
        more = f"{group.name}: {len(group.rows)} more"
        keys = (group.key,) if group.key else tuple(key for row in group.rows for key in row.keys)
        yield replace(group, rows=(DifferenceRow(keys=keys, name=more, first="", second="", address=""),), whole=True)


def _title(address: str, before: Scene, after: Scene) -> str:
    if not address:
        return ""
    scene = after if exists(after, address) else before
    return title(scene, Address.parse(address))


def compared_curves(before: NamedState, after: NamedState, address: str, memo: Memo) -> dict[str, Any]:
    """A number in two states, in step, and its difference, as the lanes draw them. Raises UnknownAddress."""
    scene = after.scene
    clock = scene.clock(max(1, min(4, MOST_POINTS // scene.frames)))
    number = str(Address.parse(address).channel)
    found = apart(Scope(before.scene, memo, []), Scope(scene, memo, []), number, clock)
    there = scene if exists(scene, number) else before.scene
    quantity = find_at(there, number).quantity
    difference = found.difference
    most = int(np.argmax(np.abs(difference))) if difference is not None else 0
    return {
        "address": number,
        "title": title(there, Address.parse(number)),
        "unit": quantity.unit,
        "from": float(clock.frames[0]),
        "perFrame": round(1 / (clock.frames[1] - clock.frames[0])),
        "before": None if found.before is None else floats(found.before),
        "after": None if found.after is None else floats(found.after),
        "difference": None if difference is None else floats(difference),
        "most": 0.0 if difference is None else float(abs(difference[most])),
    }
