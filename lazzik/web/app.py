"""The application: routes, guards, workers, and what goes on beside the requests."""

from __future__ import annotations

import asyncio
import logging
import sys
import warnings
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from importlib import import_module
from pathlib import Path
from threading import Event, Thread

from fastapi import FastAPI
from fastapi.exceptions import RequestValidationError
from pydantic.warnings import UnsupportedFieldAttributeWarning
from starlette.concurrency import run_in_threadpool
from starlette.exceptions import HTTPException
from starlette.requests import ClientDisconnect

from lazzik import __version__
from lazzik.core.errors import LazzikError
from lazzik.core.progress import Stopped
from lazzik.store.database import Database
from lazzik.store.entries import entries
from lazzik.web.errors import answer
from lazzik.web.jobs import Jobs
from lazzik.web.login.door import Door, Doorkeeper
from lazzik.web.requests.bodies import describe
from lazzik.web.rooms import Rooms
from lazzik.web.security import Guard, TooLarge, hosts
from lazzik.web.services import Services
from lazzik.web.ui.shipped import PREFIX, SHIPPED
from lazzik.work.crew import Crew
from lazzik.work.pool import Workers

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
    # FastAPI hushes it while it makes a route, for all threads: what another one hushes meanwhile would bring it back
    warnings.filterwarnings("ignore", category=UnsupportedFieldAttributeWarning)
    database = Database(folder)
    running, heavy = Jobs(), workers or Workers()

    @asynccontextmanager
    async def life(_: FastAPI) -> AsyncIterator[None]:
        beside = [asyncio.create_task(each) for each in (_sweep(running), _clean(heavy, folder))]
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
        database.close()

    app = FastAPI(title="Lazzik", version=__version__, docs_url=None, redoc_url=None, lifespan=life)
    door = Door(password) if password else None
    app.state = Services(database=database, jobs=running, workers=heavy, crew=crew or heavy, door=door)
    if with_demo and not entries(database):
        from lazzik.demo.station import station

        app.state.store.create(station(), "demo scene")
    app.mount(PREFIX, SHIPPED)
    rooms = Rooms(app)
    describe(app, rooms.open)
    if door is not None:
        app.add_middleware(Doorkeeper, door=door)
    app.add_middleware(Guard, allowed=hosts(host))
    for kind in (LazzikError, RequestValidationError, HTTPException, TooLarge, ClientDisconnect, OSError, Stopped):
        app.add_exception_handler(kind, answer)
    return app


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


async def _clean(heavy: Workers, folder: Path) -> None:
    """Soon after the start and once a day: remove what is heavy and that nothing names."""
    await asyncio.sleep(2 * FIRST_PAGE)
    from lazzik.work import tasks

    while True:
        try:
            await run_in_threadpool(heavy.run, tasks.sweep, folder)
        except (LazzikError, Stopped) as error:
            LOG.info("nothing was cleaned: %s", error)
        await asyncio.sleep(DAY)
