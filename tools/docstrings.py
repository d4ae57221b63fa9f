"""`python -m tools.docstrings`: counts the functions of core that take or give arrays and say fully what these are.

Fully is: sections as NumPy's own documentation has them, with the shape and the unit of every array that is taken
(Parameters) and given (Returns or Yields), and the errors that are raised (Raises). A method that is another class's,
overridden, has the sections of that one.
"""

from __future__ import annotations

import ast
import re
import sys
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path

ROOT = Path(__file__).parent.parent
CORE = ROOT / "lazzik" / "core"
ALIASES = {"NDArray", "ArrayLike", *re.findall(r"^(\w+) = NDArray", (CORE / "types.py").read_text(), re.MULTILINE)}

Function = ast.FunctionDef


@dataclass(frozen=True)
class Found:
    """A function of core with what is missing from its docstring."""

    place: str
    missing: tuple[str, ...]


@dataclass
class Class:
    """A class of core: what it builds on, and its methods."""

    bases: tuple[str, ...]
    methods: dict[str, Function] = field(default_factory=dict)


def counted() -> list[Found]:
    """Every public function of core that takes or gives arrays."""
    trees = {path: ast.parse(path.read_text()) for path in sorted(CORE.rglob("*.py"))}
    classes = {name: item for tree in trees.values() for name, item in _classes(tree)}
    out = []
    for path, tree in trees.items():
        for owner, function in _functions(tree):
            if owner and _inherits(classes, owner, function.name):
                continue
            if taken(function) or gives(function):
                name = f"{owner}.{function.name}" if owner else function.name
                place = f"{path.relative_to(ROOT)}:{function.lineno} {name}"
                out.append(Found(place, tuple(missing(function))))
    return out


def _classes(tree: ast.Module) -> Iterator[tuple[str, Class]]:
    for node in tree.body:
        if isinstance(node, ast.ClassDef):
            bases = tuple(re.split(r"[.\[]", ast.unparse(base))[-1] for base in node.bases)
            bases += tuple(re.findall(r"the protocol `(\w+)`", ast.get_docstring(node) or ""))
            methods = {item.name: item for item in node.body if isinstance(item, Function)}
            yield node.name, Class(bases, methods)


def _functions(tree: ast.Module) -> Iterator[tuple[str, Function]]:
    for node in tree.body:
        if isinstance(node, Function) and not node.name.startswith("_"):
            yield "", node
        elif isinstance(node, ast.ClassDef) and not node.name.startswith("_"):
            yield from ((node.name, item) for item in node.body if isinstance(item, Function) and item.name[0] != "_")


def _inherits(classes: dict[str, Class], owner: str, method: str) -> bool:
    """Whether a class that this one builds on has the method."""
    bases = [classes[base] for base in classes[owner].bases if base in classes]
    return any(method in base.methods for base in bases) or any(
        _inherits(classes, name, method) for name in classes[owner].bases if name in classes
    )


def _is_array(annotation: ast.expr | None) -> bool:
    return annotation is not None and bool(ALIASES & set(re.findall(r"\w+", ast.unparse(annotation))))


def taken(function: Function) -> list[str]:
    """Names of the parameters that are arrays."""
    given = function.args
    return [arg.arg for arg in (*given.posonlyargs, *given.args, *given.kwonlyargs) if _is_array(arg.annotation)]


def gives(function: Function) -> bool:
    """Whether what it returns holds arrays."""
    return _is_array(function.returns)


def missing(function: Function) -> Iterator[str]:
    """What its docstring does not say."""
    text = ast.get_docstring(function) or ""
    heads = [row.split(" : ")[0] for row in section(text, "Parameters") if " : " in row]
    said = {name.strip() for head in heads for name in head.split(",")}
    yield from (f"what {name} is" for name in taken(function) if name not in said)
    if gives(function) and not section(text, "Returns") and not section(text, "Yields"):
        yield "what it returns"
    raised = {name.strip() for row in section(text, "Raises") for name in row.split(",")}
    yield from (f"that it raises {name}" for name in sorted(raises(function) - raised))


def section(text: str, title: str) -> list[str]:
    """The heads of a section's entries: its lines that are not indented."""
    found = re.search(rf"^{title}\n-+\n(.*?)(?=\n\n|\Z)", text, re.MULTILINE | re.DOTALL)
    return [line for line in found[1].split("\n") if line[:1].strip()] if found else []


def raises(function: Function) -> set[str]:
    """Names of the errors that it raises itself, save that of a method which kinds have to write."""
    names = set()
    for node in ast.walk(function):
        if isinstance(node, ast.Raise) and node.exc is not None:
            error = node.exc.func if isinstance(node.exc, ast.Call) else node.exc
            names.add(ast.unparse(error))
    return names - {"NotImplementedError"}


if __name__ == "__main__":
    every = counted()
    lacking = [item for item in every if item.missing]
    for item in lacking:
        print(f"{item.place} does not say {', '.join(item.missing)}")
    print(f"{len(every) - len(lacking)} of {len(every)} functions that take or give arrays say fully what these are")
    sys.exit(bool(lacking))
