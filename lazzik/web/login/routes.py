"""The page that asks for the password."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Form, Request, Response
from fastapi.responses import RedirectResponse

from lazzik.web.login.door import COOKIE, LASTS, Door, TooManyTries
from lazzik.web.ui.templating import templates

router = APIRouter()


@router.get("/login")
def login(request: Request, to: str = "/scenes") -> Response:
    """The page that asks for the password."""
    return _page(request, to, "")


@router.post("/login")
def try_password(request: Request, password: Annotated[str, Form()] = "", to: Annotated[str, Form()] = "") -> Response:
    """Let somebody in who knows it."""
    door: Door | None = request.app.state.door
    if door is None:
        return RedirectResponse("/scenes", 303)
    try:
        session = door.let_in(password, request.client.host if request.client else "")
    except TooManyTries as error:
        return _page(request, to, f"{error.message}.", 429)
    if session is None:
        return _page(request, to, "That is not the password.", 401)
    answer = RedirectResponse(to if _is_here(to) else "/scenes", 303)
    secure = request.url.scheme == "https"
    answer.set_cookie(COOKIE, session, max_age=LASTS, httponly=True, samesite="lax", secure=secure)
    return answer


@router.post("/logout")
def logout(request: Request) -> Response:
    """Let this browser in no more."""
    door: Door | None = request.app.state.door
    if door is not None:
        door.forget(request.cookies.get(COOKIE, ""))
    answer = RedirectResponse("/login", 303)
    answer.delete_cookie(COOKIE)
    return answer


def _is_here(to: str) -> bool:
    """Whether it is an address of this server, and of no other."""
    return to.startswith("/") and not to.startswith(("//", "/\\")) and to.isprintable()


def _page(request: Request, to: str, problem: str, status: int = 200) -> Response:
    return templates.TemplateResponse(request, "login/page.html", {"to": to, "problem": problem}, status)
