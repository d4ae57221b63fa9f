"""The inside of a worker: it waits for tasks, runs them one by one, and tells how far they are.

Messages are tuples. In: ("run", task, arguments, bytes) and ("stop",). Out: ("ready",), ("heard", share, said), and the
outcome (outcome.py).
"""

from __future__ import annotations

import gc
import importlib
import multiprocessing
import os
import pickle
import resource
import signal
import time
import traceback
from multiprocessing.connection import Connection, wait
from threading import Thread
from typing import Any

from lazzik.core.progress import Progress, Stopped
from lazzik.work.crew import TooMuchMemory
from lazzik.work.outcome import Outcome, outcome_of

WARM = (
    "lazzik.core.bake.rebake",
    "lazzik.core.bake.morph_targets",
    "lazzik.core.formats.importer",
    "lazzik.core.formats.gltf_merge",
    "lazzik.core.formats.gltf_write",
    "lazzik.store.scenes",
    "lazzik.web.carried.moments",
    "lazzik.web.scenes.cards",
    "lazzik.work.tasks",
)
"""What a worker imports before it says that it is ready, by name: most tasks need most of it."""

TOLD_EVERY = 0.05
"""Seconds from one report to the next; whether to stop is asked at each."""

BELOW = 5
"""How much less urgent a worker is than the server, in the system's own steps."""


def serve(pipe: Connection, memory: int) -> None:
    """Wait for tasks until the other end is gone. `memory` is the most, in bytes, that any task may take."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # whoever stops the server stops the workers by it
    Thread(target=_end_with_the_server, daemon=True, name="end").start()
    os.nice(BELOW)
    for name in WARM:
        importlib.import_module(name)
    gc.freeze()
    try:
        pipe.send(("ready",))
        while True:
            message = pipe.recv()
            if message[0] == "run":
                outcome = _outcome(pipe, *message[1:], most=memory)
                try:
                    pipe.send(outcome)
                except (AttributeError, TypeError, pickle.PicklingError):  # what can't be sent is a mistake of ours
                    pipe.send(("broken", "PicklingError", "sending the outcome", traceback.format_exc()))
    except (EOFError, OSError):  # the server is gone
        return


def _end_with_the_server() -> None:
    """End at once when the server is gone, however it went: nobody waits for what is being done, and it would go on
    beside the next server."""
    server = multiprocessing.parent_process()
    if server is not None:
        wait([server.sentinel])
        os._exit(1)


def _outcome(pipe: Connection, task: Any, arguments: tuple[Any, ...], memory: int, *, most: int) -> Outcome:
    _limit(memory or most)
    try:
        return outcome_of(task, arguments, Progress(_Heard(pipe)))
    except MemoryError:
        return ("refused", TooMuchMemory(f"This needs more than the {(memory or most) // 2**20:,} MB that it may take"))
    finally:
        _limit(most)


def _limit(memory: int) -> None:
    """Let the process take so many bytes beyond what it has now."""
    _, hard = resource.getrlimit(resource.RLIMIT_DATA)
    resource.setrlimit(resource.RLIMIT_DATA, (_taken() + memory, hard))


def _taken() -> int:
    """Bytes of memory of its own that the process has been given (`VmData` of proc(5)), which the limit counts."""
    try:
        with open("/proc/self/status") as status:
            return next(int(line.split()[1]) * 1024 for line in status if line.startswith("VmData"))
    except (OSError, StopIteration):  # a system without it: a generous guess
        return 2**30


class _Heard:
    """Passes reports on, not more often than a page can show, and hears whether the work is still wanted."""

    def __init__(self, pipe: Connection) -> None:
        self._pipe = pipe
        self._last = 0.0
        self._said = ""

    def __call__(self, share: float, said: str) -> None:
        while self._pipe.poll():
            if self._pipe.recv()[0] == "stop":
                raise Stopped
        now = time.monotonic()
        if now - self._last >= TOLD_EVERY or said != self._said:
            self._last, self._said = now, said or self._said
            self._pipe.send(("heard", share, said))
