"""The same work by a real cluster of two processes: the same bits, refusals as sentences, Stop, versions that do not
fit."""

from __future__ import annotations

import secrets
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import httpx2
import pytest
from distributed import Client, LocalCluster

from lazzik.core.bake.baking import BakePlan, bake, bakeable
from lazzik.core.errors import InvalidEdit
from lazzik.core.formats.registry import format_for
from lazzik.core.progress import UNHEARD, Progress, Stopped
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.serialize import scene_text
from lazzik.work import cluster as module
from lazzik.work.bakes import baked_by_all
from lazzik.work.batch import Piece, all_done
from lazzik.work.cluster import Cluster, NoCluster
from lazzik.work.crew import WorkBroken
from lazzik.work.deliveries import made_by_all
from lazzik.work.files import delivered
from lazzik.work.source import SceneText
from tests.serving import Server
from tests.work import chores


@pytest.fixture(scope="module")
def address() -> Iterator[str]:
    with LocalCluster(n_workers=2, threads_per_worker=1, processes=True, dashboard_address=":0") as there:
        yield there.scheduler_address


@pytest.fixture(scope="module")
def crew(address: str) -> Iterator[Cluster]:
    cluster = Cluster(address)
    yield cluster
    cluster.close()


def test_it_tells_how_many_work_and_on_what(crew: Cluster) -> None:
    assert crew.most == 2
    assert len(crew.processors) == 1
    assert not crew.near


def test_tasks_are_done_and_heard_of_and_refused(crew: Cluster) -> None:
    assert crew.run(chores.add, 2, 3) == 5
    with pytest.raises(InvalidEdit, match="No, thank you") as caught:
        crew.run(chores.refuse)
    assert caught.value.where == "door"
    with pytest.raises(WorkBroken, match="ValueError"):
        crew.run(chores.break_down)


def test_stop_ends_what_is_wanted_no_longer(crew: Cluster) -> None:
    told: list[str] = []

    def stop(_: float, said: str) -> None:
        told.append(said)
        if said == "ticking":
            raise Stopped

    with pytest.raises(Stopped):
        crew.run(chores.tick, progress=Progress(stop))
    assert told[-1] == "ticking"
    for _ in range(2):  # both are free again
        assert crew.run(chores.add, 1, 1) == 2
    with pytest.raises(WorkBroken, match=r"more than the 0\.5 s"):
        crew.run(chores.tick, seconds=0.5)


