"""Eight people at once, each on a copy of the demo, an edit and two samplings a second.

The goal: 95 of 100 within twice the time of one person's. An edit that became a job has taken as long as that."""

from __future__ import annotations

import json
import tempfile
import threading
import time
import urllib.request
from collections.abc import Iterator
from http.client import HTTPConnection
from pathlib import Path

import numpy as np

from benchmarks.timing import goal
from tests.serving import Server

PEOPLE = 8
ALONE, TOGETHER = 60.0, 300.0
"""Seconds of each turn."""

ADDRESS = "beacon-mast/rotation.z"


class Person:
    """Who works on a copy of the demo, over one connection."""

    def __init__(self, server: Server) -> None:
        with urllib.request.urlopen(f"{server.url}/scenes/demo", b"") as opened:
            self.scene = opened.url.removeprefix(server.url)
        self.url = server.url
        self.line = HTTPConnection("127.0.0.1", server.port, timeout=60)
        self.revision = 0
        self.edits: list[float] = []
        self.samplings: list[float] = []

    def ask(self, method: str, path: str, body: object = None) -> tuple[float, bytes]:
        """Seconds that an answer took, and what it says."""
        began = time.perf_counter()
        content = None if body is None else json.dumps(body)
        self.line.request(method, f"{self.scene}{path}", content, {"content-type": "application/json"})
        with self.line.getresponse() as answer:
            said = answer.read()
            assert answer.status in (200, 202), said
        if answer.status == 202:
            said = self._landed(json.loads(said)["id"])
        return time.perf_counter() - began, said

    def _landed(self, job: str) -> bytes:
        """What became of an edit that goes on as a job."""
        while True:
            with urllib.request.urlopen(f"{self.url}/jobs/{job}") as answer:
                state = json.load(answer)["state"]
            if state in ("done", "failed", "stopped"):
                assert state == "done"
                with urllib.request.urlopen(f"{self.url}/jobs/{job}/result") as answer:
                    return bytes(answer.read())
            time.sleep(0.005)

    def work(self, seconds: float, late: float) -> None:
        """For so long, beginning a little later than others."""
        time.sleep(late)
        until = time.perf_counter() + seconds
        while (began := time.perf_counter()) < until:
            edit = {"do": "set", "address": f"{ADDRESS}#gust.amplitude", "value": 1 + self.revision % 9}
            took, said = self.ask("POST", "/edits", {"revision": self.revision, "edits": [edit]})
            self.revision = json.loads(said)["revision"]
            self.edits.append(took)
            for _ in range(2):
                took, _said = self.ask("GET", f"/curves?address={ADDRESS}&revision={self.revision}")
                self.samplings.append(took)
            time.sleep(max(0.0, began + 1.0 - time.perf_counter()))


def rows() -> Iterator[str]:
    """The measured row."""
    with tempfile.TemporaryDirectory() as folder:
        server = Server(Path(folder))
        try:
            _together(server, 1, 5.0)  # what is loaded when it is first wanted is there from here on
            one_edit, one_sampling = _together(server, 1, ALONE)
            edit, sampling = _together(server, PEOPLE, TOGETHER)
        finally:
            server.kill()
    yield (
        f"{PEOPLE} people for {TOGETHER:.0f} s: the 95th of 100 edits {edit:.0f} ms, of one person {one_edit:.0f}: "
        f"{goal(edit / one_edit, 2)}; of samplings {sampling:.0f} and {one_sampling:.0f} ms: "
        f"{goal(sampling / one_sampling, 2)}"
    )


def _together(server: Server, count: int, seconds: float) -> tuple[float, float]:
    """Milliseconds within which 95 of 100 edits of so many people are answered, and of their samplings."""
    people = [Person(server) for _ in range(count)]
    threads = [threading.Thread(target=each.work, args=(seconds, n / count)) for n, each in enumerate(people)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    edits, samplings = [t for each in people for t in each.edits], [t for each in people for t in each.samplings]
    return float(np.percentile(edits, 95)) * 1e3, float(np.percentile(samplings, 95)) * 1e3
