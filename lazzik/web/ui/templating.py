"""The templates: each room has a folder of its own, and its name stands before theirs ('bake/page.html')."""

from __future__ import annotations

from pathlib import Path

from fastapi.templating import Jinja2Templates
from jinja2 import Environment, FileSystemLoader, PrefixLoader, StrictUndefined

from lazzik.web.ui.knob import shown
from lazzik.web.ui.shipped import SHIPPED

WEB = Path(__file__).parents[1]


def _environment() -> Environment:
    rooms = {folder.parent.name: FileSystemLoader(folder) for folder in sorted(WEB.glob("*/templates"))}
    environment = Environment(
        loader=PrefixLoader(rooms), autoescape=True, undefined=StrictUndefined, trim_blocks=True, lstrip_blocks=True
    )
    environment.globals["shipped"] = SHIPPED
    environment.filters["shown"] = shown
    environment.filters["paired"] = lambda words: [(word, word) for word in words]
    environment.filters["labelled"] = lambda items: [(item.id, item.label) for item in items]
    environment.filters["combined"] = lambda one, other: {**one, **other}
    return environment


templates = Jinja2Templates(env=_environment())
