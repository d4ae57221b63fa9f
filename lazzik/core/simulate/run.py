"""Runs: what tells one from another, and the stretches of frames that they are kept in.

A run is named by a hash of all that it reads, of the program's version and of the machine: a run is never handed from
one machine to another half way, since processors need not round alike. How particles look is not read.
"""

from __future__ import annotations

import io
import platform
from collections import OrderedDict
from dataclasses import dataclass
from hashlib import sha256
from itertools import pairwise
from pathlib import Path
from typing import Any

import numpy as np

from lazzik.core.cache import Shelf
from lazzik.core.channel.airflow import CARRIED_AIR
from lazzik.core.errors import InvalidEdit, UnknownAddress
from lazzik.core.progress import UNHEARD, Progress
from lazzik.core.scene.edits.emitters import emitter_of
from lazzik.core.scene.emitter import Emitter
from lazzik.core.scene.references import depends_on, seen_by
from lazzik.core.scene.scene import Scene
from lazzik.core.simulate.particles import Moment, Particles, RunState

FORMAT = "2"
"""Raised whenever the same document would give another run, or a stretch is written otherwise."""

STRETCH = 25
"""Frames that are kept together."""

LOOKS = (
    "drawn", "copy_of", "size", "size_varies", "turned", "spin", "spin_varies", "tempo", "locked", "size_over_life",
    "color_over_life",
)  # fmt: skip
"""What of an emitter changes how particles look and how their run is played, and nothing else."""

KEEPS = 3
"""Stretches that are held at once."""


@dataclass(frozen=True, eq=False)
class KeptFrames:
    """Frames of a run, and the state after which it goes on."""

    moments: list[Moment]
    state: RunState


def run_key(scene: Scene, slug: str) -> str:
    """What tells a run from another: the same as long as nothing that it reads has changed."""
    node, emitter = emitter_of(scene, slug)
    bare = emitter.replaced(**{name: Emitter.model_fields[name].default for name in LOOKS})
    held = [node.replaced(emitter=bare), *tuple(scene.lineage(node))[1:]]
    for name in (emitter.of, *emitter.colliders):
        if name is not None:
            held += scene.lineage(scene.by_id[name])
    read = [depends_on(scene, here.replaced(label="any", visible=True, look=None)) for here in held]
    blown = seen_by(scene, frozenset({CARRIED_AIR})) if emitter.wind == "air" else ()
    parts = (FORMAT, platform.machine(), np.__version__, scene.fps, scene.first, read, blown)
    return sha256(repr(parts).encode()).hexdigest()


def run_played(scene: Scene, slug: str) -> str:
    """The run that is played: the one that is locked, or the one that the document asks for."""
    return emitter_of(scene, slug)[1].locked or run_key(scene, slug)


def next_stretch(run: Particles, place: int, before: RunState | None, progress: Progress = UNHEARD) -> KeptFrames:
    """Work a stretch out, from the state that the one before it ended with. Raises Stopped."""
    first = run.scene.first + place * STRETCH
    rows = list(run.frames(first, first + STRETCH - 1, before, progress))
    return KeptFrames([moment for moment, _ in rows], rows[-1][1])


