"""The command line, as a pipeline uses it."""

from __future__ import annotations

import asyncio
import csv
import gc
import io
import json
import socket
import subprocess
import sys
from concurrent.futures import ThreadPoolExecutor
from contextlib import redirect_stderr, redirect_stdout
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from lazzik.cli import main
from lazzik.cli.serving import listening
from lazzik.core.channel.channel import Channel
from lazzik.core.channel.keys import Key
from lazzik.core.evaluate.values import evaluate
from lazzik.core.formats.gltf import Gltf
from lazzik.core.kernels import interpret
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.serialize import read_scene, scene_text
from lazzik.demo.station import station
from lazzik.library import air, new_scene, save_scene
from lazzik.store.database import claimed
from tests.conftest import edited, turned

MAST = "beacon-mast/rotation.z"


@pytest.fixture(scope="module")
def file(tmp_path_factory: pytest.TempPathFactory, demo: Scene) -> Path:
    path = tmp_path_factory.mktemp("cli") / "demo.json"
    path.write_text(scene_text(demo))
    return path


def run(*words: object) -> subprocess.CompletedProcess[str]:
    """A command in this process: what it says, and how it ends."""
    asked = ["lazzik", *(str(word) for word in words)]
    out, said, code = io.StringIO(), io.StringIO(), 0
    with pytest.MonkeyPatch.context() as patch, redirect_stdout(out), redirect_stderr(said):
        patch.setattr(sys, "argv", asked)
        try:
            main()
        except SystemExit as ended:
            code = int(ended.code or 0)
        finally:  # what a program need not take back, since it ends
            interpret(0.0)
            gc.enable()
    return subprocess.CompletedProcess(asked, code, out.getvalue(), said.getvalue())


def test_demo_writes_the_demo_scene(tmp_path: Path, demo: Scene) -> None:
    """As a program of its own; all others are asked in this process."""
    done = subprocess.run([sys.executable, "-m", "lazzik", "demo", "--write", tmp_path / "d.json"], check=True)
    assert done.returncode == 0
    assert read_scene((tmp_path / "d.json").read_bytes()) == demo


def test_particles_are_worked_out_with_progress_and_written(tmp_path: Path) -> None:
    scene = edited(
        Scene(name="Dust", last=9), {"do": "emit", "label": "Dust"}, {"do": "emit", "label": "Smoke"},
        {"do": "set", "address": "dust/emitter.rate", "value": 60},
    )  # fmt: skip
    (path := tmp_path / "dust.json").write_text(scene_text(scene))
    done = run("simulate", path, "--only", "dust", "--frames", "0:6", "-o", tmp_path / "dust.csv")
    assert done.returncode == 0, done.stderr
    assert "Simulating" in done.stderr
    with (tmp_path / "dust.csv").open() as file:
        rows = list(csv.DictReader(file))
    assert {row["object"] for row in rows} == {"dust"}
    assert sum(row["frame"] == "6" for row in rows) == pytest.approx(12, abs=1)
    for words, says in (
        (("--only", "dust", "-o", tmp_path / "dust.txt"), "is none of these"),
        (("--only", "nobody", "-o", tmp_path / "d.csv"), "nobody"),
    ):
        refused = run("simulate", path, *words)
        assert refused.returncode == 1
        assert says in refused.stderr


def test_sample_prints_a_table(file: Path, demo: Scene) -> None:
    done = run("sample", file, MAST, "beacon/look.glow", "--frames", "10:12", "--step", "0.5")
    rows = list(csv.reader(done.stdout.splitlines()))
    assert rows[0] == ["frame", MAST, "beacon/look.glow"]
    assert [row[0] for row in rows[1:]] == ["10", "10.5", "11", "11.5", "12"]
    clock = demo.clock().at(np.array([10, 10.5, 11, 11.5, 12]))
    assert [float(row[1]) for row in rows[1:]] == evaluate(demo, [MAST], clock)[MAST].tolist()


