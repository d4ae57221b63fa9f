"""Long work: it runs beside the requests, tells how far it is, can be stopped, and keeps what it made for a while."""

from __future__ import annotations

import json
import logging
import secrets
import tempfile
import time
from collections import OrderedDict
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from pathlib import Path
from threading import Condition
from typing import Annotated, Any, Protocol, cast

from fastapi import APIRouter, Depends, Request, Response
from fastapi.responses import FileResponse, StreamingResponse

from lazzik.core.errors import LazzikError
from lazzik.core.formats.base import Written
from lazzik.core.progress import Progress, Stopped

KEPT = 24
"""Finished jobs whose outcome is kept, the newest."""

SILENT = 600.0
"""Seconds without a picture after which a film is given up: its page was closed."""

HEARTBEAT = 10.0
"""Seconds after which a waiting page hears that the job is still there."""


class NoJob(LazzikError, LookupError):
    """There is no such job, or it is forgotten."""


class Reel(Protocol):
    """Takes pictures one by one and makes something of them."""

    taken: int

    @property
    def plan(self) -> Any:
        """How many are wanted, and how large."""
        ...

    def take(self, content: bytes) -> None:
        """The next picture, as PNG."""
        ...

    def close(self) -> None:
        """No more pictures."""
        ...


LOG = logging.getLogger("lazzik")


@dataclass(eq=False)
class Job:
    """One piece of long work."""

    label: str
    media: str
    filename: str = ""
    """How its result is called when it is taken away; '' if it is meant for the page."""
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
    changed: Condition = field(default_factory=Condition)

    def tell(self, **news: Any) -> None:
        """Change what is known, and wake whoever waits."""
        with self.changed:
            for name, value in news.items():
                setattr(self, name, value)
            self.last = time.monotonic()
            self.changed.notify_all()

    def heard(self, share: float, said: str) -> None:
        """Take a report of the work. Raises Stopped if it is wanted no longer."""
        if not self.wanted:
            raise Stopped
        self.tell(share=share, said=said or self.said)

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


class Jobs:
    """The jobs of one application. Their files lie in a folder that goes with it."""

    def __init__(self) -> None:
        self._folder = tempfile.TemporaryDirectory(prefix="lazzik-jobs-")
        self._known: OrderedDict[str, Job] = OrderedDict()
        self.reels: dict[str, Reel] = {}
        """Films that wait for pictures, by job."""
        self._pool = ThreadPoolExecutor(max_workers=2, thread_name_prefix="job")

    def add(self, job: Job) -> Job:
        """Know a job; forget the oldest that are over, and stop films whose page no longer sends anything."""
        self._known[job.id] = job
        for waiting in [self._known[name] for name in self.reels]:
            if time.monotonic() - waiting.last > SILENT:
                self.stop(waiting)
        over = [old for old in self._known.values() if old.over]
        for old in over[: max(0, len(over) - KEPT)]:
            del self._known[old.id]
            if old.result:
                old.result.unlink(missing_ok=True)
        return job

    def start(self, job: Job, work: Callable[[Progress], bytes | Written]) -> Job:
        """Run work beside the requests; its bytes become the job's result."""
        self._pool.submit(self._run, self.add(job), work)
        return job

    def _run(self, job: Job, work: Callable[[Progress], bytes | Written]) -> None:
        try:
            job.heard(0.0, "")
            job.tell(state="running")
            made = work(Progress(job.heard))
            job.heard(1.0, "")
            written = made if isinstance(made, Written) else Written(made)
            path = self.file(job)
            path.write_bytes(written.content)
            job.tell(state="done", share=1.0, result=path, said=written.summary, details=written.details)
        except Stopped:
            job.tell(state="stopped", said="Stopped; nothing was kept.")
        except LazzikError as error:
            job.tell(state="failed", said=error.message)
        except Exception as error:  # whatever it is, the page must hear of it
            at = f" at '{job.said}'" if job.said else ""
            LOG.exception("%s failed%s", job.label, at)
            job.tell(state="failed", said=f"Something went wrong{at} that should not have: {type(error).__name__}")

    def file(self, job: Job) -> Path:
        """Where a job's outcome lies."""
        return Path(self._folder.name) / job.id

    def find(self, job_id: str) -> Job:
        """A job by id. Raises NoJob."""
        job = self._known.get(job_id)
        if job is None:
            raise NoJob("There is no such job; it may have been forgotten. Start it again.", job_id[:40])
        return job

    def stop(self, job: Job) -> None:
        """Want a job no longer. Work ends at its next report; a film that waits for pictures ends at once."""
        job.tell(wanted=False)
        reel = self.reels.pop(job.id, None)
        if reel is not None:
            reel.close()
            self.file(job).unlink(missing_ok=True)
            job.tell(state="stopped", said="Stopped; nothing was kept.")

    def close(self) -> None:
        """Stop what runs and remove what was made."""
        for job in self._known.values():
            self.stop(job)
        self._pool.shutdown(wait=True, cancel_futures=True)
        self._folder.cleanup()


def _jobs(request: Request) -> Jobs:
    return cast(Jobs, request.app.state.jobs)


Running = Annotated[Jobs, Depends(_jobs)]

router = APIRouter(prefix="/jobs/{job_id}")


@router.get("/events")
def events(job_id: str, jobs: Running) -> Response:
    """What happens to a job, as server-sent events, until it is over."""
    headers = {"Cache-Control": "no-store"}
    return StreamingResponse(_told(jobs.find(job_id)), media_type="text/event-stream", headers=headers)


def _told(job: Job) -> Iterator[str]:
    last = None
    while True:
        news = job.news
        if news != last:
            last = news
            yield f"data: {json.dumps(news)}\n\n"
        if job.over:
            return
        with job.changed:
            if not job.changed.wait(HEARTBEAT):
                yield ": still there\n\n"
        time.sleep(0.05)  # many small reports become one


@router.get("")
def state(job_id: str, jobs: Running) -> dict[str, Any]:
    """How a job is."""
    return jobs.find(job_id).news


@router.post("/stop")
def stop(job_id: str, jobs: Running) -> dict[str, Any]:
    """Want a job no longer; it ends at its next report."""
    job = jobs.find(job_id)
    jobs.stop(job)
    return job.news


@router.get("/result")
def result(job_id: str, jobs: Running) -> Response:
    """What a job made."""
    job = jobs.find(job_id)
    if job.result is None or job.state != "done":
        raise NoJob(f"{job.label} is not done: {job.said or job.state}", job_id[:40])
    return FileResponse(job.result, media_type=job.media, filename=job.filename or None)
