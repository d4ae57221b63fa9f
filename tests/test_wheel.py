"""The package as it is handed out: what it says of itself, and that it runs where it is put."""

from __future__ import annotations

import os
import re
import subprocess
import sys
import urllib.request
import zipfile
from email import message_from_string
from pathlib import Path

import pytest

ROOT = Path(__file__).parent.parent

BUILD = "import sys; from flit_core.buildapi import build_wheel; print(build_wheel(sys.argv[1]))"


@pytest.fixture(scope="module")
def wheel(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("wheel")
    made = subprocess.run(
        [sys.executable, "-c", BUILD, str(folder)], cwd=ROOT, capture_output=True, text=True, check=True
    )
    return folder / made.stdout.strip()


def test_a_wheel_says_what_it_needs_and_under_which_licence_it_is(wheel: Path) -> None:
    with zipfile.ZipFile(wheel) as archive:
        (name,) = [entry for entry in archive.namelist() if entry.endswith(".dist-info/METADATA")]
        told = message_from_string(archive.read(name).decode())
        assert any(entry.endswith("licenses/LICENSE") for entry in archive.namelist())
    assert (told["Name"], told["License-Expression"], told["Requires-Python"]) == ("lazzik", "MIT", ">=3.11")
    wanted = [line for line in (ROOT / "requirements.in").read_text().splitlines() if line and line[0] not in "#-"]
    needed = [line for line in told.get_all("Requires-Dist", []) if "extra ==" not in line]
    assert sorted(needed) == sorted(set(wanted) - {"flit-core"})  # that one builds it
    assert told.get_all("Provides-Extra") == ["cluster"]


def test_a_wheel_runs_where_it_is_put(wheel: Path, tmp_path: Path) -> None:
    place = tmp_path / "site"
    with zipfile.ZipFile(wheel) as archive:
        archive.extractall(place)
    around = os.environ | {"PYTHONPATH": str(place)}
    where = [sys.executable, "-c", "import lazzik; print(lazzik.__file__)"]
    found = subprocess.run(where, cwd=tmp_path, env=around, capture_output=True, text=True, check=True)
    assert Path(found.stdout.strip()) == place / "lazzik" / "__init__.py"
    serve = [sys.executable, "-m", "lazzik", "serve", "--data", str(tmp_path / "data"), "--port", "0"]
    server = subprocess.Popen(serve, cwd=tmp_path, env=around, stdout=subprocess.PIPE, text=True)
    try:
        assert server.stdout is not None
        address = re.search(r"http://[\d.:]+", server.stdout.readline())
        assert address
        for path in (
            "/scenes",
            "/static/studio/studio.js",
            "/static/lib/api.js",
            "/static/vendor/three/three.module.js",
        ):
            with urllib.request.urlopen(address[0] + path) as answer:
                assert len(answer.read()) > 500
    finally:
        server.kill()
        server.communicate()
