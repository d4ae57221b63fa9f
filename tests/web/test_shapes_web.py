"""Surfaces over HTTP: points a few frames at a time, where a deformer acts, files, paint, bakes; bad input."""

from __future__ import annotations

import base64
import io
from typing import Any

import numpy as np
import pytest
import trimesh
from fastapi import FastAPI
from PIL import Image
from starlette.testclient import TestClient

from benchmarks.shapes import banner, peak
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.surface import surface_of
from lazzik.core.scene.scene import Scene
from lazzik.web.stage.points import LARGEST_ANSWER
from tests.web.conftest import over, previewed, unpacked


@pytest.fixture
def now(app: FastAPI, scene: str) -> Any:
    """The document as it is stored."""
    return lambda: app.state.store.open(scene.split("/")[-1]).scene


def bring(client: TestClient, scene: str, name: str, content: bytes) -> Any:
    where = "assets" if name.endswith((".png", ".jpg", ".ttf")) else "bring"
    return client.post(f"{scene}/{where}", files={"file": (name, content)}, data={"revision": "0"})


def edit(client: TestClient, scene: str, revision: int, *edits: dict[str, Any]) -> None:
    sent = client.post(f"{scene}/edits", json={"revision": revision, "edits": list(edits)})
    assert sent.status_code == 200, sent.text


def sent_points(client: TestClient, scene: str, node: str, first: int, last: int) -> dict[str, Any]:
    """What is sent of one object's points."""
    answer = unpacked(client.get(f"{scene}/points", params={"node": node, "from": first, "to": last}))
    (sent,) = answer["surfaces"]
    return dict(sent)


def test_many_objects_come_in_one_answer_as_far_as_it_carries_them(client: TestClient, scene: str) -> None:
    """A frame of all; over many frames the first whole, the last in part, and the others not at all."""
    nodes = ["rock-a", "aerial", "cloth", "board", "pool", "pine-1-top"]
    now = unpacked(client.get(f"{scene}/points", params={"node": nodes, "from": 30, "to": 30}))["surfaces"]
    assert [sent["node"] for sent in now] == nodes
    for sent in now:
        assert sent == sent_points(client, scene, sent["node"], 30, 30)
    whole = unpacked(client.get(f"{scene}/points", params={"node": nodes, "from": 0, "to": 250}))["surfaces"]
    assert [sent["node"] for sent in whole] == nodes[: len(whole)]
    assert 1 < len(whole) < len(nodes)
    assert sum(len(sent["points"]) + len(sent["normals"]) for sent in whole) <= LARGEST_ANSWER
    assert all(sent["still"] or sent["frames"] == 251 for sent in whole[:-1])
    assert whole[-1]["frames"] < 251
    assert client.get(f"{scene}/points", params={"from": 0, "to": 1}).status_code == 422


def test_points_come_in_answers_of_bounded_size(client: TestClient, scene: str, now: Any) -> None:
    document: Scene = now()
    motion = surface_of(document, document.by_id["cloth"], document.clock(), Scope(document))
    first, answers = 0, 0
    while first <= 250:
        said = sent_points(client, scene, "cloth", first, 250)
        assert said["from"] == first
        sent = np.frombuffer(said["points"], "<f4").reshape(said["frames"], said["count"], 3)
        np.testing.assert_allclose(sent[0], motion.points(first), atol=1e-5)
        turned = np.frombuffer(said["normals"], "i1").reshape(sent.shape)[0] / 127
        np.testing.assert_allclose(turned, motion.normals(motion.points(first)), atol=0.005)
        first, answers = first + said["frames"], answers + 1
    assert answers >= 4


def test_what_is_the_same_at_the_moments_that_were_asked_for_is_not_said_to_stand_still(
    client: TestClient, scene: str
) -> None:
    edit(client, scene, 0, {"do": "add-deformer", "node": "ridge", "kind": "ripple"},
         {"do": "add-deformer", "node": "needle", "kind": "taper"})  # fmt: skip
    # the last frame alone; and frames on which a ripple has not begun
    edit(client, scene, 1, {"do": "set", "address": "ridge/deform.ripple.begin", "value": 40})
    for first, last in ((250, 250), (0, 9)):
        said = sent_points(client, scene, "ridge", first, last)
        assert (said["still"], said["frames"]) == (False, last - first + 1)
        assert len(said["points"]) == 12 * said["count"] * said["frames"]
        assert len(said["normals"]) == 3 * said["count"] * said["frames"]
    tapered = sent_points(client, scene, "needle", 0, 9)
    assert (tapered["still"], tapered["frames"]) == (True, 1)


