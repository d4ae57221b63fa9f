"""The documents keep up with the program."""

from __future__ import annotations

import ast
import re
from pathlib import Path

import pytest

from tools import airpages, docstrings, layerpages
from tools.reference import FILE, reference

ROOT = Path(__file__).parent.parent
PAGES = [ROOT / "README.md", ROOT / "CONTRIBUTING.md", *sorted((ROOT / "docs").glob("**/*.md"))]


def test_the_reference_is_what_the_program_says() -> None:
    assert FILE.read_text() == reference(), "run: python -m tools.reference"


def test_the_page_of_layers_shows_every_kind_as_the_demo_uses_it() -> None:
    for name, text in layerpages.files().items():
        assert (layerpages.FOLDER / name).read_text() == text, f"{name}: run python -m tools.layerpages"


def test_the_page_of_the_air_shows_what_every_number_does() -> None:
    for name, text in airpages.files().items():
        there = (airpages.FOLDER / name).read_text()
        number = r"-?\d+\.\d+"  # what is drawn may differ by the last digit that is written from machine to machine
        assert re.sub(number, "", there) == re.sub(number, "", text), f"{name}: run python -m tools.airpages"
        drawn, anew = ([float(found) for found in re.findall(number, each)] for each in (there, text))
        assert drawn == pytest.approx(anew, abs=0.11), f"{name}: run python -m tools.airpages"


@pytest.mark.parametrize("page", PAGES, ids=lambda page: page.name)
def test_links_lead_somewhere(page: Path) -> None:
    for link in re.findall(r"\]\(([^)#]+)", page.read_text()):
        assert link.startswith("http") or (page.parent / link).exists(), link


def test_every_dependency_has_its_reason() -> None:
    text = (ROOT / "docs" / "developing.md").read_text()
    for file in ("requirements.in", "requirements-dev.in"):
        lines = (ROOT / file).read_text().splitlines()
        names = [line.partition(";")[0] for line in lines if line and line[0] not in "#-"]
        assert [name for name in names if f"`{name}`" not in text] == []


def test_every_vendored_library_is_listed_with_its_licence() -> None:
    folder = ROOT / "lazzik" / "web" / "static" / "vendor"
    listed = (folder / "VENDORED.md").read_text()
    for library in (path for path in folder.iterdir() if path.is_dir()):
        assert (library / "LICENSE").exists()
        assert f"{library.name} |" in listed


def test_files_do_not_name_where_packages_come_from() -> None:
    for name in ("requirements.txt", "requirements-dev.txt", "package-lock.json"):
        assert "://" not in "".join(
            line for line in (ROOT / name).read_text().splitlines() if '"url"' not in line and "funding" not in line
        )


def test_every_function_of_core_that_takes_or_gives_arrays_says_fully_what_these_are() -> None:
    found = docstrings.counted()
    assert len(found) > 100
    assert [item for item in found if item.missing] == []


def test_what_a_docstring_lacks_is_found() -> None:
    text = '''
def mean(rows: Points, weights: Samples) -> Samples:
    """The mean.

    Parameters
    ----------
    rows : (n, 3) array
        Metres.
    """
    raise ValueError("no")
'''
    function = ast.parse(text).body[0]
    assert isinstance(function, ast.FunctionDef)
    assert list(docstrings.missing(function)) == ["what weights is", "what it returns", "that it raises ValueError"]
