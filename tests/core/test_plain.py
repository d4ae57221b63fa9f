"""Every kernel as the plain Python that it is written in: the same numbers as compiled, all of them reached.

So the lines of kernels count where it is measured which lines tests reach, and a mistake of the compiler would show.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any

import numpy as np
import pytest
from scipy.spatial.transform import Rotation as Turn

from lazzik.core.bake.baking import bakeable
from lazzik.core.channel.channel import Channel, as_channel
from lazzik.core.clock import Clock
from lazzik.core.evaluate.airflow import air
from lazzik.core.evaluate.alike import motions
from lazzik.core.evaluate.copies import copies_of
from lazzik.core.evaluate.leans import leans
from lazzik.core.evaluate.rows import Member
from lazzik.core.evaluate.scope import ALONE, Scope
from lazzik.core.evaluate.shapes import shapes_over_time
from lazzik.core.evaluate.surface import surface_of
from lazzik.core.evaluate.transforms import rows_of
from lazzik.core.evaluate.values import evaluate
from lazzik.core.fitting.fitting import fit
from lazzik.core.fitting.minimax import PER_FRAME
from lazzik.core.formats.euler_angles import euler_angles
from lazzik.core.formats.gltf import write_glb
from lazzik.core.formats.silhouette import Silhouette
from lazzik.core.geometry.outlines import face
from lazzik.core.geometry.primitives import Ball
from lazzik.core.kernels import KERNELS, interpret
from lazzik.core.layers import BY_KIND
from lazzik.core.reading.ringing import Ringing, moved
from lazzik.core.scene.scene import Scene
from lazzik.core.simulate.cloth import ClothRun
from lazzik.core.simulate.particles import Particles
from lazzik.core.simulate.shell import shell_of
from lazzik.core.simulate.swarm import SwarmRun
from lazzik.work.kernels import every_kernel
from tests.conftest import edited

Numbers = list[np.ndarray[Any, np.dtype[np.float64]]]


@contextmanager
def plain(monkeypatch: pytest.MonkeyPatch) -> Iterator[Counter[str]]:
    """Without the compiler: how often each kernel was called so."""
    called: Counter[str] = Counter()

    def counting(name: str, function: Callable[..., Any]) -> Callable[..., Any]:
        def run(*arguments: Any) -> Any:
            called[name] += 1
            return function(*arguments)

        return run

    with monkeypatch.context() as patch, np.errstate(all="ignore"):
        for kernel in KERNELS:
            patch.setattr(kernel, "_ready", counting(kernel.__name__, kernel.py_func))
        yield called


def _kinds(post: Scene) -> Scene:
    """A number for each layer kind on top of the two that it may answer to, in each of its settings."""
    scene = edited(
        post,
        {"do": "add-object", "label": "Wind", "field": {"kind": "wind"}},
        {"do": "add-object", "label": "Slow wind", "field": {"kind": "wind", "loop": 9.0, "speed": 0.5}},
        {"do": "add-object", "label": "Eddies", "field": {"kind": "eddies", "life": 0.4, "reach": "within"}},
        {"do": "add-object", "label": "Whirl", "field": {"kind": "whirl"}},
        {"do": "add-object", "label": "Push", "field": {"kind": "push"}},
        {"do": "set", "address": "eddies/position.x", "value": 3.0},
    )
    for place, (name, kind) in enumerate(BY_KIND.items()):
        if name in ("formula", "link", "clip", "recipe", "play", "use"):  # these have no kernels of their own
            continue
        options = max((len(choices) for choices in kind.settings().values()), default=1)
        for turn in range(options):
            node = f"k{place}-{turn}"
            at = f"{node}/position.y"
            settings = {field: choices[turn % len(choices)] for field, choices in kind.settings().items()}
            scene = edited(
                scene,
                {"do": "add-object", "label": node},
                {"do": "put-key", "address": at, "frame": 0, "value": 0},
                {"do": "put-key", "address": at, "frame": 4, "value": 2},
                {"do": "put-key", "address": at, "frame": 7, "value": 1},
                {"do": "add-layer", "address": at, "kind": "wave"},
                {"do": "add-layer", "address": at, "kind": name, "settings": settings},
            )
            # what else a kind can do: edges made soft, and a smoothing that is narrow
            for number, value in {"softness": 0.4, "cutoff": 200.0}.items():
                if number in kind.model_fields:
                    layer = as_channel(scene.by_id[node].position.y).layers[-1].id
                    scene = edited(scene, {"do": "set", "address": f"{at}#{layer}.{number}", "value": value})
    return edited(scene, {"do": "change-scene", "last": 10})


def _motions(scene: Scene) -> Numbers:
    # thirds of frames: what swings is also asked for between the points of its grid
    return list(evaluate(scene, bakeable(scene), scene.clock(3)).values())


def _crowds(_: Scene) -> Numbers:
    """Many of each kind that is worked out beside others of it."""
    clock = Clock.over(30, 0, 6)
    made = []
    for name, kind in BY_KIND.items():
        if kind.together and name not in ("breeze", "clip", "link", "recipe"):  # which read more of a scene
            own = kind.model_validate({"kind": name, "id": name, "label": name})
            members = [Member("", Channel(value=float(k), layers=(own,))) for k in range(3)]
            made.append(motions(members, clock, ALONE))
    return made


def _aims(scene: Scene) -> Numbers:
    return [rows_of(node, scene.clock(), Scope(scene)) for node in scene.nodes if node.aim is not None]


def _surfaces(scene: Scene) -> Numbers:
    out = []
    clock = scene.clock()
    for node in scene.nodes:
        if node.shape and shapes_over_time(scene, node):
            surface = surface_of(scene, node, clock.at(clock.frames[[0, 5]]), Scope(scene))
            points = surface.points(1)
            out += [points, surface.normals(points)]
    return out


def _copies(_: Scene) -> Numbers:
    """Tufts that keep apart, and lean in a gusty wind whose speed steps."""
    step = {"do": "put-key", "address": "wind/field.speed", "value": 8.0, "go": "step"}
    scene = edited(
        Scene(name="Meadow", last=6),
        {"do": "add-object", "label": "Wind", "field": {"kind": "wind"}},
        step | {"frame": 0, "value": 2.0},
        step | {"frame": 3},
        {"do": "add-object", "label": "Ground", "shape": {"kind": "sheet"}},
        {"do": "add-object", "label": "Tuft", "shape": {"kind": "box"}},
        {"do": "scatter", "nodes": ["tuft"], "surface": "ground", "label": "Meadow"},
        {"do": "set", "address": "meadow/scatter.count", "value": 5},
        {"do": "set", "address": "meadow/scatter.spacing", "value": 0.3},
        {"do": "set", "address": "meadow/scatter.damping", "value": 1.2},
    )
    node, scope = scene.by_id["meadow"], Scope(scene)
    copies = copies_of(scene, node, scope)
    return [copies.places, *(block for _, block in leans(scene, node, copies, scene.clock(), scope))]


def _eddies(_: Scene) -> Numbers:
    """Those that end, at few moments and at many: inside, at the edge and beyond it."""
    eddies = {"kind": "eddies", "life": 0.4, "reach": "within"}
    scene = edited(Scene(name="Eddies"), {"do": "add-object", "label": "Eddies", "field": eddies})
    points = np.array([[[0.5, 1.0, 0.2], [3.0, 0.0, 2.0], [9.0, 0.0, 0.0]]])
    return [air(points, Clock.over(30, 0, last), Scope(scene)) for last in (1, 9)]


def _particles(_: Scene) -> Numbers:
    """From the inside of a box, onto a floor: what is met, what is not, and whether one is inside."""
    scene = edited(
        Scene(name="Dust", last=9),
        {"do": "add-object", "label": "Crate", "shape": {"kind": "box"}, "position": [0, 1, 0]},
        {"do": "add-object", "label": "Floor", "shape": {"kind": "sheet", "width": 4, "height": 4}},
        {"do": "emit", "label": "Dust", "of": "crate", "begin": "inside"},
        {"do": "set", "address": "dust/emitter.rate", "value": 60},
        {"do": "set", "address": "dust/emitter.push", "value": -6},
        {"do": "change-emitter", "node": "dust", "colliders": ["floor"]},
    )
    moments = [moment for moment, _ in Particles(scene, "dust").frames(0, 9)]
    return [rows for moment in moments for rows in (moment.places, moment.speeds)]


def _cloths(_: Scene) -> Numbers:
    """A sack that is curved at rest, softly held at its top, in a wind."""
    ball = {"kind": "ball", "radius": 0.3, "around": 6, "along": 4}
    scene = edited(
        Scene(name="Sack", last=2),
        {"do": "add-object", "label": "Wind", "field": {"kind": "wind"}},
        {"do": "add-object", "label": "Sack", "shape": ball, "position": [0, 1, 0]},
        {"do": "drape", "node": "sack"},
        {"do": "pin", "node": "sack", "place": "left edge"},
        {"do": "set", "address": "sack/cloth.ahead", "value": 0},
        {"do": "set", "address": "sack/cloth.pins.top_edge.strength", "value": 0.6},
    )
    return [moment.points for moment, _ in ClothRun(scene, "sack").frames(0, 1)]


def _swarms(_: Scene) -> Numbers:
    """A few particles in a box that meet another, in a wind, and their shell."""
    scene = edited(
        Scene(name="Tank", last=2),
        {"do": "add-object", "label": "Wind", "field": {"kind": "wind"}},
        {"do": "add-object", "label": "Tank", "shape": {"kind": "box", "width": 0.3, "height": 0.3, "depth": 0.3}},
        {"do": "add-object", "label": "Buoy", "shape": {"kind": "ball", "radius": 0.06, "around": 6, "along": 4}},
        {"do": "pour", "of": "tank", "fills": "hollow"},
        {"do": "change-swarm", "node": "swarm", "colliders": ["buoy"]},
        {"do": "set", "address": "swarm/swarm.spacing", "value": 0.07},
        {"do": "set", "address": "swarm/swarm.cohesion", "value": 4},
        {"do": "set", "address": "swarm/swarm.ahead", "value": 0},
    )
    run = SwarmRun(scene, "swarm")
    moments = [moment for moment, _ in run.frames(0, 1)]
    return [*(moment.places for moment in moments), shell_of(run, moments[-1]).points]


def _fits(_: Scene) -> Numbers:
    frames = np.arange(0, 40, 1 / PER_FRAME)
    smooth = np.sin(frames / 5) + 0.3 * np.sin(frames * 1.1)
    bumpy = smooth + 0.05 * np.sign(np.sin(frames * 2.1))  # at which no choice hangs on the last bit
    rows = [fit(y, 0, 30.0, tolerance) for y in (smooth, bumpy) for tolerance in (0.02, 0.002)]
    rows += [fit(y[:81], 0, 30.0, 0.02, thorough=True) for y in (smooth, bumpy)]
    rows.append(fit(9e8 * np.sin(frames[:33] / 2), 0, 30.0, 1e6))  # steeper than a key can be
    return [np.array([(key.frame, key.value) for key in keys]) for keys in rows]


def _delivery(scene: Scene) -> Numbers:
    """What turns and slides, as a glTF file: its bytes."""
    nodes = tuple(node.replaced(shape=None, look=None, deform=()) for node in scene.nodes[:16])
    return [np.frombuffer(write_glb(scene.replaced(nodes=nodes)), dtype=np.uint8).astype(float)]


def _faces(_: Scene) -> Numbers:
    square = np.array([[0.0, 0], [0, 1], [1, 1], [1, 0]])
    points, triangles, _rims = face([square, 0.25 + 0.5 * square[::-1]], 0.2)
    return [points, triangles.astype(float)]


def _outlines(_: Scene) -> Numbers:
    mesh = Ball(kind="ball", radius=1).mesh()
    path = Silhouette(mesh).path(100.0 + 50.0 * mesh.points[:, :2] * (1.0, -1.0), 2.0 + mesh.points[:, 2])
    return [np.array([float(number) for number in re.findall(r"-?[\d.]+", path)])]


def _ringing(_: Scene) -> Numbers:
    return [moved(np.arange(90) / 30.0, 1.0, 0.3, eased, Ringing(1.7, 0.1, 0.6)) for eased in (False, True)]


def _angles(_: Scene) -> Numbers:
    t = np.linspace(0, 9, 40)
    return [euler_angles(Turn.from_rotvec(np.stack([t, 2 * t, np.sin(t)], axis=1)).as_quat())]


WORKS = (
    _motions, _crowds, _aims, _surfaces, _fits, _faces, _delivery, _copies, _eddies, _particles, _cloths, _swarms,
    _outlines, _ringing, _angles,
)  # fmt: skip

SEARCHED = 2e-4
"""How far values may differ that a search found, which ends where a tolerance holds and sums in the order that its
processor likes: a tenth of that tolerance."""


@pytest.mark.slow
def test_every_kernel_gives_the_same_without_the_compiler(demo: Scene, monkeypatch: pytest.MonkeyPatch) -> None:
    every_kernel()
    short = edited(demo, {"do": "change-scene", "last": 8})
    called: Counter[str] = Counter()
    for scene in (short, _kinds(Scene(name="Kinds"))):
        for work in WORKS:
            compiled = work(scene)
            with plain(monkeypatch) as counts:
                slow = work(scene)
            called += counts
            near = SEARCHED if work is _fits else 1e-9
            for fast_row, slow_row in zip(compiled, slow, strict=True):
                np.testing.assert_allclose(slow_row, fast_row, rtol=1e-9, atol=near, err_msg=work.__name__)
    assert {kernel.__name__ for kernel in KERNELS} - set(called) == set()


def test_small_calls_give_the_same_bits_without_the_compiler(demo: Scene, monkeypatch: pytest.MonkeyPatch) -> None:
    """A program that lets the plain functions stand in for a while shows the very numbers that all others show."""
    every_kernel()
    for scene in (edited(demo, {"do": "change-scene", "last": 8}), _kinds(Scene(name="Kinds"))):
        compiled = _motions(scene)
        with monkeypatch.context() as patch:
            for kernel in KERNELS:
                patch.setattr(kernel, "_ready", None)
            interpret(1e9)
            try:
                slow = _motions(scene)
            finally:
                interpret(0.0)
        for fast_row, slow_row in zip(compiled, slow, strict=True):
            np.testing.assert_array_equal(slow_row, fast_row)
