"""How the web is laid out: what holds for every room."""

from __future__ import annotations

import ast
import re
from collections import Counter
from html.parser import HTMLParser
from pathlib import Path

import pytest
from fastapi import FastAPI
from starlette.testclient import TestClient

import lazzik.web
from lazzik.web.rooms import FRONT, ROUTES

WEB = Path(lazzik.web.__file__).parent
CODE = sorted(WEB.parent.rglob("*.py"))

PAGES = (
    "/login", "/scenes", "{scene}", "{scene}?at=cloth/shape", "{scene}?at=beacon-mast/rotation.z%23gust",
    "{scene}/bake?at=beacon-mast/rotation.z", "{scene}/recipes?at=beacon-mast/rotation.z", "{scene}/deliver",
    "{scene}/versions?a=0",
)  # fmt: skip


class Ids(HTMLParser):
    """The ids of a page, and how often each stands there."""

    def __init__(self) -> None:
        super().__init__()
        self.found: Counter[str] = Counter()

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.found.update(value for name, value in attrs if name == "id" and value)


@pytest.mark.parametrize("page", PAGES)
def test_every_id_stands_once_in_a_page(client: TestClient, scene: str, page: str) -> None:
    answer = client.get(page.format(scene=scene))
    assert answer.status_code == 200
    ids = Ids()
    ids.feed(answer.text)
    assert len(ids.found) >= 3
    assert [name for name, count in ids.found.items() if count > 1] == []


def test_lines_of_templates_can_be_read() -> None:
    lines = [(path, line) for path in WEB.glob("*/templates/*.html") for line in path.read_text().splitlines()]
    assert len(lines) > 500
    assert [f"{path.name}: {line[:60]}" for path, line in lines if len(line) > 140] == []


def test_fields_are_written_by_the_macros_that_all_rooms_share() -> None:
    """What is typed or chosen from a list; ticks, files, colours and what is hidden have types of their own."""
    parts = [path for path in WEB.glob("*/templates/*.html") if path.parent.parent.name != "ui"]
    assert len(parts) > 40
    own = {path.name: re.findall(r'<select|<textarea|<input(?![^>]*\btype=")', path.read_text()) for path in parts}
    assert {name: found for name, found in own.items() if found} == {}


def _length(function: ast.FunctionDef | ast.AsyncFunctionDef) -> int:
    """In lines, without what is said of it."""
    words = len((ast.get_docstring(function, clean=False) or "").split("\n")) if ast.get_docstring(function) else 0
    return (function.end_lineno or 0) - function.lineno + 1 - words


def test_functions_fit_on_a_screen() -> None:
    kinds = (ast.FunctionDef, ast.AsyncFunctionDef)
    functions = [(path, n) for path in CODE for n in ast.walk(ast.parse(path.read_text())) if isinstance(n, kinds)]
    assert len(functions) > 500
    long = [f"{path.name}: {n.name}" for path, n in functions if _length(n) > 60]
    assert long == []


def test_a_view_says_by_name_what_it_shows() -> None:
    views = [path.read_text() for path in WEB.rglob("*.py")]
    assert sum(text.count("@dataclass(frozen=True, kw_only=True)") for text in views) > 15
    assert sum(text.count("@dataclass(frozen=True)") for text in views) == 0


def test_every_router_is_served_and_every_script_is_where_it_is_named(client: TestClient, app: FastAPI) -> None:
    assert {path.relative_to(WEB).with_suffix("").as_posix().replace("/", ".") for path in WEB.glob("*/routes.py")} == {
        name for name in (*FRONT, *ROUTES) if name.endswith(".routes")
    }
    named = set()
    for path in [*WEB.glob("*/templates/*.html"), *WEB.glob("*/static/*.js"), *WEB.glob("static/lib/*.js")]:
        text = path.read_text()
        named |= {f"/static/{name}" for name in re.findall(r'"{{ shipped.base }}/([\w./-]+\.(?:js|css|svg))', text)}
        named |= {f"/static/{name}" for name in re.findall(r'shipped.script\("([\w./-]+)"\)', text)}
        named |= {f"/static/{script}" for script in re.findall(r'from "lazzik/([\w./-]+)"', text)}
        here = "/static/lib" if path.parent.name == "lib" else f"/static/{path.parent.parent.name}"
        named |= {f"{here}/{script}" for script in re.findall(r'from "\./([\w.-]+)"', text)}
    assert len(named) > 40
    assert [url for url in sorted(named) if client.get(url).status_code != 200] == []


def test_a_room_has_one_style_sheet_and_colours_are_named_in_one_place() -> None:
    sheets = sorted(WEB.glob("*/static/*.css"))
    assert len(sheets) > 8
    assert [sheet.name for sheet in sheets] == [f"{sheet.parent.parent.name}.css" for sheet in sheets]
    page = (WEB / "studio" / "templates" / "page.html").read_text()
    apart = {
        "reading",
        "review",
        "runs",
        "scenes",
        "shelf",
        "versions",
        "ui",
    }  # pages of their own, and what every page has
    assert {sheet.stem for sheet in sheets if f'"{sheet.stem}"' not in page} == apart
    for sheet in [*sheets, WEB / "static" / "css" / "base.css"]:
        bare = re.findall(r"(?<!url\()#[0-9a-fA-F]{3,8}\b(?![-\w])|rgba?\(", sheet.read_text())
        assert bare == [], sheet.name
