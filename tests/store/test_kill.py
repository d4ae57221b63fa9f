"""An acknowledged edit survives the server's sudden death at any time."""

from __future__ import annotations

import json
import re
import threading
import urllib.request
from http.client import HTTPException
from pathlib import Path
from typing import Any

from tests.serving import Server

ADDRESS = "beacon-mast/rotation.z#gust.amplitude"


def post(url: str, body: dict[str, object]) -> tuple[int, dict[str, Any]]:
    """The status and the content of an answer."""
    request = urllib.request.Request(url, json.dumps(body).encode(), {"Content-Type": "application/json"})
    with urllib.request.urlopen(request) as response:
        return response.status, json.load(response)


def send(server: Server, scene: str, revision: int, value: int) -> int:
    """The step that an edit made, at once or, on a busy machine, as a job."""
    edits = [{"do": "set", "address": ADDRESS, "value": value}]
    status, answer = post(f"{scene}/edits", {"revision": revision, "edits": edits})
    if status == 202:
        read(f"{server.url}/jobs/{answer['id']}/events")  # which end with it
        answer = json.loads(read(f"{server.url}/jobs/{answer['id']}/result"))
    return int(answer["revision"])


def read(url: str) -> bytes:
    with urllib.request.urlopen(url) as response:
        content: bytes = response.read()
    return content


def keep(url: str, revision: int) -> None:
    assert post(f"{url}/versions", {"revision": revision, "name": f"Step {revision}"})[1]["of"] == revision


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
                    acknowledged = send(server, scene, acknowledged, 101 + acknowledged)
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
