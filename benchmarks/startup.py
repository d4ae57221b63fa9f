"""Starting, against `import numpy` in a process of its own (goals: help 3 ×, a sample 8 ×, the first page 10 ×)."""

from __future__ import annotations

import subprocess
import sys
import tempfile
import time
import urllib.request
from collections.abc import Iterator
from pathlib import Path

from benchmarks.timing import best
from lazzik.core.scene.serialize import scene_text
from lazzik.demo.station import station
from tests.serving import Server

MAST = "beacon-mast/rotation.z"


def rows() -> Iterator[str]:
    """The measured rows."""
    yardstick = best(lambda: _run("-c", "import numpy"))
    with tempfile.TemporaryDirectory() as folder:
        demo = Path(folder) / "demo.json"
        demo.write_text(scene_text(station()))
        for name, goal, seconds in (
            ("lazzik --help", 3, best(lambda: _run("-m", "lazzik", "--help"))),
            (
                "lazzik sample of the demo",
                8,
                best(lambda: _run("-m", "lazzik", "sample", str(demo), MAST)),
            ),
            ("server ready for its first page", 10, min(_first_page(Path(folder) / "data") for _ in range(5))),
        ):
            times = seconds / yardstick
            met = "holds" if times <= goal else "does not hold"
            yield f"{name}: {seconds:.2f} s, {times:.1f} times `import numpy` ({yardstick:.2f} s); goal {goal}, {met}"


def _run(*words: str) -> None:
    subprocess.run([sys.executable, *words], check=True, capture_output=True)


def _first_page(folder: Path) -> float:
    """Seconds from the start of a server to its first page; its end is not part of it."""
    begun = time.perf_counter()
    server = Server(folder)
    try:
        urllib.request.urlopen(f"{server.url}/scenes").close()
        return time.perf_counter() - begun
    finally:
        server.kill()
