"""Whatever comes, the answer is a sentence and no server error. `make fuzz` asks the same of ten thousand requests."""

from __future__ import annotations

import json
from collections.abc import Iterator
from typing import Any
from urllib.parse import quote

import pytest
from starlette.testclient import TestClient

from lazzik.demo.begun import first_scene
from lazzik.web.app import create_app
from lazzik.work.pool import Workers
from tests.fuzzing import fuzz


class Asked:
    """A scene, and the client that asks about it. A server error is an answer here, not an exception."""

    def __init__(self, client: TestClient, scene: str) -> None:
        self.client, self.scene = client, scene

    def post(self, path: str, content: Any, **headers: Any) -> int:
        body = content if isinstance(content, bytes) else json.dumps(content).encode()
        answer = self.client.post(
            f"{self.scene}{path}", content=body, headers={"content-type": "application/json"} | headers
        )
        assert "Traceback" not in answer.text
        return answer.status_code


@pytest.fixture(scope="module")
def asked(tmp_path_factory: pytest.TempPathFactory, workers: Workers) -> Iterator[Asked]:
    app = create_app(tmp_path_factory.mktemp("fuzz") / "data", workers=workers)
    scene = app.state.store.create(first_scene("Fuzzed"), "new").id
    with TestClient(app, base_url="http://127.0.0.1:8460", raise_server_exceptions=False) as client:
        yield Asked(client, f"/scenes/{scene}")


ODD: tuple[Any, ...] = (10**400, -(10**400), 2**63, 2**64, 1e308, None, "\ud800", "", [], {}, True, "1" * 5000)
"""Whole numbers beyond 64 bits, what no float holds, half a character, and other kinds of values."""


def edits(value: Any) -> list[dict[str, Any]]:
    at = "post/rotation.z"
    return [
        {"do": "set", "address": at, "value": value},
        {"do": "set", "address": value, "value": 1},
        {"do": value},
        {"do": "put-key", "address": at, "frame": value, "value": value},
        {"do": "change-scene", "name": value},
        {"do": "change-scene", "first": value},
        {"do": "change-scene", "last": value},
        {"do": "change-scene", "fps": value},
        {"do": "add-layer", "address": at, "kind": value},
        {"do": "duplicate", "node": "post", "count": value},
        {"do": "stagger", "by": value, "addresses": [value]},
        {"do": "change-object", "node": "post", "label": value},
        {"do": "change-shape", "node": "post", "fields": {"width": value, "cuts_x": value}},
        {"do": "add-dial", "label": value, "value": value},
    ]


@pytest.mark.parametrize("value", ODD, ids=lambda value: repr(value)[:12])
def test_odd_values_in_any_field_are_refused(asked: Asked, value: Any) -> None:
    for edit in edits(value):
        for path, more in (("/edits", {}), ("/preview", {"at": "post/rotation.z", "frame": 3})):
            assert asked.post(path, {"revision": 0, "edits": [edit], **more}) < 500, edit
    for path, body in (
        ("/undo", {"revision": value}),
        ("/paint", {"revision": 0, "node": value, "weights": value}),
        ("/permanent", {"revision": value, "node": "post", "frame": value}),
        ("/bake-shape", {"revision": 0, "node": "post", "first": value, "last": value, "tolerance": value}),
        (
            "/keep-clip",
            {"revision": 0, "label": value, "addresses": ["post/rotation.z"], "first": value, "last": value},
        ),
        ("/formula", {"text": value, "at": value}),
        ("/deliver/film", {"form": "png", "count": value, "width": value, "height": value, "fps": value}),
        ("/deliver/gltf", {"turn": value}),
    ):
        assert asked.post(path, body) in (200, 404, 409, 422), path


