"""Many scenes at once: what one scene refuses stops no other, and a process that ended is tried again."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from lazzik.core.errors import InvalidDocument, LazzikError
from lazzik.core.progress import UNHEARD, Progress
from lazzik.work.crew import Crew, tried
from lazzik.work.source import SceneText, StoredFile
from lazzik.work.tasks import sent_back


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
    crew: Crew, task: Callable[..., list[str]], pieces: Sequence[Piece], *more: Any, progress: Progress = UNHEARD
) -> list[Outcome]:
    """What a task makes of each piece, in their order, as many at once as the crew has. Raises Stopped if `progress`
    does: what is not done then is ended, and leaves no file."""
    parts = progress.shared(len(pieces))

    def done(pair: tuple[Piece, Progress]) -> Outcome:
        piece, part = pair
        try:
            return Outcome(piece, tuple(_made(crew, task, piece, more, part)))
        except LazzikError as error:
            return Outcome(piece, problem=error.message)

    with ThreadPoolExecutor(crew.most) as pool:
        return list(pool.map(done, zip(pieces, parts, strict=True)))


def _made(
    crew: Crew, task: Callable[..., list[str]], piece: Piece, more: tuple[Any, ...], progress: Progress
) -> list[str]:
    """Have a file made; what is to be said of it. Who sees no files of ours is sent the scene, and sends the file."""
    if crew.near:
        lines: list[str] = tried(crew, task, StoredFile(piece.scene), piece.out, *more, progress=progress)
        return lines
    try:
        scene = SceneText(piece.scene.read_bytes())
        lines, content = tried(crew, sent_back, task, scene, piece.out.name, more, progress=progress)
        part = piece.out.with_name(f".{piece.out.name}.part")
        part.write_bytes(content)
        part.replace(piece.out)
    except OSError as error:
        raise InvalidDocument(f"'{error.filename}' can't be read or written: {error.strerror}.") from None
    return lines
