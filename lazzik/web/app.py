"""The application: routes, guards, and how each error reaches the person."""

from __future__ import annotations

from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from pathlib import Path

from fastapi import FastAPI, Request, Response
from fastapi.exceptions import RequestValidationError
from fastapi.responses import HTMLResponse, JSONResponse
from fastapi.staticfiles import StaticFiles
from starlette.exceptions import HTTPException

from lazzik import __version__
from lazzik.core.errors import LazzikError
from lazzik.core.evaluate.coarse import CoarseMarks
from lazzik.core.evaluate.memo import Memo
from lazzik.core.geometry.assets import add_keeper
from lazzik.core.scene.text import plain
from lazzik.demo.station import station
from lazzik.store.database import Database
from lazzik.store.scenes import NoScene, NothingThere, SceneStore, StaleEdit
from lazzik.web import api, bakes, deliver, jobs, objects, pages, recipes, shapes, sheets, shelf
from lazzik.web.context import HERE, templates
from lazzik.web.guard import Guard, TooLarge, hosts
from lazzik.web.jobs import Jobs, NoJob

STATUS: dict[type[Exception], int] = {NoScene: 404, NoJob: 404, StaleEdit: 409, NothingThere: 409, LazzikError: 422}


def create_app(folder: Path, *, host: str = "127.0.0.1", with_demo: bool = False) -> FastAPI:
    """The application over the database in a folder."""
    running = Jobs()

    @asynccontextmanager
    async def life(_: FastAPI) -> AsyncIterator[None]:
        yield
        running.close()

    app = FastAPI(title="Lazzik", version=__version__, docs_url=None, redoc_url=None, lifespan=life)
    app.state.jobs = running
    app.state.store = SceneStore(Database(folder))
    app.state.memo = Memo()
    app.state.marks = CoarseMarks()
    add_keeper(app.state.store.asset)
    if with_demo and not app.state.store.entries():
        app.state.store.create(station(), "demo scene")
    app.mount("/static", StaticFiles(directory=HERE / "static"), name="static")
    app.include_router(pages.router)
    app.include_router(api.router)
    app.include_router(bakes.router)
    app.include_router(sheets.router)
    app.include_router(recipes.router)
    app.include_router(objects.router)
    app.include_router(shapes.router)
    app.include_router(shelf.router)
    app.include_router(deliver.router)
    app.include_router(deliver.pictures)
    app.include_router(jobs.router)
    app.add_middleware(Guard, allowed=hosts(host))
    for kind in (LazzikError, RequestValidationError, HTTPException, TooLarge):
        app.add_exception_handler(kind, _told)
    return app


def _told(request: Request, error: Exception) -> Response:
    """An error as a sentence: a page for a person who asked for one, otherwise JSON."""
    status, sentence, where = _read(error)
    body: dict[str, object] = {"error": sentence, "where": where}
    if isinstance(error, StaleEdit):
        body["head"] = error.head
    if "text/html" in request.headers.get("accept", "") and "hx-request" not in request.headers:
        page = templates.TemplateResponse(request, "error.html", {"sentence": sentence, "status": status}, status)
        return HTMLResponse(page.body, status)
    return JSONResponse(body, status)


NOT_JSON = "The request is not JSON that can be read."


def _read(error: Exception) -> tuple[int, str, str]:
    match error:
        case LazzikError():
            status = next(STATUS[kind] for kind in type(error).__mro__ if kind in STATUS)
            return status, error.message, error.where
        case RequestValidationError():
            first = error.errors()[0]
            if first["type"] == "json_invalid":
                return 422, NOT_JSON, ""
            field = ".".join(str(part) for part in first["loc"][1:])
            return 422, f"{field or 'The request'}: {plain(first['msg'])}", field
        case HTTPException(status_code=404):
            return 404, "There is nothing at this address.", ""
        case HTTPException(status_code=400):
            return 400, NOT_JSON, ""
        case HTTPException():
            return error.status_code, error.detail, ""
        case _:
            return 413, "That is larger than is taken here.", ""
