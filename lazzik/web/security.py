"""What keeps strangers out: only known hosts, no foreign origins, no oversized bodies, no scripts but our own."""

from __future__ import annotations

import secrets
from urllib.parse import urlsplit

from starlette.middleware.trustedhost import TrustedHostMiddleware
from starlette.responses import JSONResponse
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from lazzik.core.scene.form import LARGEST_TEXT

LOOPBACK = ("127.0.0.1", "localhost", "[::1]")


def hosts(host: str) -> list[str]:
    """Names under which the server may be asked for: any if it listens on all of the machine's addresses."""
    if host in ("0.0.0.0", "::"):
        return ["*"]
    return [*LOOPBACK, f"[{host}]" if ":" in host else host]


class Guard:
    """Refuses requests from pages of other origins and bodies beyond the limit; adds the safety headers."""

    def __init__(self, app: ASGIApp, allowed: list[str]) -> None:
        self.app = TrustedHostMiddleware(app, allowed_hosts=allowed)

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        headers = {key.decode("latin-1"): value.decode("latin-1") for key, value in scope["headers"]}
        if problem := self._problem(headers):
            status, sentence = problem
            await JSONResponse({"error": sentence, "where": ""}, status)(scope, receive, send)
            return
        nonce = secrets.token_urlsafe(16)
        scope.setdefault("state", {})["nonce"] = nonce

        async def guarded(message: Message) -> None:
            if message["type"] == "http.response.start":
                message["headers"] = [*message["headers"], *_safety(nonce)]
            await send(message)

        await self.app(scope, _limited(receive), guarded)

    def _problem(self, headers: dict[str, str]) -> tuple[int, str] | None:
        origin = headers.get("origin")
        if origin and origin != "null" and _place(origin) != headers.get("host"):
            return 403, "A page from elsewhere asked for this; only Lazzik's own pages may."
        if origin == "null" or headers.get("sec-fetch-site") == "cross-site":
            return 403, "A page from elsewhere asked for this; only Lazzik's own pages may."
        length = headers.get("content-length", "0")
        if not (length.isascii() and length.isdigit() and len(length) < 20) or int(length) > LARGEST_TEXT + 4096:
            return 413, f"That is larger than {LARGEST_TEXT // 2**20} MB, the most that is taken."
        return None


def _place(origin: str) -> str | None:
    """Host and port of an origin; None for what is none."""
    try:
        return urlsplit(origin).netloc
    except ValueError:
        return None


class TooLarge(Exception):
    """A body without a stated length that went beyond the limit."""


def _limited(receive: Receive) -> Receive:
    taken = 0

    async def limited() -> Message:
        nonlocal taken
        message = await receive()
        taken += len(message.get("body", b""))
        if taken > LARGEST_TEXT + 4096:
            raise TooLarge
        return message

    return limited


def _safety(nonce: str) -> list[tuple[bytes, bytes]]:
    policy = (
        f"default-src 'self'; script-src 'self' 'nonce-{nonce}'; style-src 'self' 'nonce-{nonce}'; "
        "img-src 'self' data: blob:; connect-src 'self' blob:; "
        "object-src 'none'; base-uri 'none'; frame-ancestors 'none'"
    )
    return [
        (b"content-security-policy", policy.encode()),
        (b"x-content-type-options", b"nosniff"),
        (b"referrer-policy", b"same-origin"),
    ]
