"""Particles, as pages and scripts are sent them: made by a job, kept, and the same as worked out by hand."""

from __future__ import annotations

import time
from typing import Any

import msgpack
import numpy as np
import pytest
from fastapi import FastAPI
from starlette.testclient import TestClient

from lazzik.core.simulate.particles import Particles
from tests.web.test_sheets import edit, text

DUST: list[dict[str, Any]] = [
    {"do": "add-object", "label": "Wind", "field": {"kind": "wind"}},
    {"do": "emit", "label": "Dust"},
    {"do": "change-scene", "last": 60},
    {"do": "set", "address": "dust/emitter.rate", "value": 50},
]
SPEED = "wind/field.speed"


@pytest.fixture
def scene(client: TestClient) -> str:
    """A small scene of its own: a post on a floor."""
    where = client.post("/scenes", data={"name": "Small"}, follow_redirects=False).headers["location"]
    return where.split("?")[0]


def made(client: TestClient, scene: str, revision: int, **state: str) -> Any:
    """The run of the dust, once all of it is there: of what is now, or of a state that is named; with the job."""
    begun = client.post(f"{scene}/run", params=state, json={"revision": revision, "node": "dust"})
    assert begun.status_code == 200, begun.text
    while client.get(f"/jobs/{begun.json()['id']}").json()["state"] in ("waiting", "running"):
        time.sleep(0.02)
    return client.get(f"{scene}/run", params={"node": "dust"} | state).json() | {"job": begun.json()["label"]}


def test_a_run_is_made_by_a_job_kept_and_sent_by_stretches(client: TestClient, scene: str, app: FastAPI) -> None:
    edit(client, scene, *DUST)
    before = client.get(f"{scene}/run", params={"node": "dust"}).json()
    assert (before["there"], before["count"]) == ([], 3)
    told = made(client, scene, 1)
    assert told["there"] == [0, 1, 2]
    asked = {"node": "dust", "run": told["run"], "first": 25}
    content = msgpack.unpackb(client.get(f"{scene}/run-frames", params=asked).content)
    document = app.state.store.open(scene.rsplit("/", 1)[1]).scene
    moments = [moment for moment, _ in Particles(document, "dust").frames(25, 49)]
    assert content["counts"] == [len(moment) for moment in moments]
    places = np.frombuffer(content["places"], "<f4").reshape(-1, 3)
    np.testing.assert_array_equal(places, np.concatenate([m.places for m in moments]).astype(np.float32))
    assert len(content["colors"]) == 4 * len(places)


def test_undo_brings_a_run_back_and_how_it_looks_needs_no_other(client: TestClient, scene: str) -> None:
    edit(client, scene, *DUST)
    told = made(client, scene, 1)
    edit(client, scene, {"do": "set", "address": "dust/emitter.size", "value": 0.2})
    same = client.get(f"{scene}/run", params={"node": "dust"}).json()
    assert (same["run"], same["there"]) == (told["run"], [0, 1, 2])
    edit(client, scene, {"do": "set", "address": SPEED, "value": 2})
    other = client.get(f"{scene}/run", params={"node": "dust"}).json()
    assert other["run"] != told["run"]
    assert other["there"] == []
    assert client.post(f"{scene}/undo", json={"revision": 3}).status_code == 200
    assert client.get(f"{scene}/run", params={"node": "dust"}).json()["there"] == [0, 1, 2]


@pytest.mark.parametrize(
    ("word", "name"), [("1", "Step 1"), (f"shelf.gusty-ridge@{SPEED}", "Gusty ridge on Wind / field speed")]
)
def test_a_run_is_made_of_another_state(client: TestClient, scene: str, word: str, name: str) -> None:
    """Of an older step, and of one that nobody stored."""
    edit(client, scene, *DUST)
    edit(client, scene, {"do": "set", "address": SPEED, "value": 2})
    now = client.get(f"{scene}/run", params={"node": "dust"}).json()
    told = made(client, scene, 2, of=word)
    assert told["job"] == f"Particles of Dust, {name}"
    assert told["there"] == [0, 1, 2]
    assert told["run"] != now["run"]
    assert client.get(f"{scene}/run", params={"node": "dust"}).json()["there"] == []
    asked = {"node": "dust", "run": told["run"], "first": 25, "of": word}
    content = msgpack.unpackb(client.get(f"{scene}/run-frames", params=asked).content)
    assert min(content["counts"]) > 10


def test_what_is_asked_for_wrongly_is_said(client: TestClient, scene: str) -> None:
    edit(client, scene, *DUST)
    for url, code in (
        (f"{scene}/run?node=floor", 422), (f"{scene}/run?node=nobody", 422),
        (f"{scene}/run-frames?node=dust&run={'0' * 64}&first=0", 422),
        (f"{scene}/run-frames?node=dust&run=../x&first=0", 422), (f"{scene}/run-course?node=floor", 422),
    ):  # fmt: skip
        assert client.get(url).status_code == code, url
    refused = client.post(f"{scene}/run", json={"revision": 1, "node": "floor"})
    assert (refused.status_code, "worked out step by step" in refused.text) == (422, True)


