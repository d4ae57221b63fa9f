"""Many scenes at once, each in a process of its own: what one scene refuses stops no other, and a process that ended is
tried again."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path

from lazzik.core.errors import LazzikError
from lazzik.core.progress import UNHEARD, Progress
from lazzik.work.pool import WorkBroken, Workers

TRIES = 2
"""Times that work is begun whose process ends."""


@dataclass(frozen=True)
class Piece:
    """One scene of many, and the file that is made of it."""

    scene: Path
    out: Path


@dataclass(frozen=True)
class Outcome:
    """What became of a piece."""

    piece: Piece
    lines: tuple[str, ...] = ()
    problem: str = ""
    """Why there is no file; '' if there is."""


def all_done(
    task: Callable[[Path, Path, Progress], list[str]], pieces: Sequence[Piece], jobs: int, progress: Progress = UNHEARD
) -> list[Outcome]:
    """What a task makes of each piece, in their order, so many at once. Raises Stopped if `progress` does: what is not
    done then is ended, and leaves no file."""
    workers = Workers(most=jobs)
    parts = progress.shared(len(pieces))

    def done(pair: tuple[Piece, Progress]) -> Outcome:
        piece, part = pair
        for left in reversed(range(TRIES)):
            try:
                lines = workers.run(task, piece.scene, piece.out, progress=part)
                return Outcome(piece, tuple(lines))
            except WorkBroken as error:
                if not left:
                    return Outcome(piece, problem=error.message)
            except LazzikError as error:
                return Outcome(piece, problem=error.message)
        raise AssertionError("the last try gives an outcome")

    try:
        with ThreadPoolExecutor(jobs) as pool:
            return list(pool.map(done, zip(pieces, parts, strict=True)))
    finally:
        workers.close()
