"""The templates: each room has a folder of its own, and its name stands before theirs ('bake/page.html')."""

from __future__ import annotations

from contextlib import suppress
from pathlib import Path

from fastapi.templating import Jinja2Templates
from jinja2 import Environment, FileSystemBytecodeCache, FileSystemLoader, PrefixLoader, StrictUndefined
from jinja2.bccache import Bucket

from lazzik.web.ui.knob import shown
from lazzik.web.ui.shipped import SHIPPED

WEB = Path(__file__).parents[1]

COMPILED = Path(__file__).parent / "__pycache__"
"""Where templates are kept as they are compiled, beside what Python keeps of the modules: to compile all takes a
second. A template that has changed since is compiled anew."""


class _Compiled(FileSystemBytecodeCache):
    """Reads where it may not write, and goes without where there is no room."""

    def load_bytecode(self, bucket: Bucket) -> None:
        with suppress(OSError):
            super().load_bytecode(bucket)

    def dump_bytecode(self, bucket: Bucket) -> None:
        with suppress(OSError):
            COMPILED.mkdir(exist_ok=True)
            super().dump_bytecode(bucket)


def _environment() -> Environment:
    rooms = {folder.parent.name: FileSystemLoader(folder) for folder in sorted(WEB.glob("*/templates"))}
    environment = Environment(
        loader=PrefixLoader(rooms), autoescape=True, undefined=StrictUndefined, trim_blocks=True, lstrip_blocks=True,
        bytecode_cache=_Compiled(str(COMPILED)),
    )  # fmt: skip
    environment.globals["shipped"] = SHIPPED
    environment.filters["shown"] = shown
    environment.filters["paired"] = lambda words: [(word, word) for word in words]
    environment.filters["labelled"] = lambda items: [(item.id, item.label) for item in items]
    environment.filters["combined"] = lambda one, other: {**one, **other}
    return environment


templates = Jinja2Templates(env=_environment())


def compile_templates() -> int:
    """Compile every template and keep it so; how many there are."""
    names = templates.env.list_templates()
    for name in names:
        templates.env.get_template(name)
    return len(names)
