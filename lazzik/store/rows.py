"""Rows of the database as everybody looks them up, and what is raised where there is none."""

from __future__ import annotations

from collections.abc import Iterator

from sqlalchemy import Connection, bindparam, func, insert, select, update
from sqlalchemy.orm import Session

from lazzik.core.errors import LazzikError
from lazzik.store.tables import RevisionRow, SceneRow, TrialRow, now


class NoScene(LazzikError, LookupError):
    """There is no scene with this id, or it has no such revision."""


class NoPicture(LazzikError, LookupError):
    """A scene or a version whose stage nobody has looked at or drawn yet."""


class NoVersion(LazzikError, LookupError):
    """There is no version with this number."""


class NotOnShelf(LazzikError, LookupError):
    """There is nothing on the shelf under this key."""


class StaleEdit(LazzikError):
    """An edit made on a revision that is no longer the head. `head` is the newer one."""

    def __init__(self, head: int) -> None:
        super().__init__(
            "This scene was changed elsewhere since this page showed it, so this step was not stored. "
            "Reload to see the newer state; nothing of it is lost."
        )
        self.head = head


class NothingThere(LazzikError):
    """There is nothing to undo or redo, or to return to."""


def scene_row(session: Session, scene_id: str) -> SceneRow:
    """A scene's. Raises NoScene."""
    row = session.get(SceneRow, scene_id)
    if row is None:
        raise NoScene("There is no such scene; it may have been removed.", scene_id[:40])
    return row


def head_row(session: Session, scene_id: str, revision: int) -> SceneRow:
    """A scene's whose head is a revision. Raises NoScene, StaleEdit."""
    row = scene_row(session, scene_id)
    if row.head != revision:
        raise StaleEdit(row.head)
    return row


# an edit waits for these three, so they are statements that were put together once, without objects for their rows

_HEAD = select(
    SceneRow.head,
    select(func.max(RevisionRow.number)).where(RevisionRow.scene == bindparam("scene")).scalar_subquery(),
    select(TrialRow.name).where(TrialRow.scene == bindparam("scene")).scalar_subquery(),
).where(SceneRow.id == bindparam("scene"))
_ADD = insert(RevisionRow)
_MOVE = (
    update(SceneRow)
    .where(SceneRow.id == bindparam("scene"))
    .values(head=bindparam("to"), name=bindparam("called"), changed=bindparam("at"))
)


def at_head(connection: Connection, scene_id: str, revision: int) -> tuple[int, str]:
    """The newest number of a scene's revisions, and what is being tried in it; '' if nothing is. Raises NoScene, and
    StaleEdit if its head is not a revision."""
    row = connection.execute(_HEAD, {"scene": scene_id}).one_or_none()
    if row is None:
        raise NoScene("There is no such scene; it may have been removed.", scene_id[:40])
    head, newest, trial = row
    if head != revision:
        raise StaleEdit(head)
    return newest or 0, trial or ""


def add_revision(
    connection: Connection, scene_id: str, number: int, parent: int, label: str, patch: str, snapshot: str | None
) -> None:
    """Put in what became of a revision."""
    connection.execute(
        _ADD,
        {
            "scene": scene_id, "number": number, "parent": parent, "label": label, "patch": patch,
            "snapshot": snapshot,
        },
    )  # fmt: skip


def move_head(connection: Connection, scene_id: str, head: int, name: str) -> None:
    """Let another revision be a scene's head."""
    connection.execute(_MOVE, {"scene": scene_id, "to": head, "called": name, "at": now()})


def revision_row(session: Session, scene_id: str, number: int) -> RevisionRow:
    """A revision's. Raises NoScene."""
    row = session.scalar(select(RevisionRow).filter_by(scene=scene_id, number=number))
    if row is None:
        raise NoScene(f"The scene has no step {number}.", scene_id[:40])
    return row


def newest_child(session: Session, scene_id: str, number: int) -> RevisionRow | None:
    """The newest revision that was made from one."""
    children = select(RevisionRow).filter_by(scene=scene_id, parent=number).order_by(RevisionRow.number.desc())
    return session.scalar(children.limit(1))


def line_up(session: Session, scene_id: str, number: int) -> Iterator[int]:
    """A revision and those that it was made from, the nearest first."""
    parents = select(RevisionRow.parent).filter_by(scene=scene_id)
    above: int | None = number
    while above is not None:
        yield above
        above = session.scalar(parents.filter_by(number=above))
