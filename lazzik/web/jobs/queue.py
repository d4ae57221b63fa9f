"""The jobs of an application: they run beside the requests, tell how far they are, can be stopped, and keep what they
made for a while."""

from __future__ import annotations

import asyncio
import fcntl
import logging
import secrets
import shutil
import tempfile
import time
from collections import OrderedDict
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, field
from pathlib import Path
from threading import Lock, RLock
from typing import Annotated, Any, Protocol, TypeVar, cast

from fastapi import Depends, Request

from lazzik.core.errors import LazzikError
from lazzik.core.progress import Progress, Stopped

KEPT = 24
"""Finished jobs whose outcome is kept, the newest."""

SILENT = 600.0
"""Seconds without a picture after which a film is given up: its page was closed."""

AT_ONCE = 2
"""Jobs that run beside each other; the rest wait."""

NEW, PREFIX = "lazzik-new-", "lazzik-jobs-"
"""How folders of results are called: until they are locked, and then."""

Made = TypeVar("Made")

LOG = logging.getLogger("lazzik")


class NoJob(LazzikError, LookupError):
    """There is no such job, or it is forgotten."""


class Reel(Protocol):
    """Takes pictures one by one and makes something of them."""

    def abandon(self) -> None:
        """No more pictures are wanted, nor what was made of them."""
        ...


@dataclass(eq=False)
class Job:
    """One piece of long work. Safe between threads."""

    label: str
    media: str
    filename: str = ""
    """How its result is called when it is taken away; '' if it is meant for the page."""
    if_stopped: str = "Stopped; nothing was kept."
    """What is said when it was."""
    id: str = field(default_factory=lambda: secrets.token_hex(6))
    state: str = "waiting"
    """waiting, running, done, failed or stopped."""
    share: float = 0.0
    said: str = ""
    result: Path | None = None
    details: tuple[str, ...] = ()
    """What more there is to say of the result, line by line."""
    outcome: Any = None
    """What the server itself goes on with, beside the file that a page is given."""
    wanted: bool = True
    last: float = field(default_factory=time.monotonic)
    """When something happened to it."""
    _listeners: set[tuple[asyncio.AbstractEventLoop, asyncio.Event]] = field(default_factory=set)
    _lock: Lock = field(default_factory=Lock)

    def update(self, **news: Any) -> None:
        """Change what is known, and wake whoever listens. What is over stays as it is."""
        with self._lock:
            if self.over:
                return
            for name, value in news.items():
                setattr(self, name, value)
            self.last = time.monotonic()
            listeners = list(self._listeners)
        for loop, changed in listeners:
            if not loop.is_closed():
                loop.call_soon_threadsafe(changed.set)

    def listen(self) -> asyncio.Event:
        """An event of the running loop that is set at every change."""
        changed = asyncio.Event()
        with self._lock:
            self._listeners.add((asyncio.get_running_loop(), changed))
        return changed

    def unlisten(self, changed: asyncio.Event) -> None:
        """Set it no more."""
        with self._lock:
            self._listeners.discard((asyncio.get_running_loop(), changed))

    def heard(self, share: float, said: str) -> None:
        """Take a report of the work. Raises Stopped if it is wanted no longer."""
        if not self.wanted:
            raise Stopped
        if (share, said or self.said) != (self.share, self.said):
            self.update(share=share, said=said or self.said)

    @property
    def over(self) -> bool:
        """Whether nothing more will happen."""
        return self.state in ("done", "failed", "stopped")

    @property
    def news(self) -> dict[str, Any]:
        """What a page is told."""
        return {
            "id": self.id,
            "label": self.label,
            "state": self.state,
            "share": round(self.share, 4),
            "said": self.said,
            "file": bool(self.filename),
            "details": self.details if self.over else (),
        }


@dataclass(frozen=True, kw_only=True)
class Result:
    """What a piece of work made: its content, or None if it wrote the job's file itself, and what to say of it."""

    content: bytes | None
    summary: str = ""
    details: tuple[str, ...] = ()


