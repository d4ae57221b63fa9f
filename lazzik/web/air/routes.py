"""The air as it is drawn: gusts on their way, what answers, streaks, and the speed at a place."""

from __future__ import annotations

from typing import Annotated, Any

import numpy as np
from fastapi import APIRouter, Query, Request, Response

from lazzik.core.air import FILES
from lazzik.core.air.beaufort import beaufort
from lazzik.core.clock import Clock
from lazzik.core.evaluate.airflow import air
from lazzik.core.evaluate.blowing import streaks
from lazzik.core.evaluate.scope import Scope
from lazzik.core.scene.edits.air import field_of, stands, things_of
from lazzik.core.scene.references import fields_for
from lazzik.web.air.gusts import gusts_of
from lazzik.web.deps import Kept, Store
from lazzik.web.requests.fields import AskedRevision, FrameNumber
from lazzik.web.stage.points import in_range
from lazzik.web.ui.encode import floats, packed
from lazzik.web.ui.templating import templates

router = APIRouter(prefix="/scenes/{scene_id}")

ROWS = 48
"""Distances of the gust chart."""

MOST_COLUMNS = 1000
"""Moments of it."""

STREAKS = 220

TAIL = 10
"""Frames before the first of an answer, so that streaks have a tail on it."""

MOST_FRAMES = 500
"""Frames of streaks in one answer."""

MOST_OFFERED = 2000
"""Objects on one sheet."""

Metres = Annotated[float, Query(ge=-1e6, le=1e6, allow_inf_nan=False)]


@router.get("/air")
def air_of_field(scene_id: str, node: str, store: Store, memo: Kept, revision: AskedRevision = None) -> Response:
    """The air downwind of a field over the range, and what answers it, nearest first."""
    state = store.open(scene_id)
    scene = state.scene if revision is None else store.at(scene_id, revision)
    owner, _ = field_of(scene, node)
    return packed({"revision": state.revision} | gusts_of(scene, owner, Scope(scene, memo, []), ROWS, MOST_COLUMNS))


@router.get("/streaks")
def streaks_of_air(
    scene_id: str,
    store: Store,
    memo: Kept,
    first: Annotated[FrameNumber, Query(alias="from")],
    last: Annotated[FrameNumber, Query(alias="to")],
    revision: AskedRevision = None,
) -> Response:
    """Where streaks of the air are from a frame on, as many frames as one answer may carry."""
    state = store.open(scene_id)
    scene = state.scene if revision is None else store.at(scene_id, revision)
    in_range(scene, first, last)
    end = min(last, first + MOST_FRAMES - 1)
    clock = Clock.over(scene.fps, scene.first, end, start=first - TAIL)
    found = streaks(scene, clock, Scope(scene, memo, []), STREAKS)
    content = {"from": first - TAIL, "count": STREAKS, "life": found.life, "ages": floats(found.ages)}
    return packed(content | {"places": floats(found.places)})


@router.get("/stand-form")
def stand_sheet(request: Request, scene_id: str, store: Store) -> Response:
    """Objects that may stand in the wind."""
    scene = store.open(scene_id).scene
    offered = []
    for node in scene.nodes:
        things = things_of(scene, node) if node.what not in ("camera", "light", *FILES) else []
        new = [thing for thing in things if not stands(thing)]
        if new and not any(stands(above) for above in scene.lineage(node)):
            offered.append((node.id, scene.called[node.id], len(new)))
    return templates.TemplateResponse(request, "air/stand.html", {"offered": offered[:MOST_OFFERED]})


@router.get("/air-here")
def air_here(
    request: Request, scene_id: str, store: Store, memo: Kept, x: Metres, y: Metres, z: Metres, frame: FrameNumber
) -> Response:
    """What each field does at a place and a frame, and all of them together, as a table."""
    scene = store.open(scene_id).scene
    in_range(scene, frame, frame)
    scope, clock = Scope(scene, memo, []), Clock.over(scene.fps, scene.first, frame, start=frame)
    point = np.array([[[x, y, z]]])
    fields = fields_for(scene, "")
    rows = [(scene.called[node.id], _told(air(point, clock, scope, (node,))[0, 0])) for node in fields]
    total = air(point, clock, scope)[0, 0]
    content = {"rows": rows, "total": _told(total), "name": beaufort(float(np.linalg.norm(total)))[1]}
    return templates.TemplateResponse(request, "air/here.html", content | {"place": (x, y, z), "frame": frame})


def _told(velocity: Any) -> tuple[str, str]:
    """How fast, and which way, east, up and south."""
    x, y, z = (f"{v + 0.0:.1f}" for v in np.round(velocity, 1))
    return f"{np.linalg.norm(velocity):.1f}", f"{x}, {y}, {z}"
