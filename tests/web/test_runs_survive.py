"""A run in a server that is ended as by `kill -9`: the scene is whole, what is kept is whole, the rest comes again."""

from __future__ import annotations

import json
import re
import time
import urllib.request
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from lazzik.core.simulate.particles import Particles
from lazzik.store.database import Database
from lazzik.store.runs import Runs
from lazzik.store.scenes import SceneStore
from tests.serving import Server

STORM: list[dict[str, Any]] = [
    {"do": "add-object", "label": "Eddies", "field": {"kind": "eddies", "octaves": 3.0}},
    {"do": "emit", "label": "Dust"}, {"do": "change-scene", "last": 200},
    {"do": "set", "address": "dust/emitter.rate", "value": 3000},
]  # fmt: skip


def asked(server: Server, path: str, content: dict[str, Any] | None = None) -> Any:
    body = None if content is None else json.dumps(content).encode()
    request = urllib.request.Request(server.url + path, body, {"Content-Type": "application/json"})
    with urllib.request.urlopen(request, timeout=120) as answer:
        return json.loads(answer.read())


@pytest.mark.slow
def test_kill_during_a_run(tmp_path: Path) -> None:
    server = Server(tmp_path, demo=False)
    try:
        made = urllib.request.urlopen(urllib.request.Request(f"{server.url}/scenes", b"name=Storm"), timeout=120)
        found = re.search(r"/scenes/[0-9a-f]+", made.url)
        assert found is not None
        scene = found[0]
        asked(server, f"{scene}/edits", {"revision": 0, "edits": STORM})
        asked(server, f"{scene}/run", {"revision": 1, "node": "dust"})
        while not 2 <= len((told := asked(server, f"{scene}/run?node=dust"))["there"]) < told["count"]:
            time.sleep(0.02)
        server.kill()
        # what was stored is whole, and every stretch that is there can be read
        store, runs = SceneStore(Database(tmp_path)), Runs(tmp_path)
        document = store.open(scene.rsplit("/", 1)[1]).scene
        assert [node.id for node in document.nodes if node.emitter] == ["dust"]
        there = runs.there(told["run"])
        kept = [runs.read(told["run"], place) for place in there]
        assert 2 <= len(there) < told["count"]
        assert there == list(range(len(there)))
        assert None not in kept
        store.close()
        # after a start it goes on, and what comes is what would have come
        server.start()
        begun = asked(server, f"{scene}/run", {"revision": 1, "node": "dust"})
        while (news := asked(server, f"/jobs/{begun['id']}"))["state"] in ("waiting", "running"):
            time.sleep(0.05)
        assert news["state"] == "done"
        assert int(news["said"].split()[0]) == told["count"] - len(there)
        last = runs.read(told["run"], told["count"] - 1)
        assert last is not None
        whole = [moment for moment, _ in Particles(document, "dust").frames(0, 200)][200]
        np.testing.assert_array_equal(last.moments[0].ids, whole.ids)
        np.testing.assert_array_equal(last.moments[0].places, whole.places.astype(np.float32))
    finally:
        server.kill()
