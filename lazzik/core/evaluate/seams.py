"""Where a scene's motion does not meet itself: the value and slope on the last frame against those on the first.

A motion meets itself if it arrives on the last frame as it leaves the first, or if it goes on after the last as it did
after the first: then whatever corner it has there is its own, and not the seam's.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lazzik.core.channel.channel import Channel
from lazzik.core.clock import Clock
from lazzik.core.evaluate.evaluator import number_on
from lazzik.core.evaluate.scope import Scope
from lazzik.core.scene.node import channels_of
from lazzik.core.scene.scene import Scene

STEP = 1 / 256
"""Frames from one sample of a one-sided slope to the next: its error falls with the square of this."""

CLOSE = 1e-6
"""Part of a channel's own extent within which values count as met."""

LEVEL = 5e-3
"""Part of a channel's steepest slope within which slopes count as met."""


@dataclass(frozen=True)
class Seam:
    """How far a number is from meeting itself: end minus beginning."""

    address: str
    unit: str
    value: float
    """In the number's unit; whole turns of an angle count as met."""
    slope: float
    """In units per second."""
    meets: bool


def seam_of(number: Channel, address: str, unit: str, scene: Scene, scope: Scope) -> Seam:
    """The seam of one number over the scene's range."""
    ends = np.array([0.0, STEP, 2 * STEP])
    frames = np.concatenate([scene.first + ends, scene.last - ends, scene.last + ends])
    f = np.broadcast_to(number_on(number, Clock(scene.fps, scene.first, frames), scope), frames.shape)
    value = float(f[3] - f[0])
    if unit == "°":
        value -= 360.0 * round(value / 360.0)
    rate = scene.fps / (2 * STEP)
    after, before = (-3 * f[0] + 4 * f[1] - f[2]) * rate, (3 * f[3] - 4 * f[4] + f[5]) * rate
    beyond = (-3 * f[6] + 4 * f[7] - f[8]) * rate
    slope = float(min(before - after, beyond - after, key=abs))
    whole = np.broadcast_to(number_on(number, scene.clock(), scope), scene.frames)
    extent, steepest = float(np.ptp(whole)), float(np.abs(np.diff(whole)).max()) * scene.fps
    meets = abs(value) <= CLOSE * max(extent, 1e-9) and abs(slope) <= LEVEL * max(steepest, 1e-9)
    return Seam(address, unit, value, slope, meets)


def seams(scene: Scene, scope: Scope) -> list[Seam]:
    """The numbers of objects that move and do not meet themselves, in the order of the document."""
    found = []
    for node in scene.nodes:
        for path, number, quantity in channels_of(node):
            if isinstance(number, Channel) and number.moves:
                seam = seam_of(number, f"{node.id}/{path}", quantity.unit, scene, scope.at(node.id))
                if not seam.meets:
                    found.append(seam)
    return found
