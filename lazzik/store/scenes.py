"""Scenes and their history: one edit is one transaction is one revision."""

from __future__ import annotations

import json
import secrets
import zlib
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from datetime import timedelta
from pathlib import Path
from typing import Any

from sqlalchemy import delete, func, or_, select, update
from sqlalchemy.orm import Session

from lazzik.core.compare.sharing import sharing
from lazzik.core.errors import LazzikError, UnknownAsset
from lazzik.core.geometry.assets import AssetStore, name_of
from lazzik.core.progress import UNHEARD, Progress
from lazzik.core.scene.bundle import assets_of
from lazzik.core.scene.change import carried
from lazzik.core.scene.edits.base import Edit, applied, free_label
from lazzik.core.scene.form import VERSION
from lazzik.core.scene.node import Node
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.serialize import scene_json
from lazzik.core.scene.visit import new_layers
from lazzik.store.database import Database
from lazzik.store.entries import Entry, entries, entry
from lazzik.store.patches import patch_between, patched, replayed
from lazzik.store.rows import (
    NoPicture,
    NothingThere,
    StaleEdit,
    add_revision,
    at_head,
    head_row,
    move_head,
    newest_child,
    revision_row,
    scene_row,
)
from lazzik.store.states import States
from lazzik.store.tables import AssetRow, CardRow, PictureRow, RevisionRow, SceneRow, TrialRow, now

SNAPSHOT_EVERY = 32
"""Revisions from one whole copy to the next."""

QUICKLY = 1
"""How hard to pack it: of JSON, the least trouble leaves little."""

UNNAMED = 3600.0
"""Seconds for which something heavy stays that nothing stored names: it may be about to be used."""


@dataclass(frozen=True)
class State:
    """A scene at its head, and where undo and redo would lead."""

    id: str
    revision: int
    scene: Scene
    undo: str | None
    """What the last step did; None at the beginning."""
    redo: str | None
    trial: str = ""
    """What is being tried; '' if nothing is."""
    added: tuple[str, ...] = ()
    """Objects that the last step added, without those that hang under others of them."""
    layer: str = ""
    """The first layer of an object that the last step added."""

    @property
    def answer(self) -> dict[str, object]:
        """What a page needs to know of it after a step."""
        answer: dict[str, object] = {
            "revision": self.revision, "undo": self.undo, "redo": self.redo, "name": self.scene.name,
        }  # fmt: skip
        news = {"added": list(self.added), "layer": self.layer}
        return answer | {name: value for name, value in news.items() if value}


@dataclass(frozen=True)
class StagePicture:
    """A scene's stage as a browser saw it."""

    revision: int
    media: str
    content: bytes


