"""Cloth, as pages and scripts are sent it: laid open, worked out by a job, sent by stretches, coarse while dragged."""

from __future__ import annotations

import base64
import time
from typing import Any

import msgpack
import numpy as np
import pytest
from fastapi import FastAPI
from starlette.testclient import TestClient

from lazzik.core.evaluate.scope import Scope
from lazzik.core.simulate.cloth import ClothRun
from lazzik.core.simulate.draped import surface_seen
from tests.web.conftest import previewed
from tests.web.test_sheets import edit, text

SHEET: list[dict[str, Any]] = [
    {"do": "add-object", "label": "Wind", "field": {"kind": "wind"}},
    {"do": "add-object", "label": "Cover", "position": [0, 2, 0],
     "shape": {"kind": "sheet", "width": 1, "height": 1, "columns": 12, "rows": 12, "standing": True}},
    {"do": "drape", "node": "cover", "stuff": "linen"},
    {"do": "set", "address": "cover/cloth.ahead", "value": 0},
    {"do": "change-scene", "last": 40},
]  # fmt: skip


@pytest.fixture
def scene(client: TestClient) -> str:
    """A small scene of its own with a cover in the wind."""
    where = client.post("/scenes", data={"name": "Small"}, follow_redirects=False).headers["location"].split("?")[0]
    edit(client, where, *SHEET)
    return str(where)


def made(client: TestClient, scene: str, revision: int = 1) -> Any:
    begun = client.post(f"{scene}/run", json={"revision": revision, "node": "cover"})
    assert begun.status_code == 200, begun.text
    while client.get(f"/jobs/{begun.json()['id']}").json()["state"] in ("waiting", "running"):
        time.sleep(0.02)
    return client.get(f"{scene}/run", params={"node": "cover"}).json()


def test_its_run_is_made_by_a_job_and_sent_with_what_its_deformers_do(
    client: TestClient, scene: str, app: FastAPI
) -> None:
    (fact,) = client.get(f"{scene}/carried").json()["carried"]
    assert (fact["node"], fact["drawn"]) == ("cover", "cloth")
    told = made(client, scene)
    assert told["there"] == [0, 1]
    asked = {"node": "cover", "run": told["run"], "first": 25}
    edit(client, scene, {"do": "add-deformer", "node": "cover", "kind": "twist"})
    (bent,) = client.get(f"{scene}/carried").json()["carried"]
    assert bent["run"] == fact["run"]  # the deformer acts on cloth that hangs already
    assert bent["looks"] != fact["looks"]
    content = msgpack.unpackb(client.get(f"{scene}/run-frames", params=asked).content)
    document = app.state.store.open(scene.rsplit("/", 1)[1]).scene
    surface = surface_seen(document, document.by_id["cover"], document.clock(), Scope(document))
    places = np.frombuffer(content["places"], "<f4").reshape(len(content["counts"]), -1, 3)
    assert len(places) == 16
    np.testing.assert_allclose(places[3], surface.points(28), atol=1e-6)
    assert len(content["normals"]) == places.size
    course = msgpack.unpackb(client.get(f"{scene}/run-course", params={"node": "cover"}).content)
    pace = np.frombuffer(course["pace"], "<f4")
    assert pace[0] == 0.0
    assert pace.max() > 0.1
    # it is no surface that the stage asks for by frames
    motion = msgpack.unpackb(client.get(f"{scene}/motion").content)
    assert "cover" not in motion["shaped"]


def test_while_dragged_it_is_shown_coarsely_and_moves_nothing_else(client: TestClient, scene: str) -> None:
    made(client, scene)
    drag = {"revision": 1, "frame": 30, "edits": [{"do": "set", "address": "cover/cloth.weight", "value": 1.2}]}
    answer = client.post(f"{scene}/preview-carried", json=drag)
    (cover,) = msgpack.unpackb(answer.content)["carried"]
    assert cover["node"] == "cover"
    places = np.frombuffer(cover["places"], "<f4").reshape(-1, 3)
    assert cover["counts"] == [len(places)]
    assert np.isfinite(places).all()
    assert previewed(client, scene, drag)["points"] == []


def test_its_panel_has_stuff_pins_and_what_it_falls_on(client: TestClient, scene: str) -> None:
    edit(client, scene, {"do": "change-cloth", "node": "cover", "colliders": ["floor"]},
         {"do": "pin", "node": "cover", "place": "mask"})  # fmt: skip
    page = client.get(f"{scene}/panels", params={"at": "cover/cloth"}).text
    for wanted in ("Cover", "linen", "It falls on", "Top edge", "radius", "resists stretch", "kg/m²"):
        assert wanted in page, wanted
    why = text(client, f"{scene}/why", at="cover/cloth")
    assert "Cover / cloth" in why
    assert client.get(f"{scene}/panels", params={"at": "post/cloth"}).status_code == 200  # one that is none: the usual
    refused = client.post(f"{scene}/edits", json={"revision": 2, "edits": [{"do": "drape", "node": "cover"}]})
    assert (refused.status_code, "is cloth already" in refused.text) == (422, True)


def test_it_is_baked_by_a_job_and_taken_back(client: TestClient, scene: str) -> None:
    made(client, scene)
    body = {"revision": 1, "node": "cover", "first": 0, "last": 40, "how": "targets", "tolerance": 0.01}
    begun = client.post(f"{scene}/bake-shape", json=body).json()
    while (job := client.get(f"/jobs/{begun['id']}").json())["state"] in ("waiting", "running"):
        time.sleep(0.02)
    assert job["state"] == "done", job
    assert client.get(f"{scene}/carried").json()["carried"] == []
    assert "cloth, kept and switched off" in text(client, f"{scene}/shape-bake", node="cover")
    edit(client, scene, {"do": "take-back-shape", "node": "cover"})
    assert len(client.get(f"{scene}/carried").json()["carried"]) == 1


def test_where_it_is_held_is_painted(client: TestClient, scene: str, app: FastAPI) -> None:
    weights = np.zeros(2 * 13 * 13, np.float32)  # both sides of it
    weights[:13] = 1.0
    body = {"revision": 1, "node": "cover", "weights": base64.b64encode(weights.tobytes()).decode()}
    assert client.post(f"{scene}/paint-pin", json=body).status_code == 200
    there = msgpack.unpackb(client.get(f"{scene}/pin-weights", params={"node": "cover", "pin": "painted"}).content)
    np.testing.assert_array_equal(np.frombuffer(there["weights"], "<f4"), weights)
    document = app.state.store.open(scene.rsplit("/", 1)[1]).scene
    run = ClothRun(document, "cover")
    assert [len(points) for points in run.pins.of] == [13, 13, 0]  # its upper edge, its lower one, and nothing loose
    weights[:7] = 0.0
    again = body | {"revision": 2, "pin": "painted", "weights": base64.b64encode(weights.tobytes()).decode()}
    assert client.post(f"{scene}/paint-pin", json=again).status_code == 200
    document = app.state.store.open(scene.rsplit("/", 1)[1]).scene
    assert [len(points) for points in ClothRun(document, "cover").pins.of] == [13, 6, 0]
    few = body | {"revision": 3, "weights": base64.b64encode(weights[:5].tobytes()).decode()}
    refused = client.post(f"{scene}/paint-pin", json=few)
    assert (refused.status_code, "weights for 5 were given" in refused.text) == (422, True)
