"""Runs of what is carried: asked for, made beside the requests, and sent a stretch of frames at a time."""

from __future__ import annotations

from typing import Annotated, Any

import numpy as np
from fastapi import APIRouter, Query, Request, Response
from pydantic import BaseModel

from lazzik.core.errors import UnknownAddress
from lazzik.core.progress import Progress
from lazzik.core.scene.node import LAID_OPEN
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.serialize import scene_text
from lazzik.core.simulate.playback import frames_read
from lazzik.core.simulate.run import STRETCH, carried_of, run_played
from lazzik.store.scenes import SceneStore
from lazzik.web.carried.facts import run_facts
from lazzik.web.carried.moments import told_at
from lazzik.web.deps import Kept, Long, RunsOf, Store
from lazzik.web.jobs import Job, Running
from lazzik.web.jobs.queue import Result
from lazzik.web.requests.bodies import body_of
from lazzik.web.requests.fields import FrameNumber, Revision
from lazzik.web.states import NamedState, Seen
from lazzik.web.ui.encode import floats, packed
from lazzik.work.source import Draft, Source

router = APIRouter(prefix="/scenes/{scene_id}")

MOST_PER_FRAME = 64
"""Moments of a frame that may be asked for."""


class MakeRun(BaseModel):
    """A request for the run of an object, made on a revision."""

    revision: Revision
    node: str


@router.get("/run")
def run(node: str, seen: Seen, runs: RunsOf) -> dict[str, Any]:
    """Which frames of an object's run are there, by stretches of the scene's frames."""
    scene = seen.scene
    key = run_played(scene, node)
    kept, ready = set(runs.there(key)), []
    count = (scene.last - scene.first) // STRETCH + 1
    for place, seen_there in enumerate(_seen(scene, node, count)):
        if kept.issuperset(seen_there):
            ready.append(place)
    return {"run": key, "first": scene.first, "stretch": STRETCH, "count": count, "there": ready}


@router.get("/run-course")
def run_course(node: str, seen: Seen, runs: RunsOf) -> Response:
    """Over the frames of the scene, how many particles or points there are and at what pace, metres a second, half of
    them go; below 0 where the frames are not there yet."""
    scene = seen.scene
    key = run_played(scene, node)
    frames = np.floor(frames_read(scene, node, scene.clock().frames)[0]).astype(int) - scene.first
    alive, pace = np.full(len(frames), -1.0), np.full(len(frames), -1.0)
    for place in np.unique(frames // STRETCH).tolist():
        course = runs.course(key, place)
        if course is not None:
            mine = frames // STRETCH == place
            alive[mine], pace[mine] = (np.array(row)[frames[mine] % STRETCH] for row in course)
    return packed({"from": scene.first, "alive": floats(alive), "pace": floats(pace)})


@router.post("/run")
def make_run(
    request: Request, scene_id: str, body: Annotated[MakeRun, body_of(MakeRun)], seen: Seen, store: Store,
    jobs: Running, long: Long,
) -> dict[str, Any]:  # fmt: skip
    """Work out what of it is not there yet, as a job: that which does so already, where states share a run. One that
    works for what was now before stops."""
    store.current(scene_id, body.revision)
    node, carried = carried_of(seen.scene, body.node)
    key = run_played(seen.scene, node.id)
    at_work: dict[tuple[str, str, str], tuple[str, Job]] = request.app.state.runs_at_work
    for place, (going, job) in list(at_work.items()):
        if job.over:
            at_work.pop(place, None)
        elif going == key and job.wanted:
            return job.news
    mine = scene_id, node.id, seen.word
    before = at_work.get(mine)
    if before is not None:
        before[1].wanted = False
    source = _source_of(store, scene_id, seen)

    def work(progress: Progress) -> Result:
        made = long.simulate(source, node.id, progress)
        return Result(content=None, summary=f"{made} stretches of frames")

    part = next(name for name, field in LAID_OPEN.items() if getattr(node, field) is carried)
    whose = node.label if seen.word == "now" else f"{node.label}, {seen.name}"
    job = Job(
        f"{part.capitalize()} of {whose}",
        "application/json",
        if_stopped="Stopped; the frames that are there stay.",
    )
    jobs.start(job, work)
    at_work[mine] = (key, job)
    return job.news


def _source_of(store: SceneStore, scene_id: str, seen: NamedState) -> Source | Draft:
    """Where a worker finds a state, stored or not."""
    if seen.revision is not None:
        return Source(store.folder, scene_id, seen.revision)
    return Draft(scene_text(seen.scene).encode(), store.folder, scene_id)


@router.post("/keep-run")
def keep_run(scene_id: str, body: Annotated[MakeRun, body_of(MakeRun)], store: Store, runs: RunsOf) -> dict[str, str]:
    """Let the run that is played stay on the disk whatever the limit, as one has to that an object is locked to."""
    key = run_played(store.current(scene_id, body.revision).scene, body.node)
    runs.keep(key, True)
    return {"run": key}


@router.get("/run-frames")
def run_frames_there(
    node: str,
    run: Annotated[str, Query(pattern=r"^[0-9a-f]{64}$")],
    first: FrameNumber,
    seen: Seen,
    runs: RunsOf,
    memo: Kept,
    count: Annotated[int, Query(ge=1, le=STRETCH)] = STRETCH,
    per: Annotated[int, Query(ge=1, le=MOST_PER_FRAME)] = 1,
    shown: Annotated[int, Query(ge=1, le=MOST_PER_FRAME)] = MOST_PER_FRAME,
) -> Response:
    """Some frames that are there, of each the first `shown` of `per` moments: of particles how many live at each, and
    of each of those its place, size and colour, of copies how they are turned too; of cloth the points and normals of
    its mesh as its deformers leave them; of a shell its mesh."""
    scene = seen.scene
    if run_played(scene, node) != run:
        raise UnknownAddress("These frames are those of another run", node)
    frames = np.arange(first, min(first + count, scene.last + 1))
    if first < scene.first or not len(frames):
        raise UnknownAddress(f"There are frames from {scene.first} to {scene.last}, not from {first} on", node)
    moments = np.minimum((frames[:, None] + np.arange(min(per, shown)) / per).ravel(), scene.last)
    return packed({"first": first, "per": per} | told_at(scene, node, moments, runs, memo))


@router.get("/carried")
def carried(seen: Seen) -> dict[str, Any]:
    """What has a run, as the stage is told of it."""
    return {"carried": run_facts(seen.scene), "revision": seen.on}


def _seen(scene: Scene, node: str, count: int) -> list[set[int]]:
    """For each stretch of the scene's frames, the stretches of the run that are seen over it."""
    frames = frames_read(scene, node, np.arange(scene.first, scene.last + 1, dtype=float)) - scene.first
    low, high = (np.floor(frames / STRETCH).astype(int), np.ceil(frames).astype(int) // STRETCH)
    return [
        set(low[:, part].ravel().tolist()) | set(high[:, part].ravel().tolist())
        for part in (slice(STRETCH * k, STRETCH * (k + 1)) for k in range(count))
    ]
