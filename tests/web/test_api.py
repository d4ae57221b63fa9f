"""Edits, previews and arrays over HTTP; and every kind of bad input."""

from __future__ import annotations

import json
from typing import Any

import msgpack
import numpy as np
import pytest
from fastapi import FastAPI
from starlette.testclient import TestClient

from lazzik.core.channel.channel import Channel
from lazzik.core.clock import Clock
from lazzik.core.evaluate.transforms import transforms
from lazzik.core.evaluate.values import evaluate
from lazzik.core.formats.gltf import write_glb
from lazzik.core.scene.node import Node, Rotation
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.serialize import scene_text
from lazzik.web.stage import routes
from tests.web.conftest import previewed, unpacked

MOVED = ["beacon-mast", "guy-plate-1", "guy-plate-2", "guy-plate-3", "ribbon"]
"""What an edit of the mast moves: itself, what reads it, and the ribbon, which feels the air elsewhere by it."""
MAST = "beacon-mast/rotation.z"
SET = {"do": "set", "address": f"{MAST}#gust.amplitude", "value": 2}


def send(client: TestClient, path: str, revision: int = 0, *edits: dict[str, Any], **more: Any) -> Any:
    return client.post(path, json={"revision": revision, "edits": list(edits), **more})


def test_edit_undo_redo(client: TestClient, scene: str, app: FastAPI) -> None:
    said = "set Beacon mast / rotation z / Gust / amplitude"
    assert send(client, f"{scene}/edits", 0, SET).json() == {
        "revision": 1, "undo": said, "redo": None, "name": "Ridge station",
    }  # fmt: skip
    assert client.post(f"{scene}/undo", json={"revision": 1}).json()["redo"] == said
    assert client.post(f"{scene}/redo", json={"revision": 0}).json()["revision"] == 1
    assert client.post(f"{scene}/redo", json={"revision": 1}).status_code == 409


def test_curves_are_the_channel_laid_open(client: TestClient, scene: str, app: FastAPI) -> None:
    document = app.state.store.entries()[0]
    strata = unpacked(client.get(f"{scene}/curves", params={"address": MAST}))["strata"]
    state = app.state.store.open(document.id)
    clock = state.scene.clock(strata["perFrame"])
    expected = evaluate(state.scene, [MAST], clock)[MAST]
    result = np.frombuffer(strata["result"], "<f4")
    np.testing.assert_allclose(result, expected, atol=1e-5)
    total = np.frombuffer(strata["base"], "<f4") + sum(np.frombuffer(c, "<f4") for c in strata["lanes"].values())
    np.testing.assert_allclose(total, result, atol=1e-5)
    assert strata["seam"]["value"] == pytest.approx(expected[-1] - expected[0])


def test_motion_is_the_poses(client: TestClient, scene: str, app: FastAPI) -> None:
    content = unpacked(client.get(f"{scene}/motion"))
    document = app.state.store.open(scene.split("/")[-1]).scene
    assert (content["from"], content["frames"], len(content["motion"])) == (0, 251, len(document.nodes))
    own = transforms(document.by_id["beacon-mast"], document.clock())
    track = content["motion"]["beacon-mast"]
    np.testing.assert_allclose(np.frombuffer(track["orientation"], "<f4").reshape(-1, 4), own.orientation, atol=1e-6)
    assert len(content["motion"]["ridge"]["position"]) == 3 * 4  # what stands still is sent once
    part = unpacked(client.get(f"{scene}/motion", params={"from": 40, "to": 49}))["motion"]["beacon-mast"]
    assert part["orientation"] == track["orientation"][40 * 16 : 50 * 16]


def test_motion_since_a_revision_sends_only_what_differs(client: TestClient, scene: str) -> None:
    send(client, f"{scene}/edits", 0, SET)
    assert list(unpacked(client.get(f"{scene}/motion", params={"since": 0}))["motion"]) == MOVED
    send(client, f"{scene}/edits", 1, {"do": "change-scene", "last": 99})
    assert len(unpacked(client.get(f"{scene}/motion", params={"since": 1}))["motion"]) > 50


def test_a_preview_is_evaluated_and_not_stored(client: TestClient, scene: str, app: FastAPI) -> None:
    before = unpacked(client.get(f"{scene}/curves", params={"address": MAST}))["strata"]["result"]
    content = previewed(client, scene, {"revision": 0, "edits": [SET], "at": MAST})
    assert list(content["motion"]) == MOVED
    assert content["strata"]["result"] != before
    assert app.state.store.open(scene.split("/")[-1]).revision == 0
    send(client, f"{scene}/edits", 0, SET)
    after = unpacked(client.get(f"{scene}/curves", params={"address": MAST}))["strata"]["result"]
    assert after == content["strata"]["result"]


def test_a_drag_computes_only_what_hangs_on_it(client: TestClient, scene: str, app: FastAPI) -> None:
    client.get(f"{scene}/motion")
    kept = app.state.memo.computed
    send(client, f"{scene}/preview", 0, SET, at=MAST)
    send(client, f"{scene}/edits", 0, SET)
    client.get(f"{scene}/motion", params={"since": 0})
    assert app.state.memo.computed == kept + 1


def test_a_stale_edit_gets_the_newer_head(client: TestClient, scene: str) -> None:
    send(client, f"{scene}/edits", 0, SET)
    late = send(client, f"{scene}/edits", 0, SET | {"value": 9})
    assert late.status_code == 409
    assert late.json()["head"] == 1
    assert "Reload" in late.json()["error"]


