"""How each error reaches the person: one sentence, on a page or as JSON."""

from __future__ import annotations

import errno

from fastapi import Request, Response
from fastapi.exceptions import RequestValidationError
from fastapi.responses import HTMLResponse, JSONResponse
from starlette.exceptions import HTTPException
from starlette.requests import ClientDisconnect

from lazzik.core.errors import LazzikError, Overtaken, plain
from lazzik.core.progress import Stopped
from lazzik.store.database import Busy, NoRoom
from lazzik.store.rows import NoPicture, NoScene, NothingThere, NotOnShelf, NoVersion, StaleEdit
from lazzik.web.jobs import NoJob
from lazzik.web.requests.bodies import TooMuchJson
from lazzik.web.security import TooLarge
from lazzik.web.ui.templating import templates

STATUS: dict[type[Exception], int] = {
    NoScene: 404, NoPicture: 404, NoVersion: 404, NotOnShelf: 404, NoJob: 404, StaleEdit: 409,
    Overtaken: 409, NothingThere: 409, TooMuchJson: 413, Busy: 503, NoRoom: 507, LazzikError: 422,
}  # fmt: skip

FULL = (errno.ENOSPC, errno.EDQUOT)

NOT_JSON = "The request is not JSON that can be read."
MALFORMED = "The request can't be read: its parts are not what they are said to be."


def answer(request: Request, error: Exception) -> Response:
    """An error as a sentence: a page for a person who asked for one, otherwise JSON."""
    status, sentence, where = _read(error)
    sentence = _printable(sentence)
    body: dict[str, object] = {"error": sentence, "where": _printable(where)}
    if isinstance(error, StaleEdit):
        body["head"] = error.head
    if "text/html" in request.headers.get("accept", "") and "hx-request" not in request.headers:
        page = templates.TemplateResponse(request, "ui/error.html", {"sentence": sentence, "status": status}, status)
        return HTMLResponse(page.body, status)
    return JSONResponse(body, status)


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
            return 400, MALFORMED, ""
        case HTTPException():
            return error.status_code, error.detail, ""
        case Stopped():
            return 503, "Lazzik is being stopped; try again once it runs.", ""
        case OSError() if error.errno in FULL:
            return 507, "There is no room left on the disk, so nothing was stored. Make room and do it again.", ""
        case ClientDisconnect():  # nobody reads the answer
            return 400, MALFORMED, ""
        case TooLarge():
            return 413, "That is larger than is taken here.", ""
        case _:
            raise error


def _printable(text: str) -> str:
    """A text without halves of characters, which no answer can carry."""
    return text.encode("utf-8", "replace").decode()
