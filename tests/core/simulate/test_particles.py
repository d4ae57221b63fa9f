"""Particles: held against closed forms and a plain solver; the same to the bit however they are asked for."""

from __future__ import annotations

import hashlib
import subprocess
import sys
from typing import Any

import numpy as np
import pytest

from lazzik.core.errors import InvalidEdit
from lazzik.core.evaluate.airflow import air
from lazzik.core.evaluate.scope import Scope
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.serialize import scene_text
from lazzik.core.simulate.particles import MOST_ALIVE, Moment, Particles
from tests.conftest import edited

STILL = {"do": "change-emitter", "node": "dust", "settings": {"wind": "still"}}
AT_ONCE = {"do": "change-emitter", "node": "dust", "settings": {"comes": "at once"}}


def dusty(*more: dict[str, Any], last: float = 60, **numbers: float) -> Scene:
    """Dust from a point, three metres up."""
    plain = {"life": 100.0, "life_varies": 0.0, "push_varies": 0.0, "spread": 0.0} | numbers
    return edited(
        Scene(name="Dust", fps=30, last=int(last)),
        {"do": "emit", "label": "Dust", "position": [0, 3, 0]},
        *({"do": "set", "address": f"dust/emitter.{name}", "value": value} for name, value in plain.items()),
        *more,
    )


def run(scene: Scene, last: int = 60, first: int = 0) -> list[Moment]:
    return [moment for moment, _ in Particles(scene, "dust").frames(first, last)]


def test_free_fall_is_that_of_the_textbook() -> None:
    scene = dusty(STILL, AT_ONCE, amount=3, push=2.0, gravity=1.0)
    for moment in run(scene):
        t = moment.frame / 30
        expected = 3 + 2.0 * t - 9.81 * t * t / 2
        np.testing.assert_allclose(moment.places, np.tile([0, expected, 0], (len(moment), 1)), atol=1e-9)
        np.testing.assert_allclose(moment.ages, t, atol=1e-9)
    assert len(moment) == 3


def test_fall_with_drag_comes_to_its_terminal_speed() -> None:
    tau, gravity, push = 0.35, 0.6, 4.0
    scene = dusty(AT_ONCE, amount=1, push=push, gravity=gravity, answers=tau, last=240)
    terminal = -9.81 * gravity * tau
    for moment in run(scene, 240):
        t = moment.frame / 30
        gone = 1 - np.exp(-t / tau)
        if t > 0:
            np.testing.assert_allclose(moment.speeds[0], [0, push + (terminal - push) * gone, 0], atol=1e-9)
            height = 3 + terminal * t + (push - terminal) * tau * gone
            np.testing.assert_allclose(moment.places[0], [0, height, 0], atol=1e-9)
    assert moment.speeds[0, 1] == pytest.approx(terminal, abs=1e-8)


def test_ten_particles_go_as_a_plain_solver_has_them_go() -> None:
    """Runge and Kutta's fourth order in plain Python, with the air of the scene at steps five times finer."""
    wind = {
        "do": "add-object",
        "label": "Eddies",
        "field": {"kind": "eddies", "size": 3.0, "octaves": 1.0, "life": 4.0},
    }
    scene = dusty(AT_ONCE, wind, amount=10, push=1.5, spread=60.0, answers=0.4, gravity=0.2)
    moments = run(scene, 30)
    scope = Scope(scene)
    places, speeds = (rows.tolist() for rows in (moments[1].places, moments[1].speeds))

    def pull(place: list[float], speed: list[float], frame: float) -> list[float]:
        blown = air(np.array([[place]]), scene.clock().at(np.array([frame])), scope)[0, 0].tolist()
        return [(blown[k] - speed[k]) / 0.4 - (9.81 * 0.2 if k == 1 else 0.0) for k in range(3)]

    def on(start: list[float], by: list[float], share: float) -> list[float]:
        return [a + share * b for a, b in zip(start, by, strict=True)]

    def mean(a: list[float], b: list[float], c: list[float], d: list[float]) -> list[float]:
        return [(p + 2 * q + 2 * r + s) / 6 for p, q, r, s in zip(a, b, c, d, strict=True)]

    h, steps = 1 / 150, 145
    for k in range(10):
        x, v = places[k], speeds[k]
        for n in range(steps):
            f = 1 + n / 5
            a1, v1 = pull(x, v, f), v
            v2 = on(v, a1, h / 2)
            a2 = pull(on(x, v1, h / 2), v2, f + 0.1)
            v3 = on(v, a2, h / 2)
            a3 = pull(on(x, v2, h / 2), v3, f + 0.1)
            v4 = on(v, a3, h)
            a4 = pull(on(x, v3, h), v4, f + 0.2)
            x, v = on(x, mean(v1, v2, v3, v4), h), on(v, mean(a1, a2, a3, a4), h)
        went = np.linalg.norm(np.array(x) - places[k])
        # the air is read once a sub-step, so the way is exact to the first order: a hundredth of it
        assert np.linalg.norm(np.array(x) - moments[30].places[k]) < 0.01 * went + 2e-3


