"""`python -m tools.reference`: writes docs/reference.md from what the kinds, shapes and edits say of themselves."""

from __future__ import annotations

import inspect
from collections.abc import Iterator
from pathlib import Path

from lazzik.core.channel.layer import numbers_of
from lazzik.core.document import LARGEST, Frozen, Quantity
from lazzik.core.geometry.shapes import SHAPES
from lazzik.core.layers import BY_KIND
from lazzik.core.scene import edits
from lazzik.core.scene.node import Camera, Light, Look, Node, channels_of

FILE = Path(__file__).parent.parent / "docs" / "reference.md"


def reference() -> str:
    """The text of the page."""
    return "\n".join(_lines()) + "\n"


def _lines() -> Iterator[str]:
    yield "# Reference"
    yield ""
    yield "Made by `python -m tools.reference` from what the program says of itself; a test keeps it so."
    yield ""
    yield "## Layer kinds"
    for name, kind in BY_KIND.items():
        yield ""
        yield f"### {kind.title} (`{name}`)"
        yield ""
        yield kind.summary
        yield ""
        yield from _table(numbers_of(kind))
        yield ""
        for setting, choices in kind.settings().items():
            yield f"- `{setting}`: {', '.join(choices)}"
        yield "- `combine`: add, subtract, multiply, replace"
        yield "- `window`: `start`, `end`, `fade_in`, `fade_out` in frames" + (
            ", and `loop` in frames" if kind.loops else ""
        )
        yield ""
        yield "```text"
        yield (inspect.getdoc(inspect.getmodule(kind)) or "").strip()
        yield "```"
    yield ""
    yield "## Numbers of objects"
    yield ""
    node = Node(id="n", label="n", look=Look(), light=Light(), camera=Camera())
    yield from _table({path: quantity for path, _, quantity in channels_of(node)})
    yield ""
    yield "## Shapes"
    yield ""
    for shape in SHAPES:
        fields = ", ".join(f"`{name}`" for name in shape.model_fields if name != "kind")
        yield f"- **{shape.title}**: {(shape.__doc__ or '').strip()} Fields: {fields}."
    yield ""
    yield "## Edits"
    yield ""
    yield "What `POST /scenes/{id}/edits` takes, in a list under `edits`, with the `revision` they were made on."
    yield ""
    for name in edits.__all__:
        edit = getattr(edits, name)
        if inspect.isclass(edit) and issubclass(edit, Frozen) and edit is not edits.Edit:
            given = ", ".join(f"`{field}`" for field in edit.model_fields if field != "do")
            yield f"- `{edit.model_fields['do'].default}` ({given}): {(edit.__doc__ or '').strip()}"


def _table(numbers: dict[str, Quantity]) -> Iterator[str]:
    yield "| number | unit | usual range | limits | what it does |"
    yield "| --- | --- | --- | --- | --- |"
    for name, quantity in numbers.items():
        low = f"from {quantity.low:g}" if quantity.low > -LARGEST else ""
        high = f"to {quantity.high:g}" if quantity.high < LARGEST else ""
        unit = {"own": "the channel's", "": "–"}.get(quantity.unit, quantity.unit)
        seen = " × what is well seen there" if quantity.unit == "own" else ""
        yield (
            f"| `{name}` | {unit} | {quantity.useful[0]:g} to {quantity.useful[1]:g}{seen} "
            f"| {' '.join(part for part in (low, high) if part) or '–'} | {quantity.help} |"
        )


if __name__ == "__main__":
    FILE.write_text(reference())