QUERIES = (
    "curves?address=post/rotation.z&revision={}", "curves?address={}", "motion?since={}", "motion?from={}",
    "motion?to={}", "motion?per={}", "points?node=post&from={}&to={}", "counts?node=post&deformer=x&frame={}",
    "poses?at=post/rotation.z&frame={}", "seeds?at=post/rotation.z&first={}", "bake/reviews/x/{}", "bake/x/curves/{}",
    "why?at={}", "panels?at={}", "stagger?at={}", "layers?at={}", "dial-form?dial={}", "shape-bake?node={}",
    "recipes?at={}", "bake?at={}", "deliver/gltf?turn={}",
)  # fmt: skip


@pytest.mark.parametrize("query", QUERIES)
def test_odd_values_in_any_query_are_refused(asked: Asked, query: str) -> None:
    for value in ODD:
        text = "%ED%A0%80" if value == "\ud800" else quote(json.dumps(value).strip('"'))
        answer = asked.client.get(f"{asked.scene}/{query.replace('{}', text)}")
        assert answer.status_code < 500, (query, value)


@pytest.mark.parametrize("origin", ["http://[", "http://[::1", "x", "\xff", "http://a:b:c", "//", ":", "null"])
def test_a_broken_origin_is_one_from_elsewhere(asked: Asked, origin: str) -> None:
    assert asked.post("/undo", {"revision": 0}, origin=origin.encode("latin-1")) == 403


@pytest.mark.parametrize("length", ["²", "9" * 5000, "-1", "0x10", "1e9"])
def test_a_broken_length_is_too_large(asked: Asked, length: str) -> None:
    headers: Any = {"content-length": length.encode("latin-1")}
    answer = asked.client.request("POST", f"{asked.scene}/undo", content=b"{}", headers=headers)
    assert answer.status_code == 413


def nested(depth: int) -> dict[str, Any]:
    layer: dict[str, Any] = {"kind": "noise", "id": "a", "label": "A", "amplitude": 1.0}
    for _ in range(depth):
        layer = {"kind": "noise", "id": "a", "label": "A", "amplitude": {"layers": [layer]}}
    return layer


@pytest.mark.parametrize("depth", [10, 60, 200])
def test_layers_in_layers_in_layers_are_refused(asked: Asked, depth: int) -> None:
    paste = {"do": "paste-layers", "address": "post/rotation.z", "layers": [nested(depth)]}
    assert asked.post("/edits", {"revision": 0, "edits": [paste]}) == 422
    node = {"id": "p", "label": "P", "rotation": {"z": {"layers": [nested(depth)]}}}
    for version in (1, 2):
        text = json.dumps({"format": "lazzik-scene", "version": version, "name": "Deep", "nodes": [node]})
        assert asked.client.post("/scenes/open", files={"file": ("deep.json", text)}).status_code == 422


def test_more_json_than_a_page_sends_is_refused_before_it_is_read(asked: Asked) -> None:
    assert asked.post("/edits", b'{"revision": 0, "edits": [' + b"1," * 500_000 + b"1]}") == 413
    assert asked.post("/edits", b" " * (9 * 2**20)) == 413


def test_requests_made_up_from_the_description_are_answered_as_it_says(asked: Asked) -> None:
    document = asked.client.get("/openapi.json").json()
    found = fuzz(asked.client, document, asked.scene.rsplit("/", 1)[1], 1)
    assert found.wrong == []
    assert found.cases > 50


def test_every_edit_is_described_by_itself(asked: Asked) -> None:
    document = asked.client.get("/openapi.json").json()
    body = document["paths"]["/scenes/{scene_id}/edits"]["post"]["requestBody"]["content"]["application/json"]["schema"]
    model = document["components"]["schemas"][body["$ref"].rsplit("/", 1)[1]]
    kinds = model["properties"]["edits"]["items"]["discriminator"]["mapping"]
    assert len(kinds) > 40
    assert {name.rsplit("/", 1)[1] for name in kinds.values()} <= set(document["components"]["schemas"])
    review = document["paths"]["/scenes/{scene_id}/bake/reviews/{job_id}/{place}"]["get"]
    assert {"404", "422"} <= set(review["responses"])
