"""`make busy`: all tests, several times in a row, with a loop on each core beside them.

A test that fails here and passes alone waits for a time where it should wait for a state. (Style and types wait for
nothing: they are left out.)"""

from __future__ import annotations

import multiprocessing
import os
import subprocess
import sys
import time


def main(runs: int) -> int:
    """Run it so often, or until it fails; the exit code of the last run."""
    for _ in range(os.cpu_count() or 1):
        multiprocessing.get_context("spawn").Process(target=_never_rest, daemon=True).start()
    for run in range(1, runs + 1):
        begun = time.monotonic()
        code = subprocess.run(["make", "test"], check=False).returncode
        print(f"run {run} of {runs}: {'failed' if code else 'passed'}, {time.monotonic() - begun:.0f} s", flush=True)
        if code:
            return code
    return 0


def _never_rest() -> None:
    while True:
        pass


if __name__ == "__main__":
    sys.exit(main(int(sys.argv[1])))
