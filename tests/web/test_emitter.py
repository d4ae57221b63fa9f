"""Particles, as pages and scripts are sent them: made by a job, kept, and the same as worked out by hand."""

from __future__ import annotations

import time
from typing import Any

import msgpack
import numpy as np
from fastapi import FastAPI
from starlette.testclient import TestClient

from lazzik.core.simulate.particles import Particles
from tests.web.test_sheets import edit, text

SNOW: list[dict[str, Any]] = [
    {"do": "emit", "label": "Snow"},
    {"do": "change-scene", "last": 60},
    {"do": "set", "address": "snow/emitter.rate", "value": 50},
]


def made(client: TestClient, scene: str, revision: int) -> Any:
    """The run of the snow, once all of it is there."""
    begun = client.post(f"{scene}/run", json={"revision": revision, "node": "snow"})
    assert begun.status_code == 200, begun.text
    while client.get(f"/jobs/{begun.json()['id']}").json()["state"] in ("waiting", "running"):
        time.sleep(0.02)
    return client.get(f"{scene}/run", params={"node": "snow"}).json()


def test_a_run_is_made_by_a_job_kept_and_sent_by_stretches(client: TestClient, scene: str, app: FastAPI) -> None:
    edit(client, scene, *SNOW)
    before = client.get(f"{scene}/run", params={"node": "snow"}).json()
    assert (before["there"], before["count"]) == ([], 3)
    told = made(client, scene, 1)
    assert told["there"] == [0, 1, 2]
    asked = {"node": "snow", "run": told["run"], "place": 1}
    content = msgpack.unpackb(client.get(f"{scene}/run-frames", params=asked).content)
    document = app.state.store.open(scene.rsplit("/", 1)[1]).scene
    moments = [moment for moment, _ in Particles(document, "snow").frames(25, 49)]
    assert content["counts"] == [len(moment) for moment in moments]
    places = np.frombuffer(content["places"], "<f4").reshape(-1, 3)
    np.testing.assert_array_equal(places, np.concatenate([m.places for m in moments]).astype(np.float32))
    assert len(content["colors"]) == 4 * len(places)


def test_undo_brings_a_run_back_and_how_it_looks_needs_no_other(client: TestClient, scene: str) -> None:
    edit(client, scene, *SNOW)
    told = made(client, scene, 1)
    edit(client, scene, {"do": "set", "address": "snow/emitter.size", "value": 0.2})
    same = client.get(f"{scene}/run", params={"node": "snow"}).json()
    assert (same["run"], same["there"]) == (told["run"], [0, 1, 2])
    edit(client, scene, {"do": "set", "address": "ridge-wind/field.speed", "value": 2})
    other = client.get(f"{scene}/run", params={"node": "snow"}).json()
    assert other["run"] != told["run"]
    assert other["there"] == []
    assert client.post(f"{scene}/undo", json={"revision": 3}).status_code == 200
    assert client.get(f"{scene}/run", params={"node": "snow"}).json()["there"] == [0, 1, 2]


def test_what_is_asked_for_wrongly_is_said(client: TestClient, scene: str) -> None:
    edit(client, scene, *SNOW)
    for url, code in (
        (f"{scene}/run?node=ridge", 422), (f"{scene}/run?node=nobody", 422),
        (f"{scene}/run-frames?node=snow&run={'0' * 64}&place=0", 422),
        (f"{scene}/run-frames?node=snow&run=../x&place=0", 422),
    ):  # fmt: skip
        assert client.get(url).status_code == code, url
    refused = client.post(f"{scene}/run", json={"revision": 1, "node": "ridge"})
    assert (refused.status_code, "sends out nothing" in refused.text) == (422, True)


def test_the_panel_lays_an_emitter_open(client: TestClient, scene: str) -> None:
    edit(client, scene, *SNOW, {"do": "change-emitter", "node": "snow", "colliders": ["ridge"]})
    page = text(client, scene, at="snow/particles")
    assert 'data-address="snow/emitter.rate"' in page
    assert "They meet" in page
    assert "Ridge" in page
    assert "50 /s" in page
