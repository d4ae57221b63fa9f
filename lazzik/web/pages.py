"""The pages: scenes and studio."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Annotated, Any

from fastapi import APIRouter, Depends, Form, Query, Request, Response, UploadFile
from fastapi.responses import RedirectResponse

from lazzik.core.errors import InvalidEdit
from lazzik.core.evaluate.coarse import CoarseMarks
from lazzik.core.evaluate.memo import Memo
from lazzik.core.evaluate.scope import Scope
from lazzik.core.scene.address import Address
from lazzik.demo.station import first_scene, station
from lazzik.store.scenes import State
from lazzik.web.cards import SIZE, card_of
from lazzik.web.context import Heavy, Kept, Marked, Store, chosen, chosen_also, templates
from lazzik.web.jobs import Running
from lazzik.web.lanes import strata_view
from lazzik.web.palette import palette
from lazzik.web.shapeview import MADE_HERE, deformer_palette, shape_facts, shape_view, split_shape
from lazzik.web.studio import BEYONDS, COMBINES, count_moving, dials, facts, tree
from lazzik.web.uploads import spooled
from lazzik.work import tasks
from lazzik.work.source import Source

router = APIRouter()


@dataclass(frozen=True)
class Asked:
    """What a page of the studio is asked to show."""

    at: str
    also: tuple[str, ...]
    """Numbers chosen beside the one at `at`."""
    moving: bool


def _asked(at: str = "", also: Annotated[tuple[str, ...], Query()] = (), moving: bool = False) -> Asked:
    return Asked(at, also, moving)


Shown = Annotated[Asked, Depends(_asked)]


@router.get("/")
def home() -> Response:
    """The scenes are the front page."""
    return RedirectResponse("/scenes", 302)


@router.get("/scenes")
def scenes(request: Request, store: Store) -> Response:
    """All scenes as cards. What is not known of a scene yet is asked for by the page itself."""
    return templates.TemplateResponse(request, "scenes.html", {"entries": store.entries(), "size": SIZE})


@router.get("/scenes/{scene_id}/card")
def card(request: Request, scene_id: str, store: Store, heavy: Heavy) -> Response:
    """A scene's card, worked out if it is not known."""
    entry = store.entry(scene_id)
    if not entry.card_is_fresh:
        content = heavy.run(card_of, Source(store.folder, scene_id, entry.revision))
        store.keep_card(scene_id, entry.revision, content)
        entry = replace(entry, card=content, card_is_fresh=True)
    return templates.TemplateResponse(request, "_card.html", {"entry": entry, "size": SIZE})


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


@router.get("/scenes/{scene_id}")
def studio(request: Request, scene_id: str, store: Store, memo: Kept, marks: Marked, shown: Shown) -> Response:
    """The studio."""
    state = store.open(scene_id)
    return templates.TemplateResponse(request, "studio.html", _panels(state, memo, marks, shown))


@router.get("/scenes/{scene_id}/panels")
def panels(request: Request, scene_id: str, store: Store, memo: Kept, marks: Marked, shown: Shown) -> Response:
    """The parts of the studio that follow the document, to be morphed into the page."""
    state = store.open(scene_id)
    return templates.TemplateResponse(request, "_panels.html", _panels(state, memo, marks, shown))


def _panels(state: State, memo: Memo, marks: CoarseMarks, shown: Asked) -> dict[str, Any]:
    scope = Scope(state.scene, memo, [])
    shape = split_shape(shown.at)
    node = state.scene.by_id.get(shape[0]) if shape else None
    form = shape_view(state.scene, node, shape[1], scope) if shape and node else None
    address = Address(node.id, "shape") if node else chosen(state.scene, shown.at if not shape else "")
    others = () if form else chosen_also(state.scene, shown.also, address)
    view = strata_view(state.scene, address, others) if address and not form else None
    at = shown.at if form else str(address or "")
    return {
        "state": state,
        "scene": state.scene,
        "step": "stage",
        "at": at,
        "tree": tree(state.scene, address, others, scope, shown.moving),
        "coarse": marks.of(state.scene, scope),
        "dials": dials(state.scene),
        "moving_only": shown.moving,
        "moving": count_moving(state.scene),
        "view": view,
        "facts": facts(state, at, view, shown.moving) | ({"shape": shape_facts(form)} if form else {"shape": None}),
        "form": form,
        "palette": palette(),
        "deformers": deformer_palette(),
        "mask_kinds": MADE_HERE,
        "combines": COMBINES,
        "beyonds": BEYONDS,
    }
