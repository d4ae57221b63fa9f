"""What every route needs: the store, the kept motion, and the templates."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, cast

from fastapi import Depends, Request
from fastapi.templating import Jinja2Templates
from jinja2 import StrictUndefined

from lazzik.core.errors import LazzikError
from lazzik.core.evaluate.coarse import CoarseMarks
from lazzik.core.evaluate.memo import Memo
from lazzik.core.scene.address import Address, find, find_layer
from lazzik.core.scene.scene import Scene
from lazzik.store.scenes import SceneStore, State
from lazzik.web.lanes import shown
from lazzik.work.pool import Workers
from lazzik.work.source import Source

MOST_CHOSEN = 1000

HERE = Path(__file__).parent

templates = Jinja2Templates(HERE / "templates")
templates.env.undefined = StrictUndefined
templates.env.trim_blocks = templates.env.lstrip_blocks = True
templates.env.filters["shown"] = shown
templates.env.filters["combined"] = lambda one, other: {**one, **other}


def _store(request: Request) -> SceneStore:
    return cast(SceneStore, request.app.state.store)


def _memo(request: Request) -> Memo:
    return cast(Memo, request.app.state.memo)


def _marks(request: Request) -> CoarseMarks:
    return cast(CoarseMarks, request.app.state.marks)


def _workers(request: Request) -> Workers:
    return cast(Workers, request.app.state.workers)


Store = Annotated[SceneStore, Depends(_store)]
Kept = Annotated[Memo, Depends(_memo)]
Marked = Annotated[CoarseMarks, Depends(_marks)]
Heavy = Annotated[Workers, Depends(_workers)]


def source_of(store: SceneStore, state: State) -> Source:
    """Where a worker finds a state."""
    return Source(store.folder, state.id, state.revision)


def chosen(scene: Scene, at: str | None) -> Address | None:
    """The address that a page was asked to show; one that leads nowhere any more falls back to what is left of it."""
    if not at:
        return first_choice(scene)
    address = Address.parse(at)
    for fallback in (address, address.channel, Address(address.node, address.path)):
        try:
            find(scene, fallback)
            if fallback.layer:
                find_layer(scene, fallback)
        except LazzikError:
            continue
        return fallback
    return first_choice(scene)


def chosen_also(scene: Scene, texts: tuple[str, ...], primary: Address | None) -> tuple[Address, ...]:
    """The numbers chosen beside the first one that are still there, each once."""
    found: dict[str, Address] = {}
    for text in texts[:MOST_CHOSEN]:
        try:
            address = Address.parse(text).channel
            find(scene, address)
        except LazzikError:
            continue
        if primary is None or str(address) != str(primary.channel):
            found[str(address)] = address
    return tuple(found.values())


def first_choice(scene: Scene) -> Address | None:
    """What is open when nothing was chosen: the last object that has a shape, else any, turned about z."""
    shapes = [node for node in scene.nodes if node.shape] or list(scene.nodes)
    return Address(shapes[-1].id, "rotation.z") if shapes else None
