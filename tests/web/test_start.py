"""What a start reads: the list of scenes first, and all other rooms when somebody asks for one."""

from __future__ import annotations

import subprocess
import sys
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest
from fastapi.testclient import TestClient

from lazzik.web.app import create_app
from lazzik.web.ui import templating
from lazzik.work.pool import Workers

FIRST = """
import sys
from pathlib import Path
from fastapi.testclient import TestClient
from lazzik.web.app import create_app

app = create_app(Path(sys.argv[1]))
client = TestClient(app, base_url="http://127.0.0.1")  # without its life: nothing goes on beside the requests
print(client.get("/scenes").status_code, client.get("/login").status_code, "lazzik.web.studio.routes" in sys.modules)
print("numpy" in sys.modules, "lazzik.core.scene.scene" in sys.modules, "lazzik.store.scenes" in sys.modules)
print(client.get("/scenes/none").status_code, client.get("/nowhere").status_code, client.put("/scenes").status_code)
print("lazzik.web.studio.routes" in sys.modules)
"""


def test_the_list_of_scenes_waits_for_no_other_room(tmp_path: Path) -> None:
    done = subprocess.run([sys.executable, "-c", FIRST, tmp_path / "data"], capture_output=True, text=True, check=True)
    first, heavy, others, read = done.stdout.splitlines()
    assert first == "200 200 False"
    assert heavy == "False False False", "the list is made of rows of the database alone"
    assert others == "404 404 405"
    assert read == "True"


def test_whoever_asks_first_for_a_room_finds_it_and_so_do_all_who_ask_meanwhile(
    tmp_path: Path, workers: Workers
) -> None:
    app = create_app(tmp_path / "data", with_demo=True, workers=workers)
    scene = app.state.store.entries()[0].id
    with TestClient(app, base_url="http://127.0.0.1") as client, ThreadPoolExecutor(6) as people:
        pages = [f"/scenes/{scene}", "/shelf", "/openapi.json", "/scenes", f"/scenes/{scene}/versions", "/shelf"]
        assert [answer.status_code for answer in people.map(client.get, pages)] == [200] * 6
        paths = client.get("/openapi.json").json()["paths"]
    assert len(paths) > 100


def test_templates_are_kept_compiled_and_compiled_anew_once_they_change(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(templating, "COMPILED", tmp_path / "kept")
    monkeypatch.setattr(templating, "WEB", tmp_path)
    (tmp_path / "room" / "templates").mkdir(parents=True)
    (template := tmp_path / "room" / "templates" / "page.html").write_text("one {{ 1 + 1 }}")

    def shown() -> str:
        return templating._environment().get_template("room/page.html").render()

    assert shown() == shown() == "one 2"
    (kept,) = (tmp_path / "kept").iterdir()
    before = kept.read_bytes()
    template.write_text("two {{ 2 + 2 }}")
    assert shown() == "two 4"
    assert kept.read_bytes() != before
    kept.write_bytes(b"half a file")
    assert shown() == "two 4"


def test_without_room_for_them_templates_are_compiled_each_time(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    (tmp_path / "kept").write_text("a file where the folder would be")
    monkeypatch.setattr(templating, "COMPILED", tmp_path / "kept")
    assert templating._environment().get_template("scenes/page.html").name == "page.html"
    assert (tmp_path / "kept").read_text().startswith("a file")
