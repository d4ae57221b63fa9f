"""A real server and a real browser. Each test has a page of its own, and fails on any error that one logs."""

from __future__ import annotations

import urllib.parse
import urllib.request
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Browser, Error, Locator, Page, Route, ViewportSize, expect, sync_playwright

from tests.browser.chromium import launched
from tests.browser.watch import Watch
from tests.serving import Server

PATIENCE = 300_000
"""Milliseconds that a state may take to come about on a machine that is busy with other things."""

expect.set_options(timeout=PATIENCE)


def served(factory: pytest.TempPathFactory) -> Iterator[Server]:
    """A server over a folder of its own."""
    running = Server(factory.mktemp("browser") / "data")
    yield running
    running.kill()


@pytest.fixture(scope="session")
def server(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Server]:
    """Each test works on scenes of its own. Where their list is looked at, a module has its own server."""
    yield from served(tmp_path_factory)


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    with sync_playwright() as playwright:
        chromium = launched(playwright)
        yield chromium
        chromium.close()


SIZE: ViewportSize = {"width": 1280, "height": 800}


class Window:
    """A window of the browser on one server, for one test after the other: what a page has loaded the next one has.

    `dots` are those of the screen to one of the page's: half of them take a third off what a page costs where all is
    drawn in software, and lie in the same places."""

    def __init__(self, browser: Browser, url: str, dots: float) -> None:
        self.context = browser.new_context(viewport=SIZE, base_url=url, device_scale_factor=dots)
        self.context.set_default_timeout(PATIENCE)
        self.page = self.context.new_page()

    def clear(self) -> None:
        """Leave what was opened, and forget what it kept. A page that is to be opened in the same tab need not wait
        for a process of its own."""
        self.page.unroute_all(behavior="ignoreErrors")
        for page in self.context.pages:
            if page is not self.page:
                page.close()
        self.page.mouse.move(0, 0)
        self.page.goto("/static/mark.svg")
        self.page.evaluate("() => { localStorage.clear(); sessionStorage.clear(); }")
        self.page.set_viewport_size(SIZE)
        self.context.clear_cookies()


@pytest.fixture(scope="session")
def windows() -> dict[tuple[str, float], Window]:
    """By the address of the server, and their dots."""
    return {}


@pytest.fixture
def page(
    request: pytest.FixtureRequest, browser: Browser, server: Server, windows: dict[tuple[str, float], Window]
) -> Iterator[Page]:
    key = server.url, 1.0 if request.node.get_closest_marker("dots") else 0.5
    if key not in windows:
        windows[key] = Window(browser, *key)
    window = windows[key]
    watch = Watch(server.url)
    for event in watch.events:
        window.context.on(event, watch.events[event])
    yield window.page
    for event in watch.events:
        window.context.remove_listener(event, watch.events[event])
    try:
        window.clear()
    except Error:  # where a test failed half-way, the tab may be in any state
        windows.pop(key).context.close()
    assert watch.problems == []


def until_asked(page: Page, routes: list[Route]) -> None:
    """Wait until the page has asked for what a test holds back; fails where it never does."""
    for _ in range(PATIENCE // 20):
        if routes:
            return
        page.evaluate("() => new Promise((done) => setTimeout(done, 20))")
    raise AssertionError("what the test holds back was never asked for")


def one_is_answered(waiting: Locator, held: list[Route]) -> None:
    """Of several that wait for an answer one alone has asked, and the next asks once that one is answered."""
    count = waiting.count()
    assert count >= 3
    assert len(held) == 1
    held[0].continue_()
    expect(waiting).to_have_count(count - 1)
    assert len(held) <= 2


class Studio:
    """The studio as a person sees it."""

    def __init__(self, page: Page) -> None:
        self.page = page

    def ready(self) -> Studio:
        self.page.wait_for_selector("body[data-ready]")
        return self

    @property
    def step(self) -> int:
        """The revision that the page says is saved."""
        return int(self.page.inner_text("#saved").rsplit(" ", 1)[-1])

    def lands(self, step: int) -> None:
        """Wait until a step is saved and shown."""
        self.page.wait_for_function(
            "n => document.getElementById('saved').textContent === `Saved · step ${n}`", arg=step
        )
        # a page that loads anew says the step before its scripts are there
        self.page.wait_for_function("() => window.lazzik?.settled()")
        self.page.wait_for_function("() => !window.lazzik.strata.holding")

    def trace(self, lane: str) -> str:
        """The path that a lane draws."""
        return self.page.locator(f'svg[data-lane="{lane}"] path.trace').get_attribute("d") or ""

    def result(self) -> list[float]:
        """The values that are drawn, once they are those of the number that is shown."""
        self.page.wait_for_function(
            """() => window.lazzik.strata.data?.channel
                === JSON.parse(document.getElementById('facts').textContent).channel"""
        )
        values: list[float] = self.page.evaluate("() => [...window.lazzik.strata.data.result]")
        return values

    def reach(self) -> float:
        values = self.result()
        return max(values) - min(values)

    def lanes(self) -> list[str]:
        return self.page.locator(".lane.layer a.lane-name strong").all_inner_texts()

    def knob(self, name: str) -> Any:
        """A number's control; if it is folded, the fold is opened first."""
        return self.unfolded(f'.knob[data-address$=".{name}"]')

    def unfolded(self, control: str) -> Any:
        """A control of a strip; if it is folded, the fold is opened first."""
        fold = self.page.locator(f".strip details:not([open]):has({control}) > summary")
        if fold.count():
            fold.first.click()
        return self.page.locator(f".strip {control}")

    def drag(self, selector: Any, dx: float, dy: float = 0, *, let_go: bool = True) -> None:
        """Press the middle of something and move it there in a few steps."""
        locator = self.page.locator(selector) if isinstance(selector, str) else selector
        box = None
        while box is None:  # what is drawn anew this very moment has no place yet
            locator.wait_for()
            box = locator.bounding_box()
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        for part in range(1, 5):
            self.page.mouse.move(x + dx * part / 4, y + dy * part / 4)
        if let_go:
            self.page.mouse.up()


@pytest.fixture
def small(page: Page, server: Server) -> Studio:
    """The studio on a new scene: a post on a floor."""
    body = urllib.parse.urlencode({"name": "Small"}).encode()
    with urllib.request.urlopen(f"{server.url}/scenes", body) as opened:
        page.goto(opened.url)
    return Studio(page).ready()


@pytest.fixture
def shaped(small: Studio) -> Studio:
    """The shape of the post of a new scene."""
    small.page.keyboard.press("s")
    expect(small.page.locator(".trail strong")).to_have_text("shape")
    return small


@pytest.fixture
def layered(small: Studio) -> Studio:
    """The same with one noise layer on the post's rotation about z."""
    small.page.click("#add-layer")
    small.page.click("[data-add=noise]")
    small.lands(1)
    small.page.wait_for_selector("#strip")
    return small


@pytest.fixture
def demo_url(server: Server) -> str:
    """A fresh copy of the demo scene."""
    with urllib.request.urlopen(f"{server.url}/scenes/demo", b"") as opened:
        return str(opened.url)


@pytest.fixture(scope="session")
def axe() -> str:
    """The accessibility rules, as a script."""
    return (Path(__file__).parents[2] / "node_modules/axe-core/axe.min.js").read_text()
