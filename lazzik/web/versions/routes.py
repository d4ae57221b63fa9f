"""Versions: kept, listed, gone back to, tried, compared with what is now, and taken over from."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Query, Request, Response
from pydantic import BaseModel, Field

from lazzik.core.compare.taking import Taken, take_over
from lazzik.core.compare.words import in_words, summary
from lazzik.core.errors import InvalidAsset
from lazzik.core.scene.address import Address, title
from lazzik.core.scene.edits.base import free_label
from lazzik.core.scene.scene import Scene
from lazzik.store.scenes import StagePicture, State
from lazzik.store.steps import steps
from lazzik.store.versions import Name, Note, Version
from lazzik.web.deps import DatabaseOf, Kept, ShelfOf, Store, VersionsOf
from lazzik.web.pictures import Sent, media_type_of
from lazzik.web.requests.bodies import body_of
from lazzik.web.requests.fields import AskedRevision, Index, Revision, RevisionBody
from lazzik.web.states import LONGEST, NamedState, StatesOf, Word
from lazzik.web.studio.facts import facts_of
from lazzik.web.ui.encode import packed
from lazzik.web.ui.templating import templates
from lazzik.web.versions.view import compared_curves, compared_view

router = APIRouter(prefix="/scenes/{scene_id}")

PAGE = 100
"""Versions that are listed at once."""

LARGEST_PICTURE = 24_000
"""Bytes of a version's picture."""

MOST_CHOSEN = 20_000


@router.get("/versions")
def page(
    request: Request,
    scene_id: str,
    store: Store,
    versions: VersionsOf,
    states: StatesOf,
    memo: Kept,
    a: Word = "",
    b: Word = "now",
    at: Word = "",
) -> Response:
    """The versions of a scene, and two states of it beside each other: what is now, and the newest version that is
    another one."""
    state = store.open(scene_id)
    rows = versions.rows(scene_id, most=PAGE)
    word = a or _usual(rows, state.revision)
    before, after = states.find(scene_id, word, state.revision), states.find(scene_id, b, state.revision)
    view = compared_view(before, after, at, memo)
    shown = State(state.id, state.revision, after.scene, state.undo, state.redo, state.trial)
    content = {
        "state": state, "scene": state.scene, "step": "versions", "view": view, "versions": rows, "most": PAGE,
        "since": versions.changes(scene_id, state.revision), "choices": _choices(rows, before, after),
        "kept": any(row.revision == state.revision for row in rows),
        "scene_id": scene_id, "facts": facts_of(shown, view.address, None, None, moving=False, find=""),
    }  # fmt: skip
    return templates.TemplateResponse(request, "versions/page.html", content)


def _usual(rows: list[Version], head: int) -> str:
    return next((f"v{row.number}" for row in rows if row.revision != head), "0")


def _choices(rows: list[Version], *shown: NamedState) -> list[tuple[str, str]]:
    """What can be chosen to be compared, each with its word."""
    choices = {"now": "Now"} | {f"v{row.number}": row.name for row in rows} | {"0": "The beginning"}
    return list((choices | {state.word: state.name for state in shown if state.word not in choices}).items())


@router.get("/versions/older")
def older(request: Request, scene_id: str, versions: VersionsOf, below: Index) -> Response:
    """Versions older than one."""
    rows = versions.rows(scene_id, before=below, most=PAGE)
    content = {"versions": rows, "most": PAGE, "scene_id": scene_id, "view": None}
    return templates.TemplateResponse(request, "versions/rows.html", content)


@router.get("/versions/steps")
def history(request: Request, scene_id: str, database: DatabaseOf, below: AskedRevision = None) -> Response:
    """The steps of a scene, those below one if wanted."""
    content = {"steps": steps(database, scene_id, below=below), "scene_id": scene_id}
    return templates.TemplateResponse(request, "versions/steps.html", content)


