"""Worker processes: spawned (a forked copy of a process with threads can stand still for ever), warm, few.

Whoever has heavy work calls `run` from a thread that may wait. The worker that takes it is one that is ready; while it
works, the next one is made ready. A task is a function at the top of a module: it gets the arguments and a Progress.
"""

from __future__ import annotations

import logging
import multiprocessing
import os
import time
from collections.abc import Callable
from multiprocessing.connection import Connection
from pathlib import Path
from threading import Condition, Thread
from typing import Any, TypeVar, cast

from lazzik.core.errors import LazzikError
from lazzik.core.progress import UNHEARD, Progress, Stopped
from lazzik.work.crew import WorkBroken
from lazzik.work.outcome import made_of
from lazzik.work.worker import serve

Made = TypeVar("Made")

MEMORY = 3 * 2**30
"""Bytes that a task may take unless it says otherwise."""

PATIENCE = 3.0
"""Seconds in which work that is no longer wanted may end by itself; then its worker is ended."""

WAITS_FOR = 10
"""Times the seconds that a task may take of a processor, after which it is ended however little it took: it may wait
for something that never comes."""

ASK_EVERY = 0.1
"""Seconds after which it is asked anew whether the work is still wanted."""

LOG = logging.getLogger("lazzik")


class _Worker:
    """A process, and the pipe to it."""

    def __init__(self, memory: int) -> None:
        context = multiprocessing.get_context("spawn")
        self.pipe: Connection
        self.pipe, theirs = context.Pipe()
        self.process = context.Process(target=serve, args=(theirs, memory), daemon=True, name="lazzik-worker")
        self.process.start()
        theirs.close()
        self.ready = False

    @property
    def worked(self) -> float:
        """Seconds of a processor that it has taken (`stat` of proc(5)); those of the clock where no system tells."""
        try:
            fields = Path(f"/proc/{self.process.pid}/stat").read_text().rpartition(")")[2].split()
        except OSError:
            return time.monotonic()
        return (int(fields[11]) + int(fields[12])) / os.sysconf("SC_CLK_TCK")

    def end(self) -> None:
        """End it at once and let nothing of it stay."""
        self.pipe.close()
        self.process.kill()
        self.process.join()


class Workers:
    """The workers of one server, or of one command: a crew of this machine's processes. Safe between threads."""

    near = True
    processors: tuple[str, ...] = ()

    def __init__(self, most: int | None = None, memory: int = MEMORY) -> None:
        self.most = most or max(2, (os.cpu_count() or 2)) + 1
        self._memory = memory
        self._idle: list[_Worker] = []
        self._all: set[_Worker] = set()
        self._count = 0
        self._closed = False
        self._changed = Condition()

    def warm(self) -> None:
        """Have one ready soon. Returns at once."""
        Thread(target=self._spare, daemon=True, name="warm").start()

    def run(
        self, task: Callable[..., Made], *arguments: Any, progress: Progress = UNHEARD, memory: int = 0,
        seconds: float | None = None,
    ) -> Made:  # fmt: skip
        """What a task makes of its arguments, in a worker. `memory` in bytes and `seconds` of a processor are the most
        it may take.

        Raises Stopped if `progress` does, what the task refuses, and WorkBroken if it fails otherwise.
        """
        worker = self._take(progress)
        try:
            return _worked(worker, task, arguments, progress, memory, seconds)
        except WorkBroken:
            if self._closed:
                raise Stopped from None
            raise
        finally:
            self._give(worker)

    def close(self) -> None:
        """End all workers, those at work too; whoever waits for one hears Stopped."""
        with self._changed:
            self._closed = True
            for worker in self._all:
                worker.process.kill()
            for worker in self._idle:
                worker.end()
                self._all.discard(worker)
                self._count -= 1
            self._idle.clear()
            self._changed.notify_all()
            self._changed.wait_for(lambda: not self._count, PATIENCE)

    def _take(self, progress: Progress) -> _Worker:
        worker = self._waited_for(progress) or self._made()
        if not self._idle:
            self.warm()
        return worker

    def _waited_for(self, progress: Progress) -> _Worker | None:
        """One that is idle, as soon as there is one; None if there is room for another, which is then counted."""
        with self._changed:
            while True:
                if self._closed:
                    raise Stopped
                if self._idle:
                    return self._idle.pop(next((i for i, w in enumerate(self._idle) if w.ready), 0))
                if self._count < self.most:
                    self._count += 1
                    return None
                self._changed.wait(ASK_EVERY)
                progress.hear()

    def _made(self) -> _Worker:
        try:
            worker = _Worker(self._memory)
        except BaseException:
            self._gone(None)
            raise
        with self._changed:
            self._all.add(worker)
            if self._closed:
                worker.process.kill()
        return worker

    def _gone(self, worker: _Worker | None) -> None:
        with self._changed:
            self._count -= 1
            self._all.discard(worker)
            self._changed.notify_all()

    def _give(self, worker: _Worker) -> None:
        alive = not worker.pipe.closed and worker.process.is_alive()
        with self._changed:
            if alive and not self._closed:
                self._idle.append(worker)
                self._changed.notify_all()
                return
        if not worker.pipe.closed:
            worker.end()
        self._gone(worker)

    def _spare(self) -> None:
        """One more, ready, if there is room for it and none is idle."""
        with self._changed:
            if self._closed or self._idle or self._count >= self.most:
                return
            self._count += 1
        worker = self._made()
        try:
            _wait_until_ready(worker, UNHEARD)
        except LazzikError:
            if not self._closed:
                LOG.exception("a worker did not start")
        self._give(worker)


def _worked(
    worker: _Worker, task: Callable[..., Made], arguments: tuple[Any, ...], progress: Progress, memory: int,
    seconds: float | None,
) -> Made:  # fmt: skip
    try:
        _wait_until_ready(worker, progress)
    except Stopped:
        worker.end()
        raise
    try:
        worker.pipe.send(("run", task, arguments, memory))
        begun, worked = time.monotonic(), worker.worked
        while True:
            if worker.pipe.poll(ASK_EVERY):
                kind, *told = message = worker.pipe.recv()
                if kind != "heard":
                    return cast(Made, made_of(message))
                progress.report(*told)
            else:
                progress.hear()
            # on a busy machine the clock goes on while a worker waits for a processor
            if seconds is not None and (
                worker.worked - worked > seconds or time.monotonic() - begun > seconds * WAITS_FOR
            ):
                worker.end()
                raise WorkBroken(f"This takes more than the {seconds:g} s that it may; make it simpler")
    except Stopped:
        _stop(worker)
        raise
    except (EOFError, OSError):
        worker.end()
        raise WorkBroken("The work ended suddenly: it needed more memory than there is, or was ended") from None


def _stop(worker: _Worker) -> None:
    """Let it end what is wanted no longer, or end it."""
    if worker.pipe.closed:
        return
    until = time.monotonic() + PATIENCE
    try:
        worker.pipe.send(("stop",))
        while time.monotonic() < until:
            if worker.pipe.poll(ASK_EVERY) and worker.pipe.recv()[0] != "heard":
                return
    except (EOFError, OSError):
        pass
    worker.end()


def _wait_until_ready(worker: _Worker, progress: Progress) -> None:
    try:
        while not worker.ready:
            if worker.pipe.poll(ASK_EVERY):
                worker.ready = worker.pipe.recv()[0] == "ready"
            else:
                progress.hear()
    except (EOFError, OSError):
        worker.end()
        raise WorkBroken("A process for the work can't be started") from None
