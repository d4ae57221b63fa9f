"""The air as whatever answers it feels it: at one place, at any moments."""

from __future__ import annotations

from typing import Protocol

import numpy as np

from lazzik.core.clock import Clock
from lazzik.core.types import Points, Samples

AIR = "~air"
"""What stands for all that moves the air in the graph of who reads whom; no object can be called so."""

CARRIED_AIR = "~carried"
"""The same for what is carried by the air: with the fields that stir nothing else."""


class Airflow(Protocol):
    """The air as it passes one place."""

    def velocity(self, clock: Clock) -> Points:
        """How the air goes there, in the axes of whatever stands in it.

        Returns
        -------
        (frames, 3) array
            Metres per second.
        """
        ...

    def jumps(self, first: float, last: float) -> Samples:
        """Frames between two at which it may jump.

        Returns
        -------
        (jumps,) array
            Frames, ascending.
        """
        ...


class StillAir:
    """Where there is no scene, no air moves (the protocol `Airflow`)."""

    def velocity(self, clock: Clock) -> Points:
        """Nothing."""
        return np.zeros((len(clock.frames), 3))

    def jumps(self, first: float, last: float) -> Samples:
        """None."""
        return np.empty(0)
