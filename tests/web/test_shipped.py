"""What ships with the application comes in few pieces, and is kept for good by whoever has it."""

from __future__ import annotations

import re

import pytest
from starlette.testclient import TestClient

from lazzik.web.ui.shipped import LIBRARIES, SHIPPED, Shipped


def test_a_page_names_one_script_and_one_style(client: TestClient) -> None:
    page = client.get("/scenes").text
    modules = re.findall(r'<script type="module" src="([^"]+)"', page)
    styles = re.findall(r'<link rel="stylesheet" href="([^"]+)"', page)
    assert modules == [f"{SHIPPED.base}/joined/scenes/scenes.js"]
    assert len(styles) == 1
    script, style = client.get(modules[0]), client.get(styles[0])
    assert (script.status_code, script.headers["content-type"]) == (200, "text/javascript; charset=utf-8")
    # what every page runs, what this one runs, and no statement by which a browser would ask for more
    assert "lazzik-theme" in script.text
    assert '"scene-count"' in script.text or "#scene-count" in script.text
    assert re.findall(r"(?:^|[;\n])\s*(?:import|export)\s*[{*\"']", script.text) == []
    for rule in (".btn-primary", "@font-face", ".head", ".starts"):
        assert rule in style.text


def test_what_a_page_takes_from_others_comes_in_one_piece(client: TestClient) -> None:
    (name,) = re.findall(r'<script src="([^"]+)" defer>', client.get("/scenes").text)
    text = client.get(name).text
    each = [SHIPPED.files[library].read_text().strip() for library in LIBRARIES]
    places = [text.index(library) for library in each]
    assert places == sorted(places)
    # nothing but blanks between them, and each ends its last statement, or they would be one
    assert len("".join(each)) + len(each) >= len(text.strip())
    assert all(library.endswith(";") for library in each)


def test_a_page_that_its_script_puts_together_is_not_seen_before(client: TestClient, scene: str) -> None:
    styled = client.get(f"{SHIPPED.base}/css/tokens.css").text
    for page, awaited in ((scene, True), (f"{scene}/versions", True), ("/scenes", False)):
        text = client.get(page).text
        assert bool(re.search(r'<script type="module" src="[^"]+" blocking="render">', text)) == awaited
        fonts = re.findall(r'<link rel="preload" href="([^"]+)" as="font" type="font/woff2" crossorigin>', text)
        assert len(fonts) == 3 * awaited
        # what is asked for twice under two names would be fetched twice
        for font in fonts:
            assert f'url("../{font.removeprefix(f"{SHIPPED.base}/")}")' in styled
            assert client.get(font).status_code == 200


def test_what_is_versioned_is_kept_for_good_and_the_rest_is_asked_about(client: TestClient) -> None:
    kept = client.get(f"{SHIPPED.base}/lib/api.js")
    assert "immutable" in kept.headers["cache-control"]
    asked = client.get("/static/lib/api.js")
    assert asked.headers["cache-control"] == "no-cache"
    assert asked.content == kept.content
    again = client.get("/static/lib/api.js", headers={"if-none-match": asked.headers["etag"]})
    assert (again.status_code, again.content) == (304, b"")
    head = client.head(f"{SHIPPED.base}/lib/api.js")
    assert (head.content, int(head.headers["content-length"])) == (b"", len(kept.content))


NOT_THERE = (
    "/", "/lib", "/nothing.js", "/../app.py", "/lib/../../app.py", "/joined/nothing.js", "/000000000000/lib/api.js",
)  # fmt: skip


@pytest.mark.parametrize("name", NOT_THERE)
def test_what_is_not_there_is_not_found(client: TestClient, name: str) -> None:
    assert client.get(f"/static{name}").status_code == 404
    assert client.post(f"/static{name}").status_code in (404, 405)


def test_an_address_is_another_once_a_file_is() -> None:
    before, path = Shipped().version, SHIPPED.files["lib/api.js"]
    assert Shipped().version == before
    other = Shipped()
    other.files = {**other.files, "lib/api.js": path.with_name("dom.js")}
    assert other.version != before


def test_every_drawing_that_a_page_names_is_there(client: TestClient, scene: str) -> None:
    drawings = set(re.findall(r'<symbol[^>]*\bid="([^"]+)"', client.get(f"{SHIPPED.base}/icons.svg").text))
    named = set()
    for page in ("/scenes", scene, f"{scene}/versions", f"{scene}/deliver", "/shelf"):
        named |= set(re.findall(r'icons\.svg#([\w-]+)"', client.get(page).text))
    assert len(named) > 25
    assert named <= drawings
    assert {"play-fill", "pause-fill"} <= drawings
    assert len(drawings) < 200
