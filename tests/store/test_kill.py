"""An acknowledged edit survives the server's sudden death at any time."""

from __future__ import annotations

import json
import re
import threading
import urllib.request
from http.client import HTTPException
from pathlib import Path

from tests.serving import Server, stored

ADDRESS = "beacon-mast/rotation.z#gust.amplitude"


def send(scene: str, revision: int, value: int) -> int:
    edits = [{"do": "set", "address": ADDRESS, "value": value}]
    return int(stored(f"{scene}/edits", {"revision": revision, "edits": edits})["revision"])


def read(url: str) -> bytes:
    with urllib.request.urlopen(url) as response:
        content: bytes = response.read()
    return content


def keep(url: str, revision: int) -> None:
    body = {"revision": revision, "name": f"Step {revision}"}
    request = urllib.request.Request(f"{url}/versions", json.dumps(body).encode(), {"Content-Type": "application/json"})
    with urllib.request.urlopen(request) as response:
        assert json.load(response)["of"] == revision


def kept(scene: str) -> list[int]:
    """The steps whose versions are listed, the first first."""
    return [int(n) for n in re.findall(r"<strong>Step (\d+)</strong>", read(f"{scene}/versions?a=0").decode())][::-1]


def amplitude(server: Server, scene: str) -> int:
    document = json.loads(read(f"{scene}/deliver/scene"))
    mast = next(n for n in document["nodes"] if n["id"] == "beacon-mast")
    return int(mast["rotation"]["z"]["layers"][0]["amplitude"])


def test_no_acknowledged_edit_is_lost(tmp_path: Path) -> None:
    """The n-th edit sets 100 + n, and is kept as a version. Each life ends in the midst of that, once a few edits are
    acknowledged."""
    server = Server(tmp_path / "data")
    try:
        listing = read(f"{server.url}/scenes").decode()
        scene = f"{server.url}{re.search('/scenes/[0-9a-f]+', listing)[0]}"  # type: ignore[index]
        acknowledged, versions = 0, []
        for life in range(2):
            enough, death = acknowledged + 5, threading.Timer(0.05 * life, server.kill)
            try:
                while True:
                    acknowledged = send(scene, acknowledged, 101 + acknowledged)
                    keep(scene, acknowledged)
                    versions.append(acknowledged)
                    if acknowledged == enough:
                        death.start()
            except (OSError, HTTPException):  # cut off before, or within, an answer
                death.join()
            server.start()
            stored = amplitude(server, scene) - 100
            # one edit may have been stored whose answer never arrived; none may be missing
            assert stored in (acknowledged, acknowledged + 1)
            acknowledged = stored
            # and so may one version; the list is the old one or the new one, and every one of it can be looked at
            assert kept(scene)[: len(versions)] == versions
            assert len(kept(scene)) - len(versions) in (0, 1)
            versions = kept(scene)
    finally:
        server.kill()
