"""Requests that arrive slowly, or in part, are closed; listeners hold nothing up."""

from __future__ import annotations

import socket
import threading
import time
from collections.abc import Iterator
from http.client import HTTPConnection
from pathlib import Path

import pytest
import uvicorn

from lazzik.web.app import create_app
from lazzik.web.jobs import Job
from lazzik.web.requests.protocol import LONGEST_HEAD, SLOWEST, TimedProtocol
from lazzik.work.pool import Workers


class Quick(TimedProtocol):
    """As the real one, thirty times as impatient."""

    limit = 1.0


class Running:
    def __init__(self, folder: Path, workers: Workers) -> None:
        self.app = create_app(folder, with_demo=True, workers=workers)
        self.listening = socket.create_server(("127.0.0.1", 0))
        self.port = self.listening.getsockname()[1]
        settings = uvicorn.Config(self.app, http=Quick, log_level="warning", timeout_graceful_shutdown=1)
        self.server = uvicorn.Server(settings)
        self.thread = threading.Thread(target=self.server.run, kwargs={"sockets": [self.listening]})
        self.thread.start()

    def open(self) -> socket.socket:
        return socket.create_connection(("127.0.0.1", self.port), timeout=60)


@pytest.fixture(scope="module")
def running(tmp_path_factory: pytest.TempPathFactory, workers: Workers) -> Iterator[Running]:
    made = Running(tmp_path_factory.mktemp("protocol") / "data", workers)
    yield made
    made.server.should_exit = True
    made.thread.join()


def closed(connection: socket.socket) -> bytes:
    """All that comes until the other end closes."""
    got = b""
    try:
        while part := connection.recv(65536):
            got += part
    except ConnectionResetError:
        pass
    return got


ASKED = b"GET /jobs/none HTTP/1.1\r\nHost: 127.0.0.1\r\n\r\n"
LAST = b"GET /jobs/none HTTP/1.1\r\nHost: 127.0.0.1\r\nConnection: close\r\n\r\n"
HEAD = b"POST /scenes/x/undo HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Type: application/json\r\n"


@pytest.mark.parametrize("begun", [b"", b"GET /scen", HEAD, HEAD + b"Content-Length: 100\r\n\r\n{"])
def test_a_request_that_does_not_arrive_is_closed(running: Running, begun: bytes) -> None:
    with running.open() as connection:
        connection.sendall(begun)
        assert closed(connection) == b""


def test_empty_lines_after_an_answer_hold_no_connection(running: Running) -> None:
    with running.open() as connection:
        connection.sendall(ASKED)
        assert connection.recv(65536).startswith(b"HTTP/1.1 404")
        connection.sendall(b"\r\n")
        assert b"HTTP/1.1" not in closed(connection)


def test_a_head_without_end_is_refused_with_a_sentence(running: Running) -> None:
    with running.open() as connection:
        connection.sendall(b"GET /jobs/none HTTP/1.1\r\nX-Long: " + LONGEST_HEAD * b"a")
        answer = closed(connection)
    assert answer.startswith(b"HTTP/1.1 400")
    assert answer.endswith(b"The head of a request has at most 64 kB.")


def test_one_that_drips_is_closed_too(running: Running) -> None:
    with running.open() as connection:
        connection.sendall(HEAD + b"Content-Length: 100000\r\n\r\n")
        connection.settimeout(0.02)
        for _ in range(3000):  # as many pauses as a minute has; it ends long before
            try:
                connection.sendall(b" ")
                if not connection.recv(1):
                    return
            except TimeoutError:
                continue
            except ConnectionError:
                return
    raise AssertionError("it is still open")


def test_whole_requests_are_answered_one_after_the_other(running: Running) -> None:
    connection = HTTPConnection("127.0.0.1", running.port, timeout=60)
    for _ in range(3):
        connection.request("GET", "/jobs/none")
        with connection.getresponse() as response:
            assert (response.status, b"no such job" in response.read()) == (404, True)
    connection.close()
    with running.open() as pipelined:
        pipelined.sendall(2 * ASKED + LAST)
        assert closed(pipelined).count(b"no such job") == 3


def test_a_body_that_is_refused_is_given_no_more_time_however_fast_it_comes(running: Running) -> None:
    with running.open() as connection:
        connection.sendall(HEAD + f"Content-Length: {10**9}\r\n\r\n".encode())
        assert connection.recv(65536).startswith(b"HTTP/1.1 413")
        with pytest.raises(ConnectionError):
            sent_steadily(connection)


def sent_steadily(connection: socket.socket) -> None:
    """Twice as fast as the slowest that is given more time, for a minute if the other end lets one."""
    for _ in range(6000):
        connection.sendall(b" " * (2 * SLOWEST // 100))
        time.sleep(0.01)


def test_an_answer_that_takes_longer_is_not_cut_off_and_listeners_hold_no_thread(running: Running) -> None:
    """More listeners than there are threads; then a request is answered all the same, and all hear of the end."""
    job = running.app.state.jobs.add(Job("Waiting", "text/plain"))
    listeners = []
    for n in range(60):
        listeners.append(running.open())
        # one of them has begun to ask for something else, and that waits until it is answered
        after = "\r\nGET /jo" if n == 0 else "Connection: close\r\n\r\n"
        listeners[-1].sendall(f"GET /jobs/{job.id}/events HTTP/1.1\r\nHost: 127.0.0.1\r\n{after}".encode())
    firsts = [each.recv(65536) for each in listeners]
    assert all(first.startswith(b"HTTP/1.1 200") for first in firsts)
    with running.open() as connection:
        connection.sendall(b"GET /scenes HTTP/1.1\r\nHost: 127.0.0.1\r\n\r\n")
        assert connection.recv(65536).startswith(b"HTTP/1.1 200")
    time.sleep(1.5 * Quick.limit)  # longer than any request may take to arrive
    job.update(state="done", share=1.0)
    for each in listeners:
        assert b'"state": "done"' in closed(each)
        each.close()
