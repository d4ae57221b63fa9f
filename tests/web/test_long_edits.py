"""Edits that take long become jobs, and land if nothing that they read is another by then."""

from __future__ import annotations

import time
from pathlib import Path
from queue import Queue
from threading import Lock
from typing import Any

import pytest
from fastapi import FastAPI
from starlette.testclient import TestClient

from lazzik.core.progress import Progress
from lazzik.core.scene.change import SceneDifference, difference
from lazzik.core.scene.edits.base import Edit, applied
from lazzik.web.edits import landing
from lazzik.web.services import snapshot
from lazzik.work import tasks
from lazzik.work.source import Source
from tests.web.conftest import over

MAST = "beacon-mast/rotation.z#gust.amplitude"
SOCK = "sock/rotation.y"


def edited_while_somebody_else_works(source: Source, edits: list[Edit], progress: Progress) -> SceneDifference:
    """As the task, and meanwhile another step is stored, as if by another page."""
    from lazzik.core.scene.edits.every import read_edits
    from lazzik.work.source import store_in

    progress.report(0.5, "half way")
    other = {"do": "change-object", "node": "sock", "label": "Windsock"}
    store_in(source.folder).edit(source.scene, source.revision, read_edits([other]))
    before = source.read()
    return difference(before, applied(before, edits, progress))


@pytest.fixture
def hasty(monkeypatch: pytest.MonkeyPatch) -> None:
    """Every edit takes long."""
    monkeypatch.setattr(landing, "SOON", 0.0)
    monkeypatch.setattr(landing, "HERE", -1.0)


def gust(value: float) -> dict[str, Any]:
    return {"do": "set", "address": MAST, "value": value}


def test_an_edit_that_takes_long_is_a_job_whose_result_is_what_an_edit_answers(
    client: TestClient, scene: str, hasty: None
) -> None:
    answer = client.post(f"{scene}/edits", json={"revision": 0, "edits": [gust(7.5), gust(8.5)]})
    assert answer.status_code == 202
    assert over(client, answer.json())["state"] == "done"
    said = client.get(f"/jobs/{answer.json()['id']}/result").json()
    assert (said["revision"], said["undo"]) == (1, "set Beacon mast / rotation z / Gust / amplitude and 1 more")
    undone = client.post(f"{scene}/undo", json={"revision": 1})
    assert undone.json()["redo"] == said["undo"]


def test_it_lands_beside_another_step_and_both_are_there(
    client: TestClient, app: FastAPI, scene: str, hasty: None, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(tasks, "edited", edited_while_somebody_else_works)
    answer = client.post(f"{scene}/edits", json={"revision": 0, "edits": [gust(7.5)]})
    assert over(client, answer.json())["state"] == "done"
    now = app.state.store.open(scene.rsplit("/", 1)[1])
    mast = now.scene.by_id["beacon-mast"]
    assert (now.revision, now.scene.by_id["sock"].label) == (2, "Windsock")
    assert mast.rotation.z.layers[0].amplitude == 7.5


def test_it_says_so_if_what_it_read_is_another(
    client: TestClient, app: FastAPI, scene: str, hasty: None, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(tasks, "edited", edited_while_somebody_else_works)
    edit = {"do": "change-object", "node": "sock", "label": "Mine"}
    answer = client.post(f"{scene}/edits", json={"revision": 0, "edits": [edit]})
    news = over(client, answer.json())
    assert (news["state"], "Windsock became another" in news["said"]) == ("failed", True)
    assert app.state.store.open(scene.rsplit("/", 1)[1]).revision == 1


def test_a_quick_edit_on_an_older_revision_is_refused_as_ever(client: TestClient, scene: str) -> None:
    assert client.post(f"{scene}/edits", json={"revision": 0, "edits": [gust(3)]}).json()["revision"] == 1
    late = client.post(f"{scene}/edits", json={"revision": 0, "edits": [gust(4)]})
    assert (late.status_code, late.json()["head"]) == (409, 1)


def test_whole_copies_of_many_scenes_are_put_together_one_after_the_other() -> None:
    """And stored by the server, whatever the worker that made one is kept from."""
    at_work: list[str] = []
    most: list[int] = []
    stored: Queue[tuple[str, int, bytes]] = Queue()

    class Crew:
        def run(self, task: object, _folder: Path, scene: str, number: int) -> bytes:
            at_work.append(scene)
            most.append(len(at_work))
            time.sleep(0.01)
            at_work.remove(scene)
            return f"{scene}, packed".encode()

    class Store:
        folder = Path("none")

        def keep_snapshot(self, scene: str, number: int, packed: bytes) -> None:
            stored.put((scene, number, packed))

    turn = Lock()
    for n in range(6):
        snapshot(Crew(), Store(), turn, f"scene {n}", 32)  # type: ignore[arg-type]
    expected = [(f"scene {n}", 32, f"scene {n}, packed".encode()) for n in range(6)]
    assert sorted(stored.get(timeout=60) for _ in expected) == expected
    assert set(most) == {1}


def test_waiting_for_the_processor_sends_no_edit_to_a_worker() -> None:
    patience = landing._Patience()
    time.sleep(2 * landing.HERE)
    assert not patience.out
    patience.hear()
    while not patience.out:
        sum(range(1000))
    with pytest.raises(landing._Long):
        patience.hear()
