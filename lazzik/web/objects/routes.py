"""Objects: added, duplicated, brought in from files."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from dataclasses import asdict
from pathlib import Path
from typing import Annotated, Any

from fastapi import APIRouter, Form, Query, Request, Response, UploadFile

from lazzik.core.air import FIELD_KINDS
from lazzik.core.document import Typed
from lazzik.core.errors import InvalidEdit
from lazzik.core.formats.importer import BROUGHT
from lazzik.core.geometry.font_names import SHIPPED
from lazzik.core.geometry.pictures import kept
from lazzik.web.deps import Heavy, ShelfOf, Store, source_of
from lazzik.web.jobs import Jobs, Running
from lazzik.web.requests.fields import Chosen, Revision
from lazzik.web.requests.uploads import spooled
from lazzik.web.ui.templating import templates
from lazzik.work import tasks

router = APIRouter(prefix="/scenes/{scene_id}")

MOST_OFFERED = 24
"""Things of the shelf on the sheet that adds an object."""


FONTS, PICTURES = (".ttf", ".otf"), (".png", ".jpg", ".jpeg", ".webp")


IMPORTS: dict[str, Any] = {"memory": 500 * 2**20, "seconds": 30.0}
"""What taking a file in may cost."""


@router.post("/assets")
def keep_asset(scene_id: str, file: UploadFile, store: Store) -> dict[str, Any]:
    """Take a font or a picture from a file; it belongs to no object yet."""
    store.open(scene_id)
    name = (file.filename or "a file")[-120:]
    content = file.file.read()
    ending = name[name.rfind(".") :].lower()
    label = name.rpartition("/")[2].rpartition(".")[0][:60] or "Mesh"
    if ending in FONTS:
        from lazzik.core.geometry.fonts import check_font

        return {"what": "font", "label": check_font(content)[:60], "asset": store.put_asset(content)}
    if ending in PICTURES:
        return {"what": "picture", "label": label, "asset": store.put_asset(kept(content))}
    raise InvalidEdit(f"'{name}' must end in {', '.join((*FONTS, *PICTURES))}", "file")


@router.post("/look-into")
def preview(
    scene_id: str,
    file: list[UploadFile],
    store: Store,
    jobs: Running,
    heavy: Heavy,
    depth: Annotated[Typed, Form()] = 0.0,
) -> dict[str, Any]:
    """What files would bring into the scene, before they do."""
    state = store.open(scene_id)
    with _spooled(jobs, file, depth) as paths:
        found = heavy.run(tasks.previewed, source_of(store, state), paths, depth, **IMPORTS)
    return asdict(found)


@contextmanager
def _spooled(jobs: Jobs, files: list[UploadFile], depth: float) -> Iterator[dict[str, Path]]:
    """Files that were sent, where workers can read them."""
    if not 0 <= depth <= 100:
        raise InvalidEdit(f"A drawing can be 0 to 100 metres deep; {depth:g} was given", "depth")
    with ExitStack() as stack:
        yield {(part.filename or "a file")[-120:]: stack.enter_context(spooled(jobs.folder, part)) for part in files}


@router.post("/bring")
def import_objects(
    scene_id: str,
    file: list[UploadFile],
    revision: Annotated[Revision, Form()],
    store: Store,
    jobs: Running,
    heavy: Heavy,
    depth: Annotated[Typed, Form()] = 0.0,
    size: Annotated[Typed, Form()] = 1.0,
) -> dict[str, Any]:
    """Bring a file's objects into the scene, as one step, so many times as large as it says; a .gltf comes with the
    files that it names."""
    state = store.current(scene_id, revision)
    if not 0 < size <= 1e6:
        raise InvalidEdit(f"What comes is made 0 to 1,000,000 times as large; {size:g} was given", "size")
    with _spooled(jobs, file, depth) as paths:
        brought = heavy.run(tasks.import_files, source_of(store, state), paths, depth, **IMPORTS)
    return store.edit(scene_id, revision, [brought.edit.replaced(size=size)]).answer | {"notes": brought.notes}


@router.post("/bring-curves")
def import_table(
    scene_id: str,
    file: UploadFile,
    revision: Annotated[Revision, Form()],
    store: Store,
    jobs: Running,
    heavy: Heavy,
    at: Annotated[str, Form()] = "",
    fitted: Annotated[bool, Form()] = False,
) -> dict[str, Any]:
    """Put the curves of a table on numbers as keys, as one step."""
    state = store.current(scene_id, revision)
    with spooled(jobs.folder, file) as path:
        edits, notes = heavy.run(tasks.brought_curves, source_of(store, state), path, at, fitted, **IMPORTS)
    return store.edit(scene_id, revision, edits).answer | {"notes": notes}


@router.get("/object-form")
def object_sheet(
    request: Request, scene_id: str, store: Store, shelf: ShelfOf, at: Annotated[str, Query()] = ""
) -> Response:
    """The sheet that adds an object."""
    node = store.open(scene_id).scene.by_id.get(at.split("/", 1)[0])
    under = node if node and node.what == "group" else None  # what is added goes into a group that is chosen
    content: dict[str, Any] = {"fonts": SHIPPED, "endings": BROUGHT, "under": under}
    content["shelf"] = [item for item in shelf.items() if item.sort == "object"][:MOST_OFFERED]
    content["chosen_shape"] = node if node and node.shape is not None else None
    content["fields_of_air"] = tuple((kind.title, {"field": {"kind": name}}) for name, kind in FIELD_KINDS.items())
    return templates.TemplateResponse(request, "objects/form.html", content)


@router.get("/duplicate-form")
def duplicate_sheet(request: Request, scene_id: str, node: Chosen, store: Store) -> Response:
    """The sheet that repeats objects."""
    owners = store.open(scene_id).scene.topmost(node)
    return templates.TemplateResponse(request, "objects/duplicate.html", {"nodes": owners})
