"""Channels whose stacks differ in constant numbers alone, worked out in one go.

A scene has many objects that move in the same way, each a little otherwise: stacks of the same kinds with the same
settings, other seeds and amplitudes. What stands around a kernel costs as much for one layer as for a hundred that lie
beside each other as rows of one array, so such stacks are gathered, and their layers go through the kernels together,
lowest first. Each row has the bits that it would have alone.

A stack goes with others from its base up to the first layer of which something is driven, windowed or shared by a
sheaf, or whose kind needs more than its numbers, the moments and what lies below at the same moments.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Hashable, Iterable

import numpy as np

from lazzik.core.channel.channel import Channel
from lazzik.core.channel.combine import combined
from lazzik.core.channel.layer import numbers_of
from lazzik.core.clock import Clock
from lazzik.core.document import LARGEST
from lazzik.core.evaluate.scope import Ready, Scope
from lazzik.core.threads import at_once
from lazzik.core.types import SampleRows

FEW = 4
"""Fewer that are alike are left to themselves."""

BLOCK = 2**13
"""Samples that go through the layers together: what a processor keeps at hand."""

MANY = 24
"""Blocks from which on threads are worth their beginning."""


def work_out_alike(numbers: Iterable[float | Channel], clock: Clock, scope: Scope) -> None:
    """Have the motions of those numbers ready that are alike, or what their lowest layers make as far as they are, for
    the evaluation that the scope belongs to."""
    assert scope.run is not None
    groups: defaultdict[tuple[Hashable, ...], list[Channel]] = defaultdict(list)
    for number in numbers:
        if isinstance(number, Channel) and number.forms:
            groups[number.forms].append(number)
    ready = scope.run.ready
    rows = max(1, BLOCK // max(1, len(clock.frames)))
    blocks: list[list[Channel]] = []
    for members in groups.values():
        missing = []
        for channel in members if len(members) >= FEW else ():
            kept = scope.kept(channel, clock)
            if kept is None:
                missing.append(channel)
            else:
                ready[id(channel)] = Ready(channel, clock, len(channel.sounding), kept)
        blocks += [missing[start : start + rows] for start in range(0, len(missing), rows)]
    spread = at_once if len(blocks) >= MANY else map
    for block, made in zip(blocks, spread(lambda block: motions(block, clock), blocks), strict=True):
        limited = np.minimum(np.maximum(made, -LARGEST), LARGEST)
        for channel, motion, result in zip(block, made, limited, strict=True):
            one = ready[id(channel)] = Ready(channel, clock, len(channel.forms), motion)
            if one.whole:  # an array of its own: one row that is kept must not keep its block
                one.motion = result.copy()
                scope.keep(channel, clock, one.motion)


def motions(channels: list[Channel], clock: Clock) -> SampleRows:
    """What the lowest layers of channels make of their bases, as many as are alike.

    Returns
    -------
    (channels, frames) array
        Each row in its channel's unit.
    """
    x = np.repeat(np.array([[channel.value] for channel in channels]), len(clock.frames), axis=1)
    for row, channel in zip(x, channels, strict=True):
        if channel.keys:
            row[:] = channel.base(clock)
    numbers = np.frombuffer(b"".join(channel.constants for channel in channels)).reshape(len(channels), -1)
    columns = np.ascontiguousarray(numbers.T)[..., None]
    first = 0
    for layer in channels[0].sounding[: len(channels[0].forms)]:
        names = numbers_of(type(layer))
        own = dict(zip(names, columns[first : first + len(names)], strict=True))
        y = layer.signals(own, x, clock)
        weight = own["weight"]
        x = combined(layer.combine, x, y, 1.0 if np.all(weight == 1.0) else weight)
        if layer.combine == "replace":  # what replaces all is not rounded by what it replaces
            x = np.where(weight == 1.0, y, x)
        first += len(names)
    return x