class SceneStore:
    """The scenes of one database."""

    def __init__(self, database: Database) -> None:
        self._database = database
        self._states = States()
        self.assets = AssetStore(self.asset)
        """What is heavy of all scenes: that of the database."""
        self._present: dict[str, int] = {}
        """A revision of each scene that is known to be written in the present version of the document."""
        self.snapshot_due: Callable[[str, int], None] = self.write_snapshot
        """Hears of revisions whose whole copy is to be written. Nobody waits for it: it only shortens later reading."""

    def close(self) -> None:
        """Let go of the database."""
        self._database.close()

    @property
    def folder(self) -> Path:
        """Where the database lies."""
        return self._database.folder

    def entries(self) -> list[Entry]:
        """All scenes, the last changed first."""
        return entries(self._database)

    def entry(self, scene_id: str) -> Entry:
        """One of them. Raises NoScene."""
        return entry(self._database, scene_id)

    def keep_card(self, scene_id: str, revision: int, card: dict[str, Any]) -> None:
        """Keep what is shown of a scene in the list."""
        with self._database.writing() as session:
            if session.get(SceneRow, scene_id) is not None:
                session.merge(CardRow(scene=scene_id, revision=revision, content=json.dumps(card)))

    def keep_picture(self, scene_id: str, picture: StagePicture) -> None:
        """Keep what the stage of a scene looks like. Raises NoScene."""
        with self._database.writing() as session:
            scene_row(session, scene_id)
            session.merge(PictureRow(scene=scene_id, **vars(picture)))

    def picture(self, scene_id: str) -> StagePicture:
        """What the stage of a scene looked like when a browser last kept it. Raises NoPicture until then."""
        with self._database.reading() as session:
            row = session.get(PictureRow, scene_id)
            if row is None:
                raise NoPicture("No picture of this scene is kept yet")
            return StagePicture(row.revision, row.media, row.content)

    def copy(self, scene_id: str) -> State:
        """Store another scene that is what one is at its head, under a name of its own, with its picture. Raises
        NoScene."""
        scene = self.open(scene_id).scene
        names = {entry.name for entry in self.entries()}
        name = free_label(f"{scene.name[:100]} copy", names)
        state = self.create(scene.replaced(name=name).with_assets(scene.assets), f"copy of {scene.name}")
        with suppress(NoPicture):
            picture = self.picture(scene_id)
            self.keep_picture(state.id, StagePicture(state.revision, picture.media, picture.content))
        return state

    def create(self, scene: Scene, label: str) -> State:
        """Store a new scene."""
        scene_id = secrets.token_hex(6)
        text = json.dumps(scene_json(scene))
        with self._database.writing() as session:
            _store_assets(session, scene.kept_nodes, scene.assets)
            session.add(SceneRow(id=scene_id, name=scene.name, head=0))
            session.flush()
            session.add(RevisionRow(scene=scene_id, number=0, parent=None, label=label, snapshot=text))
        scene = scene.with_assets(self.assets)
        self._states.keep(scene_id, 0, scene, document=len(text))
        return State(scene_id, 0, scene, None, None)

    def put_asset(self, content: bytes) -> str:
        """Store something heavy; its name. It stays for a while even if no scene names it."""
        name = name_of(content)
        with self._database.writing() as session:
            if not session.execute(update(AssetRow).filter_by(name=name).values(made=now())).rowcount:  # type: ignore[attr-defined]
                session.add(AssetRow(name=name, content=content))
        return name

    @contextmanager
    def aside(self) -> Iterator[AssetStore]:
        """Assets over those that are stored, which are stored too once all is done. Of what fails nothing stays."""
        assets = AssetStore(self.asset)
        yield assets
        for content in assets.own.values():
            self.put_asset(content)

    def sweep_assets(self, older: float = UNNAMED) -> list[str]:
        """Remove what is heavy, came so many seconds ago or earlier, and is named by nothing that is stored: what is
        left of refused edits and of removed scenes. Their names."""
        until = now() - timedelta(seconds=older)
        with self._database.reading() as session:
            names = list(session.scalars(select(AssetRow.name).where(AssetRow.made <= until)))
            unnamed = [name for name in names if not _is_named(session, name)]
        if unnamed:
            with self._database.writing() as session:  # whoever named one meanwhile has brought it in anew, or kept it
                gone = [name for name in unnamed if not _is_named(session, name)]
                session.execute(delete(AssetRow).where(AssetRow.name.in_(gone), AssetRow.made <= until))
            return gone
        return []

    def asset(self, name: str) -> bytes | None:
        """The bytes of an asset, or None."""
        with self._database.reading() as session:
            row = session.get(AssetRow, name)
            return row.content if row else None

    def remove(self, scene_id: str) -> None:
        """Forget a scene with its history. Raises NoScene."""
        with self._database.writing() as session:
            session.delete(scene_row(session, scene_id))
        self._states.forget(scene_id)

    def head(self, scene_id: str) -> int:
        """The revision that is a scene's head. Raises NoScene."""
        with self._database.reading() as session:
            return scene_row(session, scene_id).head

    def open(self, scene_id: str) -> State:
        """A scene at its head. Raises NoScene."""
        return self._state(scene_id, self.head(scene_id))

    def current(self, scene_id: str, revision: int) -> State:
        """A scene at a revision that is its head. Raises NoScene, StaleEdit."""
        with self._database.reading() as session:
            head_row(session, scene_id, revision)
        return self._state(scene_id, revision)

    def at_head(self, scene_id: str, revision: int) -> Scene:
        """A scene at a revision that is its head. Raises NoScene, StaleEdit."""
        self.check_head(scene_id, revision)
        return self.at(scene_id, revision)

    def check_head(self, scene_id: str, revision: int) -> None:
        """See that a revision is a scene's head. Raises NoScene, StaleEdit."""
        with self._database.reading() as session:
            head_row(session, scene_id, revision)

    @contextmanager
    def hoped(self, scene_id: str, revision: int) -> Iterator[Scene]:
        """A scene at a revision that is most likely its head, since whoever changes it has just seen that: storing what
        becomes of it finds out. What fails meanwhile is told as it is only if it was. Raises NoScene, StaleEdit."""
        try:
            yield self.at(scene_id, revision)
        except LazzikError:
            self.check_head(scene_id, revision)
            raise

    def at(self, scene_id: str, revision: int) -> Scene:
        """A scene as it was at a revision: from memory, or the nearest whole copy before it and the patches since.

        Raises NoScene.
        """
        kept = self._states.get(scene_id, revision)
        if kept is not None:
            return kept
        snapshot, patches, version = self._stored_as(scene_id, revision)
        scene = patched(json.loads(snapshot), patches, version, self.assets)
        near = self._states.latest(scene_id)
        if near is not None:  # what both have is held once, and whoever compares them need not look at it
            scene = sharing(scene, near)
        self._states.keep(scene_id, revision, scene, document=len(snapshot) + sum(map(len, patches)))
        return scene

    def edit(self, scene_id: str, revision: int, edits: list[Edit], progress: Progress = UNHEARD) -> State:
        """Apply edits to the head and store the outcome; all or none.

        All is worked out before the right to write is asked for, so that however long it takes, nobody waits for it.
        Raises NoScene, StaleEdit if `revision` is not the head, and whatever the edits raise.
        """
        with self.hoped(scene_id, revision) as before:
            return self.store(scene_id, revision, applied(before, edits, progress), label_of(before, edits))

    def land(self, scene_id: str, revision: int, after: Scene, label: str) -> State:
        """Store what long work made of a revision, also if the head has moved since: as long as nothing that it read is
        another by now. Raises NoScene, Overtaken."""
        before = self.at(scene_id, revision)
        while True:
            head = self.open(scene_id)
            try:
                return self.store(scene_id, head.revision, carried(before, after, head.scene), label)
            except StaleEdit:  # it moved once more
                continue

    def store(
        self, scene_id: str, revision: int, after: Scene, label: str, also: Callable[[Session, int], None] | None = None
    ) -> State:
        """Store what became of a revision, if it is still the head. `also` is told the new one's number within the same
        transaction, to store what belongs to it. Raises NoScene, StaleEdit."""
        before = self.at(scene_id, revision)
        patch = json.dumps(patch_between(before, after))
        changed = after.others(before)
        if after.object_recipes is not before.object_recipes:
            changed += [node for recipe in after.object_recipes for node in recipe.nodes]
        # no patch leads from a document of an earlier version
        whole = None if self._is_present(scene_id, revision) else json.dumps(scene_json(after))
        label = label[:400]
        with self._database.writing() as session:
            connection = session.connection()
            newest, trial = at_head(connection, scene_id, revision)
            number = newest + 1
            _store_assets(session, changed, after.assets)
            add_revision(connection, scene_id, number, revision, label, patch, whole)
            move_head(connection, scene_id, number, after.name)
            if also is not None:
                also(session, number)
                trial = _trial(session, scene_id)
        after = after.with_assets(self.assets) if after.assets is not self.assets else after
        self._states.keep(scene_id, number, after, change=len(patch))
        self._present[scene_id] = number
        if whole is None and number % SNAPSHOT_EVERY == 0:
            self.snapshot_due(scene_id, number)
        new = {node.id for node in changed if node.id not in before.by_id}
        added = tuple(node.id for node in changed if node.id in new and node.parent not in new)
        layer = next((address for node in changed for address in new_layers(before.by_id.get(node.id), node)), "")
        return State(scene_id, number, after, label, None, trial, added, layer)

    def write_snapshot(self, scene_id: str, number: int) -> None:
        """Store the whole copy of a revision."""
        self.keep_snapshot(scene_id, number, self.snapshot(scene_id, number))

    def snapshot(self, scene_id: str, number: int) -> bytes:
        """The whole copy of a revision. It is put together from JSON alone: no scene is read for it. It is packed, to a
        tenth or less, so that storing it keeps nobody else from storing anything."""
        whole, patches, _ = self._stored_as(scene_id, number)
        return zlib.compress(json.dumps(replayed(json.loads(whole), patches)).encode(), QUICKLY)

    def keep_snapshot(self, scene_id: str, number: int, packed: bytes) -> None:
        """Store the whole copy of a revision that was put together elsewhere."""
        with self._database.writing() as session:
            session.execute(
                update(RevisionRow)
                .filter_by(scene=scene_id, number=number)
                .where(RevisionRow.snapshot.is_(None))
                .values(packed=packed)
            )

    def undo(self, scene_id: str, revision: int) -> State:
        """Step back to the revision that the head was made from."""
        with self._database.reading() as session:
            row = head_row(session, scene_id, revision)
            parent = revision_row(session, scene_id, row.head).parent
        if parent is None:
            raise NothingThere("There is nothing to undo.")
        return self._move(scene_id, revision, parent)

    def redo(self, scene_id: str, revision: int) -> State:
        """Step forward to the newest revision made from the head."""
        with self._database.reading() as session:
            row = head_row(session, scene_id, revision)
            child = newest_child(session, scene_id, row.head)
        if child is None:
            raise NothingThere("There is nothing to redo.")
        return self._move(scene_id, revision, child.number)

    def _move(self, scene_id: str, revision: int, head: int) -> State:
        """Let another revision be the head, if `revision` still is."""
        state = self._state(scene_id, head)
        with self._database.writing() as session:
            connection = session.connection()
            at_head(connection, scene_id, revision)
            move_head(connection, scene_id, head, state.scene.name)
        return state

    def _state(self, scene_id: str, number: int) -> State:
        with self._database.reading() as session:
            here = revision_row(session, scene_id, number)
            child = newest_child(session, scene_id, number)
            trial = _trial(session, scene_id)
        undo = here.label if here.parent is not None else None
        return State(scene_id, number, self.at(scene_id, number), undo, child.label if child else None, trial)

    def _stored_as(self, scene_id: str, number: int) -> tuple[str, list[str], int]:
        """The nearest whole copy at or before a revision, the patches that lead on from it, and their version."""
        patches: list[str] = []
        with self._database.reading() as session:
            row = revision_row(session, scene_id, number)
            while (whole := _whole(row)) is None:
                patches.append(row.patch or "[]")
                row = revision_row(session, scene_id, row.parent if row.parent is not None else -1)
            return whole, patches[::-1], row.version

    def _is_present(self, scene_id: str, revision: int) -> bool:
        """Whether a revision is written in the present version of the document."""
        if self._present.get(scene_id) == revision:
            return True
        with self._database.reading() as session:
            return revision_row(session, scene_id, revision).version == VERSION


