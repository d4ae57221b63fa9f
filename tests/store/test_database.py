"""What the database refuses, and that nobody waits for somebody else's work."""

from __future__ import annotations

import sqlite3
import subprocess
import sys
import threading
import zlib
from contextlib import closing
from pathlib import Path

import pytest
from alembic.config import Config
from alembic.script import ScriptDirectory
from sqlalchemy import text

from lazzik.core.errors import UnknownAsset
from lazzik.core.geometry.assets import pack_mesh
from lazzik.core.geometry.imported import MeshShape
from lazzik.core.geometry.primitives import Box
from lazzik.core.progress import UNHEARD
from lazzik.core.scene.edits.base import Edit
from lazzik.core.scene.edits.every import read_edits
from lazzik.core.scene.node import Node
from lazzik.core.scene.scene import Scene
from lazzik.store.database import FILE, MIGRATIONS, VERSIONS, BadDatabase, Busy, Database, FolderTaken, NoRoom, claimed
from lazzik.store.rows import StaleEdit
from lazzik.store.scenes import SNAPSHOT_EVERY, SceneStore
from lazzik.work import tasks


class Slow(Edit):
    """An edit that is worked out until somebody lets it go on."""

    do: str = "slow"

    def apply(self, scene: Scene) -> Scene:
        BEGUN.set()
        assert GO_ON.wait(30)
        return scene.replaced(name="Slow")

    def describe(self, scene: Scene) -> str:
        return "slow"


BEGUN, GO_ON = threading.Event(), threading.Event()


@pytest.fixture
def slow(tmp_path: Path) -> SceneStore:
    BEGUN.clear()
    GO_ON.clear()
    return SceneStore(Database(tmp_path / "data"))


def named(name: str) -> list[Edit]:
    return read_edits([{"do": "change-scene", "name": name}])


def test_nobody_waits_for_an_edit_that_is_being_worked_out(slow: SceneStore, post: Scene) -> None:
    a, b = slow.create(post, "new"), slow.create(post, "new")
    outcome: list[object] = []
    thread = threading.Thread(target=lambda: outcome.append(slow.edit(a.id, 0, [Slow()])))
    thread.start()
    assert BEGUN.wait(30)
    assert slow.edit(b.id, 0, named("Other")).revision == 1
    assert slow.open(a.id).revision == 0
    GO_ON.set()
    thread.join()
    assert slow.open(a.id).scene.name == "Slow"


def test_what_was_worked_out_is_refused_if_the_head_has_moved_meanwhile(slow: SceneStore, post: Scene) -> None:
    a = slow.create(post, "new")
    outcome: list[BaseException] = []

    def work() -> None:
        try:
            slow.edit(a.id, 0, [Slow()])
        except StaleEdit as error:
            outcome.append(error)

    thread = threading.Thread(target=work)
    thread.start()
    assert BEGUN.wait(30)
    slow.edit(a.id, 0, named("Quicker"))
    GO_ON.set()
    thread.join()
    assert len(outcome) == 1
    assert slow.open(a.id).scene.name == "Quicker"


def test_a_whole_copy_is_written_beside_the_edit_and_changes_nothing(tmp_path: Path, post: Scene) -> None:
    store, due = SceneStore(Database(tmp_path)), []
    store.snapshot_due = lambda scene, number: due.append((scene, number))
    state = store.create(post, "new")
    for n in range(SNAPSHOT_EVERY):
        state = store.edit(state.id, state.revision, named(f"Name {n}"))
    assert due == [(state.id, SNAPSHOT_EVERY)]
    whole = store.snapshot(*due[0])
    assert SceneStore(Database(tmp_path)).open(state.id) == state
    with closing(sqlite3.connect(tmp_path / FILE)) as file, file:
        file.execute("BEGIN IMMEDIATE")
        assert tasks.snapshot(tmp_path, *due[0], UNHEARD) == whole, "a worker puts it together and stores nothing"
    store.keep_snapshot(*due[0], whole)
    with closing(sqlite3.connect(tmp_path / FILE)) as file, file:
        (copy,) = file.execute("SELECT packed FROM revision WHERE number = ?", (SNAPSHOT_EVERY,)).fetchone()
        file.execute("UPDATE revision SET patch = '[]' WHERE number > 0")
    assert f"Name {SNAPSHOT_EVERY - 1}" in zlib.decompress(copy).decode()
    assert SceneStore(Database(tmp_path)).open(state.id) == state, "it is read from the copy alone"


