"""Runs on disk: whole or not at all, within their limit, the same as if they had been made in one go."""

from __future__ import annotations

import os
from pathlib import Path

import numpy as np
import pytest

from lazzik.core.errors import UnknownAddress
from lazzik.core.progress import Progress, Stopped
from lazzik.core.scene.scene import Scene
from lazzik.core.simulate.kept import packed, unpacked
from lazzik.core.simulate.particles import Particles
from lazzik.core.simulate.run import STRETCH, next_stretch, run_key
from lazzik.store.database import Database, NoRoom
from lazzik.store.runs import Runs
from lazzik.store.scenes import SceneStore
from lazzik.work.source import Source
from lazzik.work.tasks import simulated
from tests.conftest import edited


@pytest.fixture(scope="module")
def dusty() -> Scene:
    """Dust in eddies."""
    return edited(
        Scene(name="Dust", last=80),
        {"do": "add-object", "label": "Eddies", "field": {"kind": "eddies"}},
        {"do": "add-object", "label": "Floor", "shape": {"kind": "sheet"}},
        {"do": "emit", "label": "Dust"},
        {"do": "change-emitter", "node": "dust", "colliders": ["floor"], "settings": {"meets": "stick"}},
    )


def test_a_stretch_comes_back_as_it_was_and_goes_on_to_the_bit(dusty: Scene) -> None:
    run = Particles(dusty, "dust")
    first = next_stretch(run, 0, None)
    back = unpacked(packed(first))
    whole = [moment for moment, _ in Particles(dusty, "dust").frames(0, 2 * STRETCH - 1)]
    for moment, kept in zip(whole, back.moments, strict=False):
        np.testing.assert_array_equal(moment.ids, kept.ids)
        np.testing.assert_array_equal(moment.places.astype(np.float32), kept.places)
    second = next_stretch(Particles(dusty, "dust"), 1, back.state)
    for moment, gone_on in zip(whole[STRETCH:], second.moments, strict=True):
        np.testing.assert_array_equal(moment.places, gone_on.places)


def test_a_run_is_named_by_what_it_reads(dusty: Scene) -> None:
    key = run_key(dusty, "dust")
    for same in (
        {"do": "set", "address": "dust/emitter.size", "value": 0.3}, {"do": "change-scene", "last": 300},
        {"do": "add-object", "label": "Aside", "shape": {"kind": "ball"}},
        {"do": "change-object", "node": "dust", "label": "Fine dust"},
    ):  # fmt: skip
        assert run_key(edited(dusty, same), "dust") == key, same
    for other in (
        {"do": "set", "address": "dust/emitter.rate", "value": 3},
        {"do": "add-deformer", "node": "floor", "kind": "bend"},
        {"do": "set", "address": "dust/position.x", "value": 1},
        {"do": "set", "address": "eddies/field.strength", "value": 3}, {"do": "change-scene", "first": 5},
        {"do": "set", "address": "floor/position.y", "value": 1}, {"do": "change-scene", "fps": 24},
    ):  # fmt: skip
        assert run_key(edited(dusty, other), "dust") != key, other


def test_a_run_goes_on_where_it_was_stopped_and_what_is_damaged_is_made_again(dusty: Scene, tmp_path: Path) -> None:
    store = SceneStore(Database(tmp_path))
    state = store.create(dusty, "new")
    source, key = Source(tmp_path, state.id, 0), run_key(dusty, "dust")
    runs = Runs(tmp_path)

    def stop(share: float, _: str) -> None:
        if share >= 0.5:
            raise Stopped

    with pytest.raises(Stopped):
        simulated(source, "dust", Progress(stop))
    assert runs.there(key) == [0, 1]
    assert simulated(source, "dust", Progress()) == 2
    whole = [moment for moment, _ in Particles(dusty, "dust").frames(0, 80)]
    for moment in whole:
        stretch = runs.read(key, int(moment.frame) // STRETCH)
        assert stretch is not None
        kept = stretch.moments[int(moment.frame) % STRETCH]
        np.testing.assert_array_equal(moment.places.astype(np.float32), kept.places)
    # a byte of one file is another one
    path = tmp_path / "runs" / key / "000002.npz"
    content = bytearray(path.read_bytes())
    content[len(content) // 2] ^= 1
    path.write_bytes(bytes(content))
    assert runs.read(key, 2) is None
    assert runs.there(key) == [0, 1, 3]
    assert simulated(source, "dust", Progress()) == 1
    assert simulated(source, "dust", Progress()) == 0  # all is there


def test_how_many_live_and_their_pace_are_read_alone(dusty: Scene, tmp_path: Path) -> None:
    stretch = next_stretch(Particles(dusty, "dust"), 0, None)
    runs, key = Runs(tmp_path), "b" * 64
    assert runs.course(key, 0) is None
    runs.put(key, 0, stretch)
    told = runs.course(key, 0)
    assert told is not None
    assert told[0] == [len(moment) for moment in stretch.moments]
    middles = [float(np.median(np.linalg.norm(m.speeds, axis=1))) for m in stretch.moments[1:]]
    np.testing.assert_allclose(told[1][1:], middles, rtol=1e-6)


def test_the_limit_holds_and_what_was_used_longest_ago_goes(dusty: Scene, tmp_path: Path) -> None:
    stretch = next_stretch(Particles(dusty, "dust"), 0, None)
    size = len(packed(stretch))
    runs = Runs(tmp_path, limit=3 * size)
    keys = [f"{n:064x}" for n in range(4)]
    for n, key in enumerate(keys[:3]):
        runs.put(key, 0, stretch)
        os.utime(tmp_path / "runs" / key, (1000 + n, 1000 + n))
    assert runs.read(keys[0], 0) is not None  # used anew
    runs.put(keys[3], 0, stretch)
    assert {run.key for run in runs.rows()} == {keys[0], keys[2], keys[3]}
    assert sum(run.bytes for run in runs.rows()) <= 3 * size
    # what is kept stays, whatever the limit; another limit holds from then on, in other processes too
    runs.keep(keys[0], True)
    Runs(tmp_path).bound(size)
    assert [(run.key, run.kept) for run in Runs(tmp_path).rows()] == [(keys[0], True)]
    assert Runs(tmp_path).limit == size
    runs.tell(keys[0], "abc", "Snow")
    assert [(run.scene, run.label) for run in runs.rows()] == [("abc", "Snow")]
    runs.keep(keys[0], False)
    runs.remove(keys[0])
    assert runs.rows() == []
    with pytest.raises(UnknownAddress, match="not there any more"):
        runs.keep(keys[0], True)
    with pytest.raises(ValueError, match="no name of a run"):
        runs.read("../../elsewhere", 0)


def test_without_room_nothing_is_half_there(dusty: Scene, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    stretch = next_stretch(Particles(dusty, "dust"), 0, None)
    runs, key = Runs(tmp_path), "a" * 64

    def full(_: int) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(os, "fsync", full)
    with pytest.raises(NoRoom, match="no room left on the disk"):
        runs.put(key, 0, stretch)
    assert runs.there(key) == []
    assert list((tmp_path / "runs" / key).iterdir()) == []
