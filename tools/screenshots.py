"""`make screenshots`: one current picture of each main view, made from the demo data, for the README."""

from __future__ import annotations

import tempfile
from pathlib import Path

from playwright.sync_api import FilePayload, Page, sync_playwright

from lazzik.core.formats.base import NamedScene
from lazzik.core.formats.review_page import ReviewPage
from lazzik.demo.measured import measured_mast
from lazzik.demo.station import station
from lazzik.library import edit
from tests.browser.chromium import launched
from tests.serving import Server

FOLDER = Path(__file__).parent.parent / "docs" / "screenshots"
SIZE = {"width": 1280, "height": 800}


def main() -> None:
    """Take them all."""
    FOLDER.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as folder, sync_playwright() as playwright:
        server = Server(Path(folder))
        browser = launched(playwright)
        page = browser.new_page(viewport=SIZE, base_url=server.url, reduced_motion="reduce")  # type: ignore[arg-type]
        page.add_init_script("localStorage.setItem('lazzik-smooth', 'yes')")
        try:
            _take(page)
        finally:
            browser.close()
            server.kill()


def _take(page: Page) -> None:
    page.goto("/scenes")
    page.wait_for_selector(".card-face:not([aria-busy])")
    scene = page.locator(".card-link").get_attribute("href") or ""
    for start in ("pool", "sign"):
        where = page.request.post("/scenes", form={"start": start}, max_redirects=0).headers["location"]
        _pictured(page, where)
    page.click("[data-act=end-steps]")
    _pictured(page, scene)
    page.goto("/scenes")
    page.wait_for_selector(".card-face[aria-busy]", state="detached")
    page.wait_for_function("() => [...document.images].every((image) => image.complete)")
    _keep(page, "scenes")
    page.goto(f"{scene}?at=beacon-mast/rotation.z%23gust")
    _settled(page, 87)
    _quiet(page)
    _keep(page, "studio-day")
    page.click("#theme")
    _keep(page, "studio-dusk")
    page.click("#theme")
    page.goto(f"{scene}?at=beacon-mast/rotation.z&also=beacon/look.glow")
    _settled(page, 87)
    _quiet(page)
    page.keyboard.press("t")
    page.keyboard.press("e")
    for frame in (58, 120, 150):
        page.locator(f'.bead[data-channel="beacon-mast/rotation.z"][data-frame="{frame}"]').click(modifiers=["Shift"])
    _keep(page, "key-desk")
    page.keyboard.press("t")
    page.keyboard.press("e")
    page.keyboard.press("b")
    page.wait_for_selector(".shelf-new")
    _keep(page, "poses")
    page.keyboard.press("Escape")
    lamps = "".join(f"&also=lamp-{k}/rotation.z" for k in range(2, 7))
    page.goto(f"{scene}?at=lamp-1/rotation.z%23nod{lamps}")
    page.wait_for_selector("body[data-ready]")
    page.evaluate("() => window.lazzik.transport.go(60)")
    _keep(page, "many")
    page.goto(f"{scene}?at=cloth/shape%23flutter")
    _settled(page, 60)
    _keep(page, "shape")
    page.goto(f"{scene}?at=ridge-wind/air")
    _settled(page, 87)
    page.wait_for_function("() => window.lazzik.stage.streaks.data")
    page.wait_for_selector("[data-answer] path.trace")
    _keep(page, "air")
    page.goto(f"{scene}?at=dish/aim")
    _settled(page, 60)
    _keep(page, "aim")
    page.goto(f"{scene}?at=sheaves/unsteady_hand")
    _settled(page, 60)
    _keep(page, "sheaf")
    page.goto(f"{scene}?at=grass/copies")
    page.wait_for_selector("body[data-ready]")
    page.wait_for_function("() => [...window.lazzik.crowds.crowds.values()][0]?.lean")
    _settled(page, 87)
    _keep(page, "meadow")
    _run(page, scene, "snow/particles", 87, "snow")
    _run(page, scene, "canvas/cloth", 132, "cloth")
    _reading(page, scene)
    _versions(page, scene)
    page.goto(f"{scene}/recipes?at=sign/rotation.z")
    page.evaluate("() => document.querySelector('.shelf-bar').scrollIntoView()")
    page.wait_for_function(
        "() => [...document.querySelectorAll('.specimen')].slice(0, 8).every((image) => image.naturalWidth > 0)"
    )
    _keep(page, "shelf")
    page.goto(f"{scene}/bake?at=beacon-mast/rotation.z")
    page.wait_for_selector(".compared")
    page.click("text=Place the keys")
    page.wait_for_selector(".receipt")
    page.wait_for_load_state("networkidle")
    page.click("[data-check=none]")
    for address in ("sock/rotation.y", "needle/rotation.z", "beacon/look.glow"):
        page.check(f"[name=channel][value='{address}']")
    page.wait_for_function("() => document.querySelectorAll('#review .compared').length === 3")
    page.evaluate("() => document.getElementById('bake-form').scrollTo(0, 0)")
    _keep(page, "bake-review")
    page.goto(f"{scene}/deliver")
    page.click("text=Write glTF")
    page.wait_for_timeout(900)
    _keep(page, "deliver")
    _review(page)


def _reading(page: Page, scene: str) -> None:
    """A measured mast, read for a lamp post."""
    page.goto(f"{scene}/reading?at=lamp-1/rotation.z")
    file = FilePayload(name="mast.csv", mimeType="text/csv", buffer=measured_mast().encode())
    page.set_input_files("[name=file]", [file])
    page.wait_for_selector(".curve-read")
    _keep(page, "reading")


