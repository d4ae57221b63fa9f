"""No room: a sentence, nothing half-done, and all works again once there is some."""

from __future__ import annotations

import errno
from pathlib import Path
from typing import Any

import pytest
from fastapi import FastAPI
from starlette.testclient import TestClient


def rename(revision: int, name: str) -> dict[str, Any]:
    return {"revision": revision, "edits": [{"do": "change-scene", "name": name}]}


def limit(app: FastAPI, pages: int | None) -> None:
    """The size that the database may have; None for what it has."""
    with app.state.store._database.engine.connect() as connection:
        most = pages or connection.exec_driver_sql("PRAGMA page_count").scalar()
        connection.exec_driver_sql(f"PRAGMA max_page_count = {most}")


def test_where_the_database_is(client: TestClient, app: FastAPI, scene: str) -> None:
    limit(app, None)
    revision, answers = 0, []
    for n in range(400):
        answer = client.post(f"{scene}/edits", json=rename(revision, f"{n} " + "x" * 100))
        answers.append(answer.status_code)
        if answer.status_code != 200:
            break
        revision = answer.json()["revision"]
    assert answers[-1] == 507
    assert "no room" in answer.json()["error"]
    assert client.post("/scenes", data={"name": "Another"}).status_code == 507
    assert app.state.store.open(scene.rsplit("/", 1)[1]).revision == revision
    assert client.get(scene).status_code == 200
    limit(app, 10**6)
    assert client.post(f"{scene}/edits", json=rename(revision, "Room")).status_code == 200
    assert client.get("/scenes").status_code == 200


@pytest.mark.parametrize("what", ["bring", "scenes/open"])
def test_where_files_are_laid_that_come_in(
    client: TestClient, app: FastAPI, scene: str, monkeypatch: pytest.MonkeyPatch, what: str
) -> None:
    def full(*_: Any) -> None:
        raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr("lazzik.web.requests.uploads.shutil.copyfileobj", full)
    path = f"{scene}/bring" if what == "bring" else "/scenes/open"
    answer = client.post(path, files={"file": ("a.glb", b"glTF")}, data={"revision": "0"})
    assert (answer.status_code, "no room" in answer.json()["error"]) == (507, True)
    assert [each for each in Path(app.state.jobs.folder).iterdir() if each.name != "alive"] == []
    assert len(app.state.store.entries()) == 1