class Jobs:
    """The jobs of one application. Their files lie in a folder that goes with it."""

    def __init__(self) -> None:
        clear_dead()
        made = Path(tempfile.mkdtemp(prefix=NEW))
        self._alive = (made / "alive").open("w")
        fcntl.flock(self._alive, fcntl.LOCK_EX)
        # only now may another server that starts look at it: one without the lock it takes for dead
        self.folder = made.rename(made.with_name(made.name.replace(NEW, PREFIX, 1)))
        self._lock = RLock()
        self._known: OrderedDict[str, Job] = OrderedDict()
        self._reels: dict[str, Reel] = {}
        self._pool = ThreadPoolExecutor(max_workers=AT_ONCE, thread_name_prefix="job")

    def add(self, job: Job, reel: Reel | None = None) -> Job:
        """Know a job, with what takes its pictures if it is a film; forget the oldest that are over."""
        with self._lock:
            self._known[job.id] = job
            if reel is not None:
                self._reels[job.id] = reel
            over = [old for old in self._known.values() if old.over]
            for old in over[: max(0, len(over) - KEPT)]:
                del self._known[old.id]
                self.file(old).unlink(missing_ok=True)
        return job

    def start(self, job: Job, work: Callable[[Progress], Result]) -> Job:
        """Run work beside the requests."""
        self._pool.submit(self._run, self.add(job), work)
        return job

    def follow(self, job: Job, begun: Future[Made], result: Callable[[Made], Result]) -> Job:
        """A job for work that runs already, whose progress is told by whoever does it."""
        self.add(job).update(state="running")
        begun.add_done_callback(lambda future: self._run(job, lambda _: result(future.result())))
        return job

    def _run(self, job: Job, work: Callable[[Progress], Result]) -> None:
        try:
            job.heard(0.0, "")
            job.update(state="running")
            made = work(Progress(job.heard))
            job.heard(1.0, "")
            path = self.file(job)
            if made.content is not None:
                path.write_bytes(made.content)
            job.update(state="done", share=1.0, result=path, said=made.summary, details=made.details)
        except Stopped:
            job.update(state="stopped", said=job.if_stopped)
        except LazzikError as error:
            job.update(state="failed", said=error.message)
        except OSError as error:
            LOG.exception("%s failed", job.label)
            job.update(state="failed", said=f"What was made can't be kept: {error.strerror or error}. Make room first.")
        except Exception as error:  # whatever it is, the page must hear of it
            at = f" at '{job.said}'" if job.said else ""
            LOG.exception("%s failed%s", job.label, at)
            job.update(state="failed", said=f"Something went wrong{at} that should not have: {type(error).__name__}")

    def file(self, job: Job) -> Path:
        """Where a job's outcome lies."""
        return self.folder / job.id

    def find(self, job_id: str) -> Job:
        """A job by id. Raises NoJob."""
        with self._lock:
            job = self._known.get(job_id)
        if job is None:
            raise NoJob("There is no such job; it may have been forgotten. Start it again.", job_id[:40])
        return job

    def reel(self, job: Job) -> Reel | None:
        """What takes the pictures of a film that is under way."""
        with self._lock:
            return self._reels.get(job.id)

    def end_reel(self, job: Job) -> Reel | None:
        """No more pictures for this job; what took them, for the one who asks first."""
        with self._lock:
            return self._reels.pop(job.id, None)

    def stop(self, job: Job, why: str = "") -> None:
        """Want a job no longer. Work ends at its next report; a film that waits for pictures ends at once."""
        job.update(wanted=False)
        reel = self.end_reel(job)
        if reel is not None:
            reel.abandon()
            self.file(job).unlink(missing_ok=True)
            job.update(state="stopped", said=why or job.if_stopped)

    def sweep(self, silent: float = SILENT) -> None:
        """End films whose page has sent nothing for so many seconds."""
        with self._lock:
            films = [self._known[job_id] for job_id in self._reels if job_id in self._known]
        for job in films:
            if time.monotonic() - job.last > silent:
                self.stop(job, "No picture came any more, so it was given up; nothing was kept.")

    def close(self) -> None:
        """Stop what runs and remove what was made."""
        with self._lock:
            known = list(self._known.values())
        for job in known:
            self.stop(job)
        self._pool.shutdown(wait=True, cancel_futures=True)
        self._alive.close()
        shutil.rmtree(self.folder, ignore_errors=True)


def clear_dead() -> None:
    """Remove the folders of servers that died without doing so. Who lives holds a lock in its own."""
    for folder in Path(tempfile.gettempdir()).glob(f"{PREFIX}*"):
        try:
            with (folder / "alive").open("a") as alive:
                fcntl.flock(alive, fcntl.LOCK_EX | fcntl.LOCK_NB)
                shutil.rmtree(folder, ignore_errors=True)
        except OSError:  # it lives, or is somebody else's
            continue


async def _jobs(request: Request) -> Jobs:
    return cast(Jobs, request.app.state.jobs)


Running = Annotated[Jobs, Depends(_jobs)]
