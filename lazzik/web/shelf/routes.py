"""The shelf over HTTP: seen, kept, changed, exported and imported; and taken from into scenes."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query, Request, Response, UploadFile
from fastapi.responses import JSONResponse
from pydantic import BaseModel, ConfigDict, Field

from lazzik.core.document import Label, Slug, Typed
from lazzik.core.scene.edits.base import Edit, free_slug
from lazzik.core.scene.edits.from_shelf import TakeFromShelf
from lazzik.core.scene.edits.shelf_content import content_of
from lazzik.core.scene.shelf_file import shelf_text
from lazzik.core.scene.shelf_item import MOST_TAGS, ShelfItem, Sort, Tag
from lazzik.store.shelf_items import Specimen, digest
from lazzik.web.deps import Heavy, ShelfOf, Store
from lazzik.web.edits.landing import ANSWERS, stored
from lazzik.web.jobs import Running
from lazzik.web.requests.bodies import body_of
from lazzik.web.requests.fields import RevisionBody
from lazzik.web.requests.uploads import spooled
from lazzik.web.shelf.view import NAMED, SORT_WORDS, offered, shelf_view
from lazzik.web.ui.templating import templates
from lazzik.work import tasks

router = APIRouter()

Tags = Annotated[tuple[Tag, ...], Field(max_length=MOST_TAGS)]


class ShelfWords(BaseModel):
    """What is said of an item. Only what is given changes."""

    model_config = ConfigDict(extra="forbid")

    label: Label | None = None
    note: Annotated[str, Field(max_length=400)] | None = None
    tags: Tags | None = None


class KeepOnShelf(BaseModel):
    """A part of a scene that goes on the shelf."""

    model_config = ConfigDict(extra="forbid")

    sort: Sort
    part: Annotated[str, Field(max_length=64)]
    label: Label
    note: Annotated[str, Field(max_length=400)] = ""
    tags: Tags = ()


class TakeItem(RevisionBody):
    """An item that is taken into a scene, on a revision."""

    item: Slug
    on: Annotated[tuple[str, ...], Field(max_length=1000)] = ()
    use: bool = True
    frame: Typed | None = None


@router.get("/shelf")
def page(request: Request, shelf: ShelfOf) -> Response:
    """The shelf by itself."""
    return templates.TemplateResponse(request, "shelf/page.html", {"shelf": shelf_view(shelf)})


@router.get("/shelf/file")
def export(shelf: ShelfOf, key: Annotated[list[str] | None, Query(max_length=1000)] = None) -> Response:
    """The shelf, or some of it, as a file."""
    items = shelf.items() if not key else [shelf.item(each) for each in key]
    name = "shelf" if not key or len(key) > 1 else key[0]
    headers = {"content-disposition": f'attachment; filename="{name}.json"'}
    return Response(shelf_text(items), media_type="application/json", headers=headers)


@router.post("/shelf/file")
def take_in(shelf: ShelfOf, jobs: Running, heavy: Heavy, file: UploadFile) -> dict[str, int]:
    """Put the items of a file on the shelf, all or none; how many of them are new."""
    with spooled(jobs.folder, file) as path:
        items = heavy.run(tasks.shelf_read, path)
    before = len(shelf.items())
    shelf.keep_all(items)
    return {"items": len(items), "new": len(shelf.items()) - before}


@router.post("/shelf/put-back")
def put_back(shelf: ShelfOf) -> dict[str, int]:
    """Put back what ships with the program and was removed."""
    return {"items": shelf.put_back()}


@router.get("/shelf/{key}/picture")
def picture(key: str, shelf: ShelfOf, heavy: Heavy) -> Response:
    """What an item looks like, moving; drawn when it is first asked for."""
    headers = {"cache-control": "private, max-age=31536000, immutable"}  # its address names what it is
    return Response(_drawn(key, shelf, heavy).content, media_type="image/svg+xml", headers=headers)


@router.get("/shelf/{key}/specimen")
def specimen(request: Request, key: str, shelf: ShelfOf, heavy: Heavy) -> Response:
    """Where a card shows that, once it is drawn."""
    content = {"key": key, "drawn_of": _drawn(key, shelf, heavy).drawn_of[:NAMED], "drawn": True}
    return templates.TemplateResponse(request, "shelf/specimen.html", content)


def _drawn(key: str, shelf: ShelfOf, heavy: Heavy) -> Specimen:
    kept = shelf.specimen(key)
    if kept is None:
        item = shelf.item(key)
        kept = Specimen(digest(item), heavy.run(tasks.shelf_pictured, item))
        shelf.keep_specimen(key, kept)
    return kept


@router.post("/shelf/{key}")
def change(key: str, shelf: ShelfOf, body: Annotated[ShelfWords, body_of(ShelfWords)]) -> dict[str, str]:
    """Give an item another name, note or tags."""
    given = {name: getattr(body, name) for name in body.model_fields_set if getattr(body, name) is not None}
    return {"key": shelf.change(key, **given).key}


@router.post("/shelf/{key}/remove")
def remove(key: str, shelf: ShelfOf) -> dict[str, str]:
    """Take an item off the shelf. Scenes that have it keep it."""
    shelf.remove(key)
    return {"key": key}


@router.get("/scenes/{scene_id}/keep-form")
def keep_sheet(request: Request, scene_id: str, store: Store, shelf: ShelfOf, sort: Sort, part: str) -> Response:
    """The form that puts a part of a scene on the shelf."""
    scene = store.open(scene_id).scene
    content = {
        "sort": sort, "part": part, "label": offered(scene, sort, part), "word": SORT_WORDS[sort][0],
        "tags": shelf_view(shelf).tags[:24],
    }  # fmt: skip
    return templates.TemplateResponse(request, "shelf/keep.html", content)


@router.post("/scenes/{scene_id}/keep")
def keep(
    scene_id: str, store: Store, shelf: ShelfOf, body: Annotated[KeepOnShelf, body_of(KeepOnShelf)]
) -> dict[str, str]:
    """Put a part of a scene on the shelf, with all that it reads."""
    scene = store.open(scene_id).scene
    item = ShelfItem(
        key=free_slug(body.label, set()), sort=body.sort, label=body.label, note=body.note, tags=body.tags,
        part=body.part, content=content_of(scene, body.sort, body.part),
    )  # fmt: skip
    return {"key": shelf.keep(item).key}


@router.post("/scenes/{scene_id}/take", responses=ANSWERS)
async def take(
    scene_id: str,
    store: Store,
    shelf: ShelfOf,
    jobs: Running,
    heavy: Heavy,
    body: Annotated[TakeItem, body_of(TakeItem)],
) -> JSONResponse:
    """Take an item into a scene as a step, and put it to use there."""

    def asked() -> tuple[int, list[Edit]]:
        return body.revision, [TakeFromShelf(item=shelf.item(body.item), on=body.on, use=body.use, frame=body.frame)]

    return await stored(scene_id, asked, store, jobs, heavy)
