"""A number's layers: their curves, seeds, formulas, and how they are spread over a choice."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Any

from fastapi import APIRouter, Query, Request, Response
from pydantic import BaseModel

from lazzik.core.channel.layer import numbers_of
from lazzik.core.errors import BadFormula, UnknownAddress
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.trials import with_formula, with_seeds
from lazzik.core.layers.expression import EXAMPLES, FUNCTIONS, LONGEST, NAMES
from lazzik.core.scene.address import Address, find, find_at, find_layer, title
from lazzik.core.scene.edits.stacks import used_recipes, used_sheaves
from lazzik.core.scene.scene import Scene
from lazzik.web.deps import Kept, Store
from lazzik.web.requests.bodies import body_of
from lazzik.web.requests.fields import Also, AskedRevision
from lazzik.web.stack.curves import curves_of
from lazzik.web.ui.encode import packed
from lazzik.web.ui.knob import shown
from lazzik.web.ui.sparkline import line
from lazzik.web.ui.templating import templates

router = APIRouter(prefix="/scenes/{scene_id}")


SEEDS = 12
"""On one sheet."""


SMALL = (150.0, 44.0)


@dataclass(frozen=True, kw_only=True)
class SeedCurve:
    """What the channel would look like with another seed."""

    seed: int
    curve: str
    chosen: bool
    edits: list[dict[str, Any]]


@router.get("/seeds")
def seed_sheet(
    request: Request,
    scene_id: str,
    at: str,
    store: Store,
    memo: Kept,
    first: Annotated[int, Query(ge=0, le=10**6)] = 0,
) -> Response:
    """A dozen seeds of a layer as small curves of the channel's result."""
    scene = store.open(scene_id).scene
    address = Address.parse(at)
    layer = find_layer(scene, address)
    rows = with_seeds(scene, address, range(first, first + SEEDS), Scope(scene, memo))
    low, high = min(float(v.min()) for _, v in rows), max(float(v.max()) for _, v in rows)
    now = find_at(scene, f"{at}.seed").channel.value
    curves = [
        SeedCurve(seed=seed, curve=line(v, *SMALL, low, high), chosen=seed == now, edits=[edit.model_dump(mode="json")])
        for seed, (edit, v) in enumerate(rows, first)
    ]
    content = {
        "title": title(scene, address), "at": at, "curves": curves, "size": SMALL, "family": layer.family,
        "first": first, "before": max(0, first - SEEDS), "after": first + SEEDS,
    }  # fmt: skip
    return templates.TemplateResponse(request, "stack/seeds.html", content)


@router.get("/stagger")
def stagger_sheet(request: Request, scene_id: str, at: str, store: Store, also: Also = ()) -> Response:
    """The form that spreads a number of the chosen layer over the choice."""
    scene = store.open(scene_id).scene
    address = Address.parse(at)
    layer = find_layer(scene, address)
    members = [str(address.channel), *(str(Address.parse(other).channel) for other in also)]
    having = [member for member in members if _has(scene, member, layer.id)]
    numbers: list[str] = [name for name in ("shift", "phase", "seed") if name in numbers_of(type(layer))]
    numbers += [name for name in layer.numbers(scene) if name not in numbers]
    usual = {name: "step" for name in numbers if numbers_of(type(layer))[name].whole} | {"phase": "cycle"}
    content = {
        "title": layer.label, "layer": layer.id, "members": having, "left_out": len(members) - len(having),
        "numbers": [(name, name.replace("_", " ")) for name in numbers], "spreads": usual,
        "objects": [(node.id, scene.called[node.id]) for node in scene.nodes],
    }  # fmt: skip
    return templates.TemplateResponse(request, "stack/stagger.html", content)


@router.get("/layers")
def copied(scene_id: str, at: str, store: Store) -> dict[str, Any]:
    """A layer or a whole stack as it is copied, with what it was measured in."""
    scene = store.open(scene_id).scene
    address = Address.parse(at)
    place = find(scene, address)
    layers = [find_layer(scene, address)] if address.layer else list(place.channel.layers)
    return {
        "layers": [layer.model_dump(mode="json", exclude_defaults=True) for layer in layers],
        "unit": place.quantity.unit,
        "reach": place.reach,
        "label": layers[0].label if len(layers) == 1 else f"{len(layers)} layers",
        "recipes": [recipe.model_dump(mode="json") for recipe in used_recipes(scene, tuple(layers))],
        "sheaves": [sheaf.model_dump(mode="json") for sheaf in used_sheaves(scene, tuple(layers))],
    }


class Line(BaseModel):
    """A formula being typed."""

    text: str
    at: str
    """The layer that it is for."""


@router.post("/formula")
def formula_check(scene_id: str, store: Store, memo: Kept, body: Annotated[Line, body_of(Line)]) -> dict[str, Any]:
    """What a formula that is being typed would give, or what is wrong with it and in which column."""
    scene = store.open(scene_id).scene
    try:
        values = with_formula(scene, Address.parse(body.at), body.text, Scope(scene, memo))
    except (BadFormula, UnknownAddress) as error:
        column = error.column if isinstance(error, BadFormula) else 0
        return {"ok": False, "error": error.message, "column": min(column, LONGEST)}
    return {"ok": True, "low": shown(round(float(values.min()), 4)), "high": shown(round(float(values.max()), 4))}


@router.get("/formula-help")
def formula_help(request: Request, scene_id: str, store: Store) -> Response:
    """Names, functions and examples."""
    scene = store.open(scene_id).scene
    content = {"names": NAMES, "functions": FUNCTIONS, "examples": EXAMPLES, "dials": scene.dials}
    return templates.TemplateResponse(request, "stack/formula_help.html", content)


def _has(scene: Scene, member: str, layer_id: str) -> bool:
    return find_at(scene, member).channel.layer(layer_id) is not None


@router.get("/curves")
def curves(
    scene_id: str,
    address: str,
    store: Store,
    memo: Kept,
    also: Also = (),
    revision: AskedRevision = None,
) -> Response:
    """A channel laid open, and others beside it."""
    state = store.open(scene_id)
    scene = state.scene if revision is None else store.at(scene_id, revision)
    return packed({"revision": state.revision, "strata": curves_of(Scope(scene, memo, []), scene, address, also)})
