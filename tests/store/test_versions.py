"""Versions are kept, listed, gone back to and taken away; a trial never loses a step; all of it survives a restart."""

from __future__ import annotations

import sqlite3
from contextlib import closing
from pathlib import Path
from typing import Any

import pytest
from alembic import command
from alembic.config import Config
from hypothesis import given
from hypothesis import strategies as st
from sqlalchemy import create_engine

from lazzik.core.errors import InvalidEdit
from lazzik.core.scene.edits.every import read_edits
from lazzik.core.scene.scene import Scene
from lazzik.store.database import FILE, MIGRATIONS, Database
from lazzik.store.rows import NoPicture, NothingThere, NoVersion, StaleEdit
from lazzik.store.scenes import SNAPSHOT_EVERY, SceneStore, StagePicture
from lazzik.store.steps import steps
from lazzik.store.versions import Versions

GUST = "beacon-mast/rotation.z#gust"


class Shop:
    """A database with its scenes and versions, and one scene in it."""

    def __init__(self, folder: Path, scene: Scene | None = None) -> None:
        self.database = Database(folder)
        self.scenes = SceneStore(self.database)
        self.versions = Versions(self.database, self.scenes)
        self.scene = self.scenes.create(scene, "new").id if scene else self.scenes.entries()[0].id

    @property
    def head(self) -> int:
        return self.scenes.entry(self.scene).revision

    @property
    def now(self) -> Scene:
        return self.scenes.open(self.scene).scene

    def do(self, *edits: dict[str, Any]) -> Scene:
        return self.scenes.edit(self.scene, self.head, read_edits(list(edits))).scene

    def gust(self, value: float) -> Scene:
        return self.do({"do": "set", "address": f"{GUST}.amplitude", "value": value})


@pytest.fixture
def shop(tmp_path: Path, demo: Scene) -> Shop:
    return Shop(tmp_path, demo)


def test_a_version_has_a_name_a_note_and_what_changed_in_words(shop: Shop, tmp_path: Path) -> None:
    shop.gust(9)
    first = shop.versions.keep(shop.scene, shop.head, "First take", "as agreed")
    shop.gust(6)
    shop.do({"do": "duplicate", "node": "sign", "count": 1})
    shop.versions.keep(shop.scene, shop.head, "Calmer")
    again = Shop(tmp_path)
    assert [(v.name, v.note, v.revision, v.changes) for v in again.versions.rows(again.scene)] == [
        ("Calmer", "", 3, "Gust amplitude 9° → 6°, Sign 2 added"),
        ("First take", "as agreed", 1, "Gust amplitude 4.8° → 9°"),
    ]
    assert again.versions.changes(again.scene, again.head) == ""
    assert again.versions.rows(again.scene, before=first.number) == []
    changed = again.versions.rename(again.scene, first.number, note="for the client")
    assert (changed.name, changed.note) == ("First take", "for the client")
    again.versions.remove(again.scene, first.number)
    assert [v.name for v in again.versions.rows(again.scene)] == ["Calmer"]
    with pytest.raises(NoVersion):
        again.versions.one(again.scene, first.number)


def test_one_goes_back_exactly_and_as_one_step_of_undo(shop: Shop) -> None:
    then = shop.gust(9)
    kept = shop.versions.keep(shop.scene, shop.head, "First take")
    later = shop.do({"do": "remove-object", "node": "lamps"}, {"do": "add-dial", "label": "Storm"})
    state = shop.versions.go_back(shop.scene, shop.head, kept.number)
    assert (state.scene, state.undo) == (then, "back to First take")
    assert Shop(shop.scenes.folder).now == then
    assert shop.scenes.undo(shop.scene, shop.head).scene == later
    with pytest.raises(StaleEdit):
        shop.versions.go_back(shop.scene, 99, kept.number)
    shop.versions.go_back(shop.scene, shop.head, kept.number)
    with pytest.raises(InvalidEdit, match="already"):
        shop.versions.go_back(shop.scene, shop.head, kept.number)


