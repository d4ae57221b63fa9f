"""The long jobs of a server, by processes that see its folder and by a cluster that does not: the bits are the same."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from distributed import LocalCluster
from fastapi.testclient import TestClient

from lazzik.core.bake.baking import BakePlan, bakeable
from lazzik.core.formats.registry import FORMATS
from lazzik.core.progress import UNHEARD, Progress
from lazzik.core.scene.scene import Scene
from lazzik.demo.starts import BY_KEY
from lazzik.store.database import Database
from lazzik.store.runs import Runs
from lazzik.store.scenes import SceneStore
from lazzik.web.app import create_app
from lazzik.work.cluster import Cluster
from lazzik.work.long import LongWork
from lazzik.work.pool import Workers
from lazzik.work.source import NamedSource, Source
from tests.conftest import edited


@pytest.fixture(scope="module")
def far() -> Iterator[Cluster]:
    with LocalCluster(n_workers=2, threads_per_worker=1, processes=True, dashboard_address=":0") as there:
        cluster = Cluster(there.scheduler_address)
        yield cluster
        cluster.close()


@pytest.fixture(scope="module")
def near() -> Iterator[Workers]:
    pool = Workers(most=2)
    yield pool
    pool.close()


@pytest.fixture(scope="module")
def scene() -> Scene:
    """The mast in wind over a second, with sparks."""
    mast = edited(BY_KEY["mast"].build("Mast"), {"do": "change-scene", "last": 30})
    bend = "mast/deform.bend.angle"
    return edited(
        mast, {"do": "emit", "label": "Sparks"}, {"do": "add-deformer", "node": "mast", "kind": "bend"},
        {"do": "add-layer", "address": bend, "kind": "noise"},
        {"do": "set", "address": f"{bend}#noise.amplitude", "value": 20},
    )  # fmt: skip


def both(scene: Scene, folder: Path, near: Workers, far: Cluster) -> Iterator[tuple[LongWork, Source, SceneStore]]:
    """The scene in a store of its own each, and whoever does the long work over it."""
    for name, crew in (("near", near), ("far", far)):
        (folder / name).mkdir()
        store = SceneStore(Database(folder / name))
        entry = store.create(scene, "made")
        yield LongWork(crew, store), Source(store.folder, entry.id, entry.revision), store


def test_bakes_are_the_same(scene: Scene, tmp_path: Path, near: Workers, far: Cluster) -> None:
    plan = BakePlan(scene.first, scene.last)
    made = [work.bake(source, bakeable(scene), plan, UNHEARD) for work, source, _ in both(scene, tmp_path, near, far)]
    assert made[0] == made[1]
    assert len(made[0].channels) == len(bakeable(scene))


@pytest.mark.parametrize("named", [False, True])
def test_files_are_the_same(scene: Scene, tmp_path: Path, near: Workers, far: Cluster, named: bool) -> None:
    """A state alone is made in pieces, several that are named are not."""
    found = []
    for work, source, _ in both(scene, tmp_path, near, far):
        out = tmp_path / "out"
        shares: list[float] = []
        heard = Progress(lambda share, _, told=shares: told.append(share))  # type: ignore[misc]
        told = work.deliver(source, FORMATS["gltf"](), out, [NamedSource(source, "Now")] if named else [], heard)
        found.append((told, out.read_bytes()))
        assert shares == sorted(shares)
    assert found[0] == found[1]
    assert found[0][1] == FORMATS["gltf"]().write(scene)


@pytest.mark.parametrize("tolerance", [None, 0.001])
def test_shapes_are_the_same_and_what_is_heavy_of_them_is_stored(
    scene: Scene, tmp_path: Path, near: Workers, far: Cluster, tolerance: float | None
) -> None:
    node = next(node.id for node in scene.nodes if node.deform)
    found: list[tuple[Any, bytes | None]] = []
    for work, source, store in both(scene, tmp_path, near, far):
        made = work.bake_shape(source, node, 0, 10, tolerance, UNHEARD)
        found.append((made, store.asset(made.asset)))
    assert found[0] == found[1]
    assert found[0][1]


def test_runs_are_the_same_to_the_byte(scene: Scene, tmp_path: Path, near: Workers, far: Cluster) -> None:
    node = next(node.id for node in scene.nodes if node.emitter)
    files = []
    for work, source, _ in both(scene, tmp_path, near, far):
        assert work.simulate(source, node, UNHEARD) > 1
        (row,) = Runs(source.folder).rows()
        assert row.label
        files.append({path.name: path.read_bytes() for path in (source.folder / "runs" / row.key).glob("*.npz")})
    assert files[0] == files[1]
    assert len(files[0]) > 1


def test_a_server_sends_its_jobs_there(tmp_path: Path, near: Workers, far: Cluster) -> None:
    app = create_app(tmp_path / "data", workers=near, crew=far)
    with TestClient(app, base_url="http://127.0.0.1:8460", follow_redirects=False) as client:
        where = client.post("/scenes", data={"name": "Mast", "start": "mast"}).headers["location"].split("?")[0]
        near.close()  # nobody here could do it
        news = client.post(f"{where}/deliver/csv", json={}).json()
        assert client.get(f"/jobs/{news['id']}/events").text.rpartition("data: ")[2].count('"state": "done"') == 1
        assert client.get(f"/jobs/{news['id']}/result").text.startswith("frame,")
