"""Delivering over HTTP: every format at once and as a job, jobs that are stopped, and films picture by picture."""

from __future__ import annotations

import io
import json
import re
import subprocess
import zipfile
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import imageio_ffmpeg
import pytest
from fastapi import FastAPI
from PIL import Image
from starlette.testclient import TestClient

from lazzik.core.channel.channel import Channel
from lazzik.core.evaluate.shapes import surface_moves
from lazzik.core.formats.registry import FORMATS
from lazzik.core.geometry.primitives import Sheet
from lazzik.core.progress import Progress
from lazzik.core.scene.node import Node
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.serialize import scene_text
from lazzik.web.jobs.film import FilmBroken, FilmReel
from lazzik.work import tasks
from tests.conftest import edited, turned
from tests.web.conftest import over

WAVE = {"kind": "wave", "id": "w", "label": "W", "amplitude": 20.0}

QUICK = ("scene", "curves", "csv")


def png(width: int = 64, height: int = 48, shade: int = 0) -> bytes:
    out = io.BytesIO()
    Image.new("RGB", (width, height), (shade, 80, 120)).save(out, "PNG")
    return out.getvalue()


@pytest.mark.parametrize("name", QUICK)
def test_a_format_is_a_job_and_an_answer_alike(client: TestClient, scene: str, name: str) -> None:
    job = client.post(f"{scene}/deliver/{name}", json={}).json()
    assert over(client, job)["state"] == "done"
    made = client.get(f"/jobs/{job['id']}/result")
    assert made.content == client.get(f"{scene}/deliver/{name}").content
    assert made.headers["content-disposition"].endswith(f'ridge-station.{FORMATS[name].ending}"')


def test_the_page_says_of_each_format_what_it_carries_and_leaves_out(client: TestClient, scene: str) -> None:
    page = client.get(f"{scene}/deliver").text
    for kind in FORMATS.values():
        assert kind.title in page
        assert kind.leaves.split(";")[0] in page
    assert 'name="moving_copies"' in page
    assert ">moving copies " in page


def test_progress_is_told_as_events(client: TestClient) -> None:
    scene = client.post("/scenes", data={"name": "Mast", "start": "mast"}).headers["location"].split("?")[0]
    job = client.post(f"{scene}/deliver/svg", json={"every": "25", "view": "front"}).json()
    with client.stream("GET", f"/jobs/{job['id']}/events") as events:
        told = [json.loads(line[6:]) for line in events.iter_lines() if line.startswith("data: ")]
    assert told[-1]["state"] == "done"
    shares = [news["share"] for news in told]
    assert shares == sorted(shares)
    assert client.get(f"/jobs/{job['id']}/result").text.startswith("<svg")


def test_a_job_that_is_stopped_leaves_nothing(client: TestClient, scene: str) -> None:
    job = client.post(f"{scene}/deliver/gltf", json={"form": "glb"}).json()
    client.post(f"/jobs/{job['id']}/stop")
    assert over(client, job)["state"] == "stopped"
    refused = client.get(f"/jobs/{job['id']}/result")
    assert refused.status_code == 404
    assert "Stopped; nothing was kept" in refused.json()["error"]


@pytest.mark.parametrize(
    ("name", "choices", "status", "part"),
    [
        ("pdf", {}, 422, "There is no format 'pdf'; there are page, gltf, usd"),
        ("usd", {"form": "usdx"}, 422, "form: input should be 'usdz', 'usdc' or 'usda'"),
        ("svg", {"every": "0"}, 422, "every: input should be greater than or equal to 1"),
        ("svg", {"size": "9"}, 422, "size: extra inputs are not permitted"),
    ],
)
def test_choices_that_a_format_has_not(
    client: TestClient, scene: str, name: str, choices: dict[str, str], status: int, part: str
) -> None:
    response = client.post(f"{scene}/deliver/{name}", json=choices)
    assert response.status_code == status
    assert part.lower() in response.json()["error"].lower()


@pytest.mark.parametrize("form", ["webm", "mp4"])
def test_pictures_become_a_film(client: TestClient, scene: str, form: str, tmp_path: Any) -> None:
    plan = {"form": form, "count": 9, "width": 64, "height": 48, "fps": 12}
    job = client.post(f"{scene}/deliver/film", json=plan).json()
    for number in range(9):
        news = client.put(f"/jobs/{job['id']}/pictures/{number}", content=png(shade=20 * number)).json()
    assert news["state"] == "done"
    file = tmp_path / f"film.{form}"
    file.write_bytes(client.get(f"/jobs/{job['id']}/result").content)
    frames, seconds = imageio_ffmpeg.count_frames_and_secs(str(file))
    assert frames == 9
    assert seconds == pytest.approx(0.75, abs=0.1)


