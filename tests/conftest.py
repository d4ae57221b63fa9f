"""Settings and small helpers that all tests share."""

from __future__ import annotations

import json
import subprocess
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest
from hypothesis import HealthCheck, settings

from lazzik.core.channel.channel import Channel
from lazzik.core.channel.layer import Layer
from lazzik.core.clock import Clock
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.strata import loop_note
from lazzik.core.scene.edits.base import applied
from lazzik.core.scene.edits.every import read_edits
from lazzik.core.scene.node import Node, Rotation
from lazzik.core.scene.scene import Scene
from lazzik.demo.station import station
from lazzik.store.database import Database

VALIDATOR = Path(__file__).parent / "scripts" / "validate.mjs"

settings.register_profile(
    "calm", deadline=None, derandomize=True, max_examples=20, suppress_health_check=list(HealthCheck)
)
settings.register_profile("thorough", parent=settings.get_profile("calm"), max_examples=200)
settings.load_profile("calm")


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """What takes a minute on one processor begins first: at the end all would wait for it."""
    items.sort(key=lambda item: item.get_closest_marker("long") is None)


@pytest.fixture(autouse=True)
def closed_databases(monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    """Files that a test opened are let go of at its end: newer Pythons say so where they are not."""
    opened: list[Database] = []
    was = Database.__init__

    def noted(self: Database, folder: Path) -> None:
        opened.append(self)
        was(self, folder)

    monkeypatch.setattr(Database, "__init__", noted)
    yield
    for database in opened:
        if hasattr(database, "engine"):
            database.close()


@pytest.fixture(scope="session")
def demo() -> Scene:
    """The demo scene; a value, so that sharing it is safe."""
    return station()


@pytest.fixture(scope="session")
def few(demo: Scene) -> Scene:
    """Some of the demo, and some of its grass: for what is the same in any scene."""
    gone = ["pool", "snow", "cloud", "dish-post", "winch", "sock-pole", "sign", "pine-3", "pine-4", "anemometer"]
    lamps = [f"lamp-{n}" for n in range(2, 7)]
    scene = edited(demo, {"do": "remove-object", "node": "canvas", "also": [*gone, *lamps]})
    return edited(scene, {"do": "set", "address": "grass/scatter.count", "value": 8}).replaced(last=4)


@pytest.fixture
def post() -> Scene:
    """The smallest scene: one object that stands still."""
    return Scene(name="Small", fps=30, first=0, last=120, nodes=(Node(id="post", label="Post"),))


def turned(channel: Channel | float, *, fps: float = 30, first: int = 0, last: int = 120) -> Scene:
    """A scene with one object that has this channel as its rotation about z."""
    return Scene(
        name="Turned", fps=fps, first=first, last=last,
        nodes=(Node(id="post", label="Post", rotation=Rotation(z=channel)),),
    )  # fmt: skip


def edited(scene: Scene, *edits: dict[str, Any]) -> Scene:
    """The scene after edits given as plain values."""
    return applied(scene, read_edits(list(edits), scene))


@pytest.fixture(scope="session")
def validate() -> Callable[[Path], dict[str, Any]]:
    """The Khronos validator: its issues for a .glb file."""

    def run(path: Path) -> dict[str, Any]:
        done = subprocess.run(["node", str(VALIDATOR), str(path)], capture_output=True, text=True, check=True)
        report: dict[str, Any] = json.loads(done.stdout)
        return report

    return run


def note(layer: Layer, fps: float = 30.0) -> str:
    """What a layer says that its loop made of its rate."""
    return loop_note(Channel(layers=(layer,)), layer, Clock.over(fps, 0, 1), Scope())
