"""The list of scenes: what one can begin with, pictures of stages, copies, names."""

from __future__ import annotations

import io
import re

import pytest
from fastapi import FastAPI
from PIL import Image
from starlette.testclient import TestClient

from lazzik.core.evaluate.shapes import count_moving
from lazzik.core.scene.address import Address, find
from lazzik.core.scene.serialize import read_scene, scene_text
from lazzik.demo.starts import STARTS, Start
from lazzik.web.pictures import MOST_BYTES, MOST_DOTS
from tools.starts import FOLDER, drawings


def picture(kind: str = "PNG", size: tuple[int, int] = (64, 32)) -> bytes:
    out = io.BytesIO()
    Image.new("RGB", size, "#2E6F68").save(out, kind)
    return out.getvalue()


@pytest.mark.parametrize("start", STARTS, ids=lambda start: start.key)
def test_each_start_is_a_small_scene_with_one_thing_to_do(client: TestClient, app: FastAPI, start: Start) -> None:
    scene = start.build("Mine")
    assert read_scene(scene_text(scene)) == scene
    assert (count_moving(scene) > 0) == (start.key != "empty")
    answer = client.post("/scenes", data={"start": start.key})
    assert answer.status_code == 303
    page = client.get(answer.headers["location"])
    assert page.status_code == 200
    assert 'id="first-steps"' in page.text
    if start.key != "empty":
        assert start.task.split(":")[0] in page.text
        laid_open = 'id="air-rows"' if start.at.endswith("/air") else start.at.partition("#")[2]
        assert f'data-at="{start.at}"' in page.text or laid_open in page.text
    if not start.at.endswith(("rings", "/air")):
        assert find(scene, Address.parse(start.at)).node is not None


def test_the_drawings_of_starts_are_those_of_the_starts() -> None:
    made = drawings()
    assert {path.name for path in FOLDER.iterdir()} == set(made)
    for name, content in made.items():
        kept = (FOLDER / name).read_bytes()
        assert kept.count(b"<path") == content.count(b"<path"), name
        assert kept.count(b"<animate") == content.count(b"<animate"), name
        assert abs(len(kept) - len(content)) < 0.02 * len(content), name


def test_a_start_that_is_none_is_refused(client: TestClient) -> None:
    answer = client.post("/scenes", data={"start": "castle"})
    assert answer.status_code == 422
    assert "no start called 'castle'" in answer.text


def test_a_scene_is_shown_by_its_outlines_until_a_browser_has_seen_its_stage(client: TestClient, scene: str) -> None:
    assert client.get(f"{scene}/picture").status_code == 404
    face = client.get(f"{scene}/card").text
    drawn = re.search(r'src="([^"]+/picture\?of=0%20image/svg%2Bxml)"', face)
    assert drawn
    answer = client.get(drawn[1])
    assert answer.headers["content-type"] == "image/svg+xml"
    assert answer.text.count("<path") > 60
    assert client.put(f"{scene}/picture?revision=0", content=picture("WEBP")).status_code == 204
    face = client.get(f"{scene}/card").text
    assert "picture?of=0%20image/webp" in face
    seen = client.get(f"{scene}/picture?of=0")
    assert seen.headers["content-type"] == "image/webp"
    assert Image.open(io.BytesIO(seen.content)).size == (64, 32)


@pytest.mark.parametrize(
    ("content", "status"),
    [
        (b"", 422),
        (b"<svg xmlns='http://www.w3.org/2000/svg'/>", 422),
        (picture("GIF"), 422),
        (picture("JPEG")[:200], 422),
        (picture(size=(MOST_DOTS + 1, 8)), 422),
        (b"\x89PNG" + b"x" * MOST_BYTES, 413),
    ],
)
def test_what_is_no_picture_of_a_stage_is_refused(client: TestClient, scene: str, content: bytes, status: int) -> None:
    answer = client.put(f"{scene}/picture?revision=0", content=content)
    assert answer.status_code == status
    assert answer.json()["error"]
    assert client.get(f"{scene}/picture").status_code == 404


def test_a_picture_of_no_scene_is_refused(client: TestClient) -> None:
    assert client.put("/scenes/000000000000/picture?revision=0", content=picture()).status_code == 404


def test_a_copy_is_the_same_under_a_name_of_its_own(client: TestClient, app: FastAPI, scene: str) -> None:
    client.put(f"{scene}/picture?revision=0", content=picture())
    for _ in range(2):
        assert client.post(f"{scene}/copy").status_code == 303
    entries = app.state.store.entries()
    assert sorted(entry.name for entry in entries) == ["Ridge station", "Ridge station copy", "Ridge station copy 2"]
    scenes = {entry.name: app.state.store.open(entry.id).scene for entry in entries}
    assert scenes["Ridge station copy"].replaced(name="Ridge station") == scenes["Ridge station"]
    assert all(entry.picture == "0 image/png" for entry in entries)


def test_a_scene_is_renamed_as_a_step(client: TestClient, app: FastAPI, scene: str) -> None:
    assert client.post(f"{scene}/name", data={"name": "  Ridge, evening "}).status_code == 303
    entry = app.state.store.entries()[0]
    assert (entry.name, entry.revision) == ("Ridge, evening", 1)
    assert client.post(f"{scene}/name", data={"name": " "}).status_code == 422
    assert client.post(f"{scene}/name", data={"name": "x" * 200}).status_code == 422


def test_first_steps_are_not_shown_again_nor_in_a_large_scene(client: TestClient, scene: str) -> None:
    assert 'id="first-steps"' not in client.get(scene).text
    small = client.post("/scenes", data={"start": "pool"}).headers["location"]
    assert 'id="first-steps"' in client.get(small).text
    client.cookies.set("steps", "done")
    assert 'id="first-steps"' not in client.get(small).text