def _trial(session: Session, scene_id: str) -> str:
    return session.scalar(select(TrialRow.name).filter_by(scene=scene_id)) or ""


def _whole(row: RevisionRow) -> str | None:
    """The whole document of a revision; None if only what changed is stored."""
    return row.snapshot if row.packed is None else zlib.decompress(row.packed).decode()


def label_of(scene: Scene, edits: list[Edit]) -> str:
    """What edits do, for the undo button. `scene` is the one before them."""
    first = edits[0].describe(scene)
    return first if len(edits) == 1 else f"{first} and {len(edits) - 1} more"


def _store_assets(session: Session, nodes: Iterable[Node], assets: AssetStore) -> None:
    """Store what is heavy of objects and is not stored yet. Raises UnknownAsset."""
    for name in sorted({name for node in nodes for name in assets_of(node)}):
        if session.scalar(select(AssetRow.name).filter_by(name=name)) is not None:
            continue
        content = assets.get(name)
        if content is None:
            raise UnknownAsset(f"The asset {name[:12]}… that the scene needs is not here; bring it in again", name)
        session.add(AssetRow(name=name, content=content))


def _is_named(session: Session, name: str) -> bool:
    """Whether a revision of any scene names an asset. What a packed copy names is named where it came in, too."""
    named = or_(func.instr(RevisionRow.patch, name) > 0, func.instr(RevisionRow.snapshot, name) > 0)
    return session.scalar(select(RevisionRow.row).where(named).limit(1)) is not None
