"""Swarms, as pages and scripts are sent them: laid open, worked out by a job, their shell, coarse while dragged."""

from __future__ import annotations

import time
from typing import Any

import msgpack
import numpy as np
import pytest
from fastapi import FastAPI
from starlette.testclient import TestClient

from lazzik.core.simulate.shell import shell_of
from lazzik.core.simulate.swarm import SwarmRun
from tests.web.test_sheets import edit, text

WATER: list[dict[str, Any]] = [
    {"do": "add-object", "label": "Tank", "shape": {"kind": "box", "width": 0.4, "height": 0.4, "depth": 0.4,
                                                    "base": True}, "position": [0, 0.1, 0]},
    {"do": "pour", "of": "tank", "fills": "hollow", "label": "Water"},
    {"do": "set", "address": "water/swarm.spacing", "value": 0.05},
    {"do": "set", "address": "water/swarm.ahead", "value": 0},
    {"do": "change-scene", "last": 30},
]  # fmt: skip


@pytest.fixture
def scene(client: TestClient) -> str:
    """A small scene of its own with water in a tank."""
    where = client.post("/scenes", data={"name": "Small"}, follow_redirects=False).headers["location"].split("?")[0]
    edit(client, where, *WATER)
    return str(where)


def made(client: TestClient, scene: str, revision: int = 1) -> Any:
    begun = client.post(f"{scene}/run", json={"revision": revision, "node": "water"})
    assert begun.status_code == 200, begun.text
    assert begun.json()["label"] == "Swarm of Water"
    while client.get(f"/jobs/{begun.json()['id']}").json()["state"] in ("waiting", "running"):
        time.sleep(0.02)
    return client.get(f"{scene}/run", params={"node": "water"}).json()


def test_its_run_is_made_by_a_job_and_its_shell_is_sent(client: TestClient, scene: str, app: FastAPI) -> None:
    (fact,) = client.get(f"{scene}/carried").json()["carried"]
    assert (fact["node"], fact["part"], fact["drawn"], fact["roughness"]) == ("water", "swarm", "shell", 0.15)
    told = made(client, scene)
    assert told["there"] == [0, 1]
    asked = {"node": "water", "run": told["run"], "first": 3, "count": 3}
    content = msgpack.unpackb(client.get(f"{scene}/run-frames", params=asked).content)
    document = app.state.store.open(scene.rsplit("/", 1)[1]).scene
    run = SwarmRun(document, "water")
    moment = next(m for m, _ in run.frames(3, 3)).rounded()
    shell = shell_of(run, moment)
    assert (content["counts"][0], content["triangles"][0]) == (len(shell.points), len(shell.triangles))
    places = np.frombuffer(content["places"], "<f4").reshape(-1, 3)
    np.testing.assert_allclose(places[: len(shell.points)], shell.points, atol=1e-6)
    corners = np.frombuffer(content["corners"], "<u4").reshape(-1, 3)
    np.testing.assert_array_equal(corners[: len(shell.triangles)], shell.triangles)
    assert len(corners) == sum(content["triangles"])
    assert len(content["normals"]) == places.size
    # drawn otherwise it is the same run, looking otherwise
    edit(client, scene, {"do": "change-swarm", "node": "water", "settings": {"drawn": "points"}})
    (dotted,) = client.get(f"{scene}/carried").json()["carried"]
    assert (dotted["run"], dotted["drawn"]) == (fact["run"], "points")
    assert dotted["looks"] != fact["looks"]
    content = msgpack.unpackb(client.get(f"{scene}/run-frames", params=asked).content)
    assert content["counts"] == [len(moment)] * 3
    np.testing.assert_allclose(np.frombuffer(content["sizes"], "<f4"), 0.05, rtol=1e-6)
    course = msgpack.unpackb(client.get(f"{scene}/run-course", params={"node": "water"}).content)
    assert set(np.frombuffer(course["alive"], "<f4")) == {len(moment)}


def test_while_dragged_it_is_shown_coarsely(client: TestClient, scene: str) -> None:
    made(client, scene)
    drag = {"revision": 1, "frame": 12, "edits": [{"do": "set", "address": "water/swarm.viscosity", "value": 40}]}
    (water,) = msgpack.unpackb(client.post(f"{scene}/preview-carried", json=drag).content)["carried"]
    assert water["node"] == "water"
    assert water["triangles"][0] > 50
    looks = drag | {"edits": [{"do": "set", "address": "water/look.color.r", "value": 1}]}
    (water,) = msgpack.unpackb(client.post(f"{scene}/preview-carried", json=looks).content)["carried"]
    assert water["colors"][0] == 255


def test_its_panel_says_what_it_fills_and_what_it_meets(client: TestClient, scene: str) -> None:
    edit(client, scene, {"do": "change-swarm", "node": "water", "colliders": ["floor"]})
    page = client.get(f"{scene}/panels", params={"at": "water/swarm"}).text
    for wanted in (
        "in the hollow of",
        "Tank",
        "It meets",
        "viscosity",
        "cohesion",
        "m/s²",
        "joined over",
        "settled for",
    ):
        assert wanted in page, wanted
    assert "answers in" in page
    edit(client, scene, {"do": "change-swarm", "node": "water", "settings": {"wind": "still", "drawn": "balls"}})
    page = client.get(f"{scene}/panels", params={"at": "water/swarm"}).text
    assert "answers in" not in page
    assert "joined over" not in page
    assert "Water / swarm" in text(client, f"{scene}/why", at="water/swarm")
    assert client.get(f"{scene}/panels", params={"at": "tank/swarm"}).status_code == 200  # one that is none: the usual


def test_a_version_and_what_is_now_are_told_apart_by_their_runs(client: TestClient, scene: str) -> None:
    before = client.get(f"{scene}/carried").json()["carried"][0]["run"]
    edit(client, scene, {"do": "set", "address": "water/swarm.cohesion", "value": 9})
    assert client.get(f"{scene}/carried").json()["carried"][0]["run"] != before
