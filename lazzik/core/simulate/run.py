"""Runs: what tells one from another, and the stretches of frames that they are kept in.

A run is named by a hash of all that it reads, of the program's version and of the machine: a run is never handed from
one machine to another half way, since processors need not round alike. How particles look is not read.
"""

from __future__ import annotations

import platform
from collections import OrderedDict
from collections.abc import Mapping
from hashlib import sha256
from pathlib import Path
from typing import Any

import numpy as np

from lazzik.core.cache import Storage
from lazzik.core.channel.airflow import CARRIED_AIR
from lazzik.core.errors import InvalidEdit, UnknownAddress
from lazzik.core.progress import UNHEARD, Progress
from lazzik.core.scene.carried import Carried
from lazzik.core.scene.node import Node
from lazzik.core.scene.references import depends_on, seen_by
from lazzik.core.scene.scene import Scene
from lazzik.core.simulate.cloth import ClothRun
from lazzik.core.simulate.kept import KeptFrames, packed, unpacked
from lazzik.core.simulate.particles import Particles
from lazzik.core.simulate.swarm import SwarmRun

FORMAT = "4"
"""Raised whenever the same document would give another run, or a stretch is written otherwise."""

STRETCH = 25
"""Frames that are kept together."""

KEEPS = 3
"""Stretches that are held at once."""


def carried_of(scene: Scene, slug: str) -> tuple[Node, Carried]:
    """An object and what of it has a run. Raises UnknownAddress, and InvalidEdit if nothing has."""
    node = scene.node(slug)
    if node.carried is None:
        raise InvalidEdit(f"Nothing of {node.label} is worked out step by step", slug)
    return node, node.carried


Simulation = Particles | ClothRun | SwarmRun
"""What works a run out."""

SIMULATIONS: Mapping[str, type[Particles] | type[ClothRun] | type[SwarmRun]] = {
    "emitter": Particles, "cloth": ClothRun, "swarm": SwarmRun,
}  # fmt: skip
"""By the field of the object that has one."""


def simulation_of(scene: Scene, slug: str) -> Simulation:
    """What works the run of an object out. Raises UnknownAddress and InvalidEdit."""
    node, part = carried_of(scene, slug)
    return next(kind(scene, slug) for name, kind in SIMULATIONS.items() if getattr(node, name) is part)


def run_key(scene: Scene, slug: str) -> str:
    """What tells a run from another: the same as long as nothing that it reads has changed."""
    node, carried = carried_of(scene, slug)
    bare = carried.bare()
    held = [_bare(node, bare), *tuple(scene.lineage(node))[1:]]
    for name in bare.refers:
        held += scene.lineage(scene.by_id[name])
    read = [depends_on(scene, here.replaced(label="any", visible=True, look=None)) for here in held]
    blown = seen_by(scene, frozenset({CARRIED_AIR})) if bare.in_air else ()
    parts = (FORMAT, platform.machine(), np.__version__, scene.fps, scene.first, read, blown)
    return sha256(repr(parts).encode()).hexdigest()


def _bare(node: Node, part: Carried) -> Node:
    """An object as its run reads it: deformers act on cloth that hangs already."""
    return node.with_carried(lambda _: part).replaced(deform=(), targets=None)


def run_played(scene: Scene, slug: str) -> str:
    """The run that is played: the one that is locked, or the one that the document asks for."""
    return carried_of(scene, slug)[1].locked or run_key(scene, slug)


def next_stretch(run: Simulation, place: int, before: Any = None, progress: Progress = UNHEARD) -> KeptFrames:
    """Work a stretch out, from the state that the one before it ended with. Raises Stopped."""
    first = run.scene.first + place * STRETCH
    rows: list[tuple[Any, Any]] = list(run.frames(first, first + STRETCH - 1, before, progress))
    return KeptFrames([moment for moment, _ in rows], rows[-1][1])


class Stretches:
    """The stretches of an object's run, read where they are kept; those that are not are worked out and kept, unless
    it is one that `makes` none."""

    def __init__(self, scene: Scene, slug: str, storage: Storage[KeptFrames], *, makes: bool = True) -> None:
        self.run, self.key = simulation_of(scene, slug), run_played(scene, slug)
        self.locked = carried_of(scene, slug)[1].locked is not None
        self.storage, self.makes = storage, makes
        self.made = 0
        """How many had to be worked out."""
        self._held: OrderedDict[int, KeptFrames] = OrderedDict()

    def at(self, place: int, progress: Progress = UNHEARD) -> KeptFrames:
        """One of them. Raises Stopped, InvalidEdit where the run is locked and these frames of it are not there, and
        UnknownAddress where they are not there and nothing is made."""
        first, kept = place, self.known(place)
        while kept is None and first > 0:
            first -= 1
            kept = self.known(first)
        first += kept is not None
        for k in range(first, place + 1):
            kept = self._worked_out(k, None if kept is None else kept.state, progress.part(k / (place + 1), 1.0))
        assert kept is not None
        return kept

    def known(self, place: int) -> KeptFrames | None:
        """One of them that is there; None if it is not."""
        if place not in self._held:
            kept = self.storage.read(self.key, place)
            return None if kept is None else self._hold(place, kept)
        return self._held[place]

    def _worked_out(self, place: int, before: Any, progress: Progress) -> KeptFrames:
        node = self.run.node
        if not self.makes:
            raise UnknownAddress("These frames are not there yet", node.id)
        if self.locked:
            frame = self.run.scene.first + place * STRETCH
            raise InvalidEdit(
                f"The run that {node.label} is locked to is not there from its frame {frame} on: unlock it", node.id
            )
        made = next_stretch(self.run, place, before, progress)
        self.storage.put(self.key, place, made)
        self.made += 1
        return self._hold(place, made.rounded())

    def _hold(self, place: int, kept: KeptFrames) -> KeptFrames:
        self._held[place] = kept
        while len(self._held) > KEEPS:
            self._held.popitem(last=False)
        return kept


class BytesStorage:
    """Stretches of runs as bytes, for as long as it is needed."""

    def __init__(self) -> None:
        self.kept: dict[tuple[str, int], bytes] = {}

    def read(self, key: str, place: int) -> KeptFrames | None:
        """A stretch; None if it is not there."""
        content = self.kept.get((key, place))
        return None if content is None else unpacked(content)

    def put(self, key: str, place: int, part: KeptFrames) -> None:
        """Keep a stretch."""
        self.kept[key, place] = packed(part)


class FolderStorage:
    """Stretches of runs in a folder, for as long as it is needed."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder

    def read(self, key: str, place: int) -> KeptFrames | None:
        """A stretch; None if it is not there."""
        path = self.folder / f"{key}-{place}"
        return unpacked(path.read_bytes()) if path.exists() else None

    def put(self, key: str, place: int, part: KeptFrames) -> None:
        """Keep a stretch."""
        (self.folder / f"{key}-{place}").write_bytes(packed(part))
