"""Stretches of runs as they are kept: in single precision, with the state in double precision after which the run goes
on; as bytes that tell whether they are damaged."""

from __future__ import annotations

import io
from collections.abc import Mapping
from dataclasses import dataclass, fields
from itertools import pairwise
from pathlib import Path
from typing import Any

import numpy as np

from lazzik.core.simulate.cloth import ClothState, Draped
from lazzik.core.simulate.particles import Moment, RunState
from lazzik.core.simulate.swarm import SwarmState

KINDS: Mapping[str, tuple[type[Any], type[Any]]] = {
    "particles": (Moment, RunState), "cloth": (Draped, ClothState), "swarm": (Moment, SwarmState),
}  # fmt: skip
"""What a run of each kind is at a frame, and what it goes on from."""


@dataclass(frozen=True, eq=False)
class KeptFrames:
    """Frames of a run, and the state after which it goes on."""

    moments: list[Any]
    """Moment or Draped, by frames."""
    state: Any
    """RunState, ClothState or SwarmState."""

    def rounded(self) -> KeptFrames:
        """The same as it will be read, so that it does not matter who worked it out."""
        return KeptFrames([moment.rounded() for moment in self.moments], self.state)


def packed(stretch: KeptFrames) -> bytes:
    """A stretch as bytes: the rows of all its frames one after the other, and the state."""
    moments, state = stretch.moments, stretch.state
    kind = next(kind for kind, (_, each) in KINDS.items() if isinstance(state, each))
    rows: dict[str, Any] = {
        "kind": kind, "frame": moments[0].frame, "alive": np.array([len(moment) for moment in moments]),
        "pace": np.array([moment.pace for moment in moments], dtype=np.float32),
    }  # fmt: skip
    for name in _columns(type(moments[0])):
        column = np.concatenate([getattr(moment, name) for moment in moments])
        rows[name] = column if column.dtype.kind == "i" else column.astype(np.float32)
    out = io.BytesIO()
    np.savez(out, **rows, **{f"state_{field.name}": getattr(state, field.name) for field in fields(state)})
    return out.getvalue()


def unpacked(content: bytes) -> KeptFrames:
    """A stretch from its bytes. Raises ValueError if they are damaged."""
    try:
        with np.load(io.BytesIO(content)) as held:
            rows = {name: held[name] for name in held.files}
        moment, state = KINDS[str(rows["kind"])]
        frame, starts = int(rows["frame"]), np.cumsum([0, *rows["alive"].tolist()]).tolist()
        moments = []
        for k, (a, b) in enumerate(pairwise(starts)):
            columns = {name: _double(rows[name][a:b]) for name in _columns(moment)}
            given = {"pace": float(rows["pace"][k])} if "pace" in moment.__dataclass_fields__ else {}
            moments.append(moment(frame=frame + k, **columns, **given))
        kept = {field.name: rows[f"state_{field.name}"] for field in fields(state)}
        return KeptFrames(moments, state(**{name: row if row.ndim else row.item() for name, row in kept.items()}))
    except Exception as error:  # whatever a damaged file makes of its readers
        raise ValueError("a stretch of a run is damaged") from error


def _columns(moment: type[Any]) -> list[str]:
    """What a moment has of each particle or point."""
    return [field.name for field in fields(moment) if field.name not in ("frame", "pace")]


def _double(column: np.ndarray[Any, Any]) -> np.ndarray[Any, Any]:
    return column if column.dtype.kind == "i" else column.astype(np.float64)


def course(content: Path) -> tuple[list[int], list[float]]:
    """Of each frame of a stretch in a file, how many there are and at what pace: read without the rest of it. Raises
    ValueError if it is damaged."""
    try:
        with np.load(content) as held:
            return held["alive"].tolist(), held["pace"].tolist()
    except Exception as error:  # whatever a damaged file makes of its readers
        raise ValueError("a stretch of a run is damaged") from error
