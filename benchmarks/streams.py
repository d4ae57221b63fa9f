"""Requests beside fifty pages that listen to a job (goal: their 95th of 100 within 2 × what it is without)."""

from __future__ import annotations

import http.client
import json
import tempfile
import time
import urllib.request
from collections.abc import Iterator
from contextlib import ExitStack, closing
from pathlib import Path

import numpy as np

from tests.serving import Server

STREAMS = 50
REQUESTS = 150


def rows() -> Iterator[str]:
    """The measured row."""
    with tempfile.TemporaryDirectory() as folder, ExitStack() as open_:
        server = Server(Path(folder))
        open_.callback(server.kill)
        with urllib.request.urlopen(f"{server.url}/scenes/demo", b"") as opened:
            scene = opened.url
        page = f"{scene}/panels?at=beacon-mast/rotation.z"
        for _ in range(20):
            urllib.request.urlopen(page).read()
        alone = _p95(page)
        # a film that waits for its pictures is a job that works on nothing
        film = {"form": "png", "first": 0, "count": 9, "width": 64, "height": 64, "fps": 30}
        request = urllib.request.Request(
            f"{scene}/deliver/film", json.dumps(film).encode(), {"content-type": "application/json"}
        )
        with urllib.request.urlopen(request) as answer:
            job = json.load(answer)["id"]
        for _ in range(STREAMS):
            stream = open_.enter_context(closing(http.client.HTTPConnection("127.0.0.1", server.port)))
            stream.request("GET", f"/jobs/{job}/events")
            assert stream.getresponse().readline().startswith(b"data:")
        beside = _p95(page)
    holds = "holds" if beside <= 2 * alone else "does not hold"
    yield (
        f"p95 of a panel {alone * 1e3:.0f} ms alone, {beside * 1e3:.0f} ms beside {STREAMS} open streams: "
        f"{beside / alone:.2f} times; goal 2, {holds}"
    )


def _p95(address: str) -> float:
    """Seconds within which 95 of 100 requests are answered."""
    times = []
    for _ in range(REQUESTS):
        began = time.perf_counter()
        urllib.request.urlopen(address).read()
        times.append(time.perf_counter() - began)
    return float(np.percentile(times, 95))