@router.get("/versions/keep")
def keep_sheet(request: Request, scene_id: str, store: Store, versions: VersionsOf) -> Response:
    """The form that keeps what is now."""
    rows = versions.rows(scene_id, most=PAGE)
    revision = store.head(scene_id)
    content = {
        "name": free_label(rows[0].name if rows else "First take", {row.name for row in rows}),
        "since": versions.changes(scene_id, revision), "newest": rows[0] if rows else None, "step": revision,
    }  # fmt: skip
    return templates.TemplateResponse(request, "versions/keep.html", content)


@router.get("/versions/try")
def try_sheet(request: Request, scene_id: str, versions: VersionsOf) -> Response:
    """The form that begins to try something."""
    return templates.TemplateResponse(request, "versions/try.html", {"trial": versions.trial(scene_id)})


@router.get("/versions/recipes")
def recipes_sheet(request: Request, scene_id: str, at: Word, store: Store, shelf: ShelfOf) -> Response:
    """The form that chooses two recipes to compare on a number: of the scene, and of the shelf what it lacks."""
    scene = store.open(scene_id).scene
    address = Address.parse(at).channel
    here = [(f"recipe.{recipe.id}@{address}", recipe.label) for recipe in scene.recipes]
    kept = [
        (f"shelf.{item.key}@{address}", item.label)
        for item in shelf.items()
        if item.sort == "recipe" and item.content.recipe(item.part) not in scene.recipes
    ]
    recipes = [("In this scene", here), ("On the shelf", kept)]
    content = {"scene_id": scene_id, "at": str(address), "title": title(scene, address), "recipes": recipes}
    return templates.TemplateResponse(request, "versions/recipes.html", content)


class KeepVersion(RevisionBody):
    """What a version is called."""

    name: Name
    note: Note = ""


class ChangeVersion(BaseModel):
    """Another name or note of a version."""

    name: Name | None = None
    note: Note | None = None


class TryOut(RevisionBody):
    """What is going to be tried."""

    name: Name


class Take(RevisionBody):
    """What is taken over into now."""

    of: Annotated[str, Field(max_length=LONGEST)]
    keys: Annotated[tuple[str, ...], Field(min_length=1, max_length=MOST_CHOSEN)]
    whole: bool = False


OnRevision = Annotated[RevisionBody, body_of(RevisionBody)]


@router.post("/versions")
def keep(
    scene_id: str, store: Store, versions: VersionsOf, body: Annotated[KeepVersion, body_of(KeepVersion)]
) -> dict[str, Any]:
    """Keep a revision as a version."""
    kept = versions.keep(scene_id, body.revision, body.name, body.note)
    return store.open(scene_id).answer | {"version": kept.number, "of": kept.revision}


@router.post("/versions/take")
def take(scene_id: str, store: Store, states: StatesOf, body: Annotated[Take, body_of(Take)]) -> dict[str, Any]:
    """Take parts of another state over into now, as one step."""
    now = store.at_head(scene_id, body.revision)
    taken, other = _taken(scene_id, states, body)
    rows = in_words(taken.chosen, now, other.scene)
    label = f"take over {summary(rows, 1)} from {other.name}"
    return store.store(scene_id, body.revision, taken.scene, label).answer | {"notes": _along(taken, now, other)}


@router.post("/versions/along")
def along(scene_id: str, store: Store, states: StatesOf, body: Annotated[Take, body_of(Take)]) -> dict[str, Any]:
    """What would come along with what is chosen."""
    taken, other = _taken(scene_id, states, body)
    return {"along": _along(taken, store.at(scene_id, body.revision), other)}


def _taken(scene_id: str, states: StatesOf, body: Take) -> tuple[Taken, NamedState]:
    now = states.find(scene_id, "now", body.revision)
    other = states.find(scene_id, body.of, body.revision)
    return take_over(now.scene, other.scene, body.keys, whole=body.whole), other


def _along(taken: Taken, now: Scene, other: NamedState) -> list[str]:
    rows = in_words(taken.along, now, other.scene)
    return [f"{row.title}: {row.was} → {row.becomes}" for row in rows]