def test_who_waits_too_long_for_the_right_to_write_hears_so(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    database, outcome = Database(tmp_path), []

    def write() -> None:
        try:
            with database.writing() as session:
                outcome.append(session.execute(text("SELECT 1")).scalar_one())
        except Busy as error:
            outcome.append(error)

    other = threading.Thread(target=write)
    monkeypatch.setattr("lazzik.store.database.PATIENCE", 0.05)
    with database.writing():
        other.start()
        other.join()
    assert [type(each) for each in outcome] == [Busy]
    write()
    assert outcome[1] == 1


def test_a_full_disk_is_a_sentence_nothing_is_half_done_and_room_mends_it(tmp_path: Path, post: Scene) -> None:
    database = Database(tmp_path)
    store = SceneStore(database)
    state = store.create(post, "new")
    with database.engine.connect() as connection:  # the pool hands this connection out again
        pages = connection.exec_driver_sql("PRAGMA page_count").scalar()
        connection.exec_driver_sql(f"PRAGMA max_page_count = {pages}")
    refusal = ""
    for n in range(400):
        try:
            state = store.edit(state.id, state.revision, named("N" * 100 + str(n)))
        except NoRoom as error:
            refusal = error.message
            break
    assert "no room" in refusal
    assert store.open(state.id) == state
    with database.engine.connect() as connection:
        connection.exec_driver_sql("PRAGMA max_page_count = 1000000")
    again = store.edit(state.id, state.revision, named("Room"))
    assert SceneStore(Database(tmp_path)).open(state.id) == again


@pytest.mark.parametrize("content", [b"no database" * 400, b"SQLite format 3\0" + b"\xff" * 4000])
def test_a_file_that_is_no_database_is_refused_and_left_as_it_is(tmp_path: Path, content: bytes) -> None:
    (tmp_path / FILE).write_bytes(content)
    with pytest.raises(BadDatabase, match=r"damaged|no database"):
        Database(tmp_path)
    assert (tmp_path / FILE).read_bytes() == content


def test_a_database_of_a_newer_version_or_of_something_else_is_refused(tmp_path: Path) -> None:
    Database(tmp_path).close()
    with closing(sqlite3.connect(tmp_path / FILE)) as file, file:
        file.execute("UPDATE alembic_version SET version_num = '9999'")
    with pytest.raises(BadDatabase, match="newer"):
        Database(tmp_path)
    other = tmp_path / "other"
    other.mkdir()
    with closing(sqlite3.connect(other / FILE)) as file, file:
        file.execute("CREATE TABLE shopping (item TEXT)")
    with pytest.raises(BadDatabase, match="something else"):
        Database(other)


def test_the_command_line_says_so_too(tmp_path: Path) -> None:
    (tmp_path / FILE).write_bytes(b"no database" * 400)
    words = [sys.executable, "-m", "lazzik", "serve", "--data", str(tmp_path), "--port", "0"]
    done = subprocess.run(words, capture_output=True, text=True, timeout=120, check=False)
    assert (done.returncode, "Traceback" in done.stderr) == (1, False)
    assert "no database" in done.stderr


def test_the_newest_version_is_that_of_the_last_migration() -> None:
    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    script = ScriptDirectory.from_config(config)
    assert script.get_current_head() == VERSIONS[-1]
    assert tuple(sorted(step.revision for step in script.walk_revisions())) == VERSIONS


def test_a_folder_is_served_by_one_at_a_time(tmp_path: Path) -> None:
    with claimed(tmp_path), pytest.raises(FolderTaken, match="works in the folder"), claimed(tmp_path):
        pass
    with claimed(tmp_path):
        pass


def test_heavy_things_that_nothing_names_go_after_an_hour(tmp_path: Path, post: Scene) -> None:
    store = SceneStore(Database(tmp_path))
    used, unused = store.put_asset(pack_mesh(Box(kind="box").mesh())), store.put_asset(b"left over")
    node = post.nodes[0].replaced(shape=MeshShape(kind="mesh", asset=used))
    state = store.create(post.replaced(nodes=(node, Node(id="other", label="Other"))), "new")
    assert store.sweep_assets() == []
    assert store.sweep_assets(older=0) == [unused]
    assert (store.asset(unused), store.asset(used) is not None) == (None, True)
    store.edit(state.id, 0, read_edits([{"do": "remove-object", "node": "post"}]))
    assert store.sweep_assets(older=0) == []  # undo may need it
    store.remove(state.id)
    assert store.sweep_assets(older=0) == [used]


def test_heavy_things_that_a_step_named_stay_once_a_whole_copy_is_packed(tmp_path: Path, post: Scene) -> None:
    store = SceneStore(Database(tmp_path))
    state = store.create(post, "new")
    asset = store.put_asset(pack_mesh(Box(kind="box").mesh()))
    crate = Node(id="crate", label="Crate", shape=MeshShape(kind="mesh", asset=asset))
    state = store.store(state.id, 0, state.scene.replaced(nodes=(*state.scene.nodes, crate)), "add Crate")
    for n in range(SNAPSHOT_EVERY):
        state = store.edit(state.id, state.revision, named(f"Name {n}"))
    with closing(sqlite3.connect(tmp_path / FILE)) as file, file:
        assert file.execute("SELECT count(*) FROM revision WHERE packed IS NOT NULL").fetchone() == (1,)
    assert store.sweep_assets(older=0) == []
    assert SceneStore(Database(tmp_path)).open(state.id).scene == state.scene


def test_an_edit_that_names_what_is_not_there_is_refused(tmp_path: Path, post: Scene) -> None:
    store = SceneStore(Database(tmp_path))
    state = store.create(post, "new")
    edit = {"do": "set-shape", "node": "post", "shape": {"kind": "mesh", "asset": "0" * 64}}
    with pytest.raises(UnknownAsset, match="not here"):
        store.edit(state.id, 0, read_edits([edit]))
    assert store.open(state.id) == state
