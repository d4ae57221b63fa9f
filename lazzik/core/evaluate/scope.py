"""What a number can see while it is evaluated: the scene it stands in, and what was computed before."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from functools import cache
from importlib import import_module
from typing import Any

from lazzik.core.channel.airflow import Airflow, StillAir
from lazzik.core.channel.channel import Channel, sounding
from lazzik.core.channel.layer import Layer
from lazzik.core.clock import Clock
from lazzik.core.errors import UnknownAddress
from lazzik.core.evaluate.memo import Memo
from lazzik.core.layers import Clip, Recipe
from lazzik.core.scene.address import Place, find_at
from lazzik.core.scene.node import Node
from lazzik.core.scene.references import answers, hangs, read_by, reads_of, seen_by
from lazzik.core.scene.scene import Scene
from lazzik.core.types import Samples


@dataclass(eq=False, slots=True)
class Ready:
    """What the lowest layers of a channel make of its base, worked out beside those of others."""

    channel: Channel
    clock: Clock
    count: int
    """How many layers."""
    whole: bool
    """Whether these are all of its layers that count."""
    motion: Samples


@dataclass(eq=False, slots=True)
class Run:
    """What was worked out in one evaluation."""

    stacks: dict[tuple[int, str], Any] = field(default_factory=dict)
    """By channel and home, while the number that asked for them is worked out."""
    ready: dict[tuple[int, str], Ready] = field(default_factory=dict)
    """What was worked out beside others, by the identity of the channel, and its home."""
    others: dict[tuple[str, tuple[float, ...]], float | Samples] = field(default_factory=dict)
    """Numbers that layers read, by address and clock."""
    rows: dict[tuple[str, tuple[float, ...]], Samples] = field(default_factory=dict)
    """(frames, columns) the numbers of fields, by field and clock."""
    jumps: dict[tuple[tuple[str, ...], float, float], Samples] = field(default_factory=dict)
    """Frames at which fields may jump, by the fields and the first and last frame."""


@dataclass(eq=False, slots=True)
class Scope:
    """Where a number is evaluated. Without a scene, other numbers can't be read.

    (Made for every number: a frozen one would take four times as long to make. Nobody changes one.)
    """

    scene: Scene | None = None
    memo: Memo | None = None
    problems: list[str] | None = None
    """Where it is noted why layers have no value somewhere; they then do nothing. None lets them raise."""
    run: Run | None = None
    """What was worked out in the evaluation that is under way; None outside of one."""
    home: str = ""
    """What the number belongs to: an object's id, or the address of another part of the scene. It says where what
    answers the air stands."""

    def at(self, home: str) -> Scope:
        """The scope of a number that belongs to an object, or to another part of the scene."""
        return self if home == self.home else Scope(self.scene, self.memo, self.problems, self.run, home)

    def noting(self, problems: list[str] | None) -> Scope:
        """The same, where why layers have no value is noted elsewhere."""
        return self if problems is self.problems else Scope(self.scene, self.memo, problems, self.run, self.home)

    def running(self) -> Scope:
        """The same, with an evaluation under way: the one that is, or a new one."""
        return self if self.run is not None else Scope(self.scene, self.memo, self.problems, Run(), self.home)

    @property
    def node(self) -> Node | None:
        """The object that the number belongs to, if it does to one."""
        return self.scene.by_id.get(self.home) if self.scene is not None else None

    def airflow(self) -> Airflow:
        """The air as it passes where the number is."""
        if self.scene is None:
            return StillAir()
        return _airflow()(self)

    def place(self, address: str) -> Place:
        """Another number of the scene. Raises UnknownAddress."""
        if self.scene is None:
            raise UnknownAddress(f"There is no scene in which '{address}' could be looked up", address)
        return find_at(self.scene, address)

    def counted(self, channel: Channel) -> tuple[Layer, ...]:
        """The layers of a channel, those in a sheaf with what they share."""
        return self.scene.counted(channel.layers) if self.scene else channel.layers

    def sounding(self, channel: Channel) -> tuple[Layer, ...]:
        """The layers of a channel that count, lowest first, those in a sheaf with what they share."""
        counted = self.counted(channel)
        return channel.sounding if counted is channel.layers else sounding(counted)

    def recipe(self, name: str) -> Recipe:
        """One of the scene's recipes. Raises UnknownAddress."""
        recipe = self.scene.recipe(name) if self.scene else None
        if recipe is None:
            raise UnknownAddress(f"There is no recipe '{name}' in this scene", f"recipes/{name}")
        return recipe

    def clip(self, address: str) -> Clip:
        """The clip that a track belongs to. Raises UnknownAddress."""
        held = self.scene.held_at(address) if self.scene else None
        if not isinstance(held, Clip):
            raise UnknownAddress(f"There is no clip with the track '{address.removeprefix('clips/')}'", address)
        return held

    def kept(self, channel: Channel, clock: Clock) -> Samples | None:
        """The channel's motion, if it was computed before and all that it reads is what it was.

        Returns
        -------
        (frames,) array or None
            In the channel's unit.
        """
        return self.memo.get(channel, clock, self._seen(reads_of(channel))) if self.memo else None

    def keep(self, channel: Channel, clock: Clock, motion: Samples) -> None:
        """Keep a motion.

        Parameters
        ----------
        motion : (frames,) array
            In the channel's unit.
        """
        if self.memo:
            self.memo.put(channel, clock, motion, self._seen(reads_of(channel)))

    def kept_pose(self, node: Node, clock: Clock) -> Samples | None:
        """The object's transform, if it was computed before and all that it reads is what it was.

        Returns
        -------
        (frames, …) array or None
            As it was kept.
        """
        return self.memo.get(node, clock, self._seen(read_by(node))) if self.memo else None

    def keep_pose(self, node: Node, clock: Clock, rows: Samples) -> None:
        """Keep a transform.

        Parameters
        ----------
        rows : (frames, …) array
            One row a frame.
        """
        if self.memo:
            self.memo.put(node, clock, rows, self._seen(read_by(node)))

    def _seen(self, reads: frozenset[str]) -> tuple[object, ...]:
        if self.scene is None or not reads:
            return ()
        node = self.node
        if node is None or not answers(self.scene, reads):
            return seen_by(self.scene, reads)
        return (node, *seen_by(self.scene, reads | hangs(node)))


@cache
def _airflow() -> Callable[[Scope], Airflow]:
    # a number may read the air, which reads the places of fields, which are numbers: the ring is a true one
    made: Callable[[Scope], Airflow] = import_module("lazzik.core.evaluate.airflow").airflow_for
    return made


ALONE = Scope()
"""A number by itself, nothing kept."""
