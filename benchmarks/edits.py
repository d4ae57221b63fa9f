"""A hundred edits in a row in a scene of 5,000 driven channels, from request to commit, with the whole copies that are
written aside meanwhile (goals: within 10 ms, the 99th of 100 within 20)."""

from __future__ import annotations

import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import httpx2
import numpy as np
from sqlalchemy import text as sql

from benchmarks.evaluation import crowd
from benchmarks.timing import best, goal
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.serialize import scene_text
from lazzik.store.database import Database
from lazzik.store.scenes import SceneStore
from tests.serving import Server

WARM_UP = 34
"""Edits before the measured ones: a server at work has read its scene, and its workers have written a copy."""

SETTLED = 6.0
"""Seconds after which a server has loaded what it loads after its start."""


def rows() -> Iterator[str]:
    """The measured rows."""
    scene = crowd(5000)
    times, empty = in_a_row(scene, lambda n: {"do": "set", "address": f"n{n * 37}/rotation.z#l1.amplitude", "value": n})
    text = best(lambda: scene_text(scene), runs=2)
    middle = float(np.median(times))
    bare = empty + _bare_commit()
    yield f"{told(times)}; the whole document as text alone takes {text * 1e3:.0f} ms: {middle / text:.3f} times"
    yield f"an empty request and a bare commit take {bare * 1e3:.1f} ms: {middle / bare:.1f} times that"
    slowest = float(np.percentile(times, 99))
    yield f"the median: {goal(1e3 * middle, 10, 'ms')}; the 99th of 100: {goal(1e3 * slowest, 20, 'ms')}"


def _bare_commit() -> float:
    """One row put into a table, as the database keeps what was said: on the disk before it answers."""
    with tempfile.TemporaryDirectory() as folder:
        database = Database(Path(folder))

        def put() -> None:
            with database.writing() as session:
                session.execute(sql("insert into kept values ('a row')"))

        with database.writing() as session:
            session.execute(sql("create table kept (row text)"))
        return best(put, runs=50)


def in_a_row(scene: Scene, edit_of: Callable[[int], dict[str, Any]]) -> tuple[list[float], float]:
    """Seconds that each of a hundred edits took, from request to commit, and the fastest empty request, all to a server
    in a process of its own over one connection."""
    with tempfile.TemporaryDirectory() as folder:
        store = SceneStore(Database(Path(folder)))
        where = f"/scenes/{store.create(scene, 'new').id}/edits"
        store.close()
        server = Server(Path(folder), demo=False)
        times = []
        try:
            with httpx2.Client(base_url=server.url, timeout=60) as client:
                for n in range(WARM_UP + 100):
                    if n == WARM_UP:
                        time.sleep(SETTLED)
                    began = time.perf_counter()
                    answer = client.post(where, json={"revision": n, "edits": [edit_of(n)]})
                    times.append(time.perf_counter() - began)
                    assert answer.status_code == 200, answer.text
                return times[WARM_UP:], best(lambda: client.get("/static/mark.svg"), runs=50)
        finally:
            server.kill()


def told(times: list[float]) -> str:
    """What a hundred edits took."""
    middle, slow, slowest = np.median(times), np.percentile(times, 95), np.percentile(times, 99)
    return (
        f"median {middle * 1e3:.1f} ms, p95 {slow * 1e3:.1f} ms, p99 {slowest * 1e3:.1f} ms, "
        f"{slowest / middle:.1f} times the median"
    )
