"""What is carried as the stage is told of it: moments of a run, and a thinned one while something is dragged."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from lazzik.core.clock import Clock
from lazzik.core.errors import UnknownAddress
from lazzik.core.evaluate.memo import Memo
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.surface import Surface, surface_of
from lazzik.core.geometry.mesh import Mesh
from lazzik.core.progress import Progress
from lazzik.core.scene.edits.base import Edit, applied
from lazzik.core.scene.scene import Scene
from lazzik.core.simulate import coarse
from lazzik.core.simulate.cloth import ClothRun
from lazzik.core.simulate.coarse_swarm import coarse_swarm
from lazzik.core.simulate.draped import surface_seen
from lazzik.core.simulate.looks import looks_of, turns_of
from lazzik.core.simulate.particles import MOST_ALIVE, SUBSTEPS, Moment, Particles
from lazzik.core.simulate.playback import Playback, run_frames
from lazzik.core.simulate.run import STRETCH, Simulation, simulation_of
from lazzik.core.simulate.shell import shell_of
from lazzik.core.simulate.swarm import SwarmRun
from lazzik.core.types import Samples
from lazzik.store.runs import Runs
from lazzik.web.carried.facts import run_facts
from lazzik.web.stage.points import small
from lazzik.web.ui.encode import floats
from lazzik.work.source import Source

THINNED = 250
"""Particles that a drag works out, about."""

MOST_READ = 20_000
"""Particles of a frame that are read from the disk for each move of a drag."""

Colors = NDArray[np.uint8]

MOST_STEPS = 300
"""Sub-steps that it does; those born longer ago are left out."""


def told_at(scene: Scene, slug: str, frames: Samples, runs: Runs, memo: Memo) -> dict[str, Any]:
    """A run at frames of the scene, as far as it is there.

    Parameters
    ----------
    frames : (n,) array
        With their part.

    Raises
    ------
    UnknownAddress
        Where they are not there.
    """
    node = scene.node(slug)
    if node.cloth is None:
        return told_of(simulation_of(scene, slug), list(Playback(scene, slug, runs, makes=False).moments(frames)))
    beside = Memo(behind=memo)
    beside.runs = runs
    clock = Clock(scene.fps, scene.first, frames)
    return told_surface(surface_seen(scene, node, clock, Scope(scene, beside, []), makes=False), len(frames))


def told_surface(surface: Surface, count: int) -> dict[str, Any]:
    """A surface at the moments of its clock: how many points, their places and their normals."""
    places, normals = small(surface, count)
    return {"counts": [len(surface.rest.points)] * count, "places": places, "normals": normals}


def told_of(run: Simulation, moments: Sequence[Moment]) -> dict[str, Any]:
    """Moments of a run: how many live at each, and of each of those its place, size and colour, of copies the turn; of
    a swarm that has a shell that one's points."""
    assert not isinstance(run, ClothRun)
    looks = [looks_of(run, moment) for moment in moments]
    colors = [np.round(255 * tints).astype("u1") for _, tints in looks]
    if isinstance(run, SwarmRun) and run.swarm.drawn == "shell":
        return _told_shells([shell_of(run, moment) for moment in moments], colors)
    told = {
        "counts": [len(moment) for moment in moments],
        "places": floats(np.concatenate([moment.places for moment in moments])),
        "sizes": floats(np.concatenate([sizes for sizes, _ in looks])),
        "colors": np.concatenate(colors),
    }
    if isinstance(run, Particles) and run.emitter.drawn == "copies":
        turns = (turns_of(run.scene, run.node.id, run.emitter, run.seed, moment) for moment in moments)
        told["turns"] = floats(np.concatenate(list(turns)))
    return told


