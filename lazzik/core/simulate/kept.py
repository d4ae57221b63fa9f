"""Stretches of runs as they are kept: in single precision, with the state in double precision after which the run goes
on; as bytes that tell whether they are damaged."""

from __future__ import annotations

import io
from dataclasses import dataclass
from itertools import pairwise
from pathlib import Path
from typing import Any

import numpy as np

from lazzik.core.simulate.cloth import ClothState, Draped
from lazzik.core.simulate.particles import Moment, RunState

MOMENT = ("places", "speeds", "ages", "lives")
STATE = ("ids", "places", "speeds", "born", "lives", "stuck", "spots")


@dataclass(frozen=True, eq=False)
class KeptFrames:
    """Frames of a run, and the state after which it goes on: of particles, or of cloth."""

    moments: list[Any]
    """Moment or Draped, by frames."""
    state: Any
    """RunState or ClothState."""

    def rounded(self) -> KeptFrames:
        """The same as it will be read, so that it does not matter who worked it out."""
        return KeptFrames([moment.rounded() for moment in self.moments], self.state)


def pace(moment: Moment) -> float:
    """Metres a second that half of the particles are slower than; 0 where there are none."""
    return float(np.median(np.linalg.norm(moment.speeds, axis=1))) if len(moment) else 0.0


def packed(stretch: KeptFrames) -> bytes:
    """A stretch as bytes."""
    rows = _particle_rows(stretch) if isinstance(stretch.state, RunState) else _cloth_rows(stretch)
    rows |= {"frame": stretch.moments[0].frame, "alive": np.array([len(moment) for moment in stretch.moments])}
    out = io.BytesIO()
    np.savez(out, **rows)
    return out.getvalue()


def _particle_rows(stretch: KeptFrames) -> dict[str, Any]:
    moments, state = stretch.moments, stretch.state
    rows: dict[str, Any] = {
        "starts": np.cumsum([0, *(len(moment) for moment in moments)]),
        "ids": np.concatenate([moment.ids for moment in moments]),
        "pace": np.array([pace(moment) for moment in moments], dtype=np.float32),
        "step": state.step,
        "due": state.due,
    }
    rows |= {name: np.concatenate([getattr(m, name) for m in moments]).astype(np.float32) for name in MOMENT}
    return rows | {f"state_{name}": getattr(state, name) for name in STATE}


def _cloth_rows(stretch: KeptFrames) -> dict[str, Any]:
    moments, state = stretch.moments, stretch.state
    return {
        "draped": np.stack([moment.points for moment in moments]).astype(np.float32),
        "pace": np.array([moment.pace for moment in moments], dtype=np.float32),
        "step": state.step,
        "state_places": state.places,
        "state_speeds": state.speeds,
    }


def unpacked(content: bytes) -> KeptFrames:
    """A stretch from its bytes. Raises ValueError if they are damaged."""
    try:
        with np.load(io.BytesIO(content)) as held:
            rows = {name: held[name] for name in held.files}
        return _cloth_from(rows) if "draped" in rows else _particles_from(rows)
    except Exception as error:  # whatever a damaged file makes of its readers
        raise ValueError("a stretch of a run is damaged") from error


def _particles_from(rows: dict[str, Any]) -> KeptFrames:
    frame, starts = int(rows["frame"]), rows["starts"].tolist()
    moments = [
        Moment(frame + k, rows["ids"][a:b], *(rows[name][a:b].astype(np.float64) for name in MOMENT))
        for k, (a, b) in enumerate(pairwise(starts))
    ]
    state = RunState(int(rows["step"]), float(rows["due"]), *(rows[f"state_{name}"] for name in STATE))
    return KeptFrames(moments, state)


def _cloth_from(rows: dict[str, Any]) -> KeptFrames:
    frame = int(rows["frame"])
    both = enumerate(zip(rows["draped"], rows["pace"].tolist(), strict=True))
    moments = [Draped(frame + k, points.astype(np.float64), pace) for k, (points, pace) in both]
    return KeptFrames(moments, ClothState(int(rows["step"]), rows["state_places"], rows["state_speeds"]))


def course(content: Path) -> tuple[list[int], list[float]]:
    """Of each frame of a stretch in a file, how many there are and at what pace: read without the rest of it. Raises
    ValueError if it is damaged."""
    try:
        with np.load(content) as held:
            return held["alive"].tolist(), held["pace"].tolist()
    except Exception as error:  # whatever a damaged file makes of its readers
        raise ValueError("a stretch of a run is damaged") from error
