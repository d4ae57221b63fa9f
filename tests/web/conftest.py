"""The application in this process, over a database of its own, with the demo scene in it."""

from __future__ import annotations

import time
from collections.abc import Iterator
from pathlib import Path
from shutil import copytree
from typing import Any

import msgpack
import pytest
from fastapi import FastAPI
from starlette.testclient import TestClient

from lazzik.demo.station import station
from lazzik.store.database import Database
from lazzik.store.scenes import SceneStore
from lazzik.web.app import create_app
from lazzik.web.edits import landing
from lazzik.work.pool import Workers


@pytest.fixture(scope="session")
def workers() -> Iterator[Workers]:
    """Shared by all applications, since each takes a while to start."""
    pool = Workers()
    yield pool
    pool.close()


@pytest.fixture(scope="session")
def begun(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A folder as a first start leaves it: tables, and the demo scene. Each application has a copy."""
    folder = tmp_path_factory.mktemp("begun") / "data"
    store = SceneStore(Database(folder))
    store.create(station(), "demo scene")
    store.close()
    return folder


@pytest.fixture
def app(tmp_path: Path, begun: Path, workers: Workers, monkeypatch: pytest.MonkeyPatch) -> FastAPI:
    monkeypatch.setattr(landing, "SOON", 60.0)  # on a busy machine no edit becomes a job, unless a test is about that
    return create_app(Path(copytree(begun, tmp_path / "data")), workers=workers)


@pytest.fixture
def client(app: FastAPI) -> Iterator[TestClient]:
    with TestClient(app, base_url="http://127.0.0.1:8460", follow_redirects=False) as client:
        yield client


@pytest.fixture
def scene(app: FastAPI) -> str:
    """Path of the demo scene."""
    return f"/scenes/{app.state.store.entries()[0].id}"


def unpacked(response: Any) -> Any:
    """The values of an answer that has arrays."""
    assert response.status_code == 200, response.text
    return msgpack.unpackb(response.content)


def previewed(client: TestClient, scene: str, body: dict[str, Any]) -> Any:
    """All that a preview shows."""
    return unpacked(client.post(f"{scene}/preview", json=body))


def over(client: TestClient, job: dict[str, Any]) -> dict[str, Any]:
    """Wait for a job's end."""
    for _ in range(600):
        news: dict[str, Any] = client.get(f"/jobs/{job['id']}").json()
        if news["state"] in ("done", "failed", "stopped"):
            return news
        time.sleep(0.05)
    raise AssertionError("the job does not end")


def reviewed(client: TestClient, scene: str, form: dict[str, Any]) -> tuple[str, str]:
    """A bake that was worked out: its job, and the review as the page shows it."""
    job = client.post(f"{scene}/bake/review", data=form).json()
    assert over(client, job)["state"] == "done"
    return job["id"], client.get(f"/jobs/{job['id']}/result").text
