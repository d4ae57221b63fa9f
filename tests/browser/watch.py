"""What pages log while a test has them."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from playwright.sync_api import ConsoleMessage, Request, WebError

EXPECTED = (
    "GPU stall due to ReadPixels",
    "the server responded with a status of 4",
    "the server responded with a status of 507",
    "net::ERR_FAILED",
)
"""What a software renderer grumbles about, and the refusals that tests provoke."""


class Watch:
    """Whatever pages complain of, and ask of others than their server."""

    def __init__(self, url: str) -> None:
        self.problems: list[str] = []
        self.events: dict[Any, Callable[[Any], None]] = {
            "weberror": self._error, "console": self._message, "request": self._request
        }  # fmt: skip
        self._own = (url, "blob:", "data:")

    def _error(self, problem: WebError) -> None:
        self.problems.append(str(problem.error))

    def _message(self, message: ConsoleMessage) -> None:
        if message.type in ("error", "warning") and not any(part in message.text for part in EXPECTED):
            self.problems.append(message.text)

    def _request(self, asked: Request) -> None:
        if not asked.url.startswith(self._own):
            self.problems.append(asked.url)