def digest(moments: list[Moment]) -> str:
    found = hashlib.sha256()
    for moment in moments:
        for rows in (moment.ids, moment.places, moment.speeds, moment.ages, moment.lives):
            found.update(np.ascontiguousarray(rows).tobytes())
    return found.hexdigest()


@pytest.fixture(scope="module")
def stormy() -> Scene:
    """Dust of all sorts: keyed numbers, eddies that turn, a floor, a spread, a pre-roll."""
    return dusty(
        {"do": "add-object", "label": "Wind", "field": {"kind": "wind"}},
        {"do": "add-object", "label": "Eddies", "field": {"kind": "eddies", "life": 2.0}},
        {"do": "add-object", "label": "Floor", "shape": {"kind": "box", "width": 9, "depth": 9, "height": 0.2}},
        {"do": "add-layer", "address": "floor/position.y", "kind": "wave"},
        {"do": "change-emitter", "node": "dust", "colliders": ["floor"]},
        {"do": "put-key", "address": "dust/emitter.rate", "frame": 0, "value": 40},
        {"do": "put-key", "address": "dust/emitter.rate", "frame": 40, "value": 400},
        {"do": "add-layer", "address": "dust/position.x", "kind": "noise"},
        life=1.6, life_varies=0.5, spread=70.0, push=2.0, push_varies=0.5, gravity=0.5, ahead=0.73,
    )  # fmt: skip


def test_the_same_in_one_go_in_parts_and_over_any_range(stormy: Scene) -> None:
    whole = run(stormy, 50)
    assert len(whole[0]) > 10  # it is under way
    part = [moment for moment, _ in Particles(stormy, "dust").frames(37, 50)]
    assert digest(part) == digest(whole[37:])
    for stop in (3, 16, 31):
        first = list(Particles(stormy, "dust").frames(0, stop))
        gone_on = [moment for moment, _ in Particles(stormy, "dust").frames(stop + 1, 50, first[-1][1])]
        assert digest(gone_on) == digest(whole[stop + 1 :])
    longer = edited(stormy, {"do": "change-scene", "last": 500})
    assert digest(run(longer, 50)) == digest(whole)
    beside = edited(stormy, {"do": "add-object", "label": "Aside", "shape": {"kind": "ball"}})
    assert digest(run(beside, 50)) == digest(whole)


def test_the_same_in_another_process(stormy: Scene) -> None:
    script = (
        "import sys; from lazzik.core.scene.serialize import read_scene;"
        "from tests.core.simulate.test_particles import digest, run;"
        "print(digest(run(read_scene(sys.stdin.read()), 40)))"
    )
    said = subprocess.run(
        [sys.executable, "-c", script], input=scene_text(stormy), capture_output=True, text=True, check=True
    )
    assert said.stdout.strip() == digest(run(stormy, 40))


def test_as_many_come_as_the_rate_says_and_each_lives_its_life() -> None:
    keys = [{"do": "put-key", "address": "dust/emitter.rate", "frame": f, "value": v} for f, v in ((0, 0), (60, 300))]
    ramp = dusty(*keys, STILL)
    shape = [{"do": "shape-keys", "address": "dust/emitter.rate", "frames": [0, 60], "go": "linear"}]
    moments = run(edited(ramp, *shape))
    for moment in moments:
        t = moment.frame / 30
        assert len(moment) == pytest.approx(150 * t * t / 2, abs=1.01)  # the integral of 150·t
    steady = dusty(rate=90, life=0.5)
    assert len(run(steady)[60]) == pytest.approx(45, abs=1)
    varied = run(dusty(rate=2000, life=1.0, life_varies=0.5))[60]
    assert 0.5 <= varied.lives.min() < 0.52
    assert 1.48 < varied.lives.max() <= 1.5
    assert np.all(varied.ages < varied.lives)
    window = run(dusty(rate=300, start=10, lasts=20))
    assert (len(window[10]), len(window[60])) == (0, 200)


def test_what_carries_the_emitter_gives_them_its_speed() -> None:
    moving = [{"do": "put-key", "address": "dust/position.x", "frame": f, "value": v} for f, v in ((0, 0), (60, 6))]
    straight = {"do": "shape-keys", "address": "dust/position.x", "frames": [0, 60], "go": "linear"}
    for share in (0.0, 0.5, 1.0):
        scene = dusty(*moving, straight, STILL, push=0.0, gravity=0.0, inherits=share, rate=30)
        np.testing.assert_allclose(run(scene)[50].speeds, np.tile([3.0 * share, 0, 0], (50, 1)), atol=1e-9)