def test_a_motion_of_many_points_is_never_held_whole() -> None:
    scene = banner(224)
    shape = scene.nodes[0].shape
    assert shape
    assert len(shape.mesh().points) >= 100_000
    few, more = (peak(scene.model_copy(update={"last": last})) for last in (19, 39))
    assert more < 1.1 * few < 300e6


@pytest.mark.parametrize(
    ("asked", "says"),
    [
        ({"node": "nothing", "from": 0, "to": 1}, "no object 'nothing'"),
        ({"node": "beacon-mast", "from": 0, "to": 1}, "Nothing changes the shape"),
        ({"node": "cloth", "from": 9, "to": 3}, "Frames 9 to 3"),
        ({"node": "cloth", "from": 0, "to": 900}, "do not lie in the range"),
    ],
)
def test_points_of_nothing_are_refused(client: TestClient, scene: str, asked: dict[str, Any], says: str) -> None:
    answer = client.get(f"{scene}/points", params=asked)
    assert (answer.status_code, says in answer.text) == (422, True), answer.text


def test_where_a_deformer_acts(client: TestClient, scene: str, now: Any) -> None:
    deformer = now().by_id["cloth"].deform[0].id
    asked = {"node": "cloth", "deformer": deformer, "frame": 30}
    counts = np.frombuffer(unpacked(client.get(f"{scene}/counts", params=asked))["counts"]["cloth"], "<f4")
    assert counts.min() == 0
    assert counts.max() == pytest.approx(1)
    assert client.get(f"{scene}/counts", params=asked | {"deformer": "none"}).status_code == 422
    signed = unpacked(client.get(f"{scene}/counts", params=asked | {"what": "lift"}))["lift"]
    lift = np.frombuffer(signed["cloth"], "<f4")
    assert lift.min() < 0 < lift.max()
    assert client.get(f"{scene}/counts", params=asked | {"frame": 900}).status_code == 422


def test_where_a_deformer_of_a_group_acts(client: TestClient, scene: str, now: Any) -> None:
    edits = [{"do": "add-deformer", "node": "sock", "kind": "bend"}]
    assert client.post(f"{scene}/edits", json={"revision": 0, "edits": edits}).status_code == 200
    assert now().by_id["sock"].shape is None
    found = unpacked(client.get(f"{scene}/counts", params={"node": "sock", "deformer": "bend", "frame": 30}))["counts"]
    assert "cloth" in found
    assert len(np.frombuffer(found["cloth"], "<f4")) == len(now().by_id["cloth"].shape.mesh().points)
    lift = client.get(f"{scene}/counts", params={"node": "sock", "deformer": "bend", "frame": 30, "what": "lift"})
    assert (lift.status_code, "pushes nothing one way" in lift.text) == (422, True)


def test_a_preview_carries_the_points_of_its_frame(client: TestClient, scene: str, now: Any) -> None:
    deformer = now().by_id["cloth"].deform[0].id
    change = {"do": "set", "address": f"cloth/deform.{deformer}.height", "value": 0.2}
    body = {"revision": 0, "edits": [change], "frame": 30}
    content = previewed(client, scene, body)
    assert [part["node"] for part in content["points"]] == ["cloth"]
    was = sent_points(client, scene, "cloth", 30, 30)
    assert content["points"][0]["points"] != was["points"][: len(content["points"][0]["points"])]


def test_files_are_brought_in_by_what_they_are(client: TestClient, scene: str, now: Any) -> None:
    ball = trimesh.creation.icosphere(2)
    assert bring(client, scene, "Rock.ply", ball.export(file_type="ply")).json()["revision"] == 1
    assert now().by_id["rock"].shape.kind == "mesh"
    picture = io.BytesIO()
    Image.new("L", (4, 4), 90).save(picture, "PNG")
    assert bring(client, scene, "grey.png", picture.getvalue()).json()["what"] == "picture"