@pytest.mark.parametrize("form", ["webm", "mp4"])
def test_marks_are_the_chapters_of_a_film(client: TestClient, scene: str, form: str, tmp_path: Any) -> None:
    marks = [(0, "Calm"), (4, "Gust = begins; #1"), (8, "End"), (200, "Far")]
    edits = [{"do": "add-mark", "frame": frame, "label": label} for frame, label in marks]
    assert client.post(f"{scene}/edits", json={"revision": 0, "edits": edits}).status_code == 200
    plan = {"form": form, "count": 10, "width": 64, "height": 48, "fps": 10, "first": 2}
    job = client.post(f"{scene}/deliver/film", json=plan).json()
    for number in range(10):
        client.put(f"/jobs/{job['id']}/pictures/{number}", content=png(shade=20 * number))
    file = tmp_path / f"film.{form}"
    file.write_bytes(client.get(f"/jobs/{job['id']}/result").content)
    command = [imageio_ffmpeg.get_ffmpeg_exe(), "-v", "error", "-i", str(file), "-f", "ffmetadata", "-"]
    told = subprocess.run(command, capture_output=True, text=True, check=True).stdout
    assert [1000 * int(n) / int(base) for base, n in re.findall(r"TIMEBASE=1/(\d+)\nSTART=(\d+)", told)] == [
        0,
        200,
        600,
    ]
    assert re.findall(r"title=(.*)", told)[-3:] == ["Beginning", r"Gust \= begins\; \#1", "End"]


def test_pictures_become_an_archive(client: TestClient, scene: str) -> None:
    plan = {"form": "png", "count": 3, "width": 64, "height": 48, "fps": 30}
    job = client.post(f"{scene}/deliver/film", json=plan).json()
    for number in range(3):
        client.put(f"/jobs/{job['id']}/pictures/{number}", content=png(shade=number))
    with zipfile.ZipFile(io.BytesIO(client.get(f"/jobs/{job['id']}/result").content)) as archive:
        assert archive.namelist() == ["frame-00000.png", "frame-00001.png", "frame-00002.png"]
        assert archive.read("frame-00002.png") == png(shade=2)


def test_pictures_that_do_not_fit_are_refused_and_a_film_can_be_stopped(client: TestClient, scene: str) -> None:
    plan = {"form": "webm", "count": 3, "width": 64, "height": 48, "fps": 30}
    assert "even numbers" in client.post(f"{scene}/deliver/film", json=plan | {"width": 63}).json()["error"]
    job = client.post(f"{scene}/deliver/film", json=plan).json()
    put = f"/jobs/{job['id']}/pictures"
    assert "Picture 0 is next; 1 was sent" in client.put(f"{put}/1", content=png()).json()["error"]
    assert "64 × 50" in client.put(f"{put}/0", content=png(64, 50)).json()["error"]
    assert "no PNG" in client.put(f"{put}/0", content=b"GIF89a").json()["error"]
    assert client.put(f"{put}/0", content=png()).status_code == 200
    assert client.post(f"/jobs/{job['id']}/stop").json()["state"] == "stopped"
    assert "takes no more pictures: it is stopped" in client.put(f"{put}/1", content=png()).json()["error"]
    assert client.get("/jobs/nothing").status_code == 404


@pytest.mark.parametrize("form", ["png", "mp4"])
def test_a_film_whose_page_was_closed_is_given_up(client: TestClient, app: FastAPI, scene: str, form: str) -> None:
    plan = {"form": form, "count": 3, "width": 64, "height": 48, "fps": 30}
    left = client.post(f"{scene}/deliver/film", json=plan).json()
    reel = app.state.jobs.reel(app.state.jobs.find(left["id"]))
    app.state.jobs.sweep(silent=-1.0)
    news = client.get(f"/jobs/{left['id']}").json()
    assert (news["state"], "given up" in news["said"]) == ("stopped", True)
    assert not app.state.jobs.file(app.state.jobs.find(left["id"])).exists()
    assert form == "png" or reel.encoder.returncode is not None  # waited for, so that nothing of it stays


def test_a_picture_that_comes_twice_at_once_is_kept_once(client: TestClient, scene: str) -> None:
    plan = {"form": "png", "count": 6, "width": 64, "height": 48, "fps": 30}
    job = client.post(f"{scene}/deliver/film", json=plan).json()
    with ThreadPoolExecutor(6) as threads:
        for number in range(6):
            sent = [threads.submit(client.put, f"/jobs/{job['id']}/pictures/{number}", content=png()) for _ in range(6)]
            assert sorted(answer.result().status_code for answer in sent) == [200, 422, 422, 422, 422, 422]
    with zipfile.ZipFile(io.BytesIO(client.get(f"/jobs/{job['id']}/result").content)) as archive:
        assert archive.testzip() is None
        assert archive.namelist() == [f"frame-{n:05}.png" for n in range(6)]


def test_an_encoder_that_dies_is_a_failed_job_with_its_reason(client: TestClient, app: FastAPI, scene: str) -> None:
    plan = {"form": "webm", "count": 60, "width": 640, "height": 480, "fps": 30}
    job = client.post(f"{scene}/deliver/film", json=plan).json()
    reel = app.state.jobs.reel(app.state.jobs.find(job["id"]))
    reel.encoder.kill()
    reel.encoder.wait()
    answer = client.put(f"/jobs/{job['id']}/pictures/0", content=png(640, 480))
    assert (answer.status_code, "encoder ended after 0 of 60" in answer.json()["error"]) == (422, True)
    assert client.get(f"/jobs/{job['id']}").json()["state"] == "failed"
    assert client.put(f"/jobs/{job['id']}/pictures/0", content=png(640, 480)).status_code == 422


