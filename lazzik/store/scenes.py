"""Scenes and their history: one edit is one transaction is one revision."""

from __future__ import annotations

import json
import secrets
from collections import OrderedDict
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from threading import Lock

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from lazzik.core.errors import LazzikError
from lazzik.core.geometry.assets import held_content, let_go, name_of
from lazzik.core.scene.edits import Edit, applied
from lazzik.core.scene.held import assets_of
from lazzik.core.scene.node import Node
from lazzik.core.scene.scene import VERSION, Scene
from lazzik.core.scene.text import scene_json
from lazzik.store.database import Database
from lazzik.store.patches import patch_between, patched
from lazzik.store.tables import AssetRow, RevisionRow, SceneRow, now

SNAPSHOT_EVERY = 32
"""Revisions from one whole copy to the next."""

KEPT = 64
"""States held in memory, the least recently used forgotten first."""


class NoScene(LazzikError, LookupError):
    """There is no scene with this id."""


class StaleEdit(LazzikError):
    """An edit made on a revision that is no longer the head. `head` is the newer one."""

    def __init__(self, head: int) -> None:
        super().__init__(
            "This scene was changed elsewhere since this page showed it, so this step was not stored. "
            "Reload to see the newer state; nothing of it is lost."
        )
        self.head = head


class NothingThere(LazzikError):
    """There is nothing to undo or redo."""


@dataclass(frozen=True)
class State:
    """A scene at its head, and where undo and redo would lead."""

    id: str
    revision: int
    scene: Scene
    undo: str | None
    """What the last step did; None at the beginning."""
    redo: str | None

    @property
    def said(self) -> dict[str, object]:
        """What a page needs to know of it after a step."""
        return {"revision": self.revision, "undo": self.undo, "redo": self.redo, "name": self.scene.name}


@dataclass(frozen=True)
class Entry:
    """A scene in the list."""

    id: str
    name: str
    revision: int
    changed: datetime


