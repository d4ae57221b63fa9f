"""A password for servers that others can reach: whoever reaches one can change everything on it."""

from __future__ import annotations

import hashlib
import hmac
import ipaddress
import secrets
import time
from collections import deque
from threading import Lock
from urllib.parse import quote

from fastapi import Response
from fastapi.responses import RedirectResponse
from starlette.requests import HTTPConnection
from starlette.responses import JSONResponse
from starlette.types import ASGIApp, Receive, Scope, Send

from lazzik.core.errors import LazzikError

SHORTEST = 8
"""Characters of a password."""


COOKIE = "lazzik-session"


LASTS = 30 * 24 * 3600
"""Seconds for which one who knew the password is let in."""


TRIES, WITHIN = 6, 60.0
"""Wrong tries from one address, and from all others together five times as many, in so many seconds."""


OPEN = ("/login", "/static/")
"""What is shown to everybody."""


class TooManyTries(LazzikError):
    """Passwords are tried too fast."""


def is_this_machine(host: str) -> bool:
    """Whether nobody else can reach a server that listens there."""
    if host == "localhost":
        return True
    try:
        return ipaddress.ip_address(host).is_loopback
    except ValueError:
        return False


class Door:
    """Knows the password and who was let in. Safe between threads."""

    def __init__(self, password: str) -> None:
        self._salt = secrets.token_bytes(16)
        self._password = self._derived(password)
        self._sessions: dict[bytes, float] = {}
        self._wrong: deque[tuple[float, str]] = deque()
        self._lock = Lock()

    def let_in(self, password: str, address: str) -> str | None:
        """A session for whoever knows the password; None for a wrong one. Raises TooManyTries."""
        with self._lock:
            now = time.monotonic()
            while self._wrong and self._wrong[0][0] < now - WITHIN:
                self._wrong.popleft()
            if sum(by == address for _, by in self._wrong) >= TRIES or len(self._wrong) >= 5 * TRIES:
                raise TooManyTries("That was tried too often; wait a minute and try again")
            self._wrong.append((now, address))  # taken back below, so that tries side by side count too
        if not hmac.compare_digest(self._derived(password), self._password):
            return None
        session = secrets.token_urlsafe(32)
        with self._lock:
            self._wrong = deque(entry for entry in self._wrong if entry[1] != address)
            self._sessions = {key: until for key, until in self._sessions.items() if until > now}
            self._sessions[self._key(session)] = now + LASTS
        return session

    def knows(self, session: str) -> bool:
        """Whether somebody was let in with this session."""
        with self._lock:
            return self._sessions.get(self._key(session), 0.0) > time.monotonic()

    def forget(self, session: str) -> None:
        """Let a session in no more."""
        with self._lock:
            self._sessions.pop(self._key(session), None)

    def _derived(self, password: str) -> bytes:
        return hashlib.scrypt(password.encode("utf-8", "replace")[:1024], salt=self._salt, n=2**14, r=8, p=1)

    @staticmethod
    def _key(session: str) -> bytes:
        return hashlib.sha256(session.encode("utf-8", "replace")).digest()


class Doorkeeper:
    """Lets nobody through to the application who was not let in."""

    def __init__(self, app: ASGIApp, door: Door) -> None:
        self.app, self.door = app, door

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] not in ("http", "websocket") or self._may(HTTPConnection(scope)):
            await self.app(scope, receive, send)
            return
        asked = HTTPConnection(scope)
        answer: Response
        if scope.get("method") == "GET" and "text/html" in asked.headers.get("accept", ""):
            query = f"?{asked.url.query}" if asked.url.query else ""
            answer = RedirectResponse(f"/login?to={quote(asked.url.path + query)}", 303)
        else:
            answer = JSONResponse({"error": "Log in first: this server asks for a password.", "where": ""}, 401)
        await answer(scope, receive, send)

    def _may(self, asked: HTTPConnection) -> bool:
        return asked.url.path.startswith(OPEN) or self.door.knows(asked.cookies.get(COOKIE, ""))