def _told_shells(shells: Sequence[Mesh], colors: Sequence[Colors]) -> dict[str, Any]:
    """Shells, one for each moment: their points, normals and colour, and the corners of their triangles."""
    tints = [np.repeat(rows[:1], len(shell.points), axis=0) for shell, rows in zip(shells, colors, strict=True)]
    return {
        "counts": [len(shell.points) for shell in shells],
        "places": floats(np.concatenate([shell.points for shell in shells])),
        "normals": np.round(127 * np.concatenate([shell.normals for shell in shells])).astype("i1"),
        "colors": np.concatenate(tints),
        "triangles": [len(shell.triangles) for shell in shells],
        "corners": np.concatenate([shell.triangles for shell in shells]).astype("<u4"),
    }


def carried_seen(source: Source, edits: list[Edit], frame: float | None, progress: Progress) -> list[dict[str, Any]]:
    """What edits would do to what the air carries in a stored scene, at the frame that is shown, coarsely: a task."""
    before = source.read()
    at = before.first if frame is None else frame
    return carried_between(before, applied(before, edits, progress), at, Runs(source.folder))


def carried_between(before: Scene, after: Scene, frame: float, runs: Runs) -> list[dict[str, Any]]:
    """Of each emitter whose particles an edit would change, those at a frame: a thinned choice, or all where the run is
    there and only looks otherwise."""
    was = {fact["node"]: fact for fact in run_facts(before)}
    told = []
    for fact in run_facts(after):
        node, old = fact["node"], was.get(fact["node"])
        if fact == old:
            continue
        if fact["drawn"] == "cloth":
            if not fact["locked"]:
                told.append({"node": node} | _cloth_between(before, after, node, frame, runs))
            continue
        same = old is not None and old["run"] == fact["run"]
        moment = _kept(after, node, frame, runs) if same else None
        run = simulation_of(after, node)
        if moment is None and not fact["locked"]:
            if isinstance(run, SwarmRun):
                run, moment = coarse_swarm(after, node, frame, before, runs)
            else:
                moment = thinned(after, node, frame)
        if moment is not None:
            told.append({"node": node} | told_of(run, [moment]))
    return told


def _cloth_between(before: Scene, after: Scene, slug: str, frame: float, runs: Runs) -> dict[str, Any]:
    """Cloth as an edit would have it hang at a frame, more coarsely."""
    node, at = after.node(slug), math.floor(frame)
    points = coarse.thinned(after, slug, at, before, runs)
    clock = Clock(after.fps, after.first, np.array([float(at)]))
    surface = replace(surface_of(after, node, clock, Scope(after, None, [])), draped=lambda _: points)
    return told_surface(surface, 1)


def _kept(scene: Scene, slug: str, frame: float, runs: Runs) -> Moment | None:
    """The particles at a frame, if they are there and not too many to be read while one drags."""
    playback = Playback(scene, slug, runs, makes=False)
    at = math.floor(float(run_frames(scene, slug, np.array([float(frame)]))[0])) - scene.first
    course = runs.course(playback.stretches.key, at // STRETCH)
    if course is None or max(course[0]) > MOST_READ:
        return None
    try:
        return next(playback.moments(np.array([float(frame)])))
    except UnknownAddress:  # the frame after it, between which and it this one lies, is not there
        return None


def thinned(scene: Scene, slug: str, frame: float) -> Moment:
    """About THINNED of the particles at a frame, where they are among all."""
    at = math.floor(float(run_frames(scene, slug, np.array([float(frame)]))[0]))
    whole = Particles(scene, slug)
    begun = ((at - scene.first) * SUBSTEPS - whole.begins) * whole.seconds
    seconds = min(whole.longest(), MOST_STEPS * whole.seconds, begun)
    at_once = whole.emitter.comes == "at once"
    alive = float(np.max(whole.over_range("amount" if at_once else "rate"))) * (1.0 if at_once else seconds)
    every = max(1, round(min(alive, MOST_ALIVE) / THINNED))
    run = Particles(scene, slug, every=every, block=MOST_STEPS)
    return next(moment for moment, _ in run.frames(at, at, run.resumed(at, seconds)))
