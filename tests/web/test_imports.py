"""Bringing files in over HTTP: one step that can be undone, and hostile files that leave nothing behind."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest
from fastapi import FastAPI
from sqlalchemy import create_engine, text
from starlette.testclient import TestClient

from tests.core.formats.hostile import hostile
from tests.core.formats.test_importer import DRAWING, HARMLESS
from tests.core.formats.vane import vane


def files(*pairs: tuple[str, bytes]) -> list[tuple[str, tuple[str, bytes]]]:
    return [("file", pair) for pair in pairs]


def test_a_file_is_one_step_and_can_be_undone(client: TestClient, scene: str, app: FastAPI) -> None:
    sent = client.post(f"{scene}/bring", files=files(("Vane.glb", vane().packed())), data={"revision": "0"}).json()
    assert sent["revision"] == 1
    assert sent["undo"] == "bring in Vane"
    assert sent["notes"][0].startswith("Kept in the file, and written out again with it: ")
    document = app.state.store.open(scene.split("/")[-1]).scene
    assert document.by_id["arrow"].parent == "mast-2"
    assert client.get(f"{scene}/rest.glb").content[:4] == b"glTF"
    stale = client.post(f"{scene}/bring", files=files(("a.glb", vane().packed())), data={"revision": "0"})
    assert stale.status_code == 409
    client.post(f"{scene}/undo", json={"revision": 1})
    assert "arrow" not in app.state.store.open(scene.split("/")[-1]).scene.by_id


def test_text_comes_with_the_files_that_it_names(client: TestClient, scene: str) -> None:
    built = vane()
    content = built.finished()
    content["buffers"][0]["uri"] = "vane.bin"
    whole = files(("vane.gltf", json.dumps(content).encode()), ("vane.bin", bytes(built.blob)))
    assert client.post(f"{scene}/bring", files=whole[:1], data={"revision": "0"}).status_code == 422
    assert client.post(f"{scene}/bring", files=whole, data={"revision": "0"}).json()["revision"] == 1


def test_drawings_have_a_depth_and_tables_go_to_numbers(client: TestClient, scene: str, app: FastAPI) -> None:
    wrong = client.post(f"{scene}/bring", files=files(("s.svg", DRAWING)), data={"revision": "0", "depth": "-3"})
    assert "0 to 100 metres deep" in wrong.json()["error"]
    client.post(f"{scene}/bring", files=files(("s.svg", DRAWING)), data={"revision": "0", "depth": "1/8"})
    table = files(("t.csv", b"frame,height\n0,1\n40,3"))
    sent = client.post(f"{scene}/bring-curves", files=table, data={"revision": "1", "at": "ring/position.y"}).json()
    assert sent["revision"] == 2
    document = app.state.store.open(scene.split("/")[-1]).scene
    assert document.by_id["ring"].shape.mesh(document.assets).size[2] == pytest.approx(0.125)
    assert [key.value for key in document.by_id["ring"].position.y.keys] == [1, 3]


@pytest.mark.parametrize("step", [pytest.param(1, marks=pytest.mark.slow), 3])
def test_hostile_files_are_never_a_fault_of_the_server_and_leave_nothing(
    client: TestClient, scene: str, app: FastAPI, tmp_path: Any, step: int
) -> None:
    """A third of them, of all sorts; all where tests may take long."""
    engine = create_engine(f"sqlite:///{next((tmp_path / 'data').glob('*.db'))}")

    def kept() -> int:
        with engine.connect() as connection:
            return int(connection.execute(text("select count(*) from asset")).scalar_one())

    before, assets = kept(), app.state.store.assets
    taken, files_sent, looked_into = 0, list(hostile()), set[str]()
    readme = Path(__file__).parents[2] / "README.md"
    assert f"{len(files_sent)} damaged and hostile files" in readme.read_text()
    for name, content in files_sent[::step]:
        where = "bring-curves" if name.endswith(".csv") else "bring"
        path = "/scenes/open" if name.endswith(".json") else f"{scene}/{where}"
        revision = app.state.store.open(scene.split("/")[-1]).revision
        if path.endswith("bring") and name not in HARMLESS and name[-4:] not in looked_into:
            looked_into.add(name[-4:])  # what reads them is the same
            told = client.post(f"{scene}/look-into", files=files((name, content)))
            assert told.status_code in (413, 422), (name, told.text)
        answer = client.post(path, files=files((name, content)), data={"revision": str(revision)})
        if name in HARMLESS:
            taken += answer.status_code == 200
            continue
        assert answer.status_code in (413, 422), (name, answer.text)
        assert len(answer.json()["error"]) > 15
    assert taken == app.state.store.open(scene.split("/")[-1]).revision
    app.state.store.remove(scene.split("/")[-1])
    app.state.store.sweep_assets(older=0)
    assert kept() == 0 <= before
    engine.dispose()
    assert not assets.own
