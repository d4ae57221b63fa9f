"""The deliver page: every format as it describes itself, written as a job; and films of pictures that a page draws."""

from __future__ import annotations

import secrets
from collections.abc import Sequence
from datetime import datetime
from typing import Annotated, Any

from fastapi import APIRouter, Request, Response
from pydantic import RootModel, ValidationError
from starlette.background import BackgroundTask

from lazzik.core.errors import InvalidEdit, UnknownAddress, plain
from lazzik.core.evaluate.shapes import count_moving
from lazzik.core.formats.registry import FORMATS, Format
from lazzik.core.progress import UNHEARD, Progress
from lazzik.core.scene.scene import Scene
from lazzik.store.scenes import SceneStore, State
from lazzik.store.tables import now
from lazzik.store.versions import Versions
from lazzik.web.deliver.view import format_choices
from lazzik.web.deps import Long, Store, VersionsOf, source_of
from lazzik.web.jobs import Job, Running
from lazzik.web.jobs.film import FILMS, Encoded, Film, Pictures, chapters_of
from lazzik.web.jobs.queue import Result
from lazzik.web.requests.bodies import body_of
from lazzik.web.ui.encode import Download
from lazzik.web.ui.templating import templates
from lazzik.work.source import NamedSource, Source

router = APIRouter(prefix="/scenes/{scene_id}/deliver")

MOST_OFFERED = 30
"""Versions on the page, the newest first."""


class Choices(RootModel[dict[str, str | tuple[str, ...]]]):
    """What was chosen of a format, by name; `states` are words of states, if several go into one file."""


STATES = "states"
MOST_STATES = 6
"""States in one file."""


@router.get("")
def page(request: Request, scene_id: str, store: Store, versions: VersionsOf) -> Response:
    """What can be taken away, and what each form carries."""
    state = store.open(scene_id)
    content = {
        "state": state, "scene": state.scene, "step": "deliver", "moving": count_moving(state.scene),
        "formats": [(kind, format_choices(kind)) for kind in FORMATS.values()],
        "versions": versions.rows(scene_id, most=MOST_OFFERED),
    }  # fmt: skip
    return templates.TemplateResponse(request, "deliver/page.html", content)


@router.post("/film")
def film(scene_id: str, store: Store, jobs: Running, body: Annotated[Film, body_of(Film)]) -> dict[str, Any]:
    """Begin a film; its pictures are sent one by one, in order."""
    scene = store.open(scene_id).scene
    if body.form != "png" and (body.width % 2 or body.height % 2):
        raise InvalidEdit("A film's width and height must be even numbers of pixels", "width")
    ending, media = ("zip", "application/zip") if body.form == "png" else (body.form, FILMS[body.form][0])
    job = Job(f"{'Pictures' if body.form == 'png' else 'Film'} of {scene.name}", media, stem(scene, ending))
    reel = (Pictures if body.form == "png" else Encoded)(jobs.file(job), body, chapters_of(scene))
    jobs.add(job, reel).update(state="running", said="Waiting for the first picture")
    return job.news


@router.post("/{name}")
def begin(
    scene_id: str,
    name: str,
    store: Store,
    versions: VersionsOf,
    jobs: Running,
    long: Long,
    body: Annotated[Choices, body_of(Choices)],
) -> dict[str, Any]:
    """Write the scene in a format, as a job."""
    state = store.open(scene_id)
    words = body.root.get(STATES, ())
    chosen = _format(name, {key: value for key, value in body.root.items() if key != STATES})
    others = _named(store, versions, state, chosen, (words,) if isinstance(words, str) else words)
    job = Job(f"{chosen.title} of {state.scene.name}", chosen.media, stem(state.scene, ending_of(chosen)))

    def work(progress: Progress) -> Result:
        summary, details = long.deliver(source_of(store, state), chosen, jobs.file(job), others, progress)
        return Result(content=None, summary=summary, details=details)

    return jobs.start(job, work).news


@router.get("/{name}")
def at_once(request: Request, scene_id: str, name: str, store: Store, jobs: Running, long: Long) -> Response:
    """The scene in a format as the answer itself, for scripts: choices stand in the query."""
    state = store.open(scene_id)
    chosen = _format(name, dict(request.query_params))
    path = jobs.folder / f"at-once-{secrets.token_hex(6)}"
    long.deliver(source_of(store, state), chosen, path, [], UNHEARD)
    done = BackgroundTask(path.unlink, missing_ok=True)
    return Download(path, media_type=chosen.media, filename=stem(state.scene, ending_of(chosen)), background=done)


def _named(
    store: SceneStore, versions: Versions, state: State, chosen: Format, words: Sequence[str]
) -> list[NamedSource]:
    """The states that go into one file: 'now', or versions as 'v3'. None unless some are named."""
    if len(words) > (MOST_STATES if chosen.several else 1):
        most = f"{MOST_STATES} states go into one file" if chosen.several else f"{chosen.title} takes one state"
        raise InvalidEdit(f"At most {most}; {len(words)} were chosen", STATES)
    found = []
    for word in words:
        if word == "now":
            found.append(NamedSource(source_of(store, state), "Now", made=day(now())))
            continue
        if not (word.startswith("v") and word[1:].isdecimal() and len(word) < 11):
            raise InvalidEdit(f"'{word[:40]}' is neither what is now nor a version", STATES)
        version = versions.one(state.id, int(word[1:]))
        source = Source(store.folder, state.id, version.revision)
        found.append(NamedSource(source, version.name, version.note, day(version.made)))
    return found


def day(when: datetime) -> str:
    """A day in words."""
    return f"{when.day} {when:%B %Y}"


def stem(scene: Scene, ending: str) -> str:
    """A file's name, from the scene's."""
    letters = "".join(c if c.isascii() and c.isalnum() else "-" for c in scene.name.lower()).strip("-")
    return f"{letters or 'scene'}.{ending}"


def ending_of(chosen: Format) -> str:
    """A format's ending; one with several forms ends as the chosen one is called."""
    return str(getattr(chosen, "form", chosen.ending))


def _format(name: str, choices: dict[str, Any]) -> Format:
    kind = FORMATS.get(name)
    if kind is None:
        raise UnknownAddress(f"There is no format '{name[:40]}'; there are {', '.join(FORMATS)}", name[:40])
    try:
        return kind.model_validate_strings(choices)
    except ValidationError as error:
        first = error.errors(include_url=False)[0]
        raise InvalidEdit(f"{'.'.join(map(str, first['loc']))}: {plain(first['msg'])}", name) from None