@router.post("/versions/try")
def begin(
    scene_id: str, store: Store, versions: VersionsOf, body: Annotated[TryOut, body_of(TryOut)]
) -> dict[str, Any]:
    """Begin to try something; what is now is kept as a version, unless it is one."""
    kept = versions.begin_trial(scene_id, body.revision, body.name)
    return _with_version(store.open(scene_id), kept)


@router.post("/versions/stay")
def stay(scene_id: str, store: Store, versions: VersionsOf, body: OnRevision) -> dict[str, Any]:
    """Go on with what was tried; it is kept as a version."""
    kept = versions.end_trial(scene_id, body.revision)
    return _with_version(store.open(scene_id), kept)


@router.post("/versions/return")
def leave(scene_id: str, versions: VersionsOf, body: OnRevision) -> dict[str, Any]:
    """Return to where a trial began; what was tried is kept as a version."""
    return _with_version(*versions.leave_trial(scene_id, body.revision))


def _with_version(state: State, kept: Version | None) -> dict[str, Any]:
    return state.answer | ({"version": kept.number, "of": kept.revision} if kept else {})


@router.post("/versions/steps/{number}")
def go_to(scene_id: str, number: Revision, versions: VersionsOf, body: OnRevision) -> dict[str, Any]:
    """Make the scene what it was at a step, as a step."""
    return versions.go_to(scene_id, body.revision, number).answer


@router.post("/versions/{number}/back")
def go_back(scene_id: str, number: Index, versions: VersionsOf, body: OnRevision) -> dict[str, Any]:
    """Make the scene what it was at a version, as a step."""
    return versions.go_back(scene_id, body.revision, number).answer


@router.post("/versions/{number}")
def change(
    scene_id: str, number: Index, versions: VersionsOf, body: Annotated[ChangeVersion, body_of(ChangeVersion)]
) -> dict[str, Any]:
    """Give a version another name or note."""
    changed = versions.rename(scene_id, number, name=body.name, note=body.note)
    return {"name": changed.name, "note": changed.note}


@router.get("/versions/{number}/change")
def change_sheet(request: Request, scene_id: str, number: Index, versions: VersionsOf) -> Response:
    """The form that changes a version's name and note."""
    return templates.TemplateResponse(request, "versions/change.html", {"version": versions.one(scene_id, number)})


@router.post("/versions/{number}/remove")
def remove(scene_id: str, number: Index, versions: VersionsOf) -> dict[str, Any]:
    """Forget a version; the step that it names stays in the history."""
    gone = versions.one(scene_id, number)
    versions.remove(scene_id, number)
    return {"name": gone.name, "note": gone.note, "revision": gone.revision}


@router.get("/versions/{number}/picture")
def picture(scene_id: str, number: Index, versions: VersionsOf) -> Response:
    """What the stage looked like at a version; 404 if nobody saw it."""
    kept = versions.picture(scene_id, number)
    return Response(kept.content, media_type=kept.media, headers={"cache-control": "private, max-age=3600"})


@router.put("/versions/{number}/picture", status_code=204)
def keep_picture(
    scene_id: str, number: Index, content: Sent, versions: VersionsOf, of: Annotated[int, Query(ge=0, le=2**31)]
) -> Response:
    """Keep how a browser sees a version's stage."""
    if len(content) > LARGEST_PICTURE:
        raise InvalidAsset(f"A version's picture may have at most {LARGEST_PICTURE // 1000} kB")
    versions.keep_picture(scene_id, number, StagePicture(of, media_type_of(content), content))
    return Response(status_code=204)


@router.get("/versions/curves")
def curves(
    scene_id: str, a: Word, b: Word, address: Word, states: StatesOf, memo: Kept, on: AskedRevision = None
) -> Response:
    """A number in two states, and how far they are apart."""
    return packed(compared_curves(states.find(scene_id, a, on), states.find(scene_id, b, on), address, memo))
