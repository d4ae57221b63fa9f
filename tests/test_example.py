"""The worked example of the developer's guide: one file and one line, and the whole program knows the kind."""

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
from lazzik.core.scene.edits import applied, read_edits
from lazzik.core.scene.node import Node
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.text import read_scene, scene_text
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
knobs = [knob.name for knob in strata_view(scene, Address.parse("post/rotation.z")).lanes[0].knobs]
assert knobs == ["amplitude", "period", "fall"], knobs
assert "tide" in [choice.kind for choice in palette()]
assert "tide" in str(Scene.model_json_schema())
print("the program knows the kind")
"""


def test_the_worked_example_is_one_file_and_one_line(tmp_path: Path) -> None:
    text = (ROOT / "docs" / "developing.md").read_text()
    (file,) = re.findall(r"```python\n(.*?)```", text, re.S)
    (line,) = re.findall(r"```text\n(.*?)```", text, re.S)
    assert line.count("\n") == 1
    package = tmp_path / "lazzik"
    shutil.copytree(ROOT / "lazzik", package, ignore=shutil.ignore_patterns("__pycache__", "vendor"))
    (package / "core" / "layers" / "tide.py").write_text(file)
    registry = package / "core" / "layers" / "__init__.py"
    before = registry.read_text()
    registry.write_text(before.replace('    "smooth",\n', '    "smooth",\n' + line))
    around = {**os.environ, "PYTHONPATH": str(tmp_path), "NUMBA_DISABLE_JIT": "1"}
    told = subprocess.run([sys.executable, "-c", PROBE], capture_output=True, text=True, env=around, cwd=tmp_path)
    assert told.stdout == "the program knows the kind\n", told.stderr