@pytest.mark.parametrize("fps", [0, -1, 1e-300, 1e-3, 1e300])
def test_a_film_needs_a_rate_that_can_be_played(client: TestClient, scene: str, fps: float) -> None:
    plan = {"form": "mp4", "count": 3, "width": 64, "height": 48, "fps": fps}
    answer = client.post(f"{scene}/deliver/film", json=plan)
    assert (answer.status_code, answer.json()["where"]) == (422, "fps")


def test_pictures_are_numbered_as_in_the_scene(client: TestClient, scene: str) -> None:
    plan = {"form": "png", "count": 3, "first": 47, "width": 64, "height": 48, "fps": 30}
    job = client.post(f"{scene}/deliver/film", json=plan).json()
    for number in range(3):
        client.put(f"/jobs/{job['id']}/pictures/{number}", content=png(shade=number))
    with zipfile.ZipFile(io.BytesIO(client.get(f"/jobs/{job['id']}/result").content)) as archive:
        assert archive.namelist() == ["frame-00047.png", "frame-00048.png", "frame-00049.png"]


def delivered_badly(source: Any, chosen: Any, path: Any, others: Any, made: Any, progress: Progress) -> None:
    progress.report(0.5, "motion of Beacon mast")
    raise ValueError("no such luck")


def test_a_job_that_fails_says_where_and_the_log_has_the_traceback(
    client: TestClient, scene: str, monkeypatch: pytest.MonkeyPatch, caplog: pytest.LogCaptureFixture
) -> None:
    monkeypatch.setattr(tasks, "delivered", delivered_badly)
    job = client.post(f"{scene}/deliver/curves", json={}).json()
    news = over(client, job)
    assert (news["state"], "at 'motion of Beacon mast'" in news["said"]) == ("failed", True)
    assert "no such luck" in caplog.text
    assert "Traceback" in caplog.text


def test_a_job_reports_how_its_motion_came_out(client: TestClient) -> None:
    text = scene_text(turned(Channel.model_validate({"layers": [WAVE]})))
    opened = client.post("/scenes/open", files={"file": ("small.json", text)})
    path = opened.headers["location"].split("?")[0]
    news = over(client, client.post(f"{path}/deliver/gltf", json={"turn": "0.2"}).json())
    assert news["said"].startswith(tuple("0123456789"))
    assert "keys in 1 tracks" in news["said"]
    assert news["details"][0].startswith("Post / rotation: ")
    still = client.get(f"{path}/deliver").text
    assert "1 of them moving" in still


def test_a_scene_whose_surface_waves_is_not_said_to_stand_still(client: TestClient) -> None:
    node = Node(id="flag", label="Flag", shape=Sheet(kind="sheet", rows=8, columns=8, standing=True))
    scene = edited(Scene(name="Flag", nodes=(node, Node(id="post", label="Post"))),
                   {"do": "add-deformer", "node": "flag", "kind": "undulate"})  # fmt: skip
    assert surface_moves(scene, scene.by_id["flag"])
    assert not surface_moves(scene, scene.by_id["post"])
    still = edited(scene, {"do": "set", "address": "flag/deform.undulate.speed", "value": 0})
    assert not surface_moves(still, still.by_id["flag"])
    opened = client.post("/scenes/open", files={"file": ("flag.json", scene_text(scene))})
    path = opened.headers["location"].split("?")[0]
    assert "2 objects, 1 of them moving" in client.get(f"{path}/deliver").text
    tree = client.get(f"{path}?moving=1").text
    assert "Flag" in tree
    assert ">Post<" not in tree


def test_a_film_that_is_stopped_while_it_takes_a_picture_is_stopped_and_not_broken(
    client: TestClient, app: FastAPI, scene: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Stopping ends the encoder; what that does to the picture on its way is no failure of the film."""
    asked = {"form": "webm", "count": 3, "width": 64, "height": 48, "fps": 30}
    job = client.post(f"{scene}/deliver/film", json=asked).json()

    def stopped_meanwhile(_: FilmReel, number: int, content: bytes) -> int:
        app.state.jobs.stop(app.state.jobs.find(job["id"]))
        raise FilmBroken("The encoder ended after 0 of 3 pictures: it ended with -9")

    monkeypatch.setattr(FilmReel, "take", stopped_meanwhile)
    answer = client.put(f"/jobs/{job['id']}/pictures/0", content=png())
    assert (answer.status_code, "takes no more pictures" in answer.json()["error"]) == (422, True)
    news = client.get(f"/jobs/{job['id']}").json()
    assert (news["state"], news["said"]) == ("stopped", "Stopped; nothing was kept.")
