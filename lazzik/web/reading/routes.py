"""Motion read: a recipe from a table of measurements, or from what a number does in the scene."""

from __future__ import annotations

from functools import partial
from typing import Annotated

from fastapi import APIRouter, Form, Request, Response, UploadFile

from lazzik.core.errors import InvalidEdit
from lazzik.core.reading.outcome import Take
from lazzik.core.scene.address import Address, exists, find_at, title
from lazzik.core.scene.scene import Scene
from lazzik.web.deps import Heavy, Store, source_of
from lazzik.web.jobs import Running
from lazzik.web.reading.view import TakeOf, numbers_page, table_page
from lazzik.web.requests.fields import Also
from lazzik.web.requests.uploads import spooled
from lazzik.web.ui.templating import templates

router = APIRouter(prefix="/scenes/{scene_id}/reading")

MOST_AT_ONCE = 8
"""Columns that are read where none is asked for."""

TAKE_WORDS: tuple[tuple[Take, str], ...] = (
    ("measured", "as measured"), ("kind", "the same kind, new take"), ("calmer", "calmer"), ("stronger", "stronger"),
)  # fmt: skip

SECONDS, MEMORY = 60.0, 2 * 2**30
"""Seconds and bytes that reading may take."""


@router.get("")
def page(request: Request, scene_id: str, store: Store, at: str = "", also: Also = ()) -> Response:
    """The page on which a curve is read."""
    state = store.open(scene_id)
    chosen = [text for text in (at, *also) if text and exists(state.scene, text)]
    numbers = tuple(dict.fromkeys(str(Address.parse(text).channel) for text in chosen))
    content = {
        "state": state, "scene": state.scene, "step": "recipes", "numbers": numbers, "takes": TAKE_WORDS,
        "number": _called(state.scene, numbers),
        "unit": find_at(state.scene, numbers[0]).quantity.unit if numbers else "",
    }  # fmt: skip
    return templates.TemplateResponse(request, "reading/page.html", content)


@router.post("")
def read(
    request: Request,
    scene_id: str,
    store: Store,
    jobs: Running,
    heavy: Heavy,
    file: UploadFile | None = None,
    on: Annotated[list[str] | None, Form(max_length=1000)] = None,
    column: Annotated[list[str] | None, Form(max_length=1000)] = None,
    fps: Annotated[float, Form(gt=0, le=1000)] = 30.0,
    unit: Annotated[str, Form(max_length=12)] = "",
    take: Annotated[Take, Form()] = "measured",
    seed: Annotated[int, Form(ge=0, le=99_999)] = 1,
    around: Annotated[bool, Form()] = False,
) -> Response:
    """What a table's columns are made of; without one, what the chosen numbers do in the scene."""
    state = store.open(scene_id)
    numbers = tuple(on or ())
    columns: tuple[str, ...] = ()
    wanted = TakeOf(take=take, seed=seed, around=around)
    within = partial(heavy.run, memory=MEMORY, seconds=SECONDS)
    if file is not None and file.filename:
        with spooled(jobs.folder, file) as path:
            found, columns = within(table_page, path, column, fps, MOST_AT_ONCE, wanted, numbers, unit)
    elif numbers:
        found = within(numbers_page, source_of(store, state), numbers, wanted, unit)
    else:
        raise InvalidEdit("There is nothing to read yet: choose a table, or a number in the studio", "file")
    content = {
        "read": found, "state": state, "numbers": numbers, "columns": columns, "number": _called(state.scene, numbers),
    }  # fmt: skip
    return templates.TemplateResponse(request, "reading/found.html", content)


def _called(scene: Scene, numbers: tuple[str, ...]) -> str:
    return title(scene, Address.parse(numbers[0])) if len(numbers) == 1 else f"{len(numbers)} numbers"
