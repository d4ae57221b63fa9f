"""One thing, one word: in the code, on the screens and in the documents."""

from __future__ import annotations

import ast
import re
from collections import Counter
from collections.abc import Iterator
from pathlib import Path

import pytest

ROOT = Path(__file__).parent.parent
SOURCES = sorted((ROOT / "lazzik").rglob("*.py"))
TEMPLATES = sorted((ROOT / "lazzik").rglob("*.html"))
GLOSSARY = (ROOT / "docs" / "words.md").read_text()

ROWS = [[cell.strip() for cell in row.strip("|").split("|")] for row in re.findall(r"^\| .*", GLOSSARY, re.M)[2:]]

HIDING = {"held", "said", "told", "bring", "sums", "rest", "text", "lanes", "sheets"}
"""Names that hide the field's own term; no module, class or function is called so."""

OTHERS = {
    "node": "object",
    "item": "object",
    "keyframe": "key",
    "timeline": "strata",
    "preset": "recipe",
    "expression": "formula",
    "revision": "step",
}
"""Words that a screen could use for a thing of ours, and the one that it uses."""


def _names(path: Path) -> Iterator[tuple[str, str]]:
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.ClassDef | ast.FunctionDef):
            yield type(node).__name__, node.name


def test_no_module_class_or_function_hides_what_it_is() -> None:
    modules = {path.stem for path in SOURCES}
    functions = {name for path in SOURCES for _, name in _names(path)}
    assert (modules | functions) & HIDING == set()


def test_two_classes_never_share_a_name() -> None:
    found = Counter(name for path in SOURCES for kind, name in _names(path) if kind == "ClassDef")
    assert [name for name, count in found.items() if count > 1] == []


def test_the_glossary_says_each_word_once_and_in_the_order_of_the_work() -> None:
    words = [row[0] for row in ROWS]
    assert len(words) > 25
    assert len(set(words)) == len(words)
    assert len({row[1] for row in ROWS}) == len(words)


@pytest.mark.parametrize(("word", "meaning", "code"), ROWS, ids=[row[0] for row in ROWS])
def test_a_word_of_the_glossary_is_used_and_its_name_in_the_code_is_there(word: str, meaning: str, code: str) -> None:
    pages = " ".join(path.read_text().lower() for path in [ROOT / "docs" / "guide.md", *TEMPLATES])
    assert re.search(rf"\b{word}s?\b", pages), "nobody would meet this word"
    assert word not in meaning.split(), "explained by itself"
    sources = " ".join(path.read_text() for path in [*SOURCES, *(ROOT / "lazzik" / "web").glob("*/static/*.js")])
    for name in re.findall(r"`(\w+)(?:\.\w+)?`", code):
        assert re.search(rf"\b{name}\b", sources), name


def _seen(template: str) -> str:
    """The words of a page part that a person reads: its text and its titles, without what is filled in."""
    text = re.sub(r"\{#.*?#\}|\{%.*?%\}|\{\{.*?\}\}", " ", template, flags=re.S)
    titles = re.findall(r'(?:title|aria-label|placeholder)="([^"]*)"', text)
    return " ".join([re.sub(r"<(script|style).*?</\1>|<[^>]*>", " ", text, flags=re.S), *titles]).lower()


@pytest.mark.parametrize("path", TEMPLATES, ids=lambda path: f"{path.parent.parent.name}-{path.stem}")
def test_a_screen_has_one_word_for_a_thing(path: Path) -> None:
    words = set(re.findall(r"[a-z]+", _seen(path.read_text())))
    wrong = {word: ours for word, ours in OTHERS.items() if {word, f"{word}s"} & words}
    assert wrong == {}
