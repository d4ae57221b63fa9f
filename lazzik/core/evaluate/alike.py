"""Channels whose stacks differ in constant numbers alone, worked out in one go.

A scene has many objects that move in the same way, each a little otherwise: stacks of the same kinds with the same
settings, other seeds and amplitudes. What stands around a kernel costs as much for one layer as for a hundred that lie
beside each other as rows of one array, so such stacks are gathered, and their layers go through the kernels together
(rows.py).

A stack goes with others from its base up to the first layer of which something is driven, windowed or shared by a
sheaf, or whose kind can't be worked out so. Whatever has no value, or reads something that has none, is left to itself
and says so there.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Hashable, Iterable
from itertools import chain

import numpy as np

from lazzik.core.channel.channel import Channel
from lazzik.core.clock import Clock
from lazzik.core.document import LARGEST
from lazzik.core.errors import LazzikError
from lazzik.core.evaluate.rows import Member, Rows, bases
from lazzik.core.evaluate.scope import Ready, Scope
from lazzik.core.threads import at_once
from lazzik.core.types import SampleRows

FEW = 4
"""Fewer that are alike are left to themselves."""

BLOCK = 2**13
"""Samples that go through the layers together: what a processor keeps at hand."""

MANY = 24
"""Blocks from which on threads are worth their beginning."""


def work_out_alike(numbers: Iterable[tuple[str, float | Channel]], clock: Clock, scope: Scope) -> None:
    """Have the motions of those numbers ready that are alike, or what their lowest layers make as far as they are, for
    the evaluation that the scope belongs to. With each number comes its home."""
    assert scope.run is not None
    groups: defaultdict[tuple[Hashable, ...], list[Member]] = defaultdict(list)
    for home, number in numbers:
        if isinstance(number, Channel) and number.forms:
            groups[number.forms].append(Member(home, number))
    ready = scope.run.ready
    rows = max(1, BLOCK // max(1, len(clock.frames)))
    alone: list[list[Member]] = []
    reading: list[list[Member]] = []
    for members in groups.values():
        missing = []
        for member in members if len(members) >= FEW else ():
            kept = scope.at(member.home).kept(member.channel, clock) if scope.memo else None
            if kept is None:
                missing.append(member)
            else:
                count = len(member.channel.sounding)
                ready[id(member.channel), member.home] = Ready(member.channel, clock, count, True, kept)
        blocks = [missing[start : start + rows] for start in range(0, len(missing), rows)]
        (reading if _reads(members[0].channel) else alone).extend(blocks)

    def made(block: list[Member]) -> SampleRows | None:
        return _motions_if_any(block, clock, scope)

    # an evaluation is of one thread, so what reads others of its numbers stays in it
    spread = at_once if len(alone) >= MANY else map
    for block, values in chain(zip(alone, spread(made, alone), strict=True), ((each, made(each)) for each in reading)):
        if values is not None:
            _have_ready(block, values, clock, scope)


def motions(members: list[Member], clock: Clock, scope: Scope) -> SampleRows:
    """What the lowest layers of numbers make of their bases, as many as are alike.

    Returns
    -------
    (numbers, frames) array
        Each row in its channel's unit.

    Raises
    ------
    LazzikError
        If one of them has no value.
    """
    rows = Rows(members, [channel for _, channel in members], lambda at: bases(members, at), scope)
    return rows.at(rows.count, clock)


def _motions_if_any(members: list[Member], clock: Clock, scope: Scope) -> SampleRows | None:
    """The same, (numbers, frames); None if one has no value, or reads something that has none."""
    problems: list[str] = []
    try:
        made = motions(members, clock, scope.noting(problems))
    except LazzikError:
        return None
    return None if problems else made


def _have_ready(members: list[Member], made: SampleRows, clock: Clock, scope: Scope) -> None:
    """Have the rows of a block ready."""
    assert scope.run is not None
    ready, count = scope.run.ready, len(members[0].channel.forms)
    limited = np.minimum(np.maximum(made, -LARGEST), LARGEST)
    for (home, channel), motion, result in zip(members, made, limited, strict=True):
        whole = count == len(channel.sounding)
        # an array of its own: one row that is kept must not keep its block, and the next block takes its place
        one = ready[id(channel), home] = Ready(channel, clock, count, whole, (result if whole else motion).copy())
        if whole and scope.memo:
            scope.at(home).keep(channel, clock, one.motion)


def _reads(channel: Channel) -> bool:
    """Whether one of its layers that go with others reads more of the scene than what lies below it."""
    return any(layer.reads_others for layer in channel.sounding[: len(channel.forms)])
