"""The history of a scene as a list: every step there ever was, also those that were undone or left."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from lazzik.store.database import Database
from lazzik.store.rows import line_up, newest_child, scene_row
from lazzik.store.tables import RevisionRow, VersionRow

PAGE = 100
"""Steps that are listed at once."""


@dataclass(frozen=True)
class HistoryStep:
    """One step."""

    number: int
    label: str
    made: datetime
    place: str
    """'now', 'before' it (undo leads there), 'after' it (redo does), or 'left': undone, and others were made since."""
    versions: tuple[str, ...]
    """Names of the versions that it is."""


@dataclass(frozen=True)
class History:
    """Some steps of a history, the newest first."""

    rows: tuple[HistoryStep, ...]
    total: int
    """How many steps there are in all."""

    @property
    def older(self) -> int | None:
        """The step below which there are more; None if there are none."""
        return self.rows[-1].number if self.rows and self.rows[-1].number > 0 else None


def steps(database: Database, scene_id: str, *, below: int | None = None, most: int = PAGE) -> History:
    """Steps of a scene, those below one if wanted. Raises NoScene."""
    asked = select(RevisionRow.number, RevisionRow.label, RevisionRow.made).filter_by(scene=scene_id)
    if below is not None:
        asked = asked.where(RevisionRow.number < below)
    with database.reading() as session:
        head = scene_row(session, scene_id).head
        found = session.execute(asked.order_by(RevisionRow.number.desc()).limit(most)).all()
        lowest = found[-1].number if found else 0
        before, after = _before(session, scene_id, head, lowest), _after(session, scene_id, head)
        named = select(VersionRow.revision, VersionRow.name).filter_by(scene=scene_id)
        names: dict[int, list[str]] = {}
        for number, name in session.execute(named.where(VersionRow.revision >= lowest).order_by(VersionRow.row)):
            names.setdefault(number, []).append(name)
        total = session.scalar(select(func.count()).select_from(RevisionRow).filter_by(scene=scene_id)) or 0
    rows = []
    for number, label, made in found:
        place = "now" if number == head else "before" if number in before else "after" if number in after else "left"
        rows.append(HistoryStep(number, label, made, place, tuple(names.get(number, ()))))
    return History(tuple(rows), total)


def _before(session: Session, scene_id: str, head: int, lowest: int) -> set[int]:
    """Steps that undo leads to, as far down as they are listed: a parent is always older than its child."""
    found = set()
    for number in line_up(session, scene_id, head):
        if number < lowest:
            break
        found.add(number)
    return found


def _after(session: Session, scene_id: str, head: int) -> set[int]:
    """Steps that redo leads to."""
    found: set[int] = set()
    row = newest_child(session, scene_id, head)
    while row is not None:
        found.add(row.number)
        row = newest_child(session, scene_id, row.number)
    return found
