"""The application in this process, over a database of its own, with the demo scene in it."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest
from fastapi import FastAPI
from starlette.testclient import TestClient

from lazzik.web.app import create_app


@pytest.fixture
def app(tmp_path: Path) -> FastAPI:
    return create_app(tmp_path / "data", with_demo=True)


@pytest.fixture
def client(app: FastAPI) -> Iterator[TestClient]:
    with TestClient(app, base_url="http://127.0.0.1:8460", follow_redirects=False) as client:
        yield client


@pytest.fixture
def scene(app: FastAPI) -> str:
    """Path of the demo scene."""
    return f"/scenes/{app.state.store.entries()[0].id}"
