"""Workers of a Dask cluster: the same tasks as in processes of this machine, sent over a network.

Whoever is at the other end must have the same versions of what the outcome depends on, and is trusted: tasks and their
outcomes are pickles. A worker that ends has its task begun again elsewhere. `distributed` is an optional extra.
"""

from __future__ import annotations

import platform
import secrets
import threading
import time
from collections import deque
from collections.abc import Callable
from importlib.metadata import PackageNotFoundError, version
from typing import Any

from lazzik.core.errors import LazzikError
from lazzik.core.progress import UNHEARD, Progress, Stopped
from lazzik.work.crew import TooMuchMemory, WorkBroken
from lazzik.work.outcome import Outcome, made_of, outcome_of

ASK_EVERY = 0.1
"""Seconds after which it is asked anew whether the work is still wanted."""

TOLD_EVERY = 0.3
"""Seconds from one report of a worker to the next; whether to stop is asked at each."""

PATIENCE = 10.0
"""Seconds in which a cluster has to answer."""

SAME = ("lazzik", "numpy", "numba", "scipy", "pydantic")
"""What has to be of the same version at both ends."""


class NoCluster(LazzikError):
    """A cluster that can't be used."""


class Cluster:
    """The workers of a cluster, as a crew. Raises NoCluster if they can't be reached, or their versions do not fit."""

    near = False

    def __init__(self, address: str) -> None:
        try:
            from distributed import Client
        except ImportError:
            raise NoCluster(
                "A cluster needs 'distributed': install Lazzik with pip install 'lazzik[cluster]'"
            ) from None
        try:
            self._client = Client(address, timeout=PATIENCE, set_as_default=False)
        except (OSError, TimeoutError, ValueError) as error:
            raise NoCluster(f"There is no cluster at '{address[:120]}': {error or type(error).__name__}") from None
        try:
            self.most, self.processors = self._looked_over(address)
        except NoCluster:
            self._client.close()
            raise

    def _looked_over(self, address: str) -> tuple[int, tuple[str, ...]]:
        """How many work at once, and on what kinds of processors."""
        every = self._client.run(versions)
        if not every:
            raise NoCluster(f"The cluster at '{address[:120]}' has no workers yet: start some and do it again")
        for where, theirs in every.items():
            if problem := misfit(versions(), theirs):
                raise NoCluster(f"The worker at {where} {problem}: bring both to the same version")
        threads = self._client.nthreads()
        return sum(threads.values()), tuple(sorted({theirs["processor"] for theirs in every.values()}))

    def run(
        self, task: Callable[..., Any], *arguments: Any, progress: Progress = UNHEARD, memory: int = 0,
        seconds: float | None = None,
    ) -> Any:  # fmt: skip
        """What a task makes of its arguments, on some worker. Raises Stopped if `progress` does, what the task refuses,
        and WorkBroken if it fails otherwise. (Memory is the cluster's own affair.)"""
        from distributed import CancelledError, Event
        from distributed.scheduler import KilledWorker

        name = f"lazzik-{secrets.token_hex(8)}"
        stop = Event(name, client=self._client)
        heard: deque[tuple[float, str]] = deque(maxlen=1)  # the newest: several come where this machine is busy
        self._client.subscribe_topic(name, lambda event: heard.append(event[1]["heard"]))
        future = self._client.submit(_worked, task, arguments, name, key=name, pure=False)
        over = threading.Event()
        future.add_done_callback(lambda _: over.set())
        begun = time.monotonic()
        try:
            while not future.done():
                if seconds is not None and time.monotonic() - begun > seconds:
                    raise WorkBroken(f"This takes more than the {seconds:g} s that it may; make it simpler")
                progress.report(*heard.pop()) if heard else progress.hear()
                over.wait(ASK_EVERY)
            outcome: Outcome = future.result(timeout=PATIENCE)
        except (KilledWorker, CancelledError, OSError, TimeoutError):
            raise WorkBroken("A worker of the cluster ended, and so did those that went on with its work") from None
        except BaseException:
            stop.set()
            future.cancel()
            raise
        finally:
            self._client.unsubscribe_topic(name)
        return made_of(outcome)

    def close(self) -> None:
        """Leave the cluster; it goes on."""
        self._client.close()


def versions() -> dict[str, str]:
    """What the outcome of work depends on: versions of programs, and the kind of processor."""
    found = {"python": ".".join(platform.python_version_tuple()[:2])}
    for name in SAME:
        try:
            found[name] = version(name)
        except PackageNotFoundError:
            found[name] = ""
    return found | {"processor": _processor()}


def misfit(ours: dict[str, str], theirs: dict[str, str]) -> str:
    """What is of another version at the other end, as the end of a sentence; '' if nothing is."""
    for name, mine in ours.items():
        if name != "processor" and theirs.get(name) != mine:
            return f"has {name} {theirs.get(name) or 'not at all'}, and here it is {mine}"
    return ""


def _processor() -> str:
    try:
        with open("/proc/cpuinfo") as lines:
            return next(line.partition(":")[2].strip() for line in lines if line.startswith("model name"))
    except (OSError, StopIteration):
        return platform.processor() or platform.machine()


def _worked(task: Callable[..., Any], arguments: tuple[Any, ...], name: str) -> Outcome:
    """Do a task on a worker, and tell of it."""
    from distributed import Event, get_worker

    worker = get_worker()
    stop = Event(name)
    last = time.monotonic()

    def hear(share: float, said: str) -> None:
        nonlocal last
        if time.monotonic() - last < TOLD_EVERY:
            return
        last = time.monotonic()
        worker.log_event(name, {"heard": (share, said)})
        if stop.is_set():
            raise Stopped

    try:
        return outcome_of(task, arguments, Progress(hear))
    except MemoryError:
        return ("refused", TooMuchMemory("This needs more memory than a worker of the cluster has"))
