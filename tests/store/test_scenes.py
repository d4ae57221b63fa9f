"""Scenes and their history in the database."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from sqlalchemy import text

from lazzik.core.errors import InvalidEdit, UnknownAddress
from lazzik.core.scene.edits.every import read_edits
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.serialize import read_scene
from lazzik.store.database import Database
from lazzik.store.rows import NoScene, NothingThere, StaleEdit
from lazzik.store.scenes import SNAPSHOT_EVERY, SceneStore, State
from lazzik.store.tables import RevisionRow

GUST = "beacon-mast/rotation.z#gust"


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    return tmp_path / "data"


@pytest.fixture
def store(folder: Path) -> SceneStore:
    return SceneStore(Database(folder))


def amplitude(value: float) -> list[Any]:
    return read_edits([{"do": "set", "address": f"{GUST}.amplitude", "value": value}])


def read(state: State) -> Any:
    return state.scene.by_id["beacon-mast"].rotation.z.layers[0].amplitude  # type: ignore[union-attr]


def test_every_edit_is_one_step_of_undo_and_redo_also_after_a_restart(
    store: SceneStore, folder: Path, demo: Scene
) -> None:
    state = store.create(demo, "new")
    steps = SNAPSHOT_EVERY + 5
    for value in range(1, steps + 1):
        state = store.edit(state.id, state.revision, amplitude(value))
    fresh = SceneStore(Database(folder))
    state = fresh.open(state.id)
    assert (read(state), state.undo, state.redo) == (steps, "set Beacon mast / rotation z / Gust / amplitude", None)
    for value in reversed(range(1, steps)):
        state = fresh.undo(state.id, state.revision)
        assert read(state) == value
    state = fresh.undo(state.id, state.revision)
    assert (state.scene, state.undo) == (demo, None)
    with pytest.raises(NothingThere):
        fresh.undo(state.id, state.revision)
    again = SceneStore(Database(folder))
    for value in range(1, steps + 1):
        state = again.redo(state.id, state.revision)
        assert read(state) == value
    with pytest.raises(NothingThere):
        again.redo(state.id, state.revision)


@given(st.lists(st.sampled_from(["edit", "undo", "redo"]), max_size=25))
def test_undo_and_redo_walk_the_newest_branch(tmp_path_factory: pytest.TempPathFactory, moves: list[str]) -> None:
    """Against a plain model: a list of states and a place in it, cut off where a new edit is made."""
    from lazzik.demo.station import station

    store = SceneStore(Database(tmp_path_factory.mktemp("walk")))
    state = store.create(station(), "new")
    past, place = [4.8], 0
    for count, move in enumerate(moves):
        if move == "edit":
            state = store.edit(state.id, state.revision, amplitude(count))
            past, place = [*past[: place + 1], float(count)], place + 1
        elif move == "undo" and place > 0:
            state, place = store.undo(state.id, state.revision), place - 1
        elif move == "redo" and place < len(past) - 1:
            state, place = store.redo(state.id, state.revision), place + 1
        assert read(state) == past[place]
        assert (state.undo is None) == (place == 0)
        assert (state.redo is None) == (place == len(past) - 1)


def test_a_stale_edit_is_refused_and_nothing_changes(store: SceneStore, demo: Scene) -> None:
    first = store.create(demo, "new")
    store.edit(first.id, 0, amplitude(3))
    acts: tuple[Callable[[], State], ...] = (
        lambda: store.edit(first.id, 0, amplitude(4)), lambda: store.undo(first.id, 0),
    )  # fmt: skip
    for act in acts:
        with pytest.raises(StaleEdit) as caught:
            act()
        assert caught.value.head == 1
    assert read(store.open(first.id)) == 3


def test_an_edit_that_fails_stores_nothing(store: SceneStore, demo: Scene) -> None:
    state = store.create(demo, "new")
    edits = amplitude(3) + read_edits([{"do": "remove-keys", "address": "beacon-mast/rotation.z", "frames": [7]}])
    with pytest.raises(InvalidEdit):
        store.edit(state.id, 0, edits)
    assert store.open(state.id) == state


def test_scenes_are_listed_last_changed_first_and_removed(store: SceneStore, demo: Scene) -> None:
    a, b = store.create(demo, "new"), store.create(demo.replaced(name="Second"), "new")
    store.edit(a.id, 0, read_edits([{"do": "change-scene", "name": "First"}]))
    assert [entry.name for entry in store.entries()] == ["First", "Second"]
    store.remove(a.id)
    assert [entry.id for entry in store.entries()] == [b.id]
    for act in (lambda: store.open(a.id), lambda: store.remove(a.id), lambda: store.at(b.id, 99)):
        with pytest.raises(NoScene):
            act()


def test_who_is_late_is_told_so_whatever_else_is_wrong(store: SceneStore, demo: Scene) -> None:
    first = store.create(demo, "new")
    store.edit(first.id, 0, amplitude(3))
    lost = read_edits([{"do": "set", "address": "nothing/rotation.z", "value": 1.0}])
    for revision in (0, 9):  # one that was the head, and one that never was
        with pytest.raises(StaleEdit) as caught:
            store.edit(first.id, revision, lost)
        assert caught.value.head == 1
    with pytest.raises(UnknownAddress):
        store.edit(first.id, 1, lost)
    with pytest.raises(NoScene):
        store.edit("gone", 0, lost)
    assert store.open(first.id).revision == 1


def test_two_processes_never_both_get_the_same_head(folder: Path, demo: Scene) -> None:
    one, other = SceneStore(Database(folder)), SceneStore(Database(folder))
    state = one.create(demo, "new")
    one.edit(state.id, 0, amplitude(1))
    with pytest.raises(StaleEdit):
        other.edit(state.id, 0, amplitude(2))
    assert read(other.edit(state.id, 1, amplitude(2))) == 2
    assert read(one.open(state.id)) == 2


def test_scenes_stored_in_version_1_open_step_by_step_and_go_on(tmp_path: Path) -> None:
    """A database of before: a snapshot and a patch in version 1, a redo branch among them."""
    database = Database(tmp_path)
    old = SceneStore(database)
    state = old.create(read_scene('{"name": "Old", "version": 2}'), "new")
    layer = {"kind": "noise", "id": "n", "label": "N", "amplitude": 8.0}
    node = {"id": "post", "label": "Post", "rotation": {"z": {"layers": [layer]}}}
    with database.writing() as session:
        session.execute(
            text("UPDATE revision SET snapshot = :t, version = 1"), {"t": json.dumps({"name": "Old", "nodes": [node]})}
        )
        for number, amplitude in ((1, 4.0), (2, 2.0)):
            patch = [{"op": "replace", "path": "/nodes/0/rotation/z/layers/0/amplitude", "value": amplitude}]
            session.add(
                RevisionRow(
                    scene=state.id, number=number, parent=number - 1, label="set", patch=json.dumps(patch), version=1
                )
            )
        session.execute(text("UPDATE scene SET head = 1"))

    def amplitude_of(state: State) -> float:
        return state.scene.by_id["post"].rotation.z.layers[0].amplitude  # type: ignore[union-attr, no-any-return]

    store = SceneStore(database)
    now = store.open(state.id)
    assert amplitude_of(now) == pytest.approx(4.0 * 0.71, rel=0.01)
    assert amplitude_of(store.redo(state.id, 1)) == pytest.approx(2.0 * 0.71, rel=0.01)
    store.undo(state.id, 2)
    edit = read_edits([{"do": "set", "address": "post/rotation.z#n.amplitude", "value": 5}])
    after = store.edit(state.id, 1, edit)
    after = store.edit(state.id, after.revision, read_edits([{"do": "change-scene", "name": "Newer"}]))
    fresh = SceneStore(database)
    assert (amplitude_of(fresh.open(state.id)), fresh.open(state.id).scene.name) == (5.0, "Newer")
    back = fresh.undo(state.id, fresh.undo(state.id, after.revision).revision)
    assert amplitude_of(back) == pytest.approx(4.0 * 0.71, rel=0.01)
    database.close()
