"""The front page, which waits for nothing that it does not show."""

from __future__ import annotations

from fastapi import APIRouter, Request, Response
from fastapi.responses import RedirectResponse

from lazzik.demo.starts import STARTS
from lazzik.store.entries import entries
from lazzik.web.ui.templating import templates

router = APIRouter()


@router.get("/")
def home() -> Response:
    """The scenes are the front page."""
    return RedirectResponse("/scenes", 302)


@router.get("/scenes")
def scenes(request: Request) -> Response:
    """All scenes as cards, and what one can begin with. What is not known of a scene yet is asked for by the page."""
    listed = entries(request.app.state.database)
    return templates.TemplateResponse(request, "scenes/page.html", {"entries": listed, "starts": STARTS})
