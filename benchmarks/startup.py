"""Starting, against `import numpy` in a process of its own (goals: help 3 ×, a sample 8 ×, the first page 10 ×)."""

from __future__ import annotations

import subprocess
import sys
import tempfile
import time
import urllib.request
from collections.abc import Callable, Iterator
from pathlib import Path
from statistics import median

from benchmarks.timing import goal
from lazzik.core.scene.serialize import scene_text
from lazzik.demo.station import station
from tests.serving import Server

MAST = "beacon-mast/rotation.z"

ROUNDS = 9


def rows() -> Iterator[str]:
    """The measured rows. Each start is held against an `import numpy` just before it, and the middle of all rounds
    counts: on a host that slows down for seconds at a time, the fastest of some short runs falls into a quick moment
    far more often than the fastest of some long ones."""
    with tempfile.TemporaryDirectory() as folder:
        demo = Path(folder) / "demo.json"
        demo.write_text(scene_text(station()))
        starts: dict[str, tuple[float, Callable[[], float]]] = {
            "lazzik --help": (3, lambda: _run("-m", "lazzik", "--help")),
            "lazzik sample of the demo": (8, lambda: _run("-m", "lazzik", "sample", str(demo), MAST)),
            "server ready for its first page": (10, lambda: _first_page(Path(folder) / "data")),
        }
        rounds = [[(_run("-c", "import numpy"), act()) for _, act in starts.values()] for _ in range(ROUNDS)]
    for (name, (most, _)), pairs in zip(starts.items(), zip(*rounds, strict=True), strict=True):
        yardstick, seconds = (median(each) for each in zip(*pairs, strict=True))
        times = median(spent / least for least, spent in pairs)
        yield f"{name}: {seconds:.2f} s, `import numpy` {yardstick:.2f} s: {goal(times, most)}"


def _run(*words: str) -> float:
    """Seconds that a process takes."""
    begun = time.perf_counter()
    subprocess.run([sys.executable, *words], check=True, capture_output=True)
    return time.perf_counter() - begun


def _first_page(folder: Path) -> float:
    """Seconds from the start of a server to its first page; its end is not part of it."""
    begun = time.perf_counter()
    server = Server(folder)
    try:
        urllib.request.urlopen(f"{server.url}/scenes").close()
        return time.perf_counter() - begun
    finally:
        server.kill()