def test_a_sample_needs_no_compiler(file: Path) -> None:
    """It takes longer to load than a number takes to evaluate."""
    script = (
        "import sys; from lazzik import cli; cli.curves.AT_ONCE = 1e9;"
        f"cli.app(['sample', {str(file)!r}, {MAST!r}, '-o', {str(file) + '.csv'!r}], standalone_mode=False);"
        "print('numba' in sys.modules)"
    )
    done = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, check=True)
    assert done.stdout.split() == ["False"]


def test_air_prints_a_table(file: Path, demo: Scene) -> None:
    done = run("air", file, "--at", "0,1,0", "--at", "2,0.5,-1", "--frames", "10:12")
    rows = list(csv.reader(done.stdout.splitlines()))
    assert rows[0] == ["frame", *(f"{axis} at {place}" for place in ("0 1 0", "2 0.5 -1") for axis in "xyz")]
    blown = air(demo, [(0, 1, 0), (2, 0.5, -1)], [10, 11, 12])
    assert [float(value) for value in rows[2][1:]] == blown[1].ravel().tolist()
    assert "--at takes a place" in run("air", file, "--at", "up").stderr


def test_bake_prints_a_receipt_and_writes_json_glb_and_csv(file: Path, tmp_path: Path) -> None:
    done = run("bake", file, "-o", tmp_path / "o.json", "--only", MAST, "--tolerance", "0.2", "--frames", "0:100")
    baked = read_scene((tmp_path / "o.json").read_bytes())
    line = baked.receipts[0].lines[0]
    assert line.worst <= 0.2
    assert f"{MAST}  {line.keys:>5} keys  worst {line.worst:.3g} °" in done.stdout
    (short := tmp_path / "short.json").write_text(scene_text(station().replaced(last=20)))
    done = run("bake", short, "-o", tmp_path / "o.glb", "--every", "1", "--frames", "0:20")
    assert done.stdout.endswith("keys on 43 channels\n")
    assert (tmp_path / "o.glb").read_bytes()[:4] == b"glTF"
    done = run("bake", file, "-o", tmp_path / "o.csv", "--every", "10", "--only", MAST, "sock/rotation.y")
    assert done.stdout.endswith("52 keys on 2 channels\n")
    assert len((tmp_path / "o.csv").read_text().splitlines()) == 252


def test_a_port_that_is_taken_is_said(tmp_path: Path) -> None:
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        done = run("serve", "--data", tmp_path, "--port", taken.getsockname()[1])
    assert done.returncode == 1
    assert "can't be listened on" in done.stderr


def test_a_failure_is_a_sentence_and_the_log_has_the_rest(
    file: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str],
    caplog: pytest.LogCaptureFixture,
) -> None:  # fmt: skip
    def broken(self: Any, scene: Scene, progress: Any, memo: Any = None, made: Any = None) -> Any:
        progress.report(0.5, "shapes of Cloth")
        raise ValueError("no such luck")

    monkeypatch.setattr(Gltf, "deliver", broken)
    monkeypatch.setattr(sys, "argv", ["lazzik", "deliver", str(file), "-o", str(tmp_path / "o.glb")])
    with caplog.at_level("DEBUG", logger="lazzik"), pytest.raises(SystemExit) as ended:
        main()
    assert ended.value.code == 1
    said = capsys.readouterr().err
    assert said.startswith("Something went wrong at 'shapes of Cloth' that should not have: ValueError.")
    assert "Traceback" not in said
    assert "no such luck" in caplog.text
    assert not (tmp_path / "o.glb").exists()


def test_delivering_reports_how_the_motion_came_out(tmp_path: Path) -> None:
    small = tmp_path / "small.json"
    small.write_text(scene_text(turned(Channel(keys=(Key(frame=0, value=0), Key(frame=30, value=50))))))
    done = run("deliver", small, "-o", tmp_path / "small.glb")
    assert "Post / rotation: " in done.stdout
    assert "keys in 1 tracks" in done.stdout