BAD: list[tuple[str, str, Any, int, str]] = [
    ("POST", "/edits", b"{", 422, "JSON"),
    ("POST", "/edits", b"[" * 50_000, 422, "JSON"),
    ("POST", "/edits", b"\xff", 422, "JSON"),
    ("POST", "/edits", {"revision": "x", "edits": []}, 422, "revision"),
    ("POST", "/edits", {"revision": 0, "edits": []}, 422, "at least 1"),
    ("POST", "/edits", {"revision": 0, "edits": [{}]}, 422, "do"),
    ("POST", "/edits", {"revision": 0, "edits": [SET | {"value": "fast"}]}, 422, "'fast' is not a number"),
    ("POST", "/edits", {"revision": 0, "edits": [SET | {"address": "no/where.x"}]}, 422, "There is no object 'no'"),
    ("POST", "/edits", {"revision": 7, "edits": [SET]}, 409, "Reload"),
    ("POST", "/preview", {"revision": 99, "edits": [SET]}, 404, "no step 99"),
    ("POST", "/preview", {"revision": 0, "edits": [SET], "at": "no/where.x"}, 422, "no object"),
    ("POST", "/undo", {"revision": 0}, 409, "nothing to undo"),
    ("GET", "/curves", None, 422, "address"),
    ("GET", "/curves?address=beacon", None, 422, "is not an address"),
    ("GET", "/curves?address=beacon/rotation.w", None, 422, "has no number"),
    ("GET", "/motion?from=9&to=1", None, 422, "no range"),
    ("GET", "/motion?from=0&to=90000000", None, 422, "to: "),
    ("GET", "/motion?from=x", None, 422, "from"),
    ("GET", "/nothing", None, 404, "nothing at this address"),
]


@pytest.mark.parametrize(("method", "path", "body", "status", "part"), BAD)
def test_bad_requests_get_a_sentence_and_change_nothing(
    client: TestClient, scene: str, app: FastAPI, method: str, path: str, body: Any, status: int, part: str
) -> None:
    content = body if isinstance(body, bytes) else json.dumps(body).encode() if body is not None else None
    response = client.request(method, scene + path, content=content, headers={"content-type": "application/json"})
    assert response.status_code == status, response.text
    assert part in response.json()["error"]
    assert app.state.store.open(scene.split("/")[-1]).revision == 0


@pytest.mark.parametrize("path", ["", "/bake", "/deliver", "/motion", "/rest.glb", "/deliver/scene"])
def test_a_missing_scene_is_said_as_a_page_or_as_json(client: TestClient, path: str) -> None:
    page = client.get(f"/scenes/nowhere{path}", headers={"accept": "text/html"})
    assert page.status_code == 404
    assert "There is no such scene" in page.text
    assert "text/html" in page.headers["content-type"]
    assert "There is no such scene" in client.get(f"/scenes/nowhere{path}").json()["error"]


def test_a_scene_file_is_opened(client: TestClient, app: FastAPI) -> None:
    document = app.state.store.open(app.state.store.entries()[0].id).scene.replaced(name="From disk")
    sent = client.post("/scenes/open", files={"file": ("s.json", scene_text(document))})
    assert sent.status_code == 303
    assert app.state.store.open(sent.headers["location"].split("/")[-1]).scene == document


def test_the_geometry_at_rest_of_a_step_is_made_once(
    client: TestClient, scene: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    made: list[Scene] = []

    def counted(seen: Scene, **how: Any) -> bytes:
        made.append(seen)
        return write_glb(seen, **how)

    monkeypatch.setattr(routes, "write_glb", counted)
    first = client.get(f"{scene}/rest.glb").content
    assert client.get(f"{scene}/rest.glb").content == first
    assert len(made) == 1
    send(client, f"{scene}/edits", 0, {"do": "set", "address": "ridge/position.x", "value": 1})
    after = client.get(f"{scene}/rest.glb").content
    assert after != first
    assert client.get(f"{scene}/rest.glb", params={"of": 0}).content == first
    assert len(made) == 2


@pytest.mark.parametrize("text", [b"", b"{}", b"[" * 100_000, b'{"name": "x", "version": 9}', b"\x00\xff"])
def test_a_file_that_is_no_scene_is_refused(client: TestClient, app: FastAPI, text: bytes) -> None:
    count = len(app.state.store.entries())
    sent = client.post("/scenes/open", files={"file": ("s.json", text)})
    assert sent.status_code == 422
    assert sent.json()["error"].endswith(".")
    assert len(app.state.store.entries()) == count


def test_long_motion_is_sent_object_by_object(client: TestClient, app: FastAPI) -> None:
    """A range of 20,000 frames at eighths: no more of it is held at once than one object's."""
    layers = [{"kind": "wave", "id": "w", "label": "W", "amplitude": 5.0}]
    turning = Rotation(z=Channel.model_validate({"layers": layers}))
    nodes = tuple(Node(id=f"n{k}", label="N", rotation=turning) for k in range(5))
    state = app.state.store.create(Scene(name="Long", last=19_999, nodes=nodes), "new")
    with client.stream("GET", f"/scenes/{state.id}/motion", params={"per": 8}) as answer:
        parts = list(answer.iter_raw())
    each = 4 * 4 * 159_993  # an orientation at each moment; place and size once
    assert max(map(len, parts)) < 1.1 * each
    motion = msgpack.unpackb(b"".join(parts))["motion"]
    assert list(motion) == [node.id for node in nodes]
    turns = transforms(nodes[0], Clock.over(state.scene.fps, 0, 19_999, per_frame=8)).orientation
    for sent in motion.values():
        np.testing.assert_array_equal(np.frombuffer(sent["orientation"], "<f4").reshape(-1, 4), turns.astype("<f4"))
