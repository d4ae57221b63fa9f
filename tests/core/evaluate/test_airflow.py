"""The air within a scene: who feels which field, what is left out, and what leans in it."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from lazzik.core.channel.channel import base_value
from lazzik.core.clock import Clock
from lazzik.core.deformers.sway import Sway
from lazzik.core.errors import InvalidEdit
from lazzik.core.evaluate.airflow import air, field_rows
from lazzik.core.evaluate.memo import Memo
from lazzik.core.evaluate.scope import Run, Scope
from lazzik.core.evaluate.shapes import reshaped, surface_moves
from lazzik.core.evaluate.surface import surface_of
from lazzik.core.evaluate.values import evaluate
from lazzik.core.scene.references import affected, circle, fields_for, same_air
from lazzik.core.scene.scene import Scene
from lazzik.core.types import PointBlock
from tests.conftest import edited

WIND = {"do": "add-object", "label": "Wind", "field": {"kind": "wind", "gusts": 0.0, "swing": 0.0}}
STEADY = {"gusts": 0.0, "swing": 0.0}


def at_origin(scene: Scene, frames: Any = (0.0,)) -> np.ndarray[Any, Any]:
    """(frames, 3) the air at the origin."""
    return air(np.zeros((1, 1, 3)), Clock(scene.fps, scene.first, np.asarray(frames)), Scope(scene))[:, 0]


def test_a_field_goes_where_what_carries_it_goes() -> None:
    scene = edited(
        Scene(name="Air"),
        {"do": "add-object", "label": "Cart"},
        {"do": "add-object", "label": "Push", "parent": "cart", "field": {"kind": "push", "speed": 2.0, "radius": 1.0}},
        {"do": "put-key", "address": "cart/position.x", "frame": 0, "value": -1.0},
        {"do": "put-key", "address": "cart/position.x", "frame": 60, "value": 1.0},
    )
    np.testing.assert_allclose(at_origin(scene, [0.0, 30.0, 60.0])[:, 0], [2.0, 0.0, -2.0], atol=1e-12)


def test_an_object_leaves_out_the_fields_that_depend_on_it() -> None:
    scene = edited(
        Scene(name="Air"),
        WIND,
        {"do": "add-object", "label": "Mast"},
        {"do": "add-object", "label": "Whirl", "parent": "mast", "field": {"kind": "whirl"}},
        {"do": "add-object", "label": "Vane"},
        {"do": "add-layer", "address": "mast/rotation.z", "kind": "breeze"},
        {"do": "add-layer", "address": "vane/rotation.z", "kind": "breeze"},
        {"do": "add-layer", "address": "wind/field.speed", "kind": "breeze"},
    )
    assert [node.id for node in fields_for(scene, "mast")] == ["wind"] or not fields_for(scene, "mast")
    assert {node.id for node in fields_for(scene, "vane")} == {"wind", "whirl"}
    assert "wind" not in {node.id for node in fields_for(scene, "wind")}
    assert circle(scene) is None
    values = evaluate(scene, ["mast/rotation.z", "vane/rotation.z", "wind/field.speed"], scene.clock())
    assert all(np.all(np.isfinite(row)) for row in values.values())


def test_two_fields_that_depend_on_each_other_leave_each_other_out() -> None:
    scene = edited(
        Scene(name="Air"),
        {"do": "add-object", "label": "One", "field": {"kind": "wind"}},
        {"do": "add-object", "label": "Two", "field": {"kind": "push"}},
        {"do": "add-layer", "address": "one/field.speed", "kind": "breeze"},
        {"do": "add-layer", "address": "two/position.x", "kind": "breeze"},
    )
    assert fields_for(scene, "one") == ()
    assert fields_for(scene, "two") == ()
    assert np.all(np.isfinite(at_origin(scene, np.arange(9.0))))


def test_a_place_that_reads_what_stands_in_it_is_a_circle_and_named() -> None:
    scene = edited(
        Scene(name="Air"),
        WIND,
        {"do": "add-object", "label": "Arm"},
        {"do": "add-object", "label": "Vane", "parent": "arm"},
        {"do": "add-layer", "address": "vane/rotation.z", "kind": "breeze"},
    )
    link = {"do": "add-layer", "address": "arm/rotation.z", "kind": "link", "settings": {"source": "vane/rotation.z"}}
    with pytest.raises(InvalidEdit, match="would read itself"):
        edited(scene, link)


def test_so_is_one_by_way_of_a_recipe() -> None:
    scene = edited(
        Scene(name="Air"),
        WIND,
        {"do": "add-object", "label": "Arm"},
        {"do": "add-object", "label": "Vane", "parent": "arm"},
        {"do": "add-layer", "address": "vane/rotation.z", "kind": "breeze"},
        {"do": "save-recipe", "address": "vane/rotation.z", "label": "Airy"},
    )
    scene = edited(
        scene,
        *({"do": "remove-layer", "address": f"vane/rotation.z#{layer.id}"}
          for layer in scene.by_id["vane"].rotation.z.layers),  # type: ignore[union-attr]
        {"do": "use-recipe", "address": "vane/rotation.z", "recipe": scene.recipes[0].id},
    )  # fmt: skip
    assert np.ptp(evaluate(scene, ["vane/rotation.z"], scene.clock())["vane/rotation.z"]) < 1e-9  # a steady wind
    assert evaluate(scene, ["vane/rotation.z"], scene.clock())["vane/rotation.z"][0] > 1
    link = {"do": "add-layer", "address": "arm/rotation.z", "kind": "link", "settings": {"source": "vane/rotation.z"}}
    with pytest.raises(InvalidEdit, match="would read itself"):
        edited(scene, link)


def test_what_an_edit_of_a_wind_reaches() -> None:
    scene = edited(
        Scene(name="Air"),
        WIND,
        {"do": "add-object", "label": "Vane"},
        {"do": "add-object", "label": "Stone"},
        {"do": "add-object", "label": "Pine", "shape": {"kind": "tube", "along": 12, "height": 2}},
        {"do": "add-layer", "address": "vane/rotation.z", "kind": "breeze"},
        {"do": "add-deformer", "node": "pine", "kind": "sway", "label": "Sway"},
        {"do": "change-deformer", "node": "pine", "deformer": "sway", "settings": {"wind": "air"}},
    )
    faster = edited(scene, {"do": "set", "address": "wind/field.speed", "value": 9.0})
    gone = edited(scene, {"do": "remove-object", "node": "wind"})
    lone = edited(scene, {"do": "set", "address": "stone/position.x", "value": 1.0})
    assert {node.id for node in affected(scene, faster)} == {"wind", "vane"}
    assert "vane" in {node.id for node in affected(scene, gone)}
    assert [node.id for node in reshaped(scene, faster, affected(scene, faster))] == ["pine"]
    assert [node.id for node in reshaped(scene, gone, affected(scene, gone))] == ["pine"]
    assert reshaped(scene, lone, affected(scene, lone)) == []
    assert same_air(scene, lone)
    assert not same_air(scene, faster)
    assert surface_moves(scene, scene.by_id["pine"])


def test_what_a_field_is_packed_to_is_kept() -> None:
    scene, memo = edited(Scene(name="Air"), WIND), Memo()
    first = field_rows(scene.by_id["wind"], scene.clock(), Scope(scene, memo))
    assert np.shares_memory(field_rows(scene.by_id["wind"], scene.clock(), Scope(scene, memo)), first)
    other = edited(scene, {"do": "set", "address": "wind/field.gusts", "value": 0.5})
    assert np.abs(field_rows(other.by_id["wind"], other.clock(), Scope(other, memo)) - first).max() > 0.1


# Sway in the air


def swaying(**wind: Any) -> Scene:
    """A pole of 2 m that sways in the air."""
    return edited(
        Scene(name="Air"),
        {"do": "add-object", "label": "Wind", "field": {"kind": "wind"} | wind},
        {"do": "add-object", "label": "Pole", "shape": {"kind": "tube", "along": 24, "height": 2, "radius": 0.05}},
        {"do": "add-deformer", "node": "pole", "kind": "sway", "label": "Sway"},
        {"do": "change-deformer", "node": "pole", "deformer": "sway", "settings": {"wind": "air"}},
        {"do": "set", "address": "pole/deform.sway.tip", "value": 0.0},
    )


def tip(scene: Scene, frames: Any) -> np.ndarray[Any, Any]:
    """(frames, 3) where the middle of the pole's top is."""
    surface = surface_of(scene, scene.by_id["pole"], scene.clock().at(np.asarray(frames, dtype=float)), Scope(scene))
    top = surface.rest.points[:, 1] > 0.999 * surface.rest.points[:, 1].max()
    middle = surface.rest.points[top].mean(axis=0) * [1, 0, 1]  # the seam counts twice
    return np.array([points[top].mean(axis=0) - middle for _, points in surface.each()])


