"""Swarms: a run against finding its neighbours and summing over them, how dense it lies, and what a frame costs."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np

from benchmarks.air import told
from benchmarks.timing import best
from lazzik.core.scene.edits.base import applied
from lazzik.core.scene.edits.every import read_edits
from lazzik.core.scene.scene import Scene
from lazzik.core.simulate.coarse_swarm import coarse_swarm
from lazzik.core.simulate.pbf import AT_REST, find_pairs, keys_of, push_apart, sum_densities
from lazzik.core.simulate.playback import Playback
from lazzik.core.simulate.run import FolderStorage
from lazzik.core.simulate.shell import shell_of
from lazzik.core.simulate.swarm import SUBSTEPS, SWEEPS, SwarmRun
from lazzik.demo.whole import WHOLE

FRAMES, GOAL = 4, 1.3
Points = np.ndarray[tuple[int, ...], np.dtype[np.float64]]


def rows() -> Iterator[str]:
    """Some twenty thousand particles; two hundred and fifty frames take some sixty times as long."""
    for scene, what, goal in ((afloat(), "that float", GOAL), (held(), "ten layers deep in a box", None)):
        run = SwarmRun(scene, "swarm")
        *_, (_, state) = run.frames(0, 3)
        spent = best(lambda run=run, state=state: list(run.frames(4, 3 + FRAMES, state)), runs=3)  # type: ignore[misc]
        bare = best(partial(_sums, run, state.places), runs=3)
        words = f"{len(state.places):,} particles {what} × {FRAMES} frames at {SUBSTEPS} × {SWEEPS}"
        if goal is not None:
            yield told(words, spent, bare, "finding neighbours and the bare sums over them", goal)
        else:
            yield f"{words}, walls and all: {spent / bare:.2f} × the same, {1e3 * spent / FRAMES:.0f} ms a frame"
    yield _rest()
    yield from _recipes()


def _sums(run: SwarmRun, places: Points) -> None:
    """Who is near whom, and the sums over them as often as a run makes them, and nothing else."""
    n, scale = len(places), run.spacing**3 * 21.0 / (2.0 * np.pi * run.support**3) / AT_REST
    densities, squares, shares = np.empty(n), np.empty(n), np.empty(n)
    gradients, moves = np.empty((n, 3)), np.empty((n, 3))
    starts, others, pushes = np.empty(n + 1, dtype=np.int64), np.empty(30 * n, dtype=np.int64), np.zeros((n, 3))
    for _ in range(FRAMES * SUBSTEPS):
        keys = keys_of(places, run.support)
        order = np.argsort(keys, kind="stable")
        there = np.take(places, order, axis=0)
        slopes = np.empty(find_pairs(np.take(keys, order), there, run.support, starts, others))
        for _ in range(SWEEPS):
            sum_densities(there, starts, others, run.support, scale, densities, gradients, squares, slopes)
            push_apart(there, starts, others, slopes, densities, gradients, squares, pushes, run.spacing, shares, moves)


def _rest() -> str:
    """How many there are in a box at rest, 15 layers deep, beside a lattice."""
    scene = _poured((0.6, 1.2, 0.6), 0.05, full=0.625)
    moment = next(moment for moment, _ in SwarmRun(scene, "swarm").frames(100, 100))
    rise = float(moment.places[:, 1].mean()) / 0.375 - 1.0
    pace = 1e3 * float(np.linalg.norm(moment.speeds, axis=1).mean())
    return (
        f"at rest in a box, 15 layers deep: its middle is {100 * rise:+.1f} % off a lattice's (goal within 3 %), "
        f"and it goes {pace:.0f} mm/s"
    )


def _recipes() -> Iterator[str]:
    for key in ("drop", "basin"):
        recipe = next(item for item in WHOLE if item.key == key)
        scene = applied(Scene(name="Bare"), read_edits([recipe.edit]))
        slug = next(node.id for node in scene.nodes if node.swarm)
        run = SwarmRun(scene, slug)
        *_, (moment, state) = run.frames(0, 2)
        spent = best(lambda run=run, state=state: list(run.frames(3, 8, state)), runs=3) / 6  # type: ignore[misc]
        shell = best(partial(shell_of, run, moment), runs=3)
        with TemporaryDirectory() as folder:
            storage = FolderStorage(Path(folder))
            list(Playback(scene, slug, storage).moments(np.arange(20.0)))
            dragged = best(partial(coarse_swarm, scene, slug, 18.0, scene, storage), runs=3)
        yield (
            f"{recipe.label}, {len(moment):,} particles: {1e3 * spent:.0f} ms a frame, its shell {1e3 * shell:.0f} ms, "
            f"coarsely while a number is dragged {1e3 * dragged:.0f} ms (goal 100)"
        )


def afloat() -> Scene:
    """A ball that holds together, without weight."""
    shape = {"kind": "ball", "radius": 0.84, "around": 48, "along": 32}
    return _filled(shape, "body", 0.05, {"gravity": 0.0, "cohesion": 5.0})


def held() -> Scene:
    """A box filled ten layers deep."""
    return _poured((2.2, 1.0, 2.2), 0.05, full=0.5)


def _poured(size: tuple[float, float, float], apart: float, full: float) -> Scene:
    shape = {"kind": "box", "width": size[0], "height": size[1], "depth": size[2], "base": True}
    return _filled(shape, "hollow", apart, {"full": full})


def _filled(shape: dict[str, object], fills: str, apart: float, numbers: dict[str, float]) -> Scene:
    edits = [
        {"do": "add-object", "label": "Vessel", "shape": shape},
        {"do": "pour", "of": "vessel", "fills": fills},
        {"do": "change-swarm", "node": "swarm", "settings": {"wind": "still"}},
        {"do": "set", "address": "swarm/swarm.spacing", "value": apart},
        {"do": "set", "address": "swarm/swarm.ahead", "value": 0},
        *({"do": "set", "address": f"swarm/swarm.{name}", "value": value} for name, value in numbers.items()),
    ]
    return applied(Scene(name="Water", fps=25, last=250), read_edits(edits))