def test_where_several_reports_have_come_the_newest_is_told(crew: Cluster, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(secrets, "token_hex", lambda _: "known")
    told: list[int] = []

    def slowly(_: float, said: str) -> None:
        told.extend([int(said)] if said else [])
        while told and len(crew._client.get_events("lazzik-known")) < 4:
            continue

    crew.run(chores.count, progress=Progress(slowly))
    assert told[0] == 1
    assert told == sorted(told)


def test_a_bake_in_blocks_is_the_bake_of_one_piece(crew: Cluster, few: Scene) -> None:
    plan = BakePlan(0, 40)
    source = SceneText(scene_text(few).encode())
    assert baked_by_all(crew, source, bakeable(few), plan, UNHEARD) == bake(few, bakeable(few), plan)


def test_a_delivery_in_pieces_is_the_delivery_of_one_piece(crew: Cluster, few: Scene) -> None:
    chosen = format_for("x.glb")
    made = made_by_all(crew, SceneText(scene_text(few).encode()), chosen, UNHEARD)
    assert len(made) > 10
    assert chosen.deliver(few, UNHEARD, made=made) == chosen.deliver(few, UNHEARD)


def test_scenes_are_sent_and_files_come_back(crew: Cluster, tmp_path: Path, few: Scene) -> None:
    names = [f"scene-{n}" for n in range(3)]
    for n, name in enumerate(names):
        (tmp_path / f"{name}.json").write_text(scene_text(few.replaced(name=name, last=6 + n)))
    (tmp_path / "none.json").write_text("{}")
    every = [Piece(tmp_path / f"{name}.json", tmp_path / f"{name}.csv") for name in [*names, "none"]]
    outcomes = all_done(crew, delivered, every)
    assert [bool(outcome.problem) for outcome in outcomes] == [False, False, False, True]
    for n, piece in enumerate(every[:3]):
        scene = few.replaced(name=names[n], last=6 + n)
        assert piece.out.read_bytes() == format_for("x.csv").deliver(scene, UNHEARD).content
    assert not every[3].out.exists()
    assert not list(tmp_path.glob(".*"))


def test_a_worker_that_ends_is_made_good_for(crew: Cluster, tmp_path: Path) -> None:
    outcomes = all_done(crew, chores.copied, chores.pieces(tmp_path, "one", "end once", "three"), tmp_path)
    assert [outcome.lines for outcome in outcomes] == [("3 letters",), ("8 letters",), ("5 letters",)]


def test_versions_that_do_not_fit_are_refused(address: str, monkeypatch: pytest.MonkeyPatch) -> None:
    ours = module.versions()
    assert all(ours.values())
    assert module.misfit(ours, ours | {"processor": "another"}) == ""
    assert module.misfit(ours | {"numba": "0.1"}, ours) == f"has numba {ours['numba']}, and here it is 0.1"
    assert "not at all" in module.misfit(ours, ours | {"lazzik": ""})
    monkeypatch.setattr(module, "misfit", lambda *_: "has something else")
    with pytest.raises(NoCluster, match="has something else: bring both to the same version"):
        Cluster(address)


def test_without_a_cluster_there_is_a_sentence() -> None:
    with pytest.raises(NoCluster, match="There is no cluster"):
        Cluster("nowhere")


def test_the_command_line_sends_work_there(address: str, tmp_path: Path, few: Scene) -> None:
    (tmp_path / "a.json").write_text(scene_text(few.replaced(last=12)))
    (tmp_path / "b.json").write_text(scene_text(few))
    words = ["bake", tmp_path / "a.json", tmp_path / "b.json", "-o", tmp_path / "{}.csv", "--quick"]
    made = []
    for more in ([], ["--cluster", address]):
        done = subprocess.run(
            [sys.executable, "-m", "lazzik", *map(str, words), *more], capture_output=True, text=True, check=False
        )
        assert done.returncode == 0, done.stderr
        assert "keys on" in done.stdout
        made.append([(tmp_path / f"{name}.csv").read_bytes() for name in "ab"])
    assert made[0] == made[1]


def test_a_server_sends_its_jobs_there(address: str, tmp_path: Path, few: Scene) -> None:
    server = Server(tmp_path / "data", "--cluster", address, demo=False)
    try:
        with (
            Client(address, set_as_default=False) as cluster,
            httpx2.Client(base_url=server.url, timeout=300) as client,
        ):
            before = sum(cluster.run(_done).values())
            file = {"file": ("few.json", scene_text(few))}
            scene = client.post("/scenes/open", files=file).headers["location"].split("?")[0]
            job = client.post(f"{scene}/deliver/csv", json={}).json()
            with client.stream("GET", f"/jobs/{job['id']}/events") as events:
                assert '"state": "done"' in "".join(events.iter_text())
            made = client.get(f"/jobs/{job['id']}/result").content
            assert sum(cluster.run(_done).values()) > before
    finally:
        server.kill()
    assert made == format_for("x.csv").write(few)


def _done(dask_worker: Any) -> int:
    """How many tasks a worker has done."""
    return int(dask_worker.state.executed_count)


@pytest.mark.parametrize("ending", ["csv", "svg"])
def test_one_scene_is_delivered_there_in_pieces_or_whole_where_it_has_none(
    address: str, tmp_path: Path, few: Scene, ending: str
) -> None:
    (tmp_path / "a.json").write_text(scene_text(few))
    out = tmp_path / f"a.{ending}"
    words = ["deliver", tmp_path / "a.json", "-o", out, "--cluster", address]
    done = subprocess.run(
        [sys.executable, "-m", "lazzik", *map(str, words)], capture_output=True, text=True, check=False
    )
    assert done.returncode == 0, done.stderr
    # only what is made there as a whole file is told of by its name
    assert (str(out) in done.stdout) == (ending == "csv")
    assert out.read_bytes() == format_for(out.name).write(few)
