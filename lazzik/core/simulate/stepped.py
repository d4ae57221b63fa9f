"""What all runs have in common: one state after the other by equal sub-steps, and what of it is seen at each frame."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Generic, Protocol, TypeVar

import numpy as np

from lazzik.core.clock import Clock
from lazzik.core.evaluate.evaluator import value_of
from lazzik.core.evaluate.scope import Scope
from lazzik.core.progress import UNHEARD, Progress
from lazzik.core.scene.carried import Carried
from lazzik.core.scene.scene import Scene
from lazzik.core.types import Samples


class RunsOn(Protocol):
    """What a run goes on from."""

    @property
    def step(self) -> int:
        """Sub-steps since the run began."""


Now = TypeVar("Now", bound=RunsOn)
Seen = TypeVar("Seen")


class SteppedRun(Generic[Now, Seen]):
    """A run of one part of an object."""

    scene: Scene
    scope: Scope
    carried: Carried
    """The part whose run it is."""
    substeps: int
    """Parts of a frame."""
    begins: int
    """The sub-step in which it begins, counted from the first frame: 0 or before."""

    def start(self) -> Now:
        """How the run begins."""
        raise NotImplementedError

    def moment(self, frame: int, state: Now) -> Seen:
        """What is kept of a state."""
        raise NotImplementedError

    def stepped(self, state: Now, until: int) -> Now:
        """One sub-step on, or more where that is as well, at most until one of them."""
        raise NotImplementedError

    def frames(
        self, first: int, last: int, state: Now | None = None, progress: Progress = UNHEARD
    ) -> Iterator[tuple[Seen, Now]]:
        """What is seen from one frame to another, each with the state after which the run goes on.

        `state` is one that an earlier run gave; without it the run begins. Raises Stopped.
        """
        now = self.start() if state is None else state
        for frame in range(first, last + 1):
            wanted = (frame - self.scene.first) * self.substeps - self.begins
            while now.step < wanted:
                now = self.stepped(now, wanted)
                progress.hear()
            yield self.moment(frame, now), now

    def number(self, name: str, clock: Clock) -> Samples:
        """One of the part's numbers.

        Returns
        -------
        (moments,) array
            In the number's unit; 0 where it is none.
        """
        value = np.asarray(value_of(self.carried, name, clock, self.scope), dtype=float)
        whole: Samples = np.where(np.isfinite(value), value, 0.0)
        return np.broadcast_to(whole, clock.frames.shape)

    def clock(self, frames: Samples) -> Clock:
        """A clock of the scene at some of its frames.

        Parameters
        ----------
        frames : (n,) array
            With their part.
        """
        return Clock(self.scene.fps, self.scene.first, frames)
