"""Runs of particles: asked for, made beside the requests, and sent a stretch of frames at a time."""

from __future__ import annotations

from typing import Annotated, Any

import numpy as np
from fastapi import APIRouter, Query, Request, Response
from pydantic import BaseModel

from lazzik.core.errors import UnknownAddress
from lazzik.core.progress import Progress
from lazzik.core.scene.edits.emitters import emitter_of
from lazzik.core.simulate.looks import colors_of, sizes_of
from lazzik.core.simulate.particles import Particles
from lazzik.core.simulate.run import STRETCH, run_key, stretches
from lazzik.store.runs import Runs
from lazzik.web.deps import Heavy, Store, source_of
from lazzik.web.jobs import Job, Running
from lazzik.web.jobs.queue import Result
from lazzik.web.requests.bodies import body_of
from lazzik.web.requests.fields import AskedRevision, Revision
from lazzik.web.states import Seen
from lazzik.web.ui.encode import floats, packed
from lazzik.work import tasks

router = APIRouter(prefix="/scenes/{scene_id}")


class MakeRun(BaseModel):
    """A request for the particles of an object, made on a revision."""

    revision: Revision
    node: str


def runs_of(request: Request) -> Runs:
    """Where runs are kept."""
    found: Runs = request.app.state.runs
    return found


@router.get("/run")
def run(request: Request, node: str, seen: Seen) -> dict[str, Any]:
    """Which frames of an object's particles are there."""
    key, runs = run_key(seen.scene, node), runs_of(request)
    count = stretches(seen.scene, seen.scene.last)
    there = [place for place in runs.there(key) if place < count]
    return {"run": key, "first": seen.scene.first, "stretch": STRETCH, "count": count, "there": there}


@router.post("/run")
def make_run(
    request: Request, scene_id: str, body: Annotated[MakeRun, body_of(MakeRun)], store: Store, jobs: Running,
    heavy: Heavy,
) -> dict[str, Any]:  # fmt: skip
    """Work out what of them is not there yet, as a job. One that works for an older state of the same object stops."""
    state = store.current(scene_id, body.revision)
    node, _ = emitter_of(state.scene, body.node)
    key, runs = run_key(state.scene, node.id), runs_of(request)
    at_work: dict[tuple[str, str], tuple[str, Job]] = request.app.state.runs_at_work
    before = at_work.get((scene_id, node.id))
    if before is not None and not before[1].over:
        if before[0] == key:
            return before[1].news
        before[1].wanted = False
    source = source_of(store, state)

    def work(progress: Progress) -> Result:
        made = heavy.run(tasks.simulated, source, node.id, key, runs.limit, progress=progress)
        return Result(content=None, summary=f"{made} stretches of frames")

    job = jobs.start(Job(f"Particles of {node.label}", "application/json"), work)
    at_work[scene_id, node.id] = (key, job)
    return job.news


@router.get("/run-frames")
def run_frames(
    request: Request,
    scene_id: str,
    node: str,
    run: Annotated[str, Query(pattern=r"^[0-9a-f]{64}$")],
    place: Annotated[int, Query(ge=0, le=1_000_000)],
    store: Store,
    on: AskedRevision = None,
) -> Response:
    """A stretch of frames that is there: of each frame how many live, and of each of those its place, size, colour and
    number."""
    stretch = runs_of(request).read(run, place)
    if stretch is None:
        raise UnknownAddress("These frames are not there yet", node)
    scene = store.open(scene_id).scene if on is None else store.at(scene_id, on)
    particles = Particles(scene, node)
    sizes = [sizes_of(scene, node, particles.emitter, particles.seed, moment) for moment in stretch.moments]
    colors = [colors_of(particles.emitter, moment) for moment in stretch.moments]
    return packed(
        {
            "first": stretch.moments[0].frame,
            "counts": [len(moment) for moment in stretch.moments],
            "places": floats(np.concatenate([moment.places for moment in stretch.moments])),
            "sizes": floats(np.concatenate(sizes)),
            "colors": np.round(255 * np.concatenate(colors)).astype("u1").tobytes(),
            "speeds": [_middle(np.linalg.norm(moment.speeds, axis=1)) for moment in stretch.moments],
        }
    )


def _middle(values: np.ndarray[Any, np.dtype[np.float64]]) -> float:
    """The value that half of them are below."""
    return float(np.median(values)) if len(values) else 0.0
