"""Runs: what tells one from another, and the stretches of frames that they are kept in.

A run is named by a hash of all that it reads, of the program's version and of the machine: a run is never handed from
one machine to another half way, since processors need not round alike. How particles look is not read.
"""

from __future__ import annotations

import io
import platform
from dataclasses import dataclass
from hashlib import sha256
from itertools import pairwise
from typing import Any

import numpy as np

from lazzik.core.channel.airflow import AIR
from lazzik.core.progress import UNHEARD, Progress
from lazzik.core.scene.edits.emitters import emitter_of
from lazzik.core.scene.emitter import Emitter
from lazzik.core.scene.references import depends_on, seen_by
from lazzik.core.scene.scene import Scene
from lazzik.core.simulate.particles import Moment, Particles, RunState

FORMAT = "1"
"""Raised whenever the same document would give another run."""

STRETCH = 25
"""Frames that are kept together."""

LOOKS = ("drawn", "copy_of", "size", "size_varies", "spin", "size_over_life", "color_over_life")
"""What of an emitter changes how particles look, and nothing else."""


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
    blown = seen_by(scene, frozenset({AIR})) if emitter.wind == "air" else ()
    parts = (FORMAT, platform.machine(), np.__version__, scene.fps, scene.first, read, blown)
    return sha256(repr(parts).encode()).hexdigest()


def stretches(scene: Scene, last: int) -> int:
    """How many stretches there are up to a frame."""
    return (last - scene.first) // STRETCH + 1


def next_stretch(run: Particles, place: int, before: RunState | None, progress: Progress = UNHEARD) -> KeptFrames:
    """Work a stretch out, from the state that the one before it ended with. Raises Stopped."""
    first = run.scene.first + place * STRETCH
    rows = list(run.frames(first, first + STRETCH - 1, before, progress))
    return KeptFrames([moment for moment, _ in rows], rows[-1][1])


def packed(stretch: KeptFrames) -> bytes:
    """A stretch as bytes that tell whether they are damaged: moments in single, the state in double precision."""
    moments, state = stretch.moments, stretch.state
    rows: dict[str, Any] = {
        "frame": moments[0].frame,
        "starts": np.cumsum([0, *(len(moment) for moment in moments)]),
        "ids": np.concatenate([moment.ids for moment in moments]),
        "step": state.step,
        "due": state.due,
    }
    rows |= {name: np.concatenate([getattr(m, name) for m in moments]).astype(np.float32) for name in MOMENT}
    rows |= {f"state_{name}": getattr(state, name) for name in STATE}
    out = io.BytesIO()
    np.savez(out, **rows)
    return out.getvalue()


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
