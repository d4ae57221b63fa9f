"""`python -m tools.reference`: writes docs/reference.md from what the kinds, shapes and edits say of themselves."""

from __future__ import annotations

import inspect
from collections.abc import Iterator
from pathlib import Path
from types import ModuleType
from typing import Any, get_args

from lazzik.core.air import FIELD_KINDS
from lazzik.core.channel.layer import numbers_of
from lazzik.core.deformers import BY_KIND as DEFORMERS
from lazzik.core.document import LARGEST, Quantity, option_of
from lazzik.core.evaluate import aimed, aiming, copies
from lazzik.core.geometry.shapes import SHAPES
from lazzik.core.layers import BY_KIND
from lazzik.core.scene import sheaf
from lazzik.core.scene.aim import Aim, AimPoint
from lazzik.core.scene.cloth import Cloth, Pin
from lazzik.core.scene.edits.every import AnyEdit
from lazzik.core.scene.emitter import Emitter
from lazzik.core.scene.node import Camera, Light, Look, Node, channels_of
from lazzik.core.scene.scatter import Scatter
from lazzik.core.scene.sheaf import Sheaf
from lazzik.core.scene.swarm import Swarm
from lazzik.core.simulate import (
    between,
    cloth,
    coarse,
    colliders,
    contacts,
    draped,
    fabric,
    filling,
    motion,
    particles,
    pbf,
    playback,
    shell,
    swarm,
    xpbd,
)

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
    yield "## Aim"
    yield ""
    yield (Aim.__doc__ or "").strip()
    yield ""
    yield from _table(numbers_of(Aim) | {f"point.{name}": quantity for name, quantity in numbers_of(AimPoint).items()})
    yield ""
    for setting in Aim.settings():
        option = option_of(Aim, setting)
        yield f"- `{setting}`: {option.help} {', '.join(f'{value} ({word})' for value, word in option.words.items())}"
    yield ""
    yield "```text"
    yield (inspect.getdoc(aiming) or "").strip()
    yield ""
    yield (inspect.getdoc(aimed) or "").strip()
    yield "```"
    yield ""
    for heading, kinds in (("Deformer kinds", DEFORMERS), ("What moves the air", FIELD_KINDS)):
        yield f"## {heading}"
        yield ""
        for name, described in kinds.items():
            yield from _part(f"### {described.title} (`{name}`)", described, described.summary)
    yield from _part("## Scatter", Scatter, (Scatter.__doc__ or "").strip(), copies)
    yield from _part(
        "## Emitters", Emitter, (Emitter.__doc__ or "").strip(), motion, particles, colliders, between, playback
    )
    yield from _part("## Cloth", Cloth, (Cloth.__doc__ or "").strip(), cloth, xpbd, fabric, draped, coarse)
    yield f"A pin has a place and: {', '.join(f'`{name}` ({q.help})' for name, q in numbers_of(Pin).items())}"
    yield ""
    yield from _part("## Swarms", Swarm, (Swarm.__doc__ or "").strip(), swarm, pbf, filling, contacts, shell)
    yield "## Sheaves"
    yield ""
    yield from _table(numbers_of(Sheaf))
    yield ""
    yield "```text"
    yield (inspect.getdoc(sheaf) or "").strip()
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
    for edit in get_args(get_args(AnyEdit)[0]):
        given = ", ".join(f"`{field}`" for field in edit.model_fields if field != "do")
        told = " ".join((edit.__doc__ or "").split("\n\n")[0].split())
        yield f"- `{edit.model_fields['do'].default}` ({given}): {told}"


def _part(heading: str, kind: Any, summary: str, *modules: ModuleType) -> Iterator[str]:
    """A part of an object that describes itself: its numbers, its choices, and the formulas of its modules."""
    yield heading
    yield ""
    yield summary
    yield ""
    yield from _table(numbers_of(kind))
    yield ""
    for setting, choices in kind.settings().items():
        yield f"- `{setting}`: {', '.join(str(choice) for choice in choices)}"
    yield ""
    for module in modules or (inspect.getmodule(kind),):
        yield "```text"
        yield (inspect.getdoc(module) or "").strip()
        yield "```"
        yield ""


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
