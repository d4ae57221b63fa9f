"""Breeze: the answer to the air, against the closed form of the damped oscillator."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from lazzik.core.channel.layer import Landing
from lazzik.core.clock import Clock
from lazzik.core.evaluate.memo import Memo
from lazzik.core.evaluate.values import evaluate
from lazzik.core.layers.breeze import Breeze
from lazzik.core.scene.scene import Scene
from lazzik.core.types import Samples
from tests.conftest import edited

AT = "post/rotation.z"


def standing(*more: dict[str, Any], wind: dict[str, Any] | None = None, **numbers: Any) -> Scene:
    """A post with a Breeze in a wind."""
    field = {"kind": "wind", "gusts": 0.0, "swing": 0.0} | (wind or {})
    settings = {name: value for name, value in numbers.items() if isinstance(value, str)}
    sets = [
        {"do": "set", "address": f"{AT}#breeze.{name}", "value": value}
        for name, value in numbers.items()
        if name not in settings
    ]
    return edited(
        Scene(name="Air"),
        {"do": "add-object", "label": "Wind", "field": field},
        {"do": "add-object", "label": "Post"},
        {"do": "add-layer", "address": AT, "kind": "breeze", "settings": settings},
        *sets,
        *more,
    )


def lean(scene: Scene, frames: Any = None, memo: Memo | None = None) -> Samples:
    """The turning of the post."""
    clock = scene.clock() if frames is None else Clock(scene.fps, scene.first, np.asarray(frames, dtype=float))
    return evaluate(scene, [AT], clock, memo)[AT]


def steps(*keys: tuple[float, float]) -> list[dict[str, Any]]:
    """A wind whose speed goes from step to step."""
    at = "wind/field.speed"
    return [{"do": "put-key", "address": at, "frame": f, "value": v, "go": "step"} for f, v in keys]


@pytest.mark.parametrize("damping", [0.0, 0.05, 0.4, 1.0, 2.5])
@pytest.mark.parametrize("frequency", [0.3, 2.0, 9.0])
def test_under_a_step_of_wind_it_is_the_damped_oscillator(damping: float, frequency: float) -> None:
    start, speed, gain = 31.3, 7.0, 12.0
    scene = standing(*steps((0, 0), (start, speed)), gain=gain, frequency=frequency, damping=damping)
    frames = np.arange(0, 120, 0.5)
    t = np.maximum(0.0, (frames - start) / scene.fps)
    omega = 2 * np.pi * frequency
    roots = np.roots([1.0, 2 * damping * omega, omega**2]).astype(complex)
    if abs(roots[0] - roots[1]) < 1e-4 * omega:
        decay = (1 + omega * t) * np.exp(-omega * t)
    else:
        a, b = roots
        decay = ((a * np.exp(b * t) - b * np.exp(a * t)) / (a - b)).real
    np.testing.assert_allclose(lean(scene, frames), gain * speed / 10 * (1 - decay), atol=1e-9)


def test_a_steady_wind_holds_it_where_its_gain_says() -> None:
    np.testing.assert_allclose(lean(standing(gain=15.0, wind={"speed": 10.0})), 15.0, atol=1e-9)
    np.testing.assert_allclose(lean(standing(gain=15.0, wind={"speed": -4.0})), -6.0, atol=1e-9)
    np.testing.assert_allclose(lean(standing(gain=15.0, wind={"speed": -4.0}, what="speed")), 6.0, atol=1e-9)
    np.testing.assert_allclose(lean(standing(gain=15.0, wind={"speed": -4.0}, force="drag")), -2.4, atol=1e-9)
    np.testing.assert_allclose(lean(standing(gain=15.0, offset=2.0, what="z")), 2.0, atol=1e-9)


def test_it_begins_as_if_the_wind_had_blown_before(monkeypatch: pytest.MonkeyPatch) -> None:
    scene = standing(gain=20.0, frequency=0.5, damping=0.15, wind={"gusts": 0.6, "swing": 10.0})
    values = lean(scene)
    monkeypatch.setattr("lazzik.core.layers.response.FADED", 70.0)
    monkeypatch.setattr("lazzik.core.layers.response.LONGEST", 500.0)
    np.testing.assert_allclose(values, lean(scene), atol=0.02)
    monkeypatch.setattr("lazzik.core.layers.response.FADED", 0.0)  # at once, from where that moment would hold it
    assert np.abs(values - lean(scene)).max() > 0.2


def test_slack_things_answer_late_and_stiff_ones_at_once() -> None:
    wind = {"gusts": 0.6, "gust_length": 6.0}
    u = lean(standing(gain=10.0, frequency=900.0, damping=0.7, wind=wind))

    def lag(frequency: float) -> int:
        y = lean(standing(gain=10.0, frequency=frequency, damping=0.7, wind=wind))
        return int(np.argmax([np.corrcoef(u[: 251 - k], y[k:])[0, 1] for k in range(60)]))

    assert lag(8.0) <= 1 < lag(1.0) < lag(0.3)


def test_things_downwind_answer_later() -> None:
    scene = standing(gain=10.0, frequency=6.0, damping=0.7, wind={"gusts": 0.6, "gust_length": 6.0, "speed": 8.0})
    there = edited(scene, {"do": "set", "address": "post/position.x", "value": 16.0})
    near, far = lean(scene), lean(there)
    lags = range(120)
    found = int(np.argmax([np.corrcoef(near[: 251 - 120], far[k : k + 251 - 120])[0, 1] for k in lags]))
    assert abs(found - 60) <= 1


def test_components_are_taken_in_the_axes_of_what_it_hangs_under() -> None:
    scene = standing(gain=10.0, wind={"speed": 10.0})
    turned = edited(
        scene,
        {"do": "add-object", "label": "Arm"},
        {"do": "set", "address": "arm/rotation.y", "value": 60.0},
        {"do": "change-object", "node": "post", "parent": "arm"},
    )
    np.testing.assert_allclose(lean(turned), 5.0, atol=1e-9)


def test_its_numbers_may_be_keyed_and_driven() -> None:
    wave = {"do": "add-layer", "address": f"{AT}#breeze.gain", "kind": "wave"}
    key = {"do": "put-key", "address": f"{AT}#breeze.frequency", "frame": 0, "value": 0.4}
    later = key | {"frame": 90, "value": 4.0}
    values = lean(standing(wave, key, later, wind={"gusts": 0.4}))
    assert np.all(np.isfinite(values))
    assert np.ptp(values) > 1


def test_it_loops_with_the_air_in_value_and_slope() -> None:
    scene = edited(standing(gain=20.0, wind={"gusts": 0.6, "swing": 12.0}), {"do": "loop", "fit": True})
    e = 1 / 64
    f = lean(scene, [0, e, 2 * e, 250, 250 - e, 250 - 2 * e, 250 + 77, 77])
    assert f[3] == pytest.approx(f[0], abs=1e-9)
    assert f[6] == pytest.approx(f[7], abs=1e-9)
    after, before = (-3 * f[0] + 4 * f[1] - f[2]) / (2 * e), (3 * f[3] - 4 * f[4] + f[5]) / (2 * e)
    assert before == pytest.approx(after, abs=1e-4)


def test_its_value_does_not_depend_on_what_is_asked_beside_it() -> None:
    scene = standing(*steps((0, 3), (40.6, 8)), gain=20.0, wind={"gusts": 0.5})
    whole = lean(scene, np.arange(0, 200.25, 0.25))
    np.testing.assert_allclose(lean(scene, [100.25]), whole[401], atol=1e-12)
    np.testing.assert_allclose(lean(scene, np.arange(60.0, 90.0)), whole[240:360:4], atol=1e-12)


def test_off_is_at_rest_to_the_bit() -> None:
    scene = standing(gain=20.0, wind={"gusts": 0.5})
    for off in (
        {"do": "change-layer", "address": f"{AT}#breeze", "muted": True},
        {"do": "set", "address": f"{AT}#breeze.weight", "value": 0.0},
        {"do": "change-field", "node": "wind", "muted": True},
        {"do": "set", "address": "wind/field.speed", "value": 0.0},
    ):
        np.testing.assert_array_equal(lean(edited(scene, off)), 0.0)


def test_a_memo_never_gives_the_motion_of_another_place_or_wind() -> None:
    memo = Memo()
    scene = standing(gain=20.0, wind={"gusts": 0.5})
    twice = edited(scene, {"do": "duplicate", "node": "post", "move": [9, 0, 0]})
    first = evaluate(twice, [AT, "post-2/rotation.z"], twice.clock(), memo)
    assert np.abs(first[AT] - first["post-2/rotation.z"]).max() > 1
    for edit in (
        {"do": "set", "address": "wind/field.speed", "value": 2.0},
        {"do": "set", "address": "wind/rotation.y", "value": 30.0},
        {"do": "set", "address": "post/position.z", "value": 4.0},
        {"do": "add-object", "label": "Whirl", "field": {"kind": "whirl"}, "position": [0, 0, 1]},
    ):
        after = edited(twice, edit)
        kept, fresh = (evaluate(after, [AT], after.clock(), m)[AT] for m in (memo, None))
        np.testing.assert_array_equal(kept, fresh)
        assert np.abs(fresh - first[AT]).max() > 1e-3


def test_a_dial_feels_the_air_at_the_origin() -> None:
    scene = edited(
        Scene(name="Air"),
        {"do": "add-object", "label": "Wind", "field": {"kind": "wind", "gusts": 0.0, "swing": 0.0}},
        {"do": "add-dial", "label": "Speed"},
        {"do": "add-layer", "address": "dials/speed", "kind": "breeze", "settings": {"what": "speed"}},
        {"do": "set", "address": "dials/speed#breeze.gain", "value": 10.0},
        {"do": "set", "address": "dials/speed", "value": 0.0},
    )
    np.testing.assert_allclose(evaluate(scene, ["dials/speed"], scene.clock())["dials/speed"], 6.0, atol=1e-9)


def test_it_suits_where_it_lands() -> None:
    assert Breeze.suited(Landing("°", 8.0, 0, 251, 30.0)) == {"gain": 12.8, "what": "x"}
    assert Breeze.suited(Landing("×", 1.0, 0, 251, 30.0))["what"] == "speed"
