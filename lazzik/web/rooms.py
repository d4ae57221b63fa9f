"""The rooms: the front page's routes at once, all others when the first request asks for one of them.

Nine tenths of the routes are of rooms that nobody enters before the list of scenes, and to read those rooms takes
longer than to make that list.
"""

from __future__ import annotations

from importlib import import_module
from threading import Lock

from fastapi import APIRouter, FastAPI
from starlette.concurrency import run_in_threadpool
from starlette.routing import BaseRoute, Match
from starlette.types import Receive, Scope, Send

from lazzik.web.requests.fields import refusals

FRONT = ("scenes.front", "login.routes")

ROUTES = (
    "scenes.routes", "studio.routes", "edits.routes", "stage.routes", "stack.routes", "shape.routes", "aim.routes",
    "air.routes", "scatter.routes", "carried.routes", "emitter.routes", "cloth.routes", "runs.routes",
    "marks.routes", "versions.routes", "objects.routes", "dials.routes", "poses.routes", "diagnose.routes",
    "object_recipes.routes", "shelf.routes", "recipes.routes", "reading.routes", "bake.routes",
    "deliver.routes", "jobs.routes", "jobs.film",
)  # fmt: skip
"""Where the routers of all others are: each room's, and those of jobs."""


class Rooms(BaseRoute):
    """Stands where the routes of the other rooms will be, until somebody asks for one."""

    def __init__(self, app: FastAPI) -> None:
        self._app, self._lock, self._open = app, Lock(), False
        self._routers: list[APIRouter] = []
        self._add(FRONT)
        app.router.routes.append(self)

    def open(self) -> list[APIRouter]:
        """All routers, of all rooms."""
        with self._lock:
            if not self._open:
                self._add(ROUTES)
                self._open = True
        return self._routers

    def matches(self, scope: Scope) -> tuple[Match, Scope]:
        """Whatever no page before it answers, once."""
        return (Match.NONE if self._open else Match.FULL), {}

    async def handle(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Open all rooms, and look again."""
        await run_in_threadpool(self.open)
        await self._app.router(scope, receive, send)

    def _add(self, rooms: tuple[str, ...]) -> None:
        told = refusals(404, 409, 413, 422, 503, 507)
        for name in rooms:
            router: APIRouter = import_module(f"lazzik.web.{name}").router
            self._app.include_router(router, responses=told)
            self._routers.append(router)
