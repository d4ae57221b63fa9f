"""A real server in a process of its own."""

from __future__ import annotations

import socket
import subprocess
import sys
import time
import urllib.request
from pathlib import Path


class Server:
    """`lazzik serve` over a folder, on a free port of this machine."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            self.port = probe.getsockname()[1]
        self.url = f"http://127.0.0.1:{self.port}"
        self.start()

    def start(self) -> None:
        """Start and wait until it answers."""
        words = ["serve", "--data", str(self.folder), "--port", str(self.port), "--demo"]
        self.process = subprocess.Popen([sys.executable, "-m", "lazzik", *words], stdout=subprocess.DEVNULL)
        for _ in range(300):
            try:
                urllib.request.urlopen(f"{self.url}/scenes", timeout=5).close()
                return
            except OSError:
                if self.process.poll() is not None:
                    raise RuntimeError("the server ended at once") from None
                time.sleep(0.1)
        raise RuntimeError("the server does not answer")

    def kill(self) -> None:
        """End it at once, as `kill -9` does."""
        self.process.kill()
        self.process.wait()
