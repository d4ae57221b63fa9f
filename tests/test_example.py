"""The worked examples of the developer's guide: a kind is one file and one line, a room a folder and one line."""

from __future__ import annotations

import os
import re
import shutil
import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).parent.parent

PROBE = """
import math
import numpy as np
from lazzik.core.channel.channel import Channel
from lazzik.core.clock import Clock
from lazzik.core.evaluate.evaluator import number_on
from lazzik.core.layers import BY_KIND
from lazzik.core.scene.edits.base import applied
from lazzik.core.scene.edits.every import read_edits
from lazzik.core.scene.node import Node
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.serialize import read_scene, scene_text
from lazzik.web.stack.view import strata_view
from lazzik.core.scene.address import Address
from lazzik.web.stack.palette import palette

tide = BY_KIND["tide"].model_validate({"kind": "tide", "id": "t", "label": "T", "amplitude": 3.0, "fall": 3.0})
values = number_on(Channel(layers=(tide,)), Clock.over(30, 0, 120))
assert values[0] == -3 and abs(values[15] - 3) < 1e-9 and abs(values[60] + 3) < 1e-9, values[:61]
assert all(np.diff(values[:16]) > 0) and all(np.diff(values[15:61]) < 0)
assert abs(values[5] + 3 * math.cos(math.pi / 3)) < 1e-9
scene = Scene(name="S", nodes=(Node(id="post", label="Post"),))
scene = applied(scene, read_edits([{"do": "add-layer", "address": "post/rotation.z", "kind": "tide"},
    {"do": "put-key", "address": "post/rotation.z#tide.fall", "frame": 0, "value": 2}]))
assert read_scene(scene_text(scene)) == scene
groups = strata_view(scene, Address.parse("post/rotation.z")).lanes[0].groups
knobs = [knob.name for group in groups for knob in group.shown if knob.what == "number"]
assert knobs == ["amplitude", "period", "fall"], knobs
assert "tide" in [choice.kind for choice in palette()]
assert "tide" in str(Scene.model_json_schema())
print("the program knows the kind")
"""

FIELD = """
import numpy as np
from lazzik.core.air import FIELD_KINDS
from lazzik.core.evaluate.airflow import air
from lazzik.core.evaluate.scope import Scope
from lazzik.core.scene.edits.base import applied
from lazzik.core.scene.edits.every import read_edits
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.serialize import read_scene, scene_text
from lazzik.web.air.view import air_view

add = {"do": "add-object", "label": "Warm rock", "field": {"kind": "updraught", "speed": 3.0}, "position": [1, 0, 0]}
scene = applied(Scene(name="S"), read_edits([add]))
assert read_scene(scene_text(scene)) == scene
rising = air(np.array([[[1.0, 5, 0], [4, 0, 0]]]), scene.clock(), Scope(scene))[9]
assert np.allclose(rising, [[0, 3, 0], [0, 3 / np.e, 0]]), rising
node = scene.by_id["warm-rock"]
knobs = [knob.label for group in air_view(scene, node, node.field, Scope(scene)).groups for knob in group.shown]
assert knobs[:2] == ["speed", "radius"], knobs
assert "updraught" in FIELD_KINDS
print("the program knows the field")
"""

ROOM = """
import re
from pathlib import Path
from starlette.testclient import TestClient
from lazzik.demo.begun import first_scene
from lazzik.core.scene.edits.base import applied
from lazzik.core.scene.edits.every import read_edits
from lazzik.web.app import create_app
app = create_app(Path("data"))
scene = applied(first_scene("S"), read_edits([{"do": "add-layer", "address": "post/rotation.z", "kind": "noise"}]))
made = app.state.store.create(scene, "new")
answer = TestClient(app, base_url="http://127.0.0.1:8460").get(f"/scenes/{made.id}/census")
assert answer.status_code == 200, answer.text
print(" ".join(re.sub("<[^>]+>", " ", answer.text).split()))
"""


def test_the_worked_example_is_one_file_and_one_line(tmp_path: Path) -> None:
    (file,), _, line = example("Adding a layer kind")
    package = copied(tmp_path)
    (package / "core" / "layers" / "tide.py").write_text(file)
    registry = package / "core" / "layers" / "__init__.py"
    before = registry.read_text()
    registry.write_text(before.replace('    "smooth",\n', '    "smooth",\n' + line))
    assert said(PROBE, tmp_path) == "the program knows the kind\n"


def test_a_kind_of_field_is_one_file_and_one_line(tmp_path: Path) -> None:
    (file,), _, line = example("Adding a kind of field")
    package = copied(tmp_path)
    (package / "core" / "air" / "updraught.py").write_text(file)
    registry = package / "core" / "air" / "__init__.py"
    before = registry.read_text()
    registry.write_text(re.sub(r"FILES = .*\n", lambda _: line, before))
    assert said(FIELD, tmp_path) == "the program knows the field\n"


def test_a_room_is_a_folder_and_one_line(tmp_path: Path) -> None:
    (routes,), (template,), line = example("Adding a room")
    room = copied(tmp_path) / "web" / "census"
    (room / "templates").mkdir(parents=True)
    (room / "__init__.py").write_text("")
    (room / "routes.py").write_text(routes)
    (room / "templates" / "sheet.html").write_text(template)
    registry = room.parent / "rooms.py"
    before = registry.read_text()
    registry.write_text(before.replace("ROUTES = (\n", "ROUTES = (\n" + line))
    assert said(ROOM, tmp_path) == "Layers by family random 1\n"


def example(heading: str) -> tuple[list[str], list[str], str]:
    """What a section of the developer's guide shows: files of Python, templates, and the one line."""
    text = (ROOT / "docs" / "developing.md").read_text()
    section = text.split(f"## {heading}\n")[1].split("\n## ")[0]
    python, html, (line,) = (re.findall(rf"```{kind}\n(.*?)```", section, re.S) for kind in ("python", "html", "text"))
    assert line.count("\n") == 1
    return python, html, line


def copied(folder: Path) -> Path:
    """A copy of the package to try it on."""
    package = folder / "lazzik"
    shutil.copytree(ROOT / "lazzik", package, ignore=shutil.ignore_patterns("__pycache__", "vendor"))
    return package


def said(probe: str, folder: Path) -> str:
    """What a probe prints that runs with the copy."""
    around = {**os.environ, "PYTHONPATH": str(folder), "NUMBA_DISABLE_JIT": "1"}
    told = subprocess.run([sys.executable, "-c", probe], capture_output=True, text=True, env=around, cwd=folder)
    assert told.returncode == 0, told.stderr
    return told.stdout
