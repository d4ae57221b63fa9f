"""A real server in a process of its own."""

from __future__ import annotations

import re
import subprocess
import sys
from pathlib import Path


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