def test_what_is_tried_is_kept_when_one_returns(shop: Shop) -> None:
    before = shop.gust(9)
    shop.versions.begin_trial(shop.scene, shop.head, "Wilder")
    assert shop.scenes.open(shop.scene).trial == "Wilder"
    shop.gust(20)
    tried = shop.do({"do": "remove-object", "node": "lamp-3"})
    fresh = Shop(shop.scenes.folder)  # a sudden end changes nothing
    assert (fresh.now, fresh.scenes.open(fresh.scene).trial) == (tried, "Wilder")
    with pytest.raises(StaleEdit):
        fresh.versions.leave_trial(fresh.scene, fresh.head - 1)
    state, kept = fresh.versions.leave_trial(fresh.scene, fresh.head)
    assert kept is not None
    assert kept.name == "Wilder"
    assert (state.scene, state.undo, state.trial) == (before, "return from Wilder", "")
    rows = {v.name: v for v in fresh.versions.rows(fresh.scene)}
    assert list(rows) == ["Wilder", "Before Wilder"]
    assert fresh.scenes.at(fresh.scene, rows["Wilder"].revision) == tried
    assert rows["Wilder"].changes == "Lamp 3 removed, Gust amplitude 9° → 20°"
    assert fresh.versions.go_back(fresh.scene, fresh.head, rows["Wilder"].number).scene == tried


def test_what_was_tried_can_stay_and_nothing_tried_leaves_nothing(shop: Shop) -> None:
    shop.versions.keep(shop.scene, shop.head, "Start")
    shop.versions.begin_trial(shop.scene, shop.head, "Calm")
    with pytest.raises(InvalidEdit, match="'Calm' is being tried"):
        shop.versions.begin_trial(shop.scene, shop.head, "Other")
    state, kept = shop.versions.leave_trial(shop.scene, shop.head)
    assert (state.revision, kept) == (0, None)
    assert [v.name for v in shop.versions.rows(shop.scene)] == ["Start"]  # it is what is now, so no other one was kept
    shop.versions.begin_trial(shop.scene, shop.head, "Calm")
    calm = shop.gust(1)
    assert shop.versions.end_trial(shop.scene, shop.head).name == "Calm"
    assert (shop.now, shop.versions.trial(shop.scene)) == (calm, None)
    for leave in (shop.versions.leave_trial, shop.versions.end_trial):
        with pytest.raises(NothingThere):
            leave(shop.scene, shop.head)


MOVES = ("edit", "edit", "undo", "redo", "try", "return", "stay", "keep", "back")


@given(st.lists(st.sampled_from(MOVES), max_size=14))
def test_no_step_is_ever_lost(tmp_path_factory: pytest.TempPathFactory, post: Scene, moves: list[str]) -> None:
    """Whatever is done, every state that was ever acknowledged can be gone back to, exactly."""
    shop = Shop(tmp_path_factory.mktemp("moves"), post)
    seen = {0: post}
    for n, move in enumerate(moves):
        try:
            match move:
                case "edit":
                    shop.do({"do": "set", "address": "post/position.x", "value": n + 1})
                case "undo" | "redo":
                    getattr(shop.scenes, move)(shop.scene, shop.head)
                case "try":
                    shop.versions.begin_trial(shop.scene, shop.head, f"Try {n}")
                case "return":
                    shop.versions.leave_trial(shop.scene, shop.head)
                case "stay":
                    shop.versions.end_trial(shop.scene, shop.head)
                case "keep":
                    shop.versions.keep(shop.scene, shop.head, f"Keep {n}")
                case "back":
                    shop.versions.go_back(shop.scene, shop.head, shop.versions.rows(shop.scene)[-1].number)
        except (NothingThere, InvalidEdit, IndexError):
            continue
        seen[shop.head] = shop.now
    fresh = Shop(shop.scenes.folder)
    assert {number: fresh.scenes.at(fresh.scene, number) for number in seen} == seen
    for version in fresh.versions.rows(fresh.scene):
        assert fresh.scenes.at(fresh.scene, version.revision) == seen[version.revision]
    assert {step.number for step in steps(fresh.database, fresh.scene).rows} >= set(seen)