@pytest.mark.parametrize(
    ("name", "content", "says"),
    [
        ("rock.exe", b"x", "does not end in"),
        ("rock.obj", b"v 1 2", "rock.obj"),
        ("rock.glb", b"glTF nonsense", "rock.glb"),
        ("face.ttf", b"no font", "font"),
        ("grey.png", b"no picture", "picture"),
    ],
)
def test_files_that_are_none_are_refused(client: TestClient, scene: str, name: str, content: bytes, says: str) -> None:
    answer = bring(client, scene, name, content)
    assert answer.status_code == 422
    assert says in answer.text


def test_paint_is_kept_as_a_mask(client: TestClient, scene: str, now: Any) -> None:
    node = now().by_id["cloth"]
    weights = np.linspace(-1, 2, len(node.shape.mesh().points)).astype("<f4")
    body = {"revision": 0, "node": "cloth", "deformer": node.deform[0].id}
    sent = client.post(f"{scene}/paint", json=body | {"weights": base64.b64encode(weights.tobytes()).decode()})
    assert sent.json()["revision"] == 1
    mask = now().by_id["cloth"].deform[0].mask
    found = mask.at(np.ascontiguousarray(node.shape.mesh().points.T)[None], {}, "y", now().assets)[0]
    np.testing.assert_allclose(found, np.clip(weights, 0, 1), atol=1e-6)
    for bad in ("%%%", base64.b64encode(weights[:5].tobytes()).decode()):
        answer = client.post(f"{scene}/paint", json=body | {"revision": 1, "weights": bad})
        assert answer.status_code == 422
    assert now().by_id["cloth"].deform[0].mask == mask


def test_a_shape_is_made_permanent_at_a_frame(client: TestClient, scene: str, now: Any) -> None:
    before: Scene = now()
    motion = surface_of(before, before.by_id["cloth"], before.clock(), Scope(before), own=True)
    body = {"revision": 0, "node": "cloth"}
    assert client.post(f"{scene}/permanent", json=body | {"frame": 999}).status_code == 422
    assert client.post(f"{scene}/permanent", json=body | {"frame": 40}).json()["revision"] == 1
    after = now().by_id["cloth"]
    assert after.deform == ()
    np.testing.assert_allclose(after.shape.mesh(now().assets).points, motion.points(40), atol=1e-12)
    again = client.post(f"{scene}/permanent", json=body | {"frame": 40, "revision": 1})
    assert (again.status_code, "permanent already" in again.text) == (422, True)
    client.post(f"{scene}/undo", json={"revision": 1})
    assert now() == before


@pytest.mark.parametrize(
    "bad", [{"first": 5, "last": 5}, {"last": 999}, {"last": 60, "tolerance": 0}, {"node": "beacon-mast", "last": 60}]
)
def test_bakes_that_can_not_be_are_refused(client: TestClient, scene: str, now: Any, bad: dict[str, Any]) -> None:
    before = now()
    answer = client.post(f"{scene}/bake-shape", json={"revision": 0, "node": "cloth"} | bad)
    assert answer.status_code == 422 or over(client, answer.json())["state"] == "failed", answer.text
    assert now() == before


def test_a_shape_is_baked_to_points_per_frame(client: TestClient, scene: str, now: Any) -> None:
    body = {"revision": 0, "node": "cloth", "how": "frames", "first": 0, "last": 40}
    job = client.post(f"{scene}/bake-shape", json=body).json()
    assert over(client, job)["state"] == "done"
    assert client.get(f"/jobs/{job['id']}/result").json()["revision"] == 1
    made = now().by_id["cloth"].targets
    assert (made.first, made.last) == (0, 40)
    receipt = client.get(f"{scene}/shape-bake", params={"node": "cloth"}).text
    assert f"{made.bytes:,} bytes" in receipt
    page = " ".join(client.get(scene, params={"at": "cloth/shape"}).text.split())
    assert "Baked: points per frame" in page
    again = over(client, client.post(f"{scene}/bake-shape", json=body | {"revision": 1}).json())
    assert (again["state"], "no deformer that acts" in again["said"]) == ("failed", True)
    client.post(f"{scene}/undo", json={"revision": 1})
    assert now().by_id["cloth"].targets is None