def _versions(page: Page, scene: str) -> None:
    """Two versions in a copy of the scene, the calmer one beside what is now."""
    page.request.post(f"{scene}/copy", max_redirects=0)
    page.goto("/scenes")
    copy = page.locator(".card-link").first.get_attribute("href") or ""
    gust = "beacon-mast/rotation.z#gust"
    kept: tuple[tuple[str, str, list[dict[str, object]]], ...] = (
        ("Storm", "tried, too much", [{"do": "set", "address": f"{gust}.amplitude", "value": 12}]),
        ("First take", "as agreed", [{"do": "set", "address": f"{gust}.amplitude", "value": 6}]),
        ("Calmer", "for the client: less storm", [{"do": "set", "address": f"{gust}.amplitude", "value": 4}]),
    )
    step = 0
    for name, note, edits in kept:
        step = _edited(page, copy, step, edits)
        page.goto(f"{copy}?at=beacon-mast/rotation.z%23gust")
        _settled(page, 87)
        page.keyboard.press("Control+s")
        page.fill("#keep-version [name=name]", name)
        page.fill("#keep-version [name=note]", note)
        page.click("#keep-version [type=submit]")
        page.wait_for_selector("dialog", state="detached")
    now: list[dict[str, object]] = [
        {"do": "change-scene", "name": "Ridge station"},
        {"do": "set", "address": f"{gust}.amplitude", "value": 9},
        {"do": "set", "address": f"{gust}.period", "value": 1.4},
        {"do": "set", "address": "ridge-wind/field.speed", "value": 8.0},
        {"do": "remove-object", "node": "lamp-6"},
        {"do": "change-scene", "last": 200},
        {"do": "add-mark", "frame": 60, "label": "Gust begins", "color": "ochre"},
    ]
    _edited(page, copy, step, now)
    page.goto(f"{copy}/versions?at=beacon-mast/rotation.z")
    page.wait_for_selector("body[data-ready]")
    page.wait_for_function(  # the snow and the canvas of now are worked out here
        "() => [...window.lazzik.comparison.runs[0].kept.values()].every((run) => run.there.size === run.count)",
        timeout=180_000,
    )
    page.wait_for_function("() => !document.querySelector('.job')")
    page.evaluate("() => window.lazzik.transport.go(87)")
    page.wait_for_timeout(1500)
    for key in ("amplitude", "period"):
        page.check(f"input[data-keys*='layers/gust/{key}']")
    _keep(page, "versions")
    page.request.post(f"{copy}/remove", max_redirects=0)


def _run(page: Page, scene: str, at: str, frame: int, name: str) -> None:
    """What is carried in the station, laid open, with its run whole."""
    node = at.split("/")[0]
    page.goto(f"{scene}?at={at}")
    page.wait_for_selector("body[data-ready]")
    page.wait_for_function(
        "node => { const run = window.lazzik.runs.kept.get(node); return run && run.there.size === run.count; }",
        arg=node, timeout=180_000,
    )  # fmt: skip
    _settled(page, frame)
    page.wait_for_function(
        '() => [...document.querySelectorAll("[data-course]")].every((lane) => lane.querySelector("path.trace"))'
    )
    _quiet(page)
    _keep(page, name)


def _edited(page: Page, scene: str, step: int, edits: list[dict[str, object]]) -> int:
    """The step that edits lead to."""
    answer = page.request.post(f"{scene}/edits", data={"revision": step, "edits": edits})
    return int(answer.json()["revision"])


def _review(page: Page) -> None:
    """A page for review with two versions, as who gets it sees it."""
    calm = station()
    wind = next(node for node in calm.nodes if node.field is not None and node.field.kind == "wind")
    wild = edit(calm, {"do": "set", "address": f"{wind.id}/field.speed", "value": 11})
    states = [NamedScene(calm, "Calm", "", "3 March 2026"), NamedScene(wild, "Wilder", "", "5 March 2026")]
    with tempfile.TemporaryDirectory() as folder:
        file = Path(folder) / "ridge-station.html"
        file.write_bytes(ReviewPage().deliver_all(states).content)
        page.goto(file.as_uri())
        page.wait_for_selector("body[data-ready]")
        page.check("#beside")
        page.click("#versions button >> nth=1")
        page.wait_for_function("() => window.review.seen().length === 2")
        page.evaluate("window.review.go(64)")
        page.fill("#remark", "The dish looks up too early.")
        page.click("text=Add at this frame")
        page.evaluate("() => new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done)))")
        _keep(page, "review")


def _pictured(page: Page, where: str) -> None:
    """Open a scene, and wait until its stage is kept as its picture."""
    with page.expect_response(lambda answer: "/picture?revision" in answer.url):
        page.goto(where)
        page.wait_for_selector("body[data-ready]")
        page.evaluate("() => window.lazzik.transport.go(60)")


def _settled(page: Page, frame: int) -> None:
    """The studio at a frame, its surfaces there."""
    page.wait_for_selector("body[data-ready]")
    page.evaluate("frame => window.lazzik.transport.go(frame)", frame)
    page.wait_for_function(
        """frame => [...window.lazzik.surfaces.kept.values()].every(
        (surface) => surface.frames.has(surface.still ? 0 : frame))""",
        arg=frame, timeout=180_000,
    )  # fmt: skip


def _quiet(page: Page) -> None:
    """Nothing is being worked out any more."""
    page.wait_for_function("() => !document.querySelector('#jobs .job')", timeout=180_000)


def _keep(page: Page, name: str) -> None:
    page.evaluate("() => document.fonts.ready")
    page.mouse.move(700, 30)
    page.wait_for_timeout(900)
    page.screenshot(path=FOLDER / f"{name}.png")


if __name__ == "__main__":
    main()
