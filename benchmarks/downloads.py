"""A long film and a long motion read from the server (goals: 300 MB a second, 50 MB held)."""

from __future__ import annotations

import io
import json
import tempfile
import time
import urllib.request
from collections.abc import Iterator
from pathlib import Path

import httpx2
import numpy as np
from PIL import Image

from benchmarks.deliveries import pinned
from benchmarks.timing import at_least, goal
from lazzik.core.scene.serialize import scene_text
from tests.serving import Server

SIDE = 2048
PICTURES = 30
FRAMES = 20_000
PIECE = 2**20


def rows() -> Iterator[str]:
    """The measured rows."""
    with tempfile.TemporaryDirectory() as folder:
        server = Server(Path(folder))
        try:
            yield _row("a film of pictures", server, _film(server), warm=1)
            yield _row(f"the motion of {FRAMES:,} frames", server, _motion(server), warm=1)
        finally:
            server.kill()


def _film(server: Server) -> str:
    """The address of a finished film of noise, which can't be packed."""
    picture = io.BytesIO()
    noise = np.random.default_rng(1).integers(0, 256, (SIDE, SIDE, 3), dtype=np.uint8)
    Image.fromarray(noise).save(picture, "PNG", compress_level=0)
    plan = {"form": "png", "first": 0, "count": PICTURES, "width": SIDE, "height": SIDE, "fps": 30}
    with httpx2.Client(base_url=server.url, timeout=60) as client:
        scene = client.post("/scenes/demo").headers["location"]
        job = client.post(f"{scene.split('?')[0]}/deliver/film", content=json.dumps(plan)).json()["id"]
        for number in range(PICTURES):
            client.put(f"/jobs/{job}/pictures/{number}", content=picture.getvalue()).raise_for_status()
    return f"{server.url}/jobs/{job}/result"


def _motion(server: Server) -> str:
    sent = httpx2.post(
        f"{server.url}/scenes/open", files={"file": ("scene.json", scene_text(pinned()))}, timeout=60
    ).headers["location"]
    return f"{server.url}{sent.split('?')[0]}/motion?from=0&to={FRAMES}"


def _row(what: str, server: Server, address: str, warm: int) -> str:
    for _ in range(warm):
        _read(address)
    Path(f"/proc/{server.process.pid}/clear_refs").write_text("5")  # the peak is counted anew
    before = _peak(server)
    spent, size = min(_read(address) for _ in range(3))
    held = (_peak(server) - before) / 2**20
    return f"{what}, {size / 1e6:.0f} MB: {at_least(size / 1e6 / spent, 300, 'MB/s')}; held {goal(held, 50, 'MB')}"


def _read(address: str) -> tuple[float, int]:
    """Seconds, and bytes."""
    began, size = time.perf_counter(), 0
    with urllib.request.urlopen(address) as answer:
        while piece := answer.read(PIECE):
            size += len(piece)
    return time.perf_counter() - began, size


def _peak(server: Server) -> int:
    """Bytes that the server held at most."""
    for line in Path(f"/proc/{server.process.pid}/status").read_text().splitlines():
        if line.startswith("VmHWM"):
            return int(line.split()[1]) * 1024
    raise RuntimeError("this system does not say what a process holds")
