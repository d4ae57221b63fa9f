"""X, y and z of a part of an object over a clock: as they are, and their bases alone."""

from __future__ import annotations

import numpy as np

from lazzik.core.channel.channel import Channel
from lazzik.core.clock import Clock
from lazzik.core.evaluate.evaluator import number_on
from lazzik.core.evaluate.scope import ALONE, Scope
from lazzik.core.scene.aim import AimPoint
from lazzik.core.scene.node import Position, Rotation, Scale
from lazzik.core.types import Points, Samples


def by_axis(
    part: Position | Rotation | Scale | AimPoint, clock: Clock, scope: Scope = ALONE
) -> tuple[float | Samples, float | Samples, float | Samples]:
    """X, y and z of a part, one by one.

    Returns
    -------
    three of float or (frames,) array
        In the part's unit; one number where it stays.
    """
    return number_on(part.x, clock, scope), number_on(part.y, clock, scope), number_on(part.z, clock, scope)


def triple(part: Position | Rotation | Scale | AimPoint, clock: Clock, scope: Scope = ALONE) -> Points:
    """X, y and z of a part.

    Returns
    -------
    (frames, 3) array
        In the part's unit.
    """
    out = np.empty((len(clock.frames), 3))
    out[:, 0], out[:, 1], out[:, 2] = by_axis(part, clock, scope)
    return out


def bases_by_axis(part: Position | Rotation | Scale, clock: Clock) -> list[float | Samples]:
    """The bases of x, y and z, one by one, whatever their layers do.

    Returns
    -------
    three of float or (frames,) array
        In the part's unit; one number where it has no keys and no layers.
    """
    return [number.base(clock) if isinstance(number, Channel) else number for number in (part.x, part.y, part.z)]


def base_triple(part: Position | Rotation | Scale, clock: Clock) -> Points:
    """The bases of x, y and z, whatever their layers do.

    Returns
    -------
    (frames, 3) array
        In the part's unit.
    """
    out = np.empty((len(clock.frames), 3))
    out[:, 0], out[:, 1], out[:, 2] = bases_by_axis(part, clock)
    return out
