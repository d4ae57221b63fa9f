"""The bake page: choose, review, place, take back.

A bake is worked out as a job, and what was reviewed is what is placed.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Annotated, Any, get_args

from fastapi import APIRouter, Depends, Query, Request, Response
from fastapi.responses import RedirectResponse
from starlette.datastructures import FormData

from lazzik.core.bake.baking import TOLERANCES
from lazzik.core.bake.rebake import Decision, placed_again, receipt_of
from lazzik.core.errors import InvalidEdit
from lazzik.core.progress import Progress
from lazzik.core.scene.edits.bakes import TakeBack
from lazzik.store.scenes import State
from lazzik.web.bake.view import (
    HEIGHT,
    UNITS,
    WIDTH,
    Curves,
    again_curves,
    again_view,
    choices,
    moved_away,
    plan_from,
    receipt_curves,
    receipts,
    review,
    reviewed_curves,
)
from lazzik.web.deps import Kept, Long, Store, source_of
from lazzik.web.jobs import Job, Jobs, Running
from lazzik.web.jobs.queue import Result
from lazzik.web.requests.fields import Index
from lazzik.web.ui.templating import templates

router = APIRouter(prefix="/scenes/{scene_id}/bake")


async def _form(request: Request) -> FormData:
    return await request.form(max_fields=MOST_FIELDS)


MOST_FIELDS = 50_000
"""In one form: a field for each channel that is chosen."""

Form = Annotated[FormData, Depends(_form)]

DECISIONS = get_args(Decision)
SIZE = {"width": WIDTH, "height": HEIGHT}
PAGE = "text/html; charset=utf-8"


@dataclass(frozen=True, kw_only=True)
class Reviewed:
    """What a review showed, and of which state of the scene."""

    state: State
    made: Any
    """The edit, or what baking again gave."""
    curves: Callable[[int], Curves]
    """Those of the n-th channel."""


@router.get("")
def page(
    request: Request,
    scene_id: str,
    store: Store,
    at: str = "",
    also: Annotated[tuple[str, ...], Query()] = (),
) -> Response:
    """What may be baked and what was."""
    state = store.open(scene_id)
    groups = choices(state.scene, (at, *also))
    offers = [offer for _, rows in groups for offer in rows]
    content = {
        "state": state,
        "scene": state.scene,
        "step": "bake",
        "chosen": sum(offer.chosen for offer in offers),
        "groups": groups,
        "count": len(offers),
        "kinds": [(unit, name) for unit, name in UNITS if any(offer.unit == unit for offer in offers)],
        "units": [(unit, name, TOLERANCES[unit]) for unit, name in UNITS],
        "receipts": receipts(state.scene),
    }
    return templates.TemplateResponse(request, "bake/page.html", content)


@router.post("/review")
def reviewed(
    request: Request, scene_id: str, form: Form, store: Store, memo: Kept, jobs: Running, long: Long
) -> dict[str, Any]:
    """Work out what the bake would give, as a job: its result is the review, its outcome the edit."""
    state = store.open(scene_id)
    plan = plan_from({name: value for name, value in form.items() if isinstance(value, str)})
    channels = [address for address in form.getlist("channel") if isinstance(address, str)]
    job = Job(f"Baking {len(channels)} channel{'' if len(channels) == 1 else 's'}", PAGE)

    def work(progress: Progress) -> Result:
        placed = long.bake(source_of(store, state), channels, plan, progress)
        job.outcome = Reviewed(
            state=state, made=placed, curves=lambda place: reviewed_curves(state.scene, placed, place, memo)
        )
        every_frame = len(placed.channels) * (placed.last - placed.first + 1)
        content = {"curves": _curves_of(scene_id, job), "placed": placed, "every_frame": every_frame}
        return _part("bake/review.html", content | {"job": job, "rows": review(state.scene, placed)})

    return jobs.start(job, work).news


@router.get("/reviews/{job_id}/{place}")
def curves_in_review(request: Request, job_id: str, place: Index, jobs: Running) -> Response:
    """The curves of one channel that was worked out."""
    seen = jobs.find(job_id).outcome
    if not isinstance(seen, Reviewed):
        raise InvalidEdit("That is no review of a bake", "review")
    return _drawn(request, seen.curves(place))


@router.get("/{receipt}/curves/{place}")
def curves_of_receipt(
    request: Request, scene_id: str, receipt: str, place: Index, store: Store, memo: Kept
) -> Response:
    """The curves of one channel of a past bake."""
    scene = store.open(scene_id).scene
    return _drawn(request, receipt_curves(scene, receipt_of(scene, receipt), place, memo))


@router.get("/{receipt}/source")
def source(request: Request, scene_id: str, receipt: str, store: Store, memo: Kept) -> Response:
    """Whether the source of a past bake has changed since."""
    scene = store.open(scene_id).scene
    moved = moved_away(scene, receipt_of(scene, receipt), memo)
    return templates.TemplateResponse(request, "bake/source.html", {"moved": moved})


def _drawn(request: Request, curves: Curves) -> Response:
    return templates.TemplateResponse(request, "bake/curves.html", {"curves": curves, "size": SIZE})


@router.post("")
def place(scene_id: str, form: Form, store: Store, jobs: Running) -> Response:
    """Place the keys that were reviewed, as one step of undo."""
    seen = _seen(jobs, scene_id, form)
    store.edit(scene_id, seen.state.revision, [seen.made])
    return RedirectResponse(f"/scenes/{scene_id}/bake#receipts", 303)


@router.post("/{receipt}/take-back")
def take_back(scene_id: str, receipt: str, form: Form, store: Store) -> Response:
    """Bring the former bases and layers of one bake back."""
    store.edit(scene_id, _revision(form.get("revision")), [TakeBack(receipt=receipt)])
    return RedirectResponse(f"/scenes/{scene_id}/bake#receipts", 303)


@router.post("/{receipt}/again/review")
def again(scene_id: str, receipt: str, store: Store, jobs: Running, long: Long) -> dict[str, Any]:
    """Work out what a receipt's channels would become if they were baked again, as a job."""
    state = store.open(scene_id)
    kept = receipt_of(state.scene, receipt)
    job = Job(f"Baking {len(kept.lines)} channel{'' if len(kept.lines) == 1 else 's'} again", PAGE)

    def work(progress: Progress) -> Result:
        redone = long.bake_again(source_of(store, state), receipt, progress)
        redone.sort(key=lambda item: not item.conflicts)  # what needs a decision comes first
        job.outcome = Reviewed(
            state=state, made=redone, curves=lambda place: again_curves(state.scene, kept, redone, place)
        )
        content = {"job": job, "scene_id": scene_id, "receipt": kept, "curves": _curves_of(scene_id, job)}
        return _part("bake/again.html", content | {"views": again_view(state.scene, redone)})

    return jobs.start(job, work).news