def test_they_set_out_within_their_spread_evenly() -> None:
    scene = dusty(AT_ONCE, STILL, amount=20_000, spread=40.0, push=1.0, gravity=0.0)
    ways = run(scene, 1)[1].speeds
    cos = ways[:, 1] / np.linalg.norm(ways, axis=1)
    low = np.cos(np.radians(40))
    assert cos.min() >= low - 1e-12
    counted, _ = np.histogram(cos, bins=10, range=(low, 1))
    assert np.abs(counted - 2000).max() < 5 * np.sqrt(2000)
    assert np.abs(ways.mean(axis=0)[[0, 2]]).max() < 0.02


def begun(begin: str, shape: dict[str, Any]) -> Any:
    """Where four thousand of them begin."""
    thing = {"do": "add-object", "label": "Thing", "shape": shape, "position": [2, 0, 0]}
    source = {"do": "change-emitter", "node": "dust", "settings": {"begin": begin}, "of": "thing"}
    scene = dusty(thing, source, STILL, AT_ONCE, amount=4000, push=0.0, gravity=0.0)
    return run(scene, 1)[1].places - [2, 0, 0]


def test_they_begin_on_a_surface_inside_and_along_edges() -> None:
    box = {"kind": "box", "width": 2.0, "height": 1.0, "depth": 1.0}
    half = np.array([1.0, 0.5, 0.5])
    surface = begun("surface", box)
    assert np.all(np.abs(np.abs(surface) - half).min(axis=1) < 1e-9)
    ends = np.sum(np.abs(np.abs(surface[:, 0]) - 1.0) < 1e-9)
    assert ends == pytest.approx(4000 * 2 / 10, abs=5 * np.sqrt(800))  # two of ten square metres
    inside = begun("inside", {"kind": "ball", "radius": 0.8, "around": 48, "along": 32})
    radii = np.linalg.norm(inside, axis=1)
    assert radii.max() <= 0.8
    assert np.mean(radii < 0.4) == pytest.approx(1 / 8, abs=0.02)
    edges = begun("edges", box)
    on = np.sum(np.abs(np.abs(edges) - half) < 1e-9, axis=1)
    assert on.min() >= 2
    assert len(begun("edges", {"kind": "lettering", "text": "AB", "size": 0.5})) == 4000


def test_a_loop_meets_itself() -> None:
    scene = dusty(
        {"do": "add-object", "label": "Wind", "field": {"kind": "wind"}},
        {"do": "add-object", "label": "Eddies", "field": {"kind": "eddies"}},
        {"do": "loop", "addresses": ["wind", "eddies", "dust"], "fit": True},
        rate=200, life=1.7, life_varies=0.3, spread=50.0, gravity=0.3, last=45,
    )  # fmt: skip
    emitter = scene.by_id["dust"].emitter
    assert emitter is not None
    assert emitter.loop == 45
    particles = Particles(scene, "dust")
    first, *_, last = (moment for moment, _ in particles.frames(0, 45))
    order, other = np.lexsort((first.ages, first.ids)), np.lexsort((last.ages, last.ids))
    assert len(first) > 200
    np.testing.assert_array_equal(first.ids[order], last.ids[other])
    np.testing.assert_allclose(last.places[other], first.places[order], atol=1e-9)
    np.testing.assert_allclose(last.speeds[other], first.speeds[order], atol=1e-8)
    third = edited(scene, {"do": "change-emitter", "node": "dust", "loop": 20.3})
    with pytest.raises(InvalidEdit, match=r"can't repeat after 20\.3 frames"):
        Particles(third, "dust")


@pytest.mark.parametrize(
    "numbers",
    [
        {"life": 0.0}, {"push": 1e9}, {"answers": 0.0}, {"amount": 10_000_000.0}, {"gravity": 1e9},
        {"spread": 180.0, "size": 0.0},
    ],
)  # fmt: skip
def test_hostile_numbers_give_a_bounded_run(numbers: dict[str, float]) -> None:
    for moment in run(dusty(AT_ONCE, **numbers), 5):
        assert len(moment) <= MOST_ALIVE
        for rows in (moment.places, moment.speeds, moment.ages):
            assert np.all(np.isfinite(rows))


def test_a_formula_without_a_number_is_no_number_on_the_stage() -> None:
    scene = dusty(rate=100)
    for name in ("push", "life", "answers", "rate"):
        formula = {
            "do": "add-layer",
            "address": f"dust/emitter.{name}",
            "kind": "formula",
            "settings": {"text": "log(0 - 1)"},
        }
        for moment in run(edited(scene, formula), 10):
            assert np.all(np.isfinite(moment.places))
