"""Documents of version 1 as those of the present: they look as they did, and what was baked is fresh."""

from __future__ import annotations

import json
from typing import Any

import numpy as np
import pytest

from lazzik.core.bake.rebake import stale
from lazzik.core.errors import InvalidDocument
from lazzik.core.evaluate.values import evaluate
from lazzik.core.layers.noise import shaped
from lazzik.core.scene.form import VERSION
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.serialize import read_scene, scene_text
from tests.core import oracles

HERE = "post/rotation.z"


def noise(**fields: Any) -> dict[str, Any]:
    return {"kind": "noise", "id": "n", "label": "N"} | fields


def document(*layers: dict[str, Any], **more: Any) -> str:
    node = {"id": "post", "label": "Post", "rotation": {"z": {"layers": list(layers)}}}
    return json.dumps({"format": "lazzik-scene", "version": 1, "name": "Old", "nodes": [node]} | more)


def gave(scene: Scene, amplitude: float, period: float, octaves: int, seed: int, **fields: Any) -> np.ndarray:
    """What version 1 made of a smooth noise layer, from its definition."""
    out = []
    for t in scene.clock().frames / scene.fps:
        v = shaped(
            0.5 * (oracles.smooth_noise(t / period, octaves, 0.5, seed) + 1),
            fields.get("bias", 0.5),
            fields.get("gain", 0.5),
        )
        out.append(amplitude * {"both": 2 * v - 1, "above": v, "below": v - 1}[fields.get("side", "both")])
    return np.array(out)


@pytest.mark.parametrize("fields", [{}, {"side": "above"}, {"side": "below"}, {"bias": 0.35}, {"gain": 0.3}])
def test_noise_looks_as_it_did(fields: dict[str, Any]) -> None:
    scene = read_scene(document(noise(amplitude=8.0, period=0.5, octaves=2.0, seed=3.0, **fields)))
    assert scene.version == VERSION
    values = evaluate(scene, [HERE], scene.clock())[HERE]
    expected = gave(scene, 8.0, 0.5, 2, 3, **fields)
    apart = np.abs(values - expected)
    assert np.median(apart) <= 1e-3 * np.ptp(expected), "as it was but for the softened extremes"
    assert apart.max() <= 0.15 * np.ptp(expected)
    again = read_scene(scene_text(scene))
    assert again == scene


def test_a_keyed_amplitude_and_a_driven_one_follow() -> None:
    keys = [{"frame": 0, "value": 2.0, "slope_out": 0.5}, {"frame": 100, "value": 8.0}]
    inner = {"keys": keys, "layers": [noise(id="slow", amplitude=0.5, period=3.0)]}
    scene = read_scene(document(noise(amplitude=inner, period=0.5)))
    plain = read_scene(document(noise(amplitude=1.0, period=0.5)))
    swell = read_scene(document(noise(id="slow", amplitude=0.5, period=3.0), noise(id="z", amplitude=0.0)))
    base = read_scene(json.dumps(json.loads(document()) | {"nodes": [
        {"id": "post", "label": "Post", "rotation": {"z": {"keys": keys}}}]}))  # fmt: skip
    one, unit, slow, keyed = (evaluate(s, [HERE], s.clock())[HERE] for s in (scene, plain, swell, base))
    np.testing.assert_allclose(one, unit * (keyed + slow), atol=1e-9)


def test_recipes_their_uses_poses_and_receipts_follow() -> None:
    recipe = {
        "id": "gust", "label": "Gust", "stack": {"layers": [noise(amplitude=4.0)]},
        "exposed": [{"name": "strength", "label": "Strength", "target": "n.amplitude"}],
    }  # fmt: skip
    use = {"kind": "recipe", "id": "u", "label": "U", "recipe": "gust"}
    own = use | {"id": "v", "overrides": [{"name": "strength", "value": 10.0}]}
    line = {"address": f"{HERE}#n.amplitude", "keys": 1, "worst": 0.1, "former_value": 4.0, "former_keys": [],
            "switched_off": [], "baked": [{"frame": 0, "value": 6.0}]}  # fmt: skip
    more: dict[str, Any] = {
        "recipes": [recipe],
        "poses": [{"id": "p", "label": "P", "held": [{"address": f"{HERE}#n.amplitude", "value": 2.0}]}],
        "receipts": [{"id": "r", "first": 0, "last": 9, "method": "each", "lines": [line]}],
    }
    scene = read_scene(document(noise(amplitude=5.0), use, own, **more))
    layers: Any = scene.by_id["post"].rotation.z.layers  # type: ignore[union-attr]
    n, _, v = layers
    factor = n.amplitude / 5.0
    assert 0.6 < factor < 0.8
    assert scene.recipes[0].stack.layers[0].amplitude == pytest.approx(4.0 * factor)  # type: ignore[attr-defined]
    assert v.overrides[0].value == pytest.approx(10.0 * factor)
    assert scene.poses[0].held[0].value == pytest.approx(2.0 * factor)
    (kept,) = scene.receipts[0].lines
    assert kept.baked[0].value == pytest.approx(6.0 * factor)
    assert (kept.former_value, kept.worst) == pytest.approx((4.0 * factor, 0.1 * factor))


def test_receipts_stay_fresh_and_still_know_a_changed_source() -> None:
    """Keys that version 1 baked of a noise layer, which is muted since."""
    fields: dict[str, Any] = {"amplitude": 8.0, "period": 0.5, "octaves": 2.0, "seed": 3.0}
    bare = read_scene(document())
    values = gave(bare, **fields | {"octaves": 2, "seed": 3})
    keys = [{"frame": float(f), "value": float(v)} for f, v in zip(bare.clock().frames, values, strict=True)]
    line = {"address": HERE, "keys": len(keys), "baked": keys, "worst": 0.4, "former_value": 0.0, "former_keys": [],
            "switched_off": ["n"]}  # fmt: skip
    node = {"id": "post", "label": "Post", "rotation": {"z": {"keys": keys, "layers": [noise(muted=True, **fields)]}}}
    receipt = {"id": "r", "first": 0, "last": 250, "method": "each", "lines": [line]}
    old = json.loads(document()) | {"nodes": [node], "receipts": [receipt]}
    scene = read_scene(json.dumps(old))
    assert stale(scene, scene.receipts[0]) == {}
    node["rotation"]["z"]["layers"][0]["seed"] = 4.0  # type: ignore[index]
    changed = read_scene(json.dumps(old))
    assert list(stale(changed, changed.receipts[0])) == [HERE]


@pytest.mark.parametrize(
    ("text", "said"),
    [(document() .replace('"version": 1', '"version": 3'), "version"),
     (document(noise(amplitude="much")), "earlier version and can't be read"),
     (document(noise(character="loud")), "earlier version and can't be read"),
     (document({"kind": "noise"}), "earlier version and can't be read"),
     (document(receipts=[{"lines": 3}]), "earlier version and can't be read"),
     (document(nodes=[3]), "earlier version and can't be read")],
)  # fmt: skip
def test_what_is_no_scene_of_an_earlier_version_is_refused_with_a_sentence(text: str, said: str) -> None:
    with pytest.raises(InvalidDocument, match=said):
        read_scene(text)