def test_compare_lists_what_differs_and_says_so_by_its_exit_code(file: Path, demo: Scene, tmp_path: Path) -> None:
    other = edited(
        demo,
        {"do": "set", "address": f"{MAST}#gust.amplitude", "value": 3},
        {"do": "add-mark", "frame": 30, "label": "Gust begins"},
    )
    (calmer := tmp_path / "calmer.json").write_text(scene_text(other))
    done = run("compare", file, calmer)
    assert done.stdout.splitlines() == [
        "Beacon mast / rotation z / Gust / amplitude: 4.8° → 3°", "mark Gust begins: — → there",
    ]  # fmt: skip
    assert done.returncode == 1
    same = run("compare", file, file)
    assert (same.returncode, same.stdout) == (0, "")
    (broken := tmp_path / "broken.json").write_text("{}")
    for words in ((file, broken), (tmp_path / "none.json", file)):
        refused = run("compare", *words)
        assert (refused.returncode, refused.stdout) == (2, "")
        assert "can't be read" in refused.stderr


def test_schema_is_a_json_schema() -> None:
    schema = json.loads(run("schema").stdout)
    assert schema["title"] == "Scene"
    assert "Noise" in schema["$defs"]


@pytest.mark.parametrize(
    ("words", "sentence"),
    [
        (["sample", "{file}", "nobody/rotation.z"], "There is no object 'nobody'"),
        (["sample", "nowhere.json", MAST], "can't be read"),
        (["sample", "{file}", MAST, "--frames", "9:3"], "--frames takes a first and a last frame"),
        (["sample", "{file}", MAST, "--step", "0"], "--step must lie between"),
        (["air", "{file}", "--at", "1,2"], "--at takes a place as x,y,z"),
        (
            ["bake", "{file}", "-o", "o.txt"],
            "must end in .html, .glb, .gltf, .usdz, .usdc, .usda, .particles.zip, .particles.csv, .particles.npz, "
            ".json, .curves.json, .csv, .svg",
        ),
        (["bake", "{file}", "-o", "/nowhere/o.json", "--only", MAST], "can't be written"),
        (["bake", "{file}", "-o", "o.json", "--every", "2", "--tolerance", "1"], "not both"),
        (["bake", "{file}", "-o", "o.json", "--tolerance", "-1"], "must lie above zero"),
    ],
)
def test_mistakes_are_one_sentence_and_exit_1(file: Path, words: list[str], sentence: str) -> None:
    done = run(*(word.format(file=file) for word in words))
    assert (done.returncode, done.stdout) == (1, "")
    assert sentence in done.stderr
    assert "Traceback" not in done.stderr


def test_small_answers_are_sent_at_once() -> None:
    """A head and the body after it are two pieces; held back, the second comes 40 ms later."""

    async def sends_at_once() -> bool:
        found: asyncio.Future[int] = asyncio.get_running_loop().create_future()

        async def came(_: asyncio.StreamReader, to: asyncio.StreamWriter) -> None:
            option = to.get_extra_info("socket").getsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY)
            to.close()
            found.set_result(option)

        ours = listening("127.0.0.1", 0)
        async with await asyncio.start_server(came, sock=ours):
            _, to = await asyncio.open_connection(*ours.getsockname())
            option = await found
            to.close()
        return option != 0

    # in a thread: the browser's tests leave a loop running in this one
    with ThreadPoolExecutor(max_workers=1) as aside:
        assert aside.submit(lambda: asyncio.run(sends_at_once())).result()


def test_a_folder_that_is_served_already_is_said(tmp_path: Path) -> None:
    with claimed(tmp_path):
        done = run("serve", "--data", tmp_path, "--port", "0")
    assert (done.returncode, "works in the folder" in done.stderr) == (1, True)


