"""A hundred edits in a row in a scene of 5,000 driven channels, from request to commit, with the whole copies that are
written aside meanwhile (goals: within 10 ms, the 99th of 100 within 20)."""

from __future__ import annotations

import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import numpy as np
from sqlalchemy import text as sql
from starlette.testclient import TestClient

from benchmarks.evaluation import crowd
from benchmarks.timing import best
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.serialize import scene_text
from lazzik.store.database import Database
from lazzik.web.app import create_app
from lazzik.work import tasks


def rows() -> Iterator[str]:
    """The measured row."""
    scene = crowd(5000)
    times = in_a_row(scene, lambda n: {"do": "set", "address": f"n{n * 47}/rotation.z#l1.amplitude", "value": n})
    text = best(lambda: scene_text(scene), runs=2)
    middle = np.median(times)
    empty, commit = _empty_request(), _bare_commit()
    bare = empty + commit
    yield (
        f"{told(times)}; writing the whole document as text alone takes {text * 1e3:.0f} ms: {middle / text:.3f} times"
    )
    yield (
        f"an empty request takes {empty * 1e3:.1f} ms, a bare commit {commit * 1e3:.1f} ms: "
        f"{middle / bare:.1f} times both (goal 10 ms: {'holds' if middle <= 0.01 else 'does not hold'})"
    )


def _empty_request() -> float:
    with tempfile.TemporaryDirectory() as folder:
        app = create_app(Path(folder))
        with TestClient(app, base_url="http://127.0.0.1:8460") as client:
            return best(lambda: client.get("/static/mark.svg"), runs=50)


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


def in_a_row(scene: Scene, edit_of: Callable[[int], dict[str, Any]]) -> list[float]:
    """Seconds that each of a hundred edits took, from request to commit."""
    with tempfile.TemporaryDirectory() as folder:
        app = create_app(Path(folder))
        state = app.state.store.create(scene, "new")
        times = []
        with TestClient(app, base_url="http://127.0.0.1:8460") as client:
            for _ in range(2):  # a server at work has its workers: their start takes both cores for some seconds
                app.state.workers.run(tasks.sweep, Path(folder))
            for n in range(100):
                began = time.perf_counter()
                answer = client.post(f"/scenes/{state.id}/edits", json={"revision": n, "edits": [edit_of(n)]})
                times.append(time.perf_counter() - began)
                assert answer.status_code == 200
    return times


def told(times: list[float]) -> str:
    """What a hundred edits took."""
    middle, slow, slowest = np.median(times), np.percentile(times, 95), np.percentile(times, 99)
    return (
        f"median {middle * 1e3:.1f} ms, p95 {slow * 1e3:.1f} ms, p99 {slowest * 1e3:.1f} ms, "
        f"{slowest / middle:.1f} times the median"
    )
