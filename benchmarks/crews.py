"""The same work by two processes, and by a cluster of two workers, against one process (goal: 1.7 times as fast),
beside what two bare loops gain by running at once; and what follows for larger clusters, on paper."""

from __future__ import annotations

import tempfile
import time
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

from benchmarks.deliveries import pinned
from benchmarks.timing import best
from lazzik.core.formats.base import Format
from lazzik.core.formats.registry import format_for
from lazzik.core.progress import UNHEARD
from lazzik.core.scene.serialize import scene_text
from lazzik.work.batch import Piece, all_done
from lazzik.work.cluster import Cluster
from lazzik.work.crew import Crew
from lazzik.work.deliveries import made_by_all
from lazzik.work.files import BakeAsked, baked
from lazzik.work.pool import Workers
from lazzik.work.source import SceneText, StoredFile
from lazzik.work.tasks import delivered, sent_back

SCENES = 8
LEAST = 1.7
LOOP = 4_000_000
"""Steps of a bare loop, a quarter to half a second."""

MANY = 10_000
"""Scenes of the model on paper."""


def rows() -> Iterator[str]:
    """One process, two processes, a cluster of two; then the model."""
    from distributed import LocalCluster

    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        text = scene_text(pinned())
        pieces = []
        for n in range(SCENES):
            (folder / f"{n}.json").write_text(text)
            pieces.append(Piece(folder / f"{n}.json", folder / f"{n}.csv"))
        one = _timed(Workers(most=1), pieces)
        yield f"{SCENES} scenes baked thoroughly to tables by one process: {one:.1f} s"
        two = _timed(Workers(most=2), pieces)
        yield f"by two: {two:.1f} s, {_as_fast(one / two)}; two bare loops, just after: {_bare():.2f}"
        with LocalCluster(n_workers=2, threads_per_worker=1, processes=True, dashboard_address=":0") as there:
            cluster = Cluster(there.scheduler_address)
            apart = _timed(cluster, pieces, close=False)
            gain = f"{_as_fast(one / apart)}; two bare loops, just after: {_bare():.2f}"
            yield f"by a cluster of two workers: {apart:.1f} s, {gain}"
            yield from _on_paper(cluster, text.encode(), pieces[0].out.stat().st_size, one / SCENES)
            cluster.close()
        yield from _delivered(StoredFile(folder / "0.json"), folder / "out")


def _delivered(source: StoredFile, out: Path) -> Iterator[str]:
    """One scene in each form: whole by one process, in pieces by two. A process fits shapes on all cores by itself."""
    alone, both = Workers(most=1), Workers(most=2)
    for ending in ("svg", "glb", "usdc"):
        chosen = format_for(f"x.{ending}")

        def by(crew: Crew, chosen: Format = chosen) -> None:
            made = made_by_all(crew, source, chosen, UNHEARD)
            crew.run(delivered, source, chosen, out, [], made)

        by(both)
        one, two = best(lambda: by(alone), runs=3), best(lambda: by(both), runs=3)
        yield f"the station as {ending} by one process {one:.1f} s, in pieces by two {two:.1f} s: {_as_fast(one / two)}"
    alone.close()
    both.close()


def _bare() -> float:
    """How much faster two loops that need nothing but a processor run at once than one after the other: what the host
    leaves of its second core, over a few seconds."""
    with ProcessPoolExecutor(2) as pool:
        list(pool.map(_loop, [1, 1]))
        turns = at_once = 0.0
        for _ in range(4):
            turns += best(lambda: [pool.submit(_loop, LOOP).result() for _ in range(2)], runs=1)
            at_once += best(lambda: list(pool.map(_loop, [LOOP, LOOP])), runs=1)
    return turns / at_once


def _loop(steps: int) -> int:
    total = 0
    for n in range(steps):
        total += n * n % 7
    return total


def _timed(crew: Crew, pieces: list[Piece], close: bool = True) -> float:
    """Seconds for all, by a crew that has worked before."""
    all_done(crew, baked, pieces[: crew.most], BakeAsked(frames="0:2", quick=True))
    began = time.perf_counter()
    outcomes = all_done(crew, baked, pieces, BakeAsked())
    spent = time.perf_counter() - began
    assert not any(outcome.problem for outcome in outcomes)
    if close:
        crew.close()
    return spent


def _as_fast(ratio: float) -> str:
    return f"{ratio:.2f} times as fast as one (goal {LEAST}: {'holds' if ratio >= LEAST else 'does not hold'})"


def _on_paper(cluster: Cluster, scene: bytes, file: int, each: float) -> Iterator[str]:
    """What limits larger clusters: whoever sends the work out spends some time on every scene."""
    source = SceneText(scene)
    asked = (BakeAsked(frames="0:2", quick=True, addresses=("beacon-mast/rotation.z",)),)
    round_trip = best(lambda: cluster.run(sent_back, baked, source, "a.csv", asked), runs=5)
    began = time.process_time()
    for _ in range(5):
        cluster.run(sent_back, baked, source, "a.csv", asked)
    ours = (time.process_time() - began) / 5
    size = MANY * (len(scene) + file) / 1e9
    for workers in (10, 100, 1000):
        work, sending = MANY * each / workers, MANY * ours
        limit = "the work" if work > sending else "who sends it out"
        yield (
            f"on paper, {MANY:,} such scenes by {workers:,} workers: {max(work, sending) / 60:.1f} min (work "
            f"{work / 60:.1f}, sending {sending / 60:.1f}, {size:.1f} GB); limited by {limit}"
        )
    yield f"a scene sent there and back with next to no work: {1e3 * round_trip:.0f} ms, {1e3 * ours:.0f} ms of it here"