def test_the_history_is_a_list_of_all_steps(shop: Shop) -> None:
    for value in (1, 2, 3):
        shop.gust(value)
    shop.versions.keep(shop.scene, 2, "Two")
    shop.scenes.undo(shop.scene, 3)
    shop.scenes.undo(shop.scene, 2)
    shop.gust(7)
    shop.scenes.undo(shop.scene, 4)
    listed = steps(shop.database, shop.scene)
    assert [(step.number, step.place, step.versions) for step in listed.rows] == [
        (4, "after", ()), (3, "left", ()), (2, "left", ("Two",)), (1, "now", ()), (0, "before", ()),
    ]  # fmt: skip
    assert (listed.total, listed.older) == (5, None)
    assert listed.rows[0].label == "set Beacon mast / rotation z / Gust / amplitude"
    part = steps(shop.database, shop.scene, below=3, most=2)
    assert ([step.number for step in part.rows], part.older) == ([2, 1], 1)
    state = shop.versions.go_to(shop.scene, 1, 3)
    assert (state.scene, state.undo) == (shop.scenes.at(shop.scene, 3), "back to step 3")


def test_a_version_has_a_picture_or_says_that_it_has_none(shop: Shop) -> None:
    kept = shop.versions.keep(shop.scene, 0, "A")
    with pytest.raises(NoPicture):
        shop.versions.picture(shop.scene, kept.number)
    shop.versions.keep_picture(shop.scene, kept.number, StagePicture(0, "image/webp", b"picture"))
    assert shop.versions.picture(shop.scene, kept.number) == StagePicture(0, "image/webp", b"picture")
    assert [v.pictured for v in shop.versions.rows(shop.scene)] == [True]
    other = shop.scenes.create(shop.now, "new").id
    with pytest.raises(NoVersion):
        shop.versions.picture(other, kept.number)
    shop.scenes.remove(shop.scene)
    with closing(sqlite3.connect(shop.scenes.folder / FILE)) as file, file:
        assert file.execute("SELECT count(*) FROM version").fetchone() == (0,)


def test_a_database_of_before_opens_and_has_its_versions_empty(tmp_path: Path, post: Scene) -> None:
    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    engine = create_engine(f"sqlite:///{tmp_path / FILE}")
    with engine.begin() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, "0005")
        document = post.model_dump_json(exclude_defaults=True)
        connection.exec_driver_sql("INSERT INTO scene VALUES ('abc', 'Small', 0, '2026-01-01 00:00:00')")
        connection.exec_driver_sql(
            "INSERT INTO revision (scene, number, label, version, snapshot, made) VALUES "
            f"('abc', 0, 'new', 2, '{document}', '2026-01-01 00:00:00')"
        )
    engine.dispose()
    shop = Shop(tmp_path)
    assert (shop.now, shop.versions.rows(shop.scene), shop.versions.trial(shop.scene)) == (post, [], None)
    shop.versions.keep(shop.scene, 0, "First")
    assert [v.name for v in Shop(tmp_path).versions.rows("abc")] == ["First"]


def test_a_hundred_versions_take_less_than_a_megabyte_and_what_they_share_is_held_once(shop: Shop) -> None:
    """With a picture each, as large as a browser sends it, and the whole copies that are written now and then."""
    file = shop.scenes.folder / FILE

    def size() -> int:
        with shop.database.engine.connect() as connection:
            connection.exec_driver_sql("PRAGMA wal_checkpoint(TRUNCATE)")
        return file.stat().st_size

    before = size()
    for n in range(100):
        shop.gust(n / 10)
        kept = shop.versions.keep(shop.scene, shop.head, f"Version {n}", "softer")
        picture = bytes((n * i) % 251 for i in range(4000))
        shop.versions.keep_picture(shop.scene, kept.number, StagePicture(shop.head, "image/webp", picture))
    assert shop.head // SNAPSHOT_EVERY == 3
    assert size() - before < 1_000_000
    fresh = Shop(shop.scenes.folder)
    one, other = fresh.scenes.at(fresh.scene, 40), fresh.scenes.at(fresh.scene, 90)
    differing = [node.id for node in one.nodes if node is not other.by_id[node.id]]
    assert differing == ["beacon-mast"]
