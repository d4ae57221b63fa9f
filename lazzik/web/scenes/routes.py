"""The scenes: their cards, and how one is begun, opened, copied, named and removed."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Form, Query, Request, Response, UploadFile
from fastapi.responses import RedirectResponse

from lazzik.core.errors import InvalidEdit
from lazzik.core.scene.edits.whole import ChangeScene
from lazzik.demo.starts import BY_KEY
from lazzik.store.scenes import StagePicture
from lazzik.web.deps import Heavy, Store
from lazzik.web.jobs import Running
from lazzik.web.pictures import Sent, media_type_of
from lazzik.web.requests.uploads import spooled
from lazzik.web.ui.templating import templates
from lazzik.work import tasks
from lazzik.work.source import Source

router = APIRouter()

OUTLINES = "image/svg+xml"
"""What is drawn here, until a browser sends what it sees."""

MOST_NAME = 120
"""Characters of a scene's name."""


@router.get("/scenes/{scene_id}/card")
def card(request: Request, scene_id: str, store: Store, heavy: Heavy) -> Response:
    """A scene's card, worked out if it is not known."""
    from lazzik.web.scenes.cards import card_of

    entry = store.entry(scene_id)
    if not entry.card_is_fresh:
        content = heavy.run(card_of, Source(store.folder, scene_id, entry.revision))
        drawn = content.pop("outlines")
        store.keep_card(scene_id, entry.revision, content)
        if drawn and (entry.picture is None or entry.picture.endswith(OUTLINES)):
            store.keep_picture(scene_id, StagePicture(entry.revision, OUTLINES, drawn.encode()))
        entry = store.entry(scene_id)
    return templates.TemplateResponse(request, "scenes/card.html", {"entry": entry})


@router.get("/scenes/{scene_id}/picture")
def picture(scene_id: str, store: Store) -> Response:
    """What the stage of a scene looks like: as a browser saw it last, else as outlines; 404 until then."""
    kept = store.picture(scene_id)
    headers = {"cache-control": "private, max-age=31536000, immutable"}  # its address names what it is
    return Response(kept.content, media_type=kept.media, headers=headers)


@router.put("/scenes/{scene_id}/picture", status_code=204)
def keep_picture(
    scene_id: str, content: Sent, store: Store, revision: Annotated[int, Query(ge=0, le=2**31)]
) -> Response:
    """Keep how a browser sees the stage of a scene."""
    store.keep_picture(scene_id, StagePicture(revision, media_type_of(content), content))
    return Response(status_code=204)


@router.post("/scenes")
def new_scene(store: Store, name: Annotated[str, Form()] = "", start: Annotated[str, Form()] = "empty") -> Response:
    """Begin a scene, with one of the starts."""
    begun = BY_KEY.get(start)
    if begun is None:
        raise InvalidEdit(f"There is no start called '{start[:40]}'", "start")
    state = store.create(
        begun.build(_named(name) or ("Untitled scene" if start == "empty" else begun.title)), "new scene"
    )
    return RedirectResponse(f"/scenes/{state.id}?at={begun.at.replace('#', '%23')}&start={begun.key}", 303)


@router.post("/scenes/demo")
def demo_scene(store: Store) -> Response:
    """Another copy of the demo scene."""
    from lazzik.demo.station import station

    return RedirectResponse(f"/scenes/{store.create(station(), 'demo scene').id}", 303)


@router.post("/scenes/open")
def open_scene(store: Store, jobs: Running, heavy: Heavy, file: UploadFile) -> Response:
    """Take a scene from a JSON file."""
    with spooled(jobs.folder, file) as path:
        scene_id = heavy.run(tasks.opened, store.folder, path, f"opened {(file.filename or 'a file')[:80]}")
    return RedirectResponse(f"/scenes/{scene_id}", 303)


@router.post("/scenes/{scene_id}/copy")
def copy_scene(scene_id: str, store: Store) -> Response:
    """Another scene that is the same, under a name of its own."""
    store.copy(scene_id)
    return RedirectResponse("/scenes", 303)


@router.post("/scenes/{scene_id}/name")
def rename_scene(scene_id: str, store: Store, name: Annotated[str, Form()] = "") -> Response:
    """Give a scene another name: a step of its own, that can be undone in it."""
    if not _named(name):
        raise InvalidEdit("A scene needs a name", "name")
    head = store.entry(scene_id).revision
    store.edit(scene_id, head, [ChangeScene(name=_named(name))])
    return RedirectResponse("/scenes", 303)


@router.post("/scenes/{scene_id}/remove")
def remove_scene(scene_id: str, store: Store) -> Response:
    """Forget a scene; the page has asked first."""
    store.remove(scene_id)
    return RedirectResponse("/scenes", 303)


def _named(name: str) -> str:
    name = name.strip()
    if len(name) > MOST_NAME:
        raise InvalidEdit(f"A name may have at most {MOST_NAME} characters", "name")
    return name
