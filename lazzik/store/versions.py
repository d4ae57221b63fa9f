"""Versions: named states of a scene; and trials, from which one returns.

A version names a revision, so it costs its name, its note and a small picture: what it holds is in the history, which
never forgets. Going back stores what was then as a new step, so it is undone like any other.

A trial remembers where it began. Work goes on in the same history, so every step of it is as safe as any; returning
keeps what was tried as a version and stores what was before it as a step, both or neither.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Annotated

from pydantic import StringConstraints
from sqlalchemy import select
from sqlalchemy.orm import Session, defer

from lazzik.core.compare.words import in_words, summary
from lazzik.core.errors import InvalidEdit
from lazzik.core.scene.differences import differences
from lazzik.core.scene.scene import Scene
from lazzik.store.database import Database
from lazzik.store.rows import NoPicture, NothingThere, NoVersion, head_row, revision_row, scene_row
from lazzik.store.scenes import SceneStore, StagePicture, State
from lazzik.store.tables import TrialRow, VersionRow

MOST_NAME = 120
MOST_NOTE = 2000
MOST_CHANGES = 400
"""Characters."""

Name = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=MOST_NAME)]
Note = Annotated[str, StringConstraints(strip_whitespace=True, max_length=MOST_NOTE)]


@dataclass(frozen=True)
class Version:
    """A named state of a scene."""

    number: int
    revision: int
    name: str
    note: str
    changes: str
    """What differs from the version before it, in words."""
    made: datetime
    pictured: bool


@dataclass(frozen=True)
class Trial:
    """What is being tried."""

    name: str
    revision: int
    """Where it began."""
    made: datetime


class Versions:
    """The versions of the scenes of one database."""

    def __init__(self, database: Database, scenes: SceneStore) -> None:
        self._database = database
        self._scenes = scenes

    def rows(self, scene_id: str, *, before: int | None = None, most: int | None = None) -> list[Version]:
        """Versions of a scene, the newest first; those older than one, and so many, if wanted. Raises NoScene."""
        asked = select(VersionRow).options(defer(VersionRow.picture)).filter_by(scene=scene_id)
        if before is not None:
            asked = asked.where(VersionRow.row < before)
        with self._database.reading() as session:
            scene_row(session, scene_id)
            return [_version(row) for row in session.scalars(asked.order_by(VersionRow.row.desc()).limit(most))]

    def one(self, scene_id: str, number: int) -> Version:
        """One of them. Raises NoVersion."""
        with self._database.reading() as session:
            return _version(_row(session, scene_id, number))

    def keep(self, scene_id: str, revision: int, name: str, note: str = "") -> Version:
        """Keep a revision under a name, with what differs from the version before it. Raises NoScene."""
        changes = self.changes(scene_id, revision)
        with self._database.writing() as session:
            revision_row(session, scene_id, revision)
            return _version(_added(session, scene_id, revision, name, note, changes))

    def changes(self, scene_id: str, revision: int) -> str:
        """What differs at a revision from the newest version, or from the beginning; '' if nothing does. Raises
        NoScene."""
        with self._database.reading() as session:
            scene_row(session, scene_id)
            newest = select(VersionRow.revision).filter_by(scene=scene_id).order_by(VersionRow.row.desc()).limit(1)
            since = session.scalar(newest)
        return changes_between(self._scenes.at(scene_id, since or 0), self._scenes.at(scene_id, revision))

    def rename(self, scene_id: str, number: int, *, name: str | None = None, note: str | None = None) -> Version:
        """Give a version another name or note. Raises NoVersion."""
        with self._database.writing() as session:
            row = _row(session, scene_id, number)
            row.name = row.name if name is None else name
            row.note = row.note if note is None else note
            return _version(row)

    def remove(self, scene_id: str, number: int) -> None:
        """Forget a version; the step that it names stays in the history. Raises NoVersion."""
        with self._database.writing() as session:
            session.delete(_row(session, scene_id, number))

    def keep_picture(self, scene_id: str, number: int, picture: StagePicture) -> None:
        """Keep what the stage looked like. Raises NoVersion."""
        with self._database.writing() as session:
            row = _row(session, scene_id, number)
            row.media, row.picture = picture.media, picture.content

    def picture(self, scene_id: str, number: int) -> StagePicture:
        """What the stage looked like. Raises NoVersion, NoPicture."""
        with self._database.reading() as session:
            row = _row(session, scene_id, number)
            if row.picture is None or row.media is None:
                raise NoPicture("No picture of this version is kept")
            return StagePicture(row.revision, row.media, row.picture)

    def go_back(self, scene_id: str, revision: int, number: int) -> State:
        """Make the scene what it was at a version, as a step. Raises NoVersion, StaleEdit; InvalidEdit if it is that
        already."""
        version = self.one(scene_id, number)
        return self._restored(scene_id, revision, version.revision, f"back to {version.name}")

    def go_to(self, scene_id: str, revision: int, number: int) -> State:
        """Make the scene what it was at a step of its history, as a step. Raises NoScene, StaleEdit, InvalidEdit."""
        return self._restored(scene_id, revision, number, f"back to step {number}")

    def _restored(self, scene_id: str, revision: int, to: int, label: str) -> State:
        before, then = self._scenes.at_head(scene_id, revision), self._scenes.at(scene_id, to)
        if before == then:
            raise InvalidEdit("The scene is what it was then already, so there is nothing to change")
        return self._scenes.store(scene_id, revision, then, label)

    def trial(self, scene_id: str) -> Trial | None:
        """What is being tried, if anything is."""
        with self._database.reading() as session:
            row = session.get(TrialRow, scene_id)
            return Trial(row.name, row.revision, row.made) if row else None

    def begin_trial(self, scene_id: str, revision: int, name: str) -> Version | None:
        """Begin to try something: from here on there is a way back. What is now is kept as a version, unless it is one;
        the version that was kept.

        Raises NoScene, StaleEdit; InvalidEdit if something is being tried already.
        """
        changes = self.changes(scene_id, revision)
        with self._database.writing() as session:
            head_row(session, scene_id, revision)
            already = session.get(TrialRow, scene_id)
            if already is not None:
                raise InvalidEdit(f"'{already.name}' is being tried; return from it, or keep it, first")
            kept = select(VersionRow.row).filter_by(scene=scene_id, revision=revision).limit(1)
            session.add(TrialRow(scene=scene_id, revision=revision, name=name))
            if session.scalar(kept) is not None:
                return None
            return _version(_added(session, scene_id, revision, f"Before {name}"[:MOST_NAME], "", changes))

    def end_trial(self, scene_id: str, revision: int) -> Version:
        """Go on with what was tried: it is kept as a version, and there is nothing to return from any more. Raises
        NothingThere, StaleEdit."""
        changes = self.changes(scene_id, revision)
        with self._database.writing() as session:
            head_row(session, scene_id, revision)
            trial = _trial_row(session, scene_id)
            session.delete(trial)
            return _version(_added(session, scene_id, revision, trial.name, "", changes))

    def leave_trial(self, scene_id: str, revision: int) -> tuple[State, Version | None]:
        """Return to where a trial began, as a step; what was tried is kept as a version, unless nothing was. Raises
        NothingThere, StaleEdit."""
        trial = self.trial(scene_id)
        if trial is None:
            raise NothingThere(NOTHING_TRIED)
        before, then = self._scenes.at_head(scene_id, revision), self._scenes.at(scene_id, trial.revision)
        if before == then:  # nothing was tried after all
            with self._database.writing() as session:
                head_row(session, scene_id, revision)
                session.delete(_trial_row(session, scene_id))
            return self._scenes.open(scene_id), None
        changes, kept = self.changes(scene_id, revision), []

        def also(session: Session, _: int) -> None:
            session.delete(_trial_row(session, scene_id))
            kept.append(_version(_added(session, scene_id, revision, trial.name, "", changes)))

        state = self._scenes.store(scene_id, revision, then, f"return from {trial.name}", also)
        return state, kept[0]


NOTHING_TRIED = "Nothing is being tried in this scene."


def changes_between(before: Scene, after: Scene) -> str:
    """What differs between two states, in a line."""
    return summary(in_words(differences(before, after), before, after))[:MOST_CHANGES]


def _row(session: Session, scene_id: str, number: int) -> VersionRow:
    row = session.get(VersionRow, number)
    if row is None or row.scene != scene_id:
        raise NoVersion("There is no such version; it may have been removed.", str(number))
    return row


def _trial_row(session: Session, scene_id: str) -> TrialRow:
    row = session.get(TrialRow, scene_id)
    if row is None:
        raise NothingThere(NOTHING_TRIED)
    return row


def _added(session: Session, scene_id: str, revision: int, name: str, note: str, changes: str) -> VersionRow:
    row = VersionRow(scene=scene_id, revision=revision, name=name, note=note, changes=changes)
    session.add(row)
    session.flush()
    return row


def _version(row: VersionRow) -> Version:
    return Version(row.row, row.revision, row.name, row.note, row.changes, row.made, row.media is not None)
