"""The application: routes, guards, workers, and what goes on beside the requests."""

from __future__ import annotations

import asyncio
import logging
import sys
from collections.abc import AsyncIterator, Sequence
from contextlib import asynccontextmanager
from functools import partial
from importlib import import_module
from pathlib import Path
from threading import Event, Lock, Thread
from typing import TYPE_CHECKING

from fastapi import FastAPI
from fastapi.exceptions import RequestValidationError
from starlette.concurrency import run_in_threadpool
from starlette.exceptions import HTTPException
from starlette.requests import ClientDisconnect

from lazzik import __version__
from lazzik.core.errors import LazzikError
from lazzik.core.evaluate.memo import Memo
from lazzik.core.progress import Stopped
from lazzik.store.database import Database
from lazzik.store.runs import Runs
from lazzik.store.scenes import SceneStore
from lazzik.store.shelf_items import ShelfItems
from lazzik.store.versions import Versions
from lazzik.web.drafts import Drafts
from lazzik.web.errors import answer
from lazzik.web.jobs import Jobs
from lazzik.web.login.door import Door, Doorkeeper
from lazzik.web.requests.bodies import describe
from lazzik.web.rooms import Rooms
from lazzik.web.security import Guard, TooLarge, hosts
from lazzik.web.ui.shipped import PREFIX, SHIPPED
from lazzik.work import tasks
from lazzik.work.crew import Crew
from lazzik.work.long import LongWork
from lazzik.work.pool import Workers

if TYPE_CHECKING:
    from lazzik.core.scene.shelf_item import ShelfItem

LOG = logging.getLogger("lazzik")

SWITCH_EVERY = 0.0005
"""Seconds after which a thread that computes lets another one go on: a small request asks for that dozens of times."""

DAY = 24 * 3600.0

FIRST_PAGE = 0.5
"""Seconds from the start in which nothing but pages is worked on: somebody waits for the first one."""

SWEEP_EVERY = 30.0
"""Seconds from one look after abandoned films to the next."""


def create_app(
    folder: Path,
    *,
    host: str = "127.0.0.1",
    with_demo: bool = False,
    workers: Workers | None = None,
    crew: Crew | None = None,
    password: str = "",
) -> FastAPI:
    """The application over the database in a folder. Workers that are given are shared, and stay when it ends; so does
    a crew, which does the long jobs instead of them. With a password, nobody comes in without it."""
    sys.setswitchinterval(SWITCH_EVERY)
    database = Database(folder)
    running, store = Jobs(), SceneStore(database)
    heavy = workers or Workers()

    @asynccontextmanager
    async def life(_: FastAPI) -> AsyncIterator[None]:
        beside = [asyncio.create_task(each) for each in (_sweep(running), _clean(heavy, store))]
        asyncio.get_running_loop().call_later(FIRST_PAGE, heavy.warm)
        over = Event()
        warming = Thread(target=_warm, args=(rooms, over), daemon=True, name="warm-up")
        asyncio.get_running_loop().call_later(4 * FIRST_PAGE, warming.start)
        yield
        over.set()  # a process that ends while a thread of it still loads compiled code may stand still for ever
        if warming.is_alive():
            await run_in_threadpool(warming.join)
        for task in beside:
            task.cancel()
        await run_in_threadpool(running.close)
        if workers is None:
            heavy.close()
        store.close()

    app = FastAPI(title="Lazzik", version=__version__, docs_url=None, redoc_url=None, lifespan=life)
    app.state.jobs, app.state.store, app.state.workers = running, store, heavy
    app.state.database, app.state.versions, app.state.drafts = database, Versions(database, store), Drafts()
    app.state.long = LongWork(crew or heavy, store)
    app.state.runs, app.state.runs_at_work = Runs(database.folder), {}
    app.state.shelf = ShelfItems(database, _shipped)
    app.state.memo = Memo()
    store.snapshot_due = partial(_snapshot, heavy, store, Lock())
    if with_demo and not store.entries():
        from lazzik.demo.station import station

        store.create(station(), "demo scene")
    app.mount(PREFIX, SHIPPED)
    rooms = Rooms(app)
    describe(app, rooms.open)
    app.state.door = Door(password) if password else None
    if app.state.door is not None:
        app.add_middleware(Doorkeeper, door=app.state.door)
    app.add_middleware(Guard, allowed=hosts(host))
    for kind in (LazzikError, RequestValidationError, HTTPException, TooLarge, ClientDisconnect, OSError, Stopped):
        app.add_exception_handler(kind, answer)
    return app


def _shipped() -> Sequence[ShelfItem]:
    """What every shelf holds from the start; made when a shelf is first looked at."""
    from lazzik.demo.shelf_items import shipped

    return shipped()


def _warm(rooms: Rooms, over: Event) -> None:
    """Load what the first page of a scene is made and evaluated with, while somebody still looks at the list."""
    from lazzik.core.kernels import KERNELS

    rooms.open()
    import_module("scipy.spatial.transform")
    for kernel in list(KERNELS):
        if over.is_set():
            return
        stats = getattr(kernel.ready, "stats", None)
        if stats is not None and sum(stats.cache_misses.values()):
            return  # nothing was prepared: each is compiled when it is needed


async def _sweep(running: Jobs) -> None:
    while True:
        await asyncio.sleep(SWEEP_EVERY)
        await run_in_threadpool(running.sweep)


async def _clean(heavy: Workers, store: SceneStore) -> None:
    """Soon after the start and once a day: remove what is heavy and that nothing names."""
    await asyncio.sleep(2 * FIRST_PAGE)
    while True:
        try:
            await run_in_threadpool(heavy.run, tasks.sweep, store.folder)
        except (LazzikError, Stopped) as error:
            LOG.info("nothing was cleaned: %s", error)
        await asyncio.sleep(DAY)


def _snapshot(heavy: Workers, store: SceneStore, turn: Lock, scene_id: str, number: int) -> None:
    """Have the whole copy of a revision written, whenever a worker has time; nobody waits for it. One after the other:
    many people's at once would start all the workers."""

    def write() -> None:
        try:
            with turn:
                store.keep_snapshot(scene_id, number, heavy.run(tasks.snapshot, store.folder, scene_id, number))
        except (LazzikError, Stopped) as error:  # opening reads a few patches more, and the next one makes good for it
            LOG.info("no whole copy of revision %s was written: %s", number, error)

    Thread(target=write, daemon=True, name="snapshot").start()