@pytest.mark.parametrize("heading", [0.0, 90.0, 215.0])
def test_it_leans_where_the_wind_blows(heading: float) -> None:
    scene = edited(swaying(**STEADY), {"do": "set", "address": "wind/rotation.y", "value": heading})
    x, _, z = tip(scene, [100])[0]
    way = np.radians(heading)
    np.testing.assert_allclose(np.array([x, z]) / np.hypot(x, z), [np.cos(way), -np.sin(way)], atol=2e-3)
    (sway,) = scene.by_id["pole"].deform
    assert isinstance(sway, Sway)
    angle = base_value(sway.angle)
    # a bend of κ·L = 0.6·angle over 2 m carries its top 2·(1 − cos)/angle aside
    bend = np.radians(0.6 * angle)
    assert np.hypot(x, z) == pytest.approx(2 * (1 - np.cos(bend)) / bend, rel=1e-3)


def test_it_loops_and_can_be_switched_off() -> None:
    scene = edited(swaying(), {"do": "loop", "fit": True})
    tips = tip(scene, [0, 250, 77, 327])
    np.testing.assert_allclose(tips[1], tips[0], atol=1e-9)
    np.testing.assert_allclose(tips[3], tips[2], atol=1e-9)
    assert np.abs(tips[2] - tips[0]).max() > 1e-3
    for off in (
        {"do": "change-field", "node": "wind", "muted": True},
        {"do": "change-deformer", "node": "pole", "deformer": "sway", "muted": True},
    ):
        calm = edited(scene, off)
        surface = surface_of(calm, calm.by_id["pole"], calm.clock().at(np.array([31.0])), Scope(calm))
        np.testing.assert_array_equal(surface.points(0), surface.rest.points)


def test_its_springs_read_the_air_once(monkeypatch: pytest.MonkeyPatch) -> None:
    """Trunk and tip, along the wind and across it: the shorter memories lie within the longest."""
    scene = edited(swaying(), {"do": "set", "address": "pole/deform.sway.tip", "value": 0.5})
    asked: list[Clock] = []

    def counted(points: PointBlock, clock: Clock, scope: Scope) -> PointBlock:
        asked.append(clock)
        return air(points, clock, scope)

    monkeypatch.setattr("lazzik.core.evaluate.airflow.air", counted)
    tip(scene, [40.0])
    assert len(asked) == 1
    assert asked[0].frames[0] < -30


def test_what_was_kept_on_a_finer_clock_serves_a_coarser_one() -> None:
    scene, memo = edited(Scene(name="Air"), WIND), Memo()
    fine = field_rows(scene.by_id["wind"], scene.clock(4), Scope(scene, memo))
    scope = Scope(scene, memo, run=Run())
    for _ in range(2):  # from the memo, and then from the run itself
        coarse = air(np.zeros((1, 1, 3)), scene.clock(), scope)
        np.testing.assert_allclose(coarse[:, 0], fine[::4, 5:8], atol=1e-12)
