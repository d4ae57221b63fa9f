"""The password of a server that others can reach."""

from __future__ import annotations

import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

import pytest
from starlette.testclient import TestClient

from lazzik.web.app import create_app
from lazzik.web.login import door
from lazzik.web.login.door import Door, TooManyTries, is_this_machine
from lazzik.work.pool import Workers

PASSWORD = "a long walk in the wind"
PAGE = {"accept": "text/html"}


@pytest.fixture
def guarded(tmp_path: Path, workers: Workers) -> Iterator[TestClient]:
    app = create_app(tmp_path / "data", with_demo=True, workers=workers, password=PASSWORD)
    with TestClient(app, base_url="http://127.0.0.1:8460", follow_redirects=False) as client:
        yield client


def test_nobody_comes_in_without_it(guarded: TestClient) -> None:
    for path in ("/scenes", "/scenes/x/motion", "/openapi.json", "/jobs/x/events"):
        assert guarded.get(path).status_code == 401
    assert guarded.post("/scenes/demo").status_code == 401
    asked = guarded.get("/scenes/abc?at=post/shape", headers=PAGE)
    assert (asked.status_code, asked.headers["location"]) == (303, "/login?to=/scenes/abc%3Fat%3Dpost/shape")
    assert "Password" in guarded.get("/login").text
    assert guarded.get("/static/css/tokens.css").status_code == 200


def test_whoever_knows_it_comes_in_and_can_leave(guarded: TestClient) -> None:
    wrong = guarded.post("/login", data={"password": "something else", "to": "/scenes"})
    assert (wrong.status_code, "not the password" in wrong.text) == (401, True)
    right = guarded.post("/login", data={"password": PASSWORD, "to": "/scenes"})
    assert (right.status_code, right.headers["location"]) == (303, "/scenes")
    cookie = right.headers["set-cookie"].lower()
    assert "httponly" in cookie
    assert "samesite=lax" in cookie
    assert guarded.get("/scenes").status_code == 200
    session = guarded.cookies[door.COOKIE]
    guarded.post("/logout")
    guarded.cookies.set(door.COOKIE, session)
    assert guarded.get("/scenes").status_code == 401


@pytest.mark.parametrize(
    "to", ["https://elsewhere.example", "//elsewhere.example", "/\\elsewhere.example", "x", "/a\nb"]
)
def test_it_leads_nowhere_else(guarded: TestClient, to: str) -> None:
    answer = guarded.post("/login", data={"password": PASSWORD, "to": to})
    assert answer.headers["location"] == "/scenes"


def test_tries_are_limited(guarded: TestClient) -> None:
    for _ in range(door.TRIES):
        assert guarded.post("/login", data={"password": "guess"}).status_code == 401
    late = guarded.post("/login", data={"password": PASSWORD})
    assert (late.status_code, "too often" in late.text) == (429, True)


def test_those_of_others_do_not_count_until_they_are_many() -> None:
    kept = Door(PASSWORD)
    for n in range(door.TRIES):
        assert kept.let_in("guess", f"10.0.0.{n}") is None
    session = kept.let_in(PASSWORD, "10.0.1.1")
    assert session is not None
    assert kept.knows(session)
    assert not kept.knows(session + "x")
    for n in range(4 * door.TRIES):
        kept.let_in("guess", f"10.0.2.{n}")
    with pytest.raises(TooManyTries):
        kept.let_in(PASSWORD, "10.0.1.2")


@pytest.mark.parametrize(
    ("host", "ours"),
    [("127.0.0.1", True), ("127.9.9.9", True), ("::1", True), ("localhost", True), ("0.0.0.0", False), ("::", False),
     ("192.168.1.5", False), ("station.example", False)],
)  # fmt: skip
def test_addresses_of_this_machine_alone_are_known(host: str, ours: bool) -> None:
    assert is_this_machine(host) == ours


@pytest.mark.parametrize(("words", "part"), [((), "set a password"), (("--password", "short"), "at least 8")])
def test_the_server_does_not_start_for_others_without_one(tmp_path: Path, words: tuple[str, ...], part: str) -> None:
    command = [sys.executable, "-m", "lazzik", "serve", "--data", str(tmp_path), "--host", "0.0.0.0", "--port", "0"]
    done = subprocess.run([*command, *words], capture_output=True, text=True, timeout=120, check=False)
    assert (done.returncode, part in done.stderr) == (1, True)


def test_without_a_password_the_page_leads_on(client: TestClient) -> None:
    assert client.post("/login", data={"password": "x"}).headers["location"] == "/scenes"
