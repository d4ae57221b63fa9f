"""The scripts that ship with the program: modules, and one script made of several, which a browser gets in one piece.

Each module becomes a function that is called once and gives what it exports; what it imports is taken from what those
before it gave. That holds for modules as they are written here and by whom we take them from: they import and export by
statements that begin a line, export what never changes, and import each other in no circles.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from pathlib import Path

WEB = Path(__file__).parents[2] / "web"
"""Where the scripts and styles are that ship with the program."""

PLACES = {"three/addons/": "static/vendor/three/addons/", "three": "static/vendor/three/three.module.js"}
"""What scripts import by these names, as in the import map of every page."""

VENDORED = WEB / "static/vendor"

STATEMENT = re.compile(
    r"""^(?:import\s+(?:(?P<taken>\{[^}]*\}|\*\s+as\s+\w+)\s+from\s+)?["'](?P<source>[^"']+)["'];"""
    r"""|export\s+(?P<given>\{[^}]*\})(?:\s+from\s+["'](?P<passed>[^"']+)["'])?;"""
    r"""|export\s+(?=(?:const\s+|class\s+|(?:async\s+)?function(?:\s*\*\s*|\s+))(?P<declared>\w+)))""",
    re.M,
)
"""What a module imports, exports and passes on (ECMA-262, 16.2)."""


def joined(entries: Sequence[Path]) -> str:
    """One module that does what some modules do, one after the other, with all that they import. What is taken from
    others is without comments and without blanks that nothing needs. (What is written here is not: whoever strips it
    would have to know templates within templates.)"""
    from rjsmin import jsmin

    places: dict[Path, int] = {}
    parts: list[str] = []

    def add(path: Path) -> str:
        """Put a module in, unless it is there; what stands for all that it exports."""
        if path not in places:
            text = _function(path, lambda name: add(module_of(path, name)))
            places[path] = len(parts)
            if VENDORED in path.parents:
                text = f"{jsmin(text)}\n"
            # only what begins a page may wait for something
            call = f"await (async () => {{\n{text}}})();" if path in entries else f"(() => {{\n{text}}})();"
            parts.append(f"// {path.relative_to(WEB)}\nconst module${len(parts)} = {call}\n")
        return f"module${places[path]}"

    for entry in entries:
        add(entry)
    return "".join(parts)


def module_of(path: Path, name: str) -> Path:
    """The file of a module that another one imports."""
    if name.startswith("."):
        return (path.parent / name).resolve()
    if name.startswith("lazzik/"):
        room, _, rest = name.removeprefix("lazzik/").partition("/")
        return (WEB / ("static/lib" if room == "lib" else f"{room}/static") / rest).resolve()
    head = next(head for head in PLACES if name == head or (head.endswith("/") and name.startswith(head)))
    return (WEB / (PLACES[head] + name[len(head) :])).resolve()


def _function(path: Path, of: Callable[[str], str]) -> str:
    """The body of a function that does what a module does and gives what it exports."""
    given: list[str] = []

    def instead(found: re.Match[str]) -> str:
        if found["source"]:
            source, what = of(found["source"]), found["taken"]
            if what is None:
                return ""
            name = what.split()[-1] if what.startswith("*") else what.replace(" as ", ": ")
            return f"const {name} = {source};"
        if found["given"]:
            source = f"{of(found['passed'])}." if found["passed"] else ""
            given.extend(f"{outer}: {source}{inner}" for inner, outer in _pairs(found["given"]))
        else:
            given.append(found["declared"])
        return ""

    text = STATEMENT.sub(instead, path.read_text())
    return f"{text}\nreturn {{ {', '.join(given)} }};\n"


def _pairs(braces: str) -> list[tuple[str, str]]:
    """The names within, and what they are called outside."""
    items = [item.split() for item in braces.strip("{} \n\t").split(",") if item.strip()]
    return [(item[0], item[-1]) for item in items]
