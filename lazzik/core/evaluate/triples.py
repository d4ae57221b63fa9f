"""X, y and z of a part of an object over a clock: as they are, and their bases alone."""

from __future__ import annotations

import numpy as np

from lazzik.core.channel.channel import Channel
from lazzik.core.clock import Clock
from lazzik.core.evaluate.evaluator import number_on
from lazzik.core.evaluate.scope import ALONE, Scope
from lazzik.core.scene.aim import AimPoint
from lazzik.core.scene.node import Position, Rotation, Scale
from lazzik.core.types import Points


def triple(part: Position | Rotation | Scale | AimPoint, clock: Clock, scope: Scope = ALONE) -> Points:
    """X, y and z of a part.

    Returns
    -------
    (frames, 3) array
        In the part's unit.
    """
    out = np.empty((len(clock.frames), 3))
    numbers = (part.x, part.y, part.z)
    still = [number for number in numbers if not isinstance(number, Channel)]
    if len(still) == len(numbers):  # as with most parts of most objects
        out[:] = still
        return out
    for column, number in enumerate(numbers):
        out[:, column] = number_on(number, clock, scope)
    return out


def base_triple(part: Position | Rotation | Scale, clock: Clock) -> Points:
    """The bases of x, y and z, whatever their layers do.

    Returns
    -------
    (frames, 3) array
        In the part's unit.
    """
    out = np.empty((len(clock.frames), 3))
    for column, number in enumerate((part.x, part.y, part.z)):
        out[:, column] = number.base(clock) if isinstance(number, Channel) else number
    return out
