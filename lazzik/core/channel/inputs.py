"""What a layer is given by whoever evaluates it: one layer, or many at once that are alike."""

from __future__ import annotations

from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from lazzik.core.channel.airflow import Airflow
from lazzik.core.channel.channel import Channel
from lazzik.core.clock import Clock
from lazzik.core.types import PointBlock, SampleRows, Samples


class OwnNumbers(Protocol):
    """What whoever has numbers is given of them, at any moments it likes: a layer, a deformer, what moves the air."""

    @property
    def clock(self) -> Clock:
        """The moments asked for."""
        ...

    def number(self, name: str, clock: Clock | None = None) -> float | Samples:
        """One of its own numbers: a float if constant, otherwise (frames,) on the clock (the given one or the
        asked-for one).

        Returns
        -------
        float or (frames,) array
            In the number's own unit.
        """
        ...

    def constant(self, name: str) -> float | None:
        """One of its own numbers, if it can't change; None if it can."""
        ...

    def jumps(self, names: tuple[str, ...], first: float, last: float) -> Samples:
        """Frames between two at which one of these numbers may jump.

        Returns
        -------
        (jumps,) array
            Frames, ascending.
        """
        ...


class Inputs(OwnNumbers, Protocol):
    """What a layer is given: the clock, its own numbers and what lies below, each at any moments it likes."""

    def table(self, *names: str) -> Samples:
        """Some of the layer's numbers as one array, one column if all are constant.

        A kernel takes them so with one argument, and pays for a column a frame only where something is driven. Not to
        be written to.

        Returns
        -------
        (names, 1) or (names, frames) array
            Each row in its number's own unit.
        """
        ...

    def below(self, clock: Clock | None = None) -> Samples:
        """What lies below the layer.

        Returns
        -------
        (frames,) array
            In the channel's unit.
        """
        ...

    def base(self, clock: Clock) -> Samples:
        """The channel's base alone.

        Returns
        -------
        (frames,) array
            In the channel's unit.
        """
        ...

    @property
    def stretch(self) -> tuple[float, float] | None:
        """First and last frame of the base's keys; None if there are fewer than two."""
        ...

    def other(self, address: str, clock: Clock) -> float | Samples:
        """Another number of the scene on a clock.

        Returns
        -------
        float or (frames,) array
            In the other number's unit.

        Raises
        ------
        UnknownAddress
            If the address leads nowhere.
        """
        ...

    def recipe(self, name: str) -> Any:
        """One of the scene's recipes (a Recipe; recipes hold layers, so this floor can't name it). Raises
        UnknownAddress."""
        ...

    def clip(self, address: str) -> Any:
        """The clip that a track belongs to (a Clip). Raises UnknownAddress."""
        ...

    def airflow(self) -> Airflow:
        """The air as it passes where the object is: what it hangs under and the base of its own position say where, and
        the axes of what it hangs under how its components are taken. Without a scene it stands still."""
        ...

    def through(self, stack: Channel, size: float | Samples) -> Samples:
        """A stack of layers over what lies below, with all its values `size` times as large as written.

        Parameters
        ----------
        size : float or (frames,) array
            Times.

        Returns
        -------
        (frames,) array
            In the channel's unit.
        """
        ...


class ManyInputs(Protocol):
    """What layers are given that are worked out at once. They share all but their numbers, which can't change."""

    @property
    def clock(self) -> Clock:
        """The moments asked for."""
        ...

    @property
    def layers(self) -> tuple[Any, ...]:
        """The layers themselves (each a Layer, which stands on this)."""
        ...

    def number(self, name: str) -> SampleRows:
        """One of their own numbers.

        Returns
        -------
        (layers, 1) array
            In the number's own unit.
        """
        ...

    def table(self, *names: str) -> NDArray[np.float64]:
        """Some of their numbers, as a kernel takes them.

        Returns
        -------
        (layers, names, 1) array
            Each in its number's own unit.
        """
        ...

    def below(self, clock: Clock | None = None) -> SampleRows:
        """What lies below each.

        Returns
        -------
        (layers, frames) array
            In the channel's unit. Not to be written to.
        """
        ...

    def other(self, address: str, frames: NDArray[np.float64] | None = None) -> float | NDArray[np.float64]:
        """Another number of the scene, at the moments asked for or at others.

        Parameters
        ----------
        frames : array of any shape
            May be fractions.

        Returns
        -------
        float or array of the frames' shape
            In the other number's unit.
        """
        ...

    def recipe(self, name: str) -> Any:
        """One of the scene's recipes, as of `Inputs`."""
        ...

    def clip(self, address: str) -> Any:
        """The clip that a track belongs to, as of `Inputs`."""
        ...

    def airflows(self) -> list[Airflow]:
        """The air as it passes where each one's object is."""
        ...

    def velocities(self, airflows: list[Airflow], clock: Clock) -> PointBlock:
        """How the air goes where some of them are, asked for at once.

        Returns
        -------
        (frames, airflows, 3) array
            Metres per second, as each gives it.
        """
        ...

    def through(self, stacks: list[Channel], size: SampleRows) -> SampleRows:
        """A stack for each over what lies below it, with all its values `size` times as large as written.

        Parameters
        ----------
        size : (layers, 1) array
            Times.

        Returns
        -------
        (layers, frames) array
            In the channel's unit.

        Raises
        ------
        NotAlike
            If these stacks can't be worked out at once.
        """
        ...
