"""What particles meet: they bounce, stick or end there, and nothing gets through."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
import shapely

from lazzik.core.evaluate.transforms import world
from lazzik.core.scene.scene import Scene
from lazzik.core.simulate.particles import Moment, Particles
from tests.conftest import edited

FLOOR = {"do": "add-object", "label": "Floor", "shape": {"kind": "sheet", "width": 8, "height": 8}}


def raining(*more: dict[str, Any], meets: str = "bounce", collider: str = "floor", **numbers: float) -> Scene:
    """Drops that fall from a board, two metres above a floor."""
    plain = {
        "life": 100.0,
        "life_varies": 0.0,
        "push": 0.0,
        "push_varies": 0.0,
        "spread": 0.0,
        "gravity": 1.0,
        "amount": 400.0,
    } | numbers
    return edited(
        Scene(name="Rain", fps=30, last=120),
        FLOOR,
        {"do": "add-object", "label": "Board", "shape": {"kind": "sheet", "width": 2, "height": 2},
         "position": [0, 2, 0]},
        {"do": "emit", "label": "Rain", "of": "board"},
        {"do": "change-emitter", "node": "rain", "settings": {"comes": "at once", "wind": "still", "meets": meets}},
        *({"do": "set", "address": f"rain/emitter.{name}", "value": value} for name, value in plain.items()),
        *more,
        {"do": "change-emitter", "node": "rain", "colliders": [collider]},
    )  # fmt: skip


def run(scene: Scene, last: int) -> list[Moment]:
    return [moment for moment, _ in Particles(scene, "rain").frames(0, last)]


def test_a_drop_bounces_with_the_share_of_its_speed() -> None:
    moments = run(raining(bounce=0.5, friction=0.0, amount=50), 60)
    fall = np.sqrt(2 * 2.0 / 9.81)  # seconds until it meets the floor
    after = next(moment for moment in moments if moment.frame / 30 > fall + 1 / 60)
    speed = 9.81 * fall * 0.5
    late = after.frame / 30 - fall
    # it meets within a sub-step, and falls on from there with the speed of its end
    np.testing.assert_allclose(after.speeds[:, 1], speed - 9.81 * late, atol=9.81 / 60 * 1.6)
    heights = np.array([moment.places[:, 1].max(initial=0.0) for moment in moments])
    assert heights[int(30 * fall) + 1 :].max() == pytest.approx(2.0 * 0.25, rel=0.12)
    assert min(moment.places[:, 1].min(initial=9.0) for moment in moments) > 0


def test_it_slides_with_friction_sticks_or_ends() -> None:
    tilted = {"do": "set", "address": "floor/rotation.z", "value": 20.0}
    free, rough = (run(raining(tilted, bounce=0.0, friction=f), 40)[40] for f in (0.0, 1.0))
    assert np.abs(free.speeds[:, 0]).min() > 0.5
    assert np.linalg.norm(rough.speeds, axis=1).max() < 9.81 / 60 * 2
    stuck = run(raining(meets="stick"), 40)[40]
    np.testing.assert_allclose(stuck.places[:, 1], 0.0, atol=1e-5)
    assert len(stuck) == 400
    assert len(run(raining(meets="end"), 40)[40]) == 0


def test_what_sticks_goes_with_what_it_sticks_to() -> None:
    spins = {"do": "add-layer", "address": "floor/rotation.y", "kind": "turn"}
    scene = raining(spins, meets="stick")
    moments = run(scene, 60)
    floor = scene.by_id["floor"]
    spaces = world(scene, floor, scene.clock())
    local = [np.linalg.solve(spaces[k], np.vstack([moments[k].places.T, np.ones(400)]))[:3] for k in (30, 60)]
    np.testing.assert_allclose(local[0], local[1], atol=1e-9)
    assert np.abs(moments[30].places - moments[60].places).max() > 0.05


@pytest.mark.parametrize("speed", [10.0, 400.0])
@pytest.mark.parametrize(
    "shape",
    [
        {"kind": "box", "width": 3, "height": 0.02, "depth": 3}, {"kind": "ball", "radius": 1.2},
        {"kind": "tube", "radius": 1.4, "height": 0.4}, {"kind": "ring", "radius": 1.0, "thickness": 0.5},
        {"kind": "sheet", "width": 3, "height": 3, "columns": 7, "rows": 5},
    ],
    ids=lambda shape: shape["kind"],
)  # fmt: skip
def test_nothing_tunnels(shape: dict[str, Any], speed: float) -> None:
    thing = {"do": "add-object", "label": "Thing", "shape": shape}
    scene = raining(thing, collider="thing", meets="stick", amount=3000, push=-speed, gravity=0.0)
    moments = run(scene, 30)
    ended = moments[30]
    node = scene.by_id["thing"]
    assert node.shape is not None
    mesh = node.shape.mesh()
    shadow = shapely.unary_union(shapely.polygons(mesh.points[mesh.triangles][:, :, [0, 2]]).tolist())
    over = shapely.contains_xy(shadow.buffer(-1e-6), ended.places[:, 0], ended.places[:, 2])
    over &= ended.speeds[:, 1] <= 0  # the board has two sides: the others went up
    assert over.sum() > 500
    assert np.abs(ended.places[over, 1]).max() < 1.3  # what is above the thing ended on it


def test_a_thing_that_moves_meets_them_too() -> None:
    rises = [{"do": "put-key", "address": "floor/position.y", "frame": f, "value": v} for f, v in ((0, -4), (10, 4))]
    scene = raining(*rises, gravity=0.0, bounce=0.0, friction=0.0)
    moments = run(scene, 12)
    heights = world(scene, scene.by_id["floor"], scene.clock())[:, 1, 3]
    assert all((moment.places[:, 1] >= heights[int(moment.frame)] - 1e-6).all() for moment in moments[1:])
    assert moments[12].places[:, 1].min() > 3.9


def test_an_emitter_inside_of_what_it_meets_gives_a_bounded_run() -> None:
    box = {"kind": "box", "width": 5, "height": 5, "depth": 5}
    scene = raining({"do": "add-object", "label": "Hall", "shape": box}, collider="hall", push=3.0, spread=180.0)
    for moment in run(scene, 60):
        assert np.all(np.isfinite(moment.places))
        assert np.abs(moment.places).max(initial=0) < 2.5  # none gets out


def test_lettering_in_driving_snow_leaves_a_hole_of_its_own_shape() -> None:
    """A hundred thousand go straight at it, and as many the other way. None is ever inside of the letters, and on a
    plane behind them those that got by leave out what the letters cover."""
    sign = {"kind": "lettering", "text": "RIDGE", "size": 0.6, "depth": 0.06}
    scene = edited(
        Scene(name="Sign", fps=30, last=40),
        {"do": "add-object", "label": "Sign", "shape": sign},
        {"do": "add-object", "label": "Cloud", "position": [0, 0, 1.5],
         "shape": {"kind": "sheet", "width": 2.6, "height": 0.9, "standing": True}},
        {"do": "emit", "label": "Rain", "of": "cloud"},
        {"do": "change-emitter", "node": "rain", "colliders": ["sign"],
         "settings": {"comes": "at once", "wind": "still", "meets": "end"}},
        *({"do": "set", "address": f"rain/emitter.{name}", "value": value}
          for name, value in (("amount", 200_000), ("push", -4.0), ("spread", 0.0), ("push_varies", 0.2),
                              ("gravity", 0.0), ("life", 100.0))),
    )  # fmt: skip
    node = scene.by_id["sign"]
    assert node.shape is not None
    mesh = node.shape.mesh(scene.assets)
    flat = shapely.polygons(mesh.points[mesh.triangles][:, :, :2])
    letters = shapely.unary_union([shape for shape in flat.tolist() if shape.area > 1e-12])
    low, high = mesh.points[:, 2].min(), mesh.points[:, 2].max()
    shapely.prepare(letters)
    first, last = None, None
    for moment in run(scene, 40):
        if first is None and len(moment):
            first = moment
        z = moment.places[:, 2]
        between = moment.places[(z > low + 1e-9) & (z < high - 1e-9)]
        assert not shapely.contains_xy(letters.buffer(-1e-7), between[:, 0], between[:, 1]).any()
        last = moment
    assert first is not None
    assert last is not None
    sent = first.places[first.speeds[:, 2] < 0]
    assert len(sent) > 99_000
    # cells of a centimetre behind the sign: covered where hardly any came by
    by = last.places[last.places[:, 2] < low]
    box = ((-1.2, 1.2), (-0.4, 0.4))
    came, xs, ys = np.histogram2d(by[:, 0], by[:, 1], bins=(160, 54), range=box)
    went, _, _ = np.histogram2d(sent[:, 0], sent[:, 1], bins=(160, 54), range=box)
    hole = came < 0.5 * went
    middles = np.meshgrid((xs[1:] + xs[:-1]) / 2, (ys[1:] + ys[:-1]) / 2, indexing="ij")
    covered = shapely.contains_xy(letters, middles[0].ravel(), middles[1].ravel()).reshape(hole.shape)
    assert np.sum(hole & covered) / np.sum(hole | covered) >= 0.9