@router.post("/{receipt}/again")
def place_again(scene_id: str, receipt: str, form: Form, store: Store, jobs: Running) -> Response:
    """Place what was baked again, with what was decided of edits made by hand."""
    decisions: dict[str, Decision] = {}
    for name, value in form.items():
        if name.startswith("decide ") and isinstance(value, str):
            if value not in DECISIONS:
                raise InvalidEdit(f"'{value[:40]}' is no way to go on with edits made by hand", name)
            decisions[name.removeprefix("decide ")] = value  # type: ignore[assignment]
    seen = _seen(jobs, scene_id, form)
    edit = placed_again(seen.state.scene, receipt, seen.made, decisions)
    store.edit(scene_id, seen.state.revision, [edit])
    return RedirectResponse(f"/scenes/{scene_id}/bake#receipts", 303)


def _seen(jobs: Jobs, scene_id: str, form: FormData) -> Reviewed:
    job = jobs.find(str(form.get("review", "")))
    seen = job.outcome
    if job.state != "done" or not isinstance(seen, Reviewed) or seen.state.id != scene_id:
        raise InvalidEdit("That is no review of a bake in this scene; look at the bake first", "review")
    return seen


def _curves_of(scene_id: str, job: Job) -> str:
    return f"/scenes/{scene_id}/bake/reviews/{job.id}"


def _part(name: str, content: dict[str, Any]) -> Result:
    return Result(content=templates.get_template(name).render(content).encode())


def _revision(value: object) -> int:
    if not isinstance(value, str) or not value.isdecimal() or len(value) > 9:
        raise InvalidEdit("The form does not say on which revision it was made", "revision")
    return int(value)
