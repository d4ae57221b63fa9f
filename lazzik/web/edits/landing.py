"""Edits that are stored: at once if they are quick, otherwise as a job that lands when it is worked out."""

from __future__ import annotations

import asyncio
import json
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import Any

from fastapi.responses import JSONResponse

from lazzik.core.progress import Progress
from lazzik.core.scene.change import with_difference
from lazzik.core.scene.edits.base import Edit, applied
from lazzik.store.scenes import SceneStore, State, label_of
from lazzik.web.jobs import Job, Jobs
from lazzik.web.jobs.queue import Result
from lazzik.work import tasks
from lazzik.work.pool import Workers
from lazzik.work.source import Source

SOON = 1.0
"""Seconds in which an edit is done at once."""

HERE = 0.1
"""Seconds of the processor that it may take of this process, which answers everybody; then a worker takes it over. (By
the clock on the wall, every small edit would go there whenever the machine is busy, and make it busier.)"""

ANSWERS: dict[int | str, dict[str, Any]] = {202: {"description": "It takes long and became this job."}}

_THREADS = ThreadPoolExecutor(max_workers=16, thread_name_prefix="edit")


class _Long(Exception):
    """An edit that is not done soon."""


class _Patience(Progress):
    """Lets quick edits through, and ends what is not done soon between two of them. It is of one thread."""

    def __init__(self) -> None:
        super().__init__(self._hear)
        self._until = time.thread_time() + HERE

    def _hear(self, share: float, said: str) -> None:
        if self.out:
            raise _Long

    @property
    def out(self) -> bool:
        """Whether it is at its end."""
        return time.thread_time() > self._until


Asked = Callable[[], tuple[int, list[Edit]]]
"""Gives the revision that edits are made on, and the edits."""


async def stored(scene_id: str, asked: Asked, store: SceneStore, jobs: Jobs, workers: Workers) -> JSONResponse:
    """Apply edits to a revision and store the outcome: what a page needs to know of it, or the job that it became.

    Edits that take longer go on in a worker. They land if nothing that they read is another by then. What is asked is
    read in the thread that does all the rest: to go there and back takes a tenth of a small edit.
    """
    job, at_hand = Job("Edit", "application/json"), list[float]()

    def work() -> State:
        revision, edits = asked()
        try:
            with store.hoped(scene_id, revision) as before:
                at_hand.append(time.monotonic())
                label = label_of(before, edits)
                job.update(label=label[:1].upper() + label[1:120])
                patience = _Patience()
                after = applied(before, edits, patience)
        except _Long:
            store.check_head(scene_id, revision)
            source = Source(store.folder, scene_id, revision)
            made = workers.run(tasks.edited, source, edits, progress=Progress(job.heard))
            after = with_difference(before, made)
        # whoever waits in front of the page is told if somebody was quicker; what took long makes the best of it
        land = store.land if patience.out else store.store
        job.heard(1.0, "")
        return land(scene_id, revision, after, label)

    begun = _THREADS.submit(work)
    over, left = asyncio.wrap_future(begun), SOON
    while not over.done() and left > 0.0:
        await asyncio.wait([over], timeout=left)
        # to read a scene that was not at hand is no part of what the edit takes
        left = at_hand[0] + SOON - time.monotonic() if at_hand else SOON
    if over.done():
        return JSONResponse(over.result().answer)
    over.add_done_callback(lambda it: it.cancelled() or it.exception())  # the job says what went wrong
    jobs.follow(job, begun, lambda made: Result(content=json.dumps(made.answer).encode()))
    return JSONResponse(job.news, 202)
