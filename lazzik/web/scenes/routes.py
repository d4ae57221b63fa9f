"""The scenes: the list, and how one is begun, opened and removed."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated

from fastapi import APIRouter, Form, Request, Response, UploadFile
from fastapi.responses import RedirectResponse

from lazzik.core.errors import InvalidEdit
from lazzik.demo.station import first_scene, station
from lazzik.web.deps import Heavy, Store
from lazzik.web.jobs import Running
from lazzik.web.requests.uploads import spooled
from lazzik.web.scenes.cards import SIZE, card_of
from lazzik.web.ui.templating import templates
from lazzik.work import tasks
from lazzik.work.source import Source

router = APIRouter()


@router.get("/")
def home() -> Response:
    """The scenes are the front page."""
    return RedirectResponse("/scenes", 302)


@router.get("/scenes")
def scenes(request: Request, store: Store) -> Response:
    """All scenes as cards. What is not known of a scene yet is asked for by the page itself."""
    return templates.TemplateResponse(request, "scenes/page.html", {"entries": store.entries(), "size": SIZE})


@router.get("/scenes/{scene_id}/card")
def card(request: Request, scene_id: str, store: Store, heavy: Heavy) -> Response:
    """A scene's card, worked out if it is not known."""
    entry = store.entry(scene_id)
    if not entry.card_is_fresh:
        content = heavy.run(card_of, Source(store.folder, scene_id, entry.revision))
        store.keep_card(scene_id, entry.revision, content)
        entry = replace(entry, card=content, card_is_fresh=True)
    return templates.TemplateResponse(request, "scenes/card.html", {"entry": entry, "size": SIZE})


@router.post("/scenes")
def new_scene(store: Store, name: Annotated[str, Form()] = "") -> Response:
    """Begin a scene: with one object to move, or as a copy of the demo."""
    name = name.strip()
    if len(name) > 120:
        raise InvalidEdit("A name may have at most 120 characters", "name")
    state = store.create(first_scene(name or "Untitled scene"), "new scene")
    return RedirectResponse(f"/scenes/{state.id}?at=post/rotation.z", 303)


@router.post("/scenes/demo")
def demo_scene(store: Store) -> Response:
    """Another copy of the demo scene."""
    return RedirectResponse(f"/scenes/{store.create(station(), 'demo scene').id}", 303)


@router.post("/scenes/open")
def open_scene(store: Store, jobs: Running, heavy: Heavy, file: UploadFile) -> Response:
    """Take a scene from a JSON file."""
    with spooled(jobs.folder, file) as path:
        scene_id = heavy.run(tasks.opened, store.folder, path, f"opened {(file.filename or 'a file')[:80]}")
    return RedirectResponse(f"/scenes/{scene_id}", 303)


@router.post("/scenes/{scene_id}/remove")
def remove_scene(scene_id: str, store: Store) -> Response:
    """Forget a scene; the page has asked first."""
    store.remove(scene_id)
    return RedirectResponse("/scenes", 303)
