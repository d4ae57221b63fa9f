"""Deliveries cut into pieces over those who work: the same bytes as of one piece, for each object's part is alone."""

from __future__ import annotations

from typing import TYPE_CHECKING

from lazzik.work.crew import Crew, hands_of, in_parts, tried
from lazzik.work.tasks import made_pieces, pieces_of

if TYPE_CHECKING:
    from lazzik.core.formats.base import Format, Made, PieceName
    from lazzik.core.progress import Progress
    from lazzik.work.source import Readable


def made_by_all(crew: Crew, source: Readable, chosen: Format, progress: Progress) -> Made:
    """What the pieces of a file come to; nothing where one would do them all. Raises as `Crew.run` does."""
    if crew.most < 2:
        return {}
    pieces: list[PieceName] = tried(crew, pieces_of, source, chosen, progress=progress.part(0.0, 0.05))
    if len(pieces) < 2:
        return {}
    share = progress.part(0.05, 1.0)
    parts: list[Made] = in_parts(crew, made_pieces, source, hands_of(pieces, crew.most), chosen, progress=share)
    return {piece: made for part in parts for piece, made in part.items()}