class SceneStore:
    """The scenes of one database."""

    def __init__(self, database: Database) -> None:
        self._database = database
        self._states: OrderedDict[tuple[str, int], Scene] = OrderedDict()
        self._present: dict[str, int] = {}
        """A revision of each scene that is known to be written in the present version of the document."""
        self._lock = Lock()

    def entries(self) -> list[Entry]:
        """All scenes, the last changed first."""
        with self._database.reading() as session:
            rows = session.scalars(select(SceneRow).order_by(SceneRow.changed.desc(), SceneRow.id))
            return [Entry(row.id, row.name, row.head, row.changed) for row in rows]

    def create(self, scene: Scene, label: str) -> State:
        """Store a new scene."""
        scene_id = secrets.token_hex(6)
        with self._database.writing() as session:
            stored = _keep_assets(session, scene.nodes)
            session.add(SceneRow(id=scene_id, name=scene.name, head=0))
            session.flush()
            text = json.dumps(scene_json(scene))
            session.add(RevisionRow(scene=scene_id, number=0, parent=None, label=label, snapshot=text))
        _stored(stored)
        self._keep(scene_id, 0, scene)
        return State(scene_id, 0, scene, None, None)

    def put_asset(self, content: bytes) -> str:
        """Store something heavy; its name."""
        name = name_of(content)
        with self._database.writing() as session:
            if session.get(AssetRow, name) is None:
                session.add(AssetRow(name=name, content=content))
        return name

    def asset(self, name: str) -> bytes | None:
        """The bytes of an asset, or None."""
        with self._database.reading() as session:
            row = session.get(AssetRow, name)
            return row.content if row else None

    def remove(self, scene_id: str) -> None:
        """Forget a scene with its history. Raises NoScene."""
        with self._database.writing() as session:
            session.delete(_row(session, scene_id))

    def open(self, scene_id: str) -> State:
        """A scene at its head. Raises NoScene."""
        with self._database.reading() as session:
            return self._state(session, _row(session, scene_id))

    def at(self, scene_id: str, revision: int) -> Scene:
        """A scene as it was at a revision. Raises NoScene."""
        with self._database.reading() as session:
            return self._scene(session, scene_id, revision)

    def edit(self, scene_id: str, revision: int, edits: list[Edit]) -> State:
        """Apply edits to the head and store the outcome; all or none.

        Raises NoScene, StaleEdit if `revision` is not the head, and whatever the edits raise.
        """
        with self._database.writing() as session:
            row = _current(session, scene_id, revision)
            before = self._scene(session, scene_id, row.head)
            label = edits[0].said(before) if len(edits) == 1 else f"{edits[0].said(before)} and {len(edits) - 1} more"
            after = applied(before, edits)
            stored = _keep_assets(session, [node for node in after.nodes if before.by_id.get(node.id) is not node])
            known = self._present.get(scene_id) == row.head
            earlier = not known and _revision(session, scene_id, row.head).version != VERSION
            number = 1 + (session.scalar(select(func.max(RevisionRow.number)).filter_by(scene=scene_id)) or 0)
            session.add(
                RevisionRow(
                    scene=scene_id,
                    number=number,
                    parent=row.head,
                    label=label[:400],
                    patch=json.dumps(patch_between(before, after)),
                    # no patch leads from a document of an earlier version
                    snapshot=json.dumps(scene_json(after)) if earlier or number % SNAPSHOT_EVERY == 0 else None,
                )
            )
            row.head, row.name, row.changed = number, after.name, now()
        _stored(stored)
        self._keep(scene_id, number, after)
        self._present[scene_id] = number
        return State(scene_id, number, after, label, None)

    def undo(self, scene_id: str, revision: int) -> State:
        """Step back to the revision that the head was made from."""
        with self._database.writing() as session:
            row = _current(session, scene_id, revision)
            parent = _revision(session, scene_id, row.head).parent
            if parent is None:
                raise NothingThere("There is nothing to undo.")
            return self._moved(session, row, parent)

    def redo(self, scene_id: str, revision: int) -> State:
        """Step forward to the newest revision made from the head."""
        with self._database.writing() as session:
            row = _current(session, scene_id, revision)
            child = _newest_child(session, scene_id, row.head)
            if child is None:
                raise NothingThere("There is nothing to redo.")
            return self._moved(session, row, child.number)

    def _moved(self, session: Session, row: SceneRow, head: int) -> State:
        row.head, row.changed = head, now()
        state = self._state(session, row)
        row.name = state.scene.name
        return state

    def _state(self, session: Session, row: SceneRow) -> State:
        here = _revision(session, row.id, row.head)
        child = _newest_child(session, row.id, row.head)
        return State(
            row.id,
            row.head,
            self._scene(session, row.id, row.head),
            here.label if here.parent is not None else None,
            child.label if child else None,
        )

    def _scene(self, session: Session, scene_id: str, number: int) -> Scene:
        """The document of a revision: from memory, or the nearest snapshot before it and the patches since."""
        with self._lock:
            kept = self._states.get((scene_id, number))
            if kept is not None:
                self._states.move_to_end((scene_id, number))
                return kept
        patches: list[str] = []
        row = _revision(session, scene_id, number)
        while row.snapshot is None:
            patches.append(row.patch or "[]")
            row = _revision(session, scene_id, row.parent if row.parent is not None else -1)
        scene = patched(json.loads(row.snapshot), patches[::-1], row.version)
        self._keep(scene_id, number, scene)
        return scene

    def _keep(self, scene_id: str, number: int, scene: Scene) -> None:
        with self._lock:
            self._states[scene_id, number] = scene
            while len(self._states) > KEPT:
                self._states.popitem(last=False)


def _keep_assets(session: Session, nodes: Iterable[Node]) -> list[str]:
    """Store the assets of objects that are so far only in memory; their names."""
    stored = []
    for name in {name for node in nodes for name in assets_of(node)}:
        content = held_content(name)
        if content is not None:
            if session.get(AssetRow, name) is None:
                session.add(AssetRow(name=name, content=content))
            stored.append(name)
    return stored


def _stored(names: list[str]) -> None:
    """What is committed need not stay in memory."""
    for name in names:
        let_go(name)


def _row(session: Session, scene_id: str) -> SceneRow:
    row = session.get(SceneRow, scene_id)
    if row is None:
        raise NoScene("There is no such scene; it may have been removed.", scene_id[:40])
    return row


def _current(session: Session, scene_id: str, revision: int) -> SceneRow:
    row = _row(session, scene_id)
    if row.head != revision:
        raise StaleEdit(row.head)
    return row


def _revision(session: Session, scene_id: str, number: int) -> RevisionRow:
    row = session.scalar(select(RevisionRow).filter_by(scene=scene_id, number=number))
    if row is None:
        raise NoScene(f"The scene has no revision {number}.", scene_id[:40])
    return row


def _newest_child(session: Session, scene_id: str, number: int) -> RevisionRow | None:
    children = select(RevisionRow).filter_by(scene=scene_id, parent=number).order_by(RevisionRow.number.desc())
    return session.scalar(children.limit(1))
