"""Jobs over HTTP: how they are, as it happens, and what they made."""

from __future__ import annotations

import asyncio
import json
from collections.abc import AsyncIterator
from typing import Any

from fastapi import APIRouter, Response
from fastapi.responses import StreamingResponse

from lazzik.web.jobs.queue import Job, NoJob, Running
from lazzik.web.ui.encode import Download

HEARTBEAT = 10.0
"""Seconds after which a waiting page hears that the job is still there."""

GATHERED = 0.05
"""Seconds in which many small reports become one."""

router = APIRouter(prefix="/jobs/{job_id}")


@router.get("/events")
async def events(job_id: str, jobs: Running) -> Response:
    """What happens to a job, as server-sent events, until it is over."""
    headers = {"Cache-Control": "no-store"}
    return StreamingResponse(_told(jobs.find(job_id)), media_type="text/event-stream", headers=headers)


async def _told(job: Job) -> AsyncIterator[str]:
    """No thread waits for it, however many pages listen."""
    changed, last = job.listen(), None
    try:
        while True:
            changed.clear()
            news = job.news
            if news != last:
                last = news
                yield f"data: {json.dumps(news)}\n\n"
            if news["state"] in ("done", "failed", "stopped"):
                return
            try:
                await asyncio.wait_for(changed.wait(), HEARTBEAT)
            except TimeoutError:
                yield ": still there\n\n"
            await asyncio.sleep(GATHERED)
    finally:
        job.unlisten(changed)


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
    return Download(job.result, media_type=job.media, filename=job.filename or None)
