"""Channels whose stacks differ in constant numbers alone, worked out in one go.

A scene has many objects that move in the same way, each a little otherwise: stacks of the same kinds with the same
settings, other seeds and amplitudes. What stands around a kernel costs as much for one layer as for a hundred that lie
beside each other as rows of one array, so such stacks are gathered, and their layers go through the kernels together,
lowest first. Each row has the bits that it would have alone.

A stack is left to itself where something of it is driven, windowed, shared by a sheaf, or of a kind that needs more
than its numbers, the moments and what lies below at the same moments.
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
from lazzik.core.evaluate.scope import Scope
from lazzik.core.types import SampleRows

FEW = 4
"""Fewer that are alike are left to themselves."""

BLOCK = 2**14
"""Samples that go through the layers together: what a processor keeps at hand."""


def work_out_alike(numbers: Iterable[float | Channel], clock: Clock, scope: Scope) -> None:
    """Have the motions of those numbers ready that are alike, for the evaluation that the scope belongs to."""
    assert scope.run is not None
    groups: defaultdict[Hashable, list[Channel]] = defaultdict(list)
    for number in numbers:
        if isinstance(number, Channel) and number.form is not None:
            groups[number.form].append(number)
    ready = scope.run.ready
    for members in groups.values():
        missing = []
        for channel in members if len(members) >= FEW else ():
            kept = scope.kept(channel, clock)
            if kept is None:
                missing.append(channel)
            else:
                ready[id(channel)] = (channel, clock, kept)
        rows = max(1, BLOCK // max(1, len(clock.frames)))
        for start in range(0, len(missing), rows):
            block = missing[start : start + rows]
            for channel, motion in zip(block, motions(block, clock), strict=True):
                scope.keep(channel, clock, motion)
                ready[id(channel)] = (channel, clock, motion)


def motions(channels: list[Channel], clock: Clock) -> SampleRows:
    """The motions of channels of one form.

    Returns
    -------
    (channels, frames) array
        Each row in its channel's unit.
    """
    x = np.empty((len(channels), len(clock.frames)))
    for row, channel in zip(x, channels, strict=True):
        row[:] = channel.base(clock) if channel.keys else channel.value
    columns = np.array([channel.constants for channel in channels]).T[..., None]
    first = 0
    for layer in channels[0].sounding:
        names = numbers_of(type(layer))
        own = dict(zip(names, columns[first : first + len(names)], strict=True))
        x = combined(layer.combine, x, layer.signals(own, x, clock), own["weight"])
        first += len(names)
    return np.minimum(np.maximum(x, -LARGEST, out=x), LARGEST, out=x)
