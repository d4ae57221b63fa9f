"""Strangers stay out: hosts, origins, sizes, scripts."""

from __future__ import annotations

import pytest
from fastapi import FastAPI
from starlette.testclient import TestClient

from lazzik.cli.serving import serve
from tests.web.conftest import reviewed
from tests.web.test_api import SET


@pytest.mark.parametrize("host", ["127.0.0.1:8460", "localhost:8460", "localhost"])
def test_known_hosts_are_served(client: TestClient, host: str) -> None:
    assert client.get("/scenes", headers={"host": host}).status_code == 200


@pytest.mark.parametrize("host", ["example.test", "127.0.0.1.example.test", "", "localhost.example.test:8460"])
def test_foreign_hosts_are_refused(client: TestClient, host: str) -> None:
    assert client.get("/scenes", headers={"host": host}).status_code == 400


@pytest.mark.parametrize(
    "headers",
    [{"origin": "http://example.test"}, {"origin": "null"}, {"origin": "http://127.0.0.1:9"},
     {"sec-fetch-site": "cross-site"}],
)  # fmt: skip
def test_foreign_origins_are_refused(client: TestClient, scene: str, app: FastAPI, headers: dict[str, str]) -> None:
    sent = client.post(f"{scene}/edits", json={"revision": 0, "edits": [SET]}, headers=headers)
    assert sent.status_code == 403
    assert "from elsewhere" in sent.json()["error"]
    assert app.state.store.open(scene.split("/")[-1]).revision == 0


def test_the_own_origin_is_served(client: TestClient, scene: str) -> None:
    sent = client.post(
        f"{scene}/edits", json={"revision": 0, "edits": [SET]}, headers={"origin": "http://127.0.0.1:8460"}
    )
    assert sent.status_code == 200


def test_bodies_beyond_the_limit_are_refused(client: TestClient) -> None:
    sent = client.post("/scenes/open", content=b"x", headers={"content-length": str(10**9)})
    assert sent.status_code == 413
    assert "larger than 64 MB" in sent.json()["error"]


def test_pages_allow_no_scripts_but_their_own(client: TestClient, scene: str) -> None:
    page = client.get(scene)
    policy = page.headers["content-security-policy"]
    assert "default-src 'self'" in policy
    assert "unsafe" not in policy
    nonce = policy.split("'nonce-")[1].split("'")[0]
    assert f'<script type="importmap" nonce="{nonce}">' in " ".join(page.text.split())
    assert client.get(scene).headers["content-security-policy"] != policy


def test_loopback_is_the_default() -> None:
    import inspect

    assert inspect.signature(serve).parameters["host"].default == "127.0.0.1"


HOSTILE = '"><img src=x onerror=alert(1)>{{7*7}}</script>'


def test_names_from_a_document_are_escaped_everywhere(client: TestClient, scene: str) -> None:
    edits = [
        {"do": "change-scene", "name": HOSTILE},
        {"do": "change-object", "node": "beacon-mast", "label": HOSTILE},
        {"do": "change-layer", "address": "beacon-mast/rotation.z#gust", "label": HOSTILE},
    ]
    assert client.post(f"{scene}/edits", json={"revision": 0, "edits": edits}).status_code == 200
    form = {"revision": "1", "channel": "beacon-mast/rotation.z", "first": "0", "last": "50", "method": "each"}
    pages = [
        client.get("/scenes").text,
        client.get(scene, params={"at": "beacon-mast/rotation.z"}).text,
        client.get(f"{scene}/panels", params={"at": "beacon-mast/rotation.z#gust.amplitude"}).text,
        client.get(f"{scene}/deliver").text,
        reviewed(client, scene, form)[1],
        client.get(f"{scene}/bake").text,
    ]
    for page in pages:
        assert "<img src=x" not in page
        assert "onerror=alert(1)&gt;" in page
        assert "49" not in page.split("onerror")[1][:60]
