"""A real server in a process of its own, and edits that are sent to one."""

from __future__ import annotations

import json
import re
import subprocess
import sys
import urllib.request
from pathlib import Path
from typing import Any


def stored(url: str, body: dict[str, Any]) -> dict[str, Any]:
    """What came of edits that were sent to `…/edits`: at once or, on a busy machine, of the job that they became."""
    request = urllib.request.Request(url, json.dumps(body).encode(), {"Content-Type": "application/json"})
    with urllib.request.urlopen(request) as response:
        status, answer = response.status, json.load(response)
    if status == 202:
        job = f"{url.partition('/scenes/')[0]}/jobs/{answer['id']}"
        with urllib.request.urlopen(f"{job}/events") as events:
            events.read()  # they end with it
        with urllib.request.urlopen(f"{job}/result") as response:
            answer = json.load(response)
    content: dict[str, Any] = answer
    return content


class Server:
    """`lazzik serve` over a folder, on a port that was free."""

    def __init__(self, folder: Path, *words: str, demo: bool = True) -> None:
        self.folder, self.words, self.port = folder, [*words, *(["--demo"] if demo else [])], 0
        self.start()

    @property
    def url(self) -> str:
        return f"http://127.0.0.1:{self.port}"

    def start(self) -> None:
        """Start and wait until it says where it is: it listens by then."""
        words = ["serve", "--data", str(self.folder), "--port", str(self.port), *self.words]
        self.process = subprocess.Popen([sys.executable, "-m", "lazzik", *words], stdout=subprocess.PIPE, text=True)
        assert self.process.stdout is not None
        said = self.process.stdout.readline()
        found = re.search(r":(\d+)/", said)
        if found is None:
            self.kill()
            raise RuntimeError(f"the server did not start: {said}")
        self.port = int(found[1])

    def kill(self) -> None:
        """End it at once, as `kill -9` does."""
        self.process.kill()
        self.process.communicate()
