"""The list of scenes, which is made of rows alone: no scene is read for it."""

from __future__ import annotations

import json
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import select

from lazzik.store.database import Database
from lazzik.store.rows import scene_row
from lazzik.store.tables import CardRow, PictureRow, SceneRow


@dataclass(frozen=True)
class Entry:
    """A scene in the list."""

    id: str
    name: str
    revision: int
    changed: datetime
    card: dict[str, Any] | None
    """What is shown of it; None if that was never worked out."""
    card_is_fresh: bool
    """Whether the card is of this revision."""
    picture: str | None = None
    """Which picture there is of its stage: its revision and media type, as '12 image/webp'; None if there is none."""


def entries(database: Database) -> list[Entry]:
    """All scenes, the last changed first."""
    with database.reading() as session:
        return [_entry(*row) for row in session.execute(_WITH_CARDS)]


def entry(database: Database, scene_id: str) -> Entry:
    """One of them. Raises NoScene."""
    with database.reading() as session:
        scene_row(session, scene_id)
        return _entry(*session.execute(_WITH_CARDS.where(SceneRow.id == scene_id)).one())


_WITH_CARDS = (
    select(SceneRow, CardRow, PictureRow.revision, PictureRow.media)
    .outerjoin(CardRow, CardRow.scene == SceneRow.id)
    .outerjoin(PictureRow, PictureRow.scene == SceneRow.id)
    .order_by(SceneRow.changed.desc(), SceneRow.id)
)


def _entry(row: SceneRow, card: CardRow | None, revision: int | None, media: str | None) -> Entry:
    content = json.loads(card.content) if card else None
    fresh = card is not None and card.revision == row.head
    return Entry(row.id, row.name, row.head, row.changed, content, fresh, f"{revision} {media}" if media else None)
