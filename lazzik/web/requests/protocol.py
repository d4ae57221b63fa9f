"""HTTP with a limit on how long a request may take to arrive, so that nobody holds a connection by sending slowly."""

from __future__ import annotations

import asyncio
from typing import Any

import h11
from uvicorn.protocols.http.h11_impl import H11Protocol

HEAD_WITHIN = 30.0
"""Seconds in which a request's head has to be here."""

SLOWEST = 64 * 2**10
"""Bytes of a body for each of which a second more is given: slower is not sending but holding."""


class TimedProtocol(H11Protocol):
    """Closes connections whose request has not arrived in time. (An idle one is closed by the keep-alive limit, and one
    that is being answered is left alone.)"""

    limit = HEAD_WITHIN

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self._timer: asyncio.TimerHandle | None = None
        self._begun = 0.0
        self._got = 0

    def connection_made(self, transport: asyncio.Transport) -> None:  # type: ignore[override]
        super().connection_made(transport)
        self._wait()

    def data_received(self, data: bytes) -> None:
        self._got += len(data)
        super().data_received(data)
        if not self._arriving():
            self._done()
        elif self._timer is None:
            self._wait()

    def on_response_complete(self) -> None:
        super().on_response_complete()
        if self._arriving():  # the next request was begun meanwhile
            self._wait()

    def connection_lost(self, exc: Exception | None) -> None:
        self._done()
        super().connection_lost(exc)

    def _arriving(self) -> bool:
        """Whether a request has begun and is not here in full."""
        state = self.conn.their_state
        return state is h11.SEND_BODY or (state is h11.IDLE and bool(self.conn.trailing_data[0]))

    def _wait(self) -> None:
        self._done()
        self._begun, self._got = self.loop.time(), 0
        self._timer = self.loop.call_later(self.limit, self._look)

    def _done(self) -> None:
        if self._timer is not None:
            self._timer.cancel()
            self._timer = None

    def _look(self) -> None:
        left = self._begun + self.limit + self._got / SLOWEST - self.loop.time()
        if self.flow.read_paused:  # it is we who do not read
            left = self.limit
        if left > 0 and self.conn.their_state is h11.SEND_BODY:
            self._timer = self.loop.call_later(left, self._look)
            return
        self._timer = None
        self.transport.abort()
