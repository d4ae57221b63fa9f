"""The sheets that open over the studio: why, seeds, seams, stagger, recipes. Each is a fragment of a page, and every
button on it carries the edits that it stands for."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Any

import numpy as np
from fastapi import APIRouter, Query, Request, Response
from pydantic import BaseModel

from lazzik.core.channel.layer import numbers_of
from lazzik.core.errors import BadFormula, InvalidEdit, UnknownAddress
from lazzik.core.evaluate.evaluator import number_on
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.seams import seams
from lazzik.core.evaluate.why import why
from lazzik.core.evaluate.why_shape import why_shape
from lazzik.core.layers.expression import EXAMPLES, FUNCTIONS, LONGEST, NAMES, read_expression
from lazzik.core.layers.formula import Formula
from lazzik.core.scene.address import Address, find, find_layer, title
from lazzik.core.scene.edits import applied, read_edits
from lazzik.core.scene.scene import Scene
from lazzik.web.bodies import body_of
from lazzik.web.context import Kept, Store, templates
from lazzik.web.drawing import line
from lazzik.web.lanes import shown
from lazzik.web.shapeview import split_shape

router = APIRouter(prefix="/scenes/{scene_id}")

SEEDS = 12
"""On one sheet."""

SMALL = (150.0, 44.0)


@dataclass(frozen=True)
class SeedCurve:
    """What the channel would look like with another seed."""

    seed: int
    curve: str
    chosen: bool
    edits: list[dict[str, Any]]


@router.get("/why")
def why_sheet(request: Request, scene_id: str, at: str, store: Store, memo: Kept) -> Response:
    """Why a layer, a number with all its layers, or a deformer does not show."""
    scene = store.open(scene_id).scene
    scope = Scope(scene, memo, [])
    shape = split_shape(at)
    if shape is None:
        address = Address.parse(at)
        content = {"title": title(scene, address), "reasons": why(scene, address, scope)}
    elif shape[0] not in scene.by_id:
        raise UnknownAddress(f"There is no object '{shape[0]}' in this scene", shape[0])
    else:
        node = scene.by_id[shape[0]]
        content = {"title": f"{node.label} / shape", "reasons": why_shape(scene, node, shape[1], scope)}
    return templates.TemplateResponse(request, "_why.html", content)


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
    if "seed" not in numbers_of(type(layer)):
        raise InvalidEdit(f"A {layer.title} layer has no seed", at)
    now = find(scene, Address.parse(f"{at}.seed")).channel
    rows = []
    for seed in range(first, first + SEEDS):
        edits = [{"do": "set", "address": f"{at}.seed", "value": seed}]
        if now.keys or now.layers:
            raise InvalidEdit("The seed is keyed or driven; open its own strata to change it", at)
        after = applied(scene, read_edits(edits, scene))
        values = np.atleast_1d(number_on(find(after, address).number, after.clock(), Scope(after, memo, [])))
        rows.append((seed, edits, values))
    low, high = min(float(v.min()) for _, _, v in rows), max(float(v.max()) for _, _, v in rows)
    curves = [SeedCurve(seed, line(v, *SMALL, low, high), seed == now.value, edits) for seed, edits, v in rows]
    content = {
        "title": title(scene, address), "at": at, "curves": curves, "size": SMALL, "family": layer.family,
        "first": first, "before": max(0, first - SEEDS), "after": first + SEEDS,
    }  # fmt: skip
    return templates.TemplateResponse(request, "_seeds.html", content)


@router.get("/seams")
def seam_sheet(request: Request, scene_id: str, store: Store, memo: Kept) -> Response:
    """Every number that does not meet itself at the end of the range."""
    scene = store.open(scene_id).scene
    found = seams(scene, Scope(scene, memo, []))
    rows = [(title(scene, Address.parse(seam.address)), seam) for seam in found]
    return templates.TemplateResponse(request, "_seams.html", {"rows": rows, "scene": scene})


@router.get("/stagger")
def stagger_sheet(
    request: Request, scene_id: str, at: str, store: Store, also: Annotated[tuple[str, ...], Query()] = ()
) -> Response:
    """The form that spreads a number of the chosen layer over the choice."""
    scene = store.open(scene_id).scene
    address = Address.parse(at)
    layer = find_layer(scene, address)
    members = [str(address.channel), *(str(Address.parse(other).channel) for other in also)]
    having = [member for member in members if _has(scene, member, layer.id)]
    numbers: list[str] = [name for name in ("shift", "phase", "seed") if name in numbers_of(type(layer))]
    numbers += [name for name in layer.numbers(scene) if name not in numbers]
    content = {
        "title": layer.label, "layer": layer.id, "members": having, "left_out": len(members) - len(having),
        "numbers": numbers, "objects": [(node.id, node.label) for node in scene.nodes],
    }  # fmt: skip
    return templates.TemplateResponse(request, "_stagger.html", content)


@router.get("/recipe-form")
def recipe_sheet(request: Request, scene_id: str, at: str, store: Store) -> Response:
    """The form that saves a stack as a recipe: its name, and which numbers each use may have of its own."""
    scene = store.open(scene_id).scene
    address = Address.parse(at).channel
    channel = find(scene, address).channel
    rows = []
    for layer in channel.layers:
        usual = {*(type(layer).feel or ()), *type(layer).idle_at, "seed"}
        names = [name for name in layer.numbers(scene) if name != "weight"]
        rows.append((layer, [(name, f"{layer.id}.{name}", name in usual) for name in names]))
    content = {"title": title(scene, address), "address": str(address), "rows": rows}
    return templates.TemplateResponse(request, "_recipe_form.html", content)


@router.get("/dial-form")
def dial_sheet(request: Request, scene_id: str, store: Store, dial: str = "") -> Response:
    """The form of a new dial, or of one that is there."""
    scene = store.open(scene_id).scene
    there = scene.dial(dial)
    if dial and there is None:
        raise UnknownAddress(f"There is no dial '{dial}' in this scene", dial)
    return templates.TemplateResponse(request, "_dial_form.html", {"dial": there, "shown": shown})


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
    address = Address.parse(body.at)
    layer = find_layer(scene, address)
    try:
        expression = read_expression(body.text)
        missing = sorted(name for name in expression.names - set(NAMES) if scene.dial(name) is None)
        if missing:
            column = body.text.find(missing[0]) + 1
            raise BadFormula(f"There is no name '{missing[0]}'; names are t, frame, x, pi, tau and the dials", column)
        trial = layer.replaced(text=body.text) if isinstance(layer, Formula) else layer
        channel = find(scene, address).channel
        stack = tuple(trial if item.id == layer.id else item for item in channel.layers)
        upto = stack[: [item.id for item in stack].index(layer.id) + 1]
        values = np.atleast_1d(number_on(channel.replaced(layers=upto), scene.clock(), Scope(scene, memo)))
    except (BadFormula, UnknownAddress) as error:
        column = error.column if isinstance(error, BadFormula) else 0
        return {"ok": False, "error": error.message, "column": min(column, LONGEST)}
    return {"ok": True, "low": shown(round(float(values.min()), 4)), "high": shown(round(float(values.max()), 4))}


@router.get("/formula-help")
def formula_help(request: Request, scene_id: str, store: Store) -> Response:
    """Names, functions and examples."""
    scene = store.open(scene_id).scene
    content = {"names": NAMES, "functions": FUNCTIONS, "examples": EXAMPLES, "dials": scene.dials}
    return templates.TemplateResponse(request, "_formula_help.html", content)


def _has(scene: Scene, member: str, layer_id: str) -> bool:
    return find(scene, Address.parse(member)).channel.layer(layer_id) is not None