class Stretches:
    """The stretches of an emitter's run, read where they are kept; those that are not are worked out and kept, unless
    it is one that `makes` none."""

    def __init__(self, scene: Scene, slug: str, shelf: Shelf[KeptFrames], *, makes: bool = True) -> None:
        self.run, self.key = Particles(scene, slug), run_played(scene, slug)
        self.shelf, self.makes = shelf, makes
        self.made = 0
        """How many had to be worked out."""
        self._held: OrderedDict[int, KeptFrames] = OrderedDict()

    def at(self, place: int, progress: Progress = UNHEARD) -> KeptFrames:
        """One of them. Raises Stopped, InvalidEdit where the run is locked and these frames of it are not there, and
        UnknownAddress where they are not there and nothing is made."""
        first, kept = place, self._known(place)
        while kept is None and first > 0:
            first -= 1
            kept = self._known(first)
        first += kept is not None
        for k in range(first, place + 1):
            kept = self._worked_out(k, None if kept is None else kept.state, progress.part(k / (place + 1), 1.0))
        assert kept is not None
        return kept

    def _known(self, place: int) -> KeptFrames | None:
        if place not in self._held:
            kept = self.shelf.read(self.key, place)
            return None if kept is None else self._hold(place, kept)
        return self._held[place]

    def _worked_out(self, place: int, before: RunState | None, progress: Progress) -> KeptFrames:
        node = self.run.node
        if not self.makes:
            raise UnknownAddress("These frames are not there yet", node.id)
        if self.run.emitter.locked is not None:
            frame = self.run.scene.first + place * STRETCH
            raise InvalidEdit(
                f"The run that {node.label} is locked to is not there from its frame {frame} on: unlock it", node.id
            )
        made = next_stretch(self.run, place, before, progress)
        self.shelf.put(self.key, place, made)
        self.made += 1
        # as it will be read, so that it does not matter who worked it out
        return self._hold(place, KeptFrames([_single(moment) for moment in made.moments], made.state))

    def _hold(self, place: int, kept: KeptFrames) -> KeptFrames:
        self._held[place] = kept
        while len(self._held) > KEEPS:
            self._held.popitem(last=False)
        return kept


def packed(stretch: KeptFrames) -> bytes:
    """A stretch as bytes that tell whether they are damaged: moments in single, the state in double precision."""
    moments, state = stretch.moments, stretch.state
    rows: dict[str, Any] = {
        "frame": moments[0].frame,
        "starts": np.cumsum([0, *(len(moment) for moment in moments)]),
        "ids": np.concatenate([moment.ids for moment in moments]),
        "alive": np.array([len(moment) for moment in moments]),
        "pace": np.array([pace(moment) for moment in moments], dtype=np.float32),
        "step": state.step,
        "due": state.due,
    }
    rows |= {name: np.concatenate([getattr(m, name) for m in moments]).astype(np.float32) for name in MOMENT}
    rows |= {f"state_{name}": getattr(state, name) for name in STATE}
    out = io.BytesIO()
    np.savez(out, **rows)
    return out.getvalue()


def _single(moment: Moment) -> Moment:
    """The same in single precision."""
    return Moment(
        moment.frame, moment.ids, *(getattr(moment, name).astype(np.float32).astype(np.float64) for name in MOMENT)
    )


def pace(moment: Moment) -> float:
    """Metres a second that half of the particles are slower than; 0 where there are none."""
    return float(np.median(np.linalg.norm(moment.speeds, axis=1))) if len(moment) else 0.0


def course(content: Path) -> tuple[list[int], list[float]]:
    """Of each frame of a stretch in a file, how many live and at what pace: read without the rest of it. Raises
    ValueError if it is damaged."""
    try:
        with np.load(content) as held:
            return held["alive"].tolist(), held["pace"].tolist()
    except Exception as error:  # whatever a damaged file makes of its readers
        raise ValueError("a stretch of a run is damaged") from error


MOMENT = ("places", "speeds", "ages", "lives")
STATE = ("ids", "places", "speeds", "born", "lives", "stuck", "spots")


def unpacked(content: bytes) -> KeptFrames:
    """A stretch from its bytes. Raises ValueError if they are damaged."""
    try:
        with np.load(io.BytesIO(content)) as held:
            rows = {name: held[name] for name in held.files}
        frame, starts = int(rows["frame"]), rows["starts"].tolist()
        moments = [
            Moment(frame + k, rows["ids"][a:b], *(rows[name][a:b].astype(np.float64) for name in MOMENT))
            for k, (a, b) in enumerate(pairwise(starts))
        ]
        state = RunState(int(rows["step"]), float(rows["due"]), *(rows[f"state_{name}"] for name in STATE))
    except Exception as error:  # whatever a damaged file makes of its readers
        raise ValueError("a stretch of a run is damaged") from error
    return KeptFrames(moments, state)


class FolderShelf:
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