def test_the_shelf_is_listed_exported_and_imported(tmp_path: Path) -> None:
    here, there, file = tmp_path / "here", tmp_path / "there", tmp_path / "some.json"
    listed = run("shelf", "list", "--data", here)
    assert "gust-sway" in listed.stdout
    assert "Flag on a mast" in listed.stdout
    assert run("shelf", "export", file, "flag", "orbit", "--data", here).stdout.startswith("2 things in")
    content = json.loads(file.read_text())
    content["items"][0] |= {"key": "pennant", "label": "Pennant"}
    file.write_text(json.dumps(content))
    assert run("shelf", "import", file, "--data", there).stdout == "1 of 2 are new on the shelf.\n"
    assert "pennant" in run("shelf", "list", "--data", there).stdout
    refused = run("shelf", "export", file, "nothing", "--data", there)
    assert (refused.returncode, refused.stderr) == (1, "There is nothing called 'nothing' on the shelf\n")
    file.write_text("{}")
    refused = run("shelf", "import", file, "--data", there)
    assert (refused.returncode, refused.stderr) == (1, "This is no shelf that was exported from Lazzik.\n")


def test_a_curve_is_read_and_its_recipe_kept(tmp_path: Path) -> None:
    t = np.arange(600) / 30
    rows = [f"{k},{3 * np.sin(2 * np.pi * 0.9 * s):.6f},0" for k, s in enumerate(t)]
    table, file = tmp_path / "curve.csv", tmp_path / "recipe.json"
    table.write_text("\n".join(["frame,sway,rest", *rows]))
    done = run("read", table, "--column", "sway", "-o", file)
    assert "swing 1: 0.9 Hz (1.111 s), amplitude 3" in done.stdout
    content = json.loads(file.read_text())
    assert content["items"][0]["label"] == "sway"
    assert content["items"][0]["content"]["recipes"][0]["stack"]["layers"][0]["kind"] == "wave"
    assert "The swings repeat best after 100 frames (3.333 s): there they meet themselves." in done.stdout
    both = run("read", table, "--take", "kind", "--loop", "-o", file)
    assert "sway:\n  600 samples" in both.stdout
    assert "rest:\n  600 samples" in both.stdout
    recipes = {item["label"]: item["content"]["recipes"][0] for item in json.loads(file.read_text())["items"]}
    assert recipes["sway"]["stack"]["layers"][0]["loop"] == 100
    refused = run("read", table, "--column", "gone")
    assert (refused.returncode, refused.stderr) == (1, "The table has no column 'gone'; it has sway, rest\n")
    refused = run("read", table, "--take", "wild", "-o", file)
    assert (refused.returncode, "no take" in refused.stderr) == (1, True)


def test_several_scenes_are_delivered_at_once_and_one_that_is_none_stops_no_other(tmp_path: Path) -> None:
    for name in ("day", "dusk"):
        save_scene(new_scene(name, last=10), tmp_path / f"{name}.json")
    (tmp_path / "broken.json").write_text("{}")
    scenes = [tmp_path / f"{name}.json" for name in ("day", "broken", "dusk")]
    done = run("deliver", *scenes, "-o", tmp_path / "{}.glb", "--jobs", "2")
    assert done.returncode == 1
    assert "1 of 3 scenes could not be written." in done.stderr
    lines = done.stdout.splitlines()
    assert [line.partition(": ")[0] for line in lines] == [
        str(tmp_path / f"{n}.glb") for n in ("day", "broken", "dusk")
    ]
    alone = tmp_path / "alone.glb"
    assert run("deliver", scenes[0], "-o", alone).returncode == 0
    assert (tmp_path / "day.glb").read_bytes() == alone.read_bytes()
    assert run("deliver", scenes[0], "-o", shared := tmp_path / "shared.glb", "--jobs", "2").returncode == 0
    assert shared.read_bytes() == alone.read_bytes()
    assert not (tmp_path / "broken.glb").exists()
    refused = run("deliver", *scenes, "-o", tmp_path / "all.glb")
    assert (refused.returncode, "need {} in the name" in refused.stderr) == (1, True)
    refused = run("deliver", scenes[0], scenes[0], "-o", tmp_path / "{}.glb")
    assert (refused.returncode, "Two scenes would be written to" in refused.stderr) == (1, True)
