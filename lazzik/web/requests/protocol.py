"""HTTP with a limit on how long a request may take to arrive, so that nobody holds a connection by sending slowly."""

from __future__ import annotations

import asyncio
from enum import Enum
from typing import Any

from uvicorn.protocols.http.httptools_impl import HttpToolsProtocol

HEAD_WITHIN = 30.0
"""Seconds in which a request's head has to be here."""

LONGEST_HEAD = 64 * 2**10
"""Bytes of a head."""

SLOWEST = 64 * 2**10
"""Bytes of a body for each of which a second more is given: slower is not sending but holding."""


class Awaits(Enum):
    """What is still to come of the newest request."""

    HEAD = 1
    BODY = 2
    NOTHING = 3


class TimedProtocol(HttpToolsProtocol):
    """Closes connections whose request has not arrived in time, or has a head without end. (An idle one is closed by
    the keep-alive limit, and one that is being answered is left alone.)"""

    limit = HEAD_WITHIN

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self._timer: asyncio.TimerHandle | None = None
        self._begun = 0.0
        self._got = 0
        self._awaits = Awaits.HEAD

    def connection_made(self, transport: asyncio.Transport) -> None:  # type: ignore[override]
        super().connection_made(transport)
        self._wait()

    def data_received(self, data: bytes) -> None:
        if self._awaits is Awaits.NOTHING and self._answered:
            self._next()  # whatever it is: empty lines begin no request, and hold a connection all the same
        super().data_received(data)
        self._got += len(data)
        if not self._arriving():
            self._done()
        elif self._timer is None:
            self._wait()
        if self._awaits is Awaits.HEAD and self._got > LONGEST_HEAD and not self.transport.is_closing():
            self.send_400_response(f"The head of a request has at most {LONGEST_HEAD // 2**10} kB.")

    def on_message_begin(self) -> None:
        super().on_message_begin()
        self._next()

    def on_headers_complete(self) -> None:
        super().on_headers_complete()
        self._awaits = Awaits.BODY

    def on_message_complete(self) -> None:
        super().on_message_complete()
        self._awaits = Awaits.NOTHING

    def on_response_complete(self) -> None:
        super().on_response_complete()
        if self._arriving():  # the next request was begun meanwhile, or the rest of this one is on its way
            self._wait()

    def connection_lost(self, exc: Exception | None) -> None:
        self._done()
        super().connection_lost(exc)

    @property
    def _answered(self) -> bool:
        """Whether nothing is being answered."""
        return self.cycle is None or self.cycle.response_complete

    def _arriving(self) -> bool:
        """Whether a request is not here in full. (One that was begun while another is answered waits for that.)"""
        return self._awaits is Awaits.BODY or (self._awaits is Awaits.HEAD and self._answered)

    def _next(self) -> None:
        self._awaits, self._got = Awaits.HEAD, 0

    def _wait(self) -> None:
        self._done()
        self._begun = self.loop.time()
        self._timer = self.loop.call_later(self.limit, self._look)

    def _done(self) -> None:
        if self._timer is not None:
            self._timer.cancel()
            self._timer = None

    def _look(self) -> None:
        left = 0.0
        if self.flow.read_paused:  # it is we who do not read
            left = self.limit
        elif self._awaits is Awaits.BODY and not self._answered:
            left = self._begun + self.limit + self._got / SLOWEST - self.loop.time()
        if left > 0:
            self._timer = self.loop.call_later(left, self._look)
            return
        self._timer = None
        self.transport.abort()
