"""The bake page: choose, review, place, take back."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Annotated, get_args

from fastapi import APIRouter, Depends, Query, Request, Response
from fastapi.responses import RedirectResponse
from starlette.datastructures import FormData

from lazzik.core.bake.again import Decision, bake_again, placed_again
from lazzik.core.bake.baking import TOLERANCES, bake
from lazzik.core.errors import InvalidEdit, LazzikError
from lazzik.core.evaluate.memo import Memo
from lazzik.core.scene.edits.bakes import PlaceBake, TakeBack
from lazzik.core.scene.scene import Scene
from lazzik.web.bakeroom import HEIGHT, ORDERS, UNITS, WIDTH, again_view, choices, plan_from, receipts, review
from lazzik.web.context import Kept, Store, templates

router = APIRouter(prefix="/scenes/{scene_id}/bake")


async def _form(request: Request) -> FormData:
    return await request.form()


Form = Annotated[FormData, Depends(_form)]

DECISIONS = get_args(Decision)
SIZE = {"width": WIDTH, "height": HEIGHT}


@router.get("")
def page(
    request: Request,
    scene_id: str,
    store: Store,
    memo: Kept,
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
        "orders": ORDERS,
        "units": [(unit, name, TOLERANCES[unit]) for unit, name in UNITS],
        "receipts": receipts(state.scene, memo),
        "size": SIZE,
    }
    return templates.TemplateResponse(request, "bake.html", content)


@router.post("/review")
def reviewed(request: Request, scene_id: str, form: Form, store: Store, memo: Kept) -> Response:
    """What the bake would give, not placed yet. A mistake in the form is answered in the review's own place."""
    state = store.open(scene_id)
    try:
        placed = _placed(state.scene, dict(form.items()), form.getlist("channel"), memo)
    except LazzikError as error:
        return templates.TemplateResponse(request, "_bake_error.html", {"sentence": error.message}, 422)
    order = str(form.get("order", "document"))
    every_frame = len(placed.channels) * (placed.last - placed.first + 1)
    content = {
        "state": state, "rows": review(state.scene, placed, memo, order), "placed": placed, "size": SIZE,
        "every_frame": every_frame,
    }  # fmt: skip
    return templates.TemplateResponse(request, "_bake_review.html", content)


@router.post("")
def place(scene_id: str, form: Form, store: Store, memo: Kept) -> Response:
    """Place the keys as one step of undo."""
    revision = _revision(form.get("revision"))
    placed = _placed(store.at(scene_id, revision), dict(form.items()), form.getlist("channel"), memo)
    store.edit(scene_id, revision, [placed])
    return RedirectResponse(f"/scenes/{scene_id}/bake#receipts", 303)


@router.post("/{receipt}/take-back")
def take_back(scene_id: str, receipt: str, form: Form, store: Store) -> Response:
    """Bring the former bases and layers of one bake back."""
    store.edit(scene_id, _revision(form.get("revision")), [TakeBack(receipt=receipt)])
    return RedirectResponse(f"/scenes/{scene_id}/bake#receipts", 303)


@router.get("/{receipt}/again")
def again(request: Request, scene_id: str, receipt: str, store: Store, memo: Kept) -> Response:
    """What a receipt's channels would become if they were baked again."""
    state = store.open(scene_id)
    redone = bake_again(state.scene, receipt, memo)
    kept = next(item for item in state.scene.receipts if item.id == receipt)
    content = {"state": state, "receipt": kept, "rows": again_view(state.scene, kept, redone), "size": SIZE}
    return templates.TemplateResponse(request, "_again.html", content)


@router.post("/{receipt}/again")
def place_again(scene_id: str, receipt: str, form: Form, store: Store, memo: Kept) -> Response:
    """Bake again, with what was decided of edits made by hand."""
    revision = _revision(form.get("revision"))
    scene = store.at(scene_id, revision)
    decisions: dict[str, Decision] = {}
    for name, value in form.items():
        if name.startswith("decide ") and isinstance(value, str):
            if value not in DECISIONS:
                raise InvalidEdit(f"'{value[:40]}' is no way to go on with edits made by hand", name)
            decisions[name.removeprefix("decide ")] = value  # type: ignore[assignment]
    store.edit(scene_id, revision, [placed_again(scene, receipt, bake_again(scene, receipt, memo), decisions)])
    return RedirectResponse(f"/scenes/{scene_id}/bake#receipts", 303)


def _placed(scene: Scene, form: Mapping[str, object], channels: Sequence[object], memo: Memo) -> PlaceBake:
    plan = plan_from({name: value for name, value in form.items() if isinstance(value, str)})
    return bake(scene, [address for address in channels if isinstance(address, str)], plan, memo)


def _revision(value: object) -> int:
    if not isinstance(value, str) or not value.isdecimal() or len(value) > 9:
        raise InvalidEdit("The form does not say on which revision it was made", "revision")
    return int(value)
