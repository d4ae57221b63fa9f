"""Lazzik from Python: the documented script runs, and each function does what it says."""

from __future__ import annotations

import re
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest

import lazzik
from lazzik import (
    LazzikError,
    Scene,
    addresses,
    air,
    bake,
    compare,
    deliver,
    edit,
    evaluate,
    import_files,
    keep,
    new_scene,
    open_scene,
    open_shelf,
    save_shelf,
    take,
    take_over,
)  # fmt: skip
from lazzik.core.progress import Progress

DOCUMENT = Path(__file__).parent.parent / "docs/python.md"


def test_the_documented_script_runs(tmp_path: Path) -> None:
    (script,) = re.findall(r"```python\n(.*?)```", DOCUMENT.read_text(), re.S)
    done = subprocess.run([sys.executable, "-c", script], cwd=tmp_path, capture_output=True, text=True, check=True)
    said = done.stdout.splitlines()
    assert re.fullmatch(r"101 frames, from -?\d\.\d\d° to -?\d\.\d\d°", said[0])
    assert re.fullmatch(r"\d+ keys, off by 0\.0[0-5]\d° at most; left to bake: \[\]", said[-1])
    made = {path.name for path in tmp_path.iterdir()}
    assert made == {"pennant.json", "pennant.glb", "pennant.usdc", "pennant.csv", "pennant.svg"}
    assert (tmp_path / "pennant.csv").read_text().startswith("address,unit,frame,value")


def test_every_documented_name_is_there() -> None:
    named = set(re.findall(r"`(\w+)\(", DOCUMENT.read_text()))
    assert named == set(lazzik.__all__) - {"LazzikError", "Scene", "__version__"}
    with pytest.raises(AttributeError, match="no attribute 'undo'"):
        _ = lazzik.undo


def test_a_scene_is_never_changed_in_place(demo: Scene) -> None:
    before = demo.model_dump_json()
    baked, receipt = bake(demo, tolerance={"°": 0.5}, extremes=True)
    edit(demo, {"do": "set", "address": "gauge/position.x", "value": 9})
    assert demo.model_dump_json() == before
    assert len(receipt.lines) == len(addresses(demo))
    assert receipt.tolerances["°"] == 0.5
    assert receipt.tolerances["m"] == 0.002
    at = "beacon-mast/rotation.z"
    off = evaluate(baked, at)[at] - evaluate(demo, at)[at]
    assert 0.1 < np.abs(off).max() <= 0.5
    every, _ = bake(demo, [at], every=5, frames=(0, 50))
    assert every.receipts[-1].lines[0].keys == 11


def test_what_is_wrong_is_a_sentence(tmp_path: Path) -> None:
    for act in (
        lambda: open_scene(tmp_path / "none.json"),
        lambda: new_scene(last=0),
        lambda: import_files(new_scene(), tmp_path / "none.glb"),
        lambda: deliver(new_scene(), tmp_path / "scene.pdf"),
        lambda: deliver(new_scene(), tmp_path / "no" / "scene.json"),
        lambda: evaluate(new_scene(), "nobody/rotation.z"),
    ):
        with pytest.raises(LazzikError) as told:
            act()
        assert len(str(told.value)) > 20


def test_a_file_is_brought_in_and_delivered_with_progress(demo: Scene, tmp_path: Path) -> None:
    heard: list[float] = []
    short = edit(demo, {"do": "change-scene", "last": 5}, {"do": "remove-object", "node": "grass"})
    deliver(short, tmp_path / "short.gltf", Progress(lambda share, _: heard.append(share)))
    assert heard
    back = import_files(new_scene("Back", last=5), tmp_path / "short.gltf")
    assert len(back.nodes) == len(short.nodes)


def test_two_scenes_are_compared_and_one_takes_over_from_the_other(demo: Scene) -> None:
    after = edit(demo, {"do": "add-dial", "label": "Storm"}, {"do": "remove-object", "node": "lamp-3"})
    rows = compare(demo, after)
    assert [(row.title, row.was, row.becomes) for row in rows[-2:]] == [
        ("Shade 3", "there", "—"), ("dial Storm", "—", "there"),
    ]  # fmt: skip
    assert take_over(demo, after, [row.difference.key for row in rows]) == after
    assert "shade-3" not in take_over(demo, after, ["nodes/lamp-3"]).by_id
    assert compare(demo, demo) == []


def test_the_air_of_a_scene() -> None:
    scene = edit(new_scene("Air"), {"do": "add-object", "label": "Wind", "field": {"kind": "wind", "gusts": 0.0}})
    blown = air(scene, [(0, 1, 0), (5, 0, 0)], [0, 10.5])
    assert blown.shape == (2, 2, 3)
    np.testing.assert_allclose(np.linalg.norm(blown, axis=2), 6.0)
    with pytest.raises(LazzikError, match="three numbers"):
        air(scene, [(0, 1)])


def test_parts_go_on_a_shelf_and_into_other_scenes(tmp_path: Path, demo: Scene) -> None:
    scene = edit(demo, {"do": "save-object-recipe", "node": "lamp-1", "label": "Lamp post"})
    items = (keep(scene, "object", "lamp_post", "Lamp post", tags=["lamps"]), keep(scene, "material", "lamp-1"))
    save_shelf(items, tmp_path / "shelf.json")
    back = open_shelf(tmp_path / "shelf.json")
    assert back == items
    other = edit(new_scene("Other"), {"do": "add-object", "label": "Post", "shape": {"kind": "tube"}})
    there = take(take(other, back[0], ["post"]), back[1], ["post"])
    assert there.by_id["post"].uses[0].recipe == "lamp_post"
    assert there.by_id["post"].look == demo.by_id["lamp-1"].look
    with pytest.raises(LazzikError, match="can't be read"):
        open_shelf(tmp_path / "none.json")