def test_the_panel_lays_an_emitter_open(client: TestClient, scene: str) -> None:
    edit(client, scene, *DUST, {"do": "change-emitter", "node": "dust", "colliders": ["floor"]})
    page = text(client, scene, at="dust/particles")
    assert 'data-address="dust/emitter.rate"' in page
    assert "They meet" in page
    assert "Floor" in page
    assert "50 /s" in page


def test_the_course_of_a_run_is_read_where_it_is_there(client: TestClient, scene: str, app: FastAPI) -> None:
    edit(client, scene, *DUST)
    bare = msgpack.unpackb(client.get(f"{scene}/run-course", params={"node": "dust"}).content)
    assert set(np.frombuffer(bare["alive"], "<f4")) == {-1.0}
    made(client, scene, 1)
    told = msgpack.unpackb(client.get(f"{scene}/run-course", params={"node": "dust"}).content)
    document = app.state.store.open(scene.rsplit("/", 1)[1]).scene
    moments = [moment for moment, _ in Particles(document, "dust").frames(0, 60)]
    np.testing.assert_array_equal(np.frombuffer(told["alive"], "<f4"), [len(moment) for moment in moments])
    fast = [np.median(np.linalg.norm(moment.speeds, axis=1)) for moment in moments[1:]]
    np.testing.assert_allclose(np.frombuffer(told["pace"], "<f4")[1:], fast, rtol=1e-5)


def test_moments_between_frames_are_sent_for_films(client: TestClient, scene: str) -> None:
    edit(client, scene, *DUST)
    run = made(client, scene, 1)["run"]
    asked = {"node": "dust", "run": run, "first": 30, "count": 2, "per": 8, "shown": 3}
    content = msgpack.unpackb(client.get(f"{scene}/run-frames", params=asked).content)
    assert len(content["counts"]) == 6
    whole = msgpack.unpackb(client.get(f"{scene}/run-frames", params={"node": "dust", "run": run, "first": 30}).content)
    count = whole["counts"][0]
    assert content["places"][: 12 * count] == whole["places"][: 12 * count]
    beyond = client.get(f"{scene}/run-frames", params={"node": "dust", "run": run, "first": 61})
    assert (beyond.status_code, "from 0 to 60" in beyond.text) == (422, True)


def test_a_drag_is_answered_by_a_few_of_the_same_particles(client: TestClient, scene: str) -> None:
    edit(client, scene, *DUST, {"do": "set", "address": "dust/emitter.rate", "value": 900})
    made(client, scene, 1)
    drag = {"revision": 1, "frame": 50, "edits": [{"do": "set", "address": "dust/emitter.push", "value": 3}]}
    [told] = msgpack.unpackb(client.post(f"{scene}/preview-carried", json=drag).content)["carried"]
    assert told["node"] == "dust"
    assert 100 < told["counts"][0] < 500
    looks = drag | {"edits": [{"do": "set", "address": "dust/emitter.size", "value": 0.4}]}
    [all_of_them] = msgpack.unpackb(client.post(f"{scene}/preview-carried", json=looks).content)["carried"]
    assert all_of_them["counts"][0] > 1000  # only how they look: the run is there already
    other = drag | {"edits": [{"do": "set", "address": "post/look.glow", "value": 0.4}]}
    nothing = [{"do": "change-scene", "name": "Another"}]
    assert (
        msgpack.unpackb(client.post(f"{scene}/preview-carried", json=drag | {"edits": nothing}).content)["carried"]
        == []
    )
    assert other


def test_a_run_is_locked_and_let_go(client: TestClient, scene: str, app: FastAPI) -> None:
    edit(client, scene, *DUST)
    assert client.post(f"{scene}/keep-run", json={"revision": 1, "node": "dust"}).status_code == 422  # none is there
    first = made(client, scene, 1)["run"]
    kept = client.post(f"{scene}/keep-run", json={"revision": 1, "node": "dust"}).json()
    assert kept["run"] == first
    assert [row.kept for row in app.state.runs.rows() if row.key == first] == [True]
    edit(client, scene, {"do": "change-emitter", "node": "dust", "locked": first},
         {"do": "set", "address": "dust/emitter.push", "value": 7})  # fmt: skip
    told = client.get(f"{scene}/run", params={"node": "dust"}).json()
    assert (told["run"], told["there"]) == (first, [0, 1, 2])
    assert "Unlock" in client.get(f"{scene}/why", params={"at": "dust/particles"}).text
    edit(client, scene, {"do": "change-emitter", "node": "dust", "locked": None})
    assert client.get(f"{scene}/run", params={"node": "dust"}).json()["run"] != first


def test_particles_become_objects_by_a_job(client: TestClient, scene: str, app: FastAPI) -> None:
    edit(client, scene, *DUST, {"do": "set", "address": "dust/emitter.rate", "value": 5})
    assert "At most" in client.get(f"{scene}/objects-form", params={"node": "dust"}).text
    begun = client.post(f"{scene}/make-objects", json={"revision": 1, "node": "dust", "most": 4}).json()
    while client.get(f"/jobs/{begun['id']}").json()["state"] in ("waiting", "running"):
        time.sleep(0.02)
    landed = client.get(f"/jobs/{begun['id']}/result").json()
    assert landed["added"] == ["dust-objects"]
    document = app.state.store.open(scene.rsplit("/", 1)[1]).scene
    assert len(document.below["dust-objects"]) == 4
    assert client.post(f"{scene}/make-objects", json={"revision": 2, "node": "dust", "most": 9999}).status_code == 422


def test_without_room_the_run_ends_with_a_sentence_and_goes_on_later(
    client: TestClient, scene: str, app: FastAPI, monkeypatch: Any
) -> None:
    """The disk is full for all but the first stretch: what is there stays, and the rest comes once there is room."""
    edit(client, scene, *DUST)
    folder = app.state.runs.folder
    folder.mkdir(parents=True, exist_ok=True)
    key = client.get(f"{scene}/run", params={"node": "dust"}).json()["run"]
    blocked = folder / key / "000001.npz"
    blocked.mkdir(parents=True)  # nothing can be put in its place
    (blocked / "in the way").touch()
    begun = client.post(f"{scene}/run", json={"revision": 1, "node": "dust"}).json()
    while (news := client.get(f"/jobs/{begun['id']}").json())["state"] in ("waiting", "running"):
        time.sleep(0.02)
    assert news["state"] == "failed"
    assert "no room left on the disk" in news["said"]
    assert "What is there stays" in news["said"]
    assert not list((folder / key).glob("*.begun"))
    (blocked / "in the way").unlink()
    blocked.rmdir()
    assert made(client, scene, 1)["there"] == [0, 1, 2]


def test_kept_runs_are_listed_kept_removed_and_bounded(client: TestClient, scene: str, app: FastAPI) -> None:
    assert "None yet" in client.get("/runs").text
    edit(client, scene, *DUST)
    first = made(client, scene, 1)["run"]
    edit(client, scene, {"do": "set", "address": "dust/emitter.push", "value": 3})
    second = made(client, scene, 2)["run"]
    page = client.get("/runs").text
    assert page.count("Particles of Dust") == 0
    assert page.count('<th scope="row">Dust') == 2
    assert page.count("in use</span>") == 1
    assert client.post(f"/runs/{first}/keep", data={"kept": "true"}, follow_redirects=False).status_code == 303
    assert client.post("/runs/remove-unused", follow_redirects=False).status_code == 303
    assert {row.key for row in app.state.runs.rows()} == {first, second}  # one is kept, one in use
    client.post(f"/runs/{first}/keep", data={"kept": "false"})
    client.post("/runs/remove-unused")
    assert [row.key for row in app.state.runs.rows()] == [second]
    client.post(f"/runs/{second}/remove")
    assert app.state.runs.rows() == []
    assert client.post("/runs/limit", data={"limit": "2,5"}, follow_redirects=False).status_code == 303
    assert app.state.runs.limit == 2_500_000_000
    for wrong in ("0", "much", "nan", "1e9"):
        refused = client.post("/runs/limit", data={"limit": wrong})
        assert refused.status_code == 422, wrong
        assert "gigabytes" in refused.text
    assert client.post("/runs/../keep", data={"kept": "true"}).status_code in (404, 405, 422)


def test_the_recipes_of_whole_objects_are_put_in_and_send_something_out(client: TestClient, scene: str) -> None:
    from lazzik.demo.whole import WHOLE

    page = client.get(f"{scene}/recipes").text
    assert all(item.label in page for item in WHOLE)
    edit(client, scene, DUST[0], *(item.edit for item in WHOLE))
    told = client.get(f"{scene}/carried").json()["carried"]
    sent_out = {"drifting-snow", "first-leaves", "chimney-smoke", "spray"}
    assert {fact["node"] for fact in told} == sent_out | {"flag", "goods-cover", "curtain", "afloat", "water"}
    assert [fact["copies"] for fact in told if fact["drawn"] == "copies"] == ["leaf"]
    for fact in told:
        part = fact["part"]
        why = client.get(f"{scene}/why", params={"at": f"{fact['node']}/{part}"}).text
        assert "Nothing keeps it from showing" in why or "beyond its usual" in why, why
