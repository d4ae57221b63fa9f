"""Why something does not show: each trap is named, and its button mends it."""

from __future__ import annotations

import json
from typing import Any, get_args

import numpy as np
import pytest

from lazzik.core.bake.baking import BakePlan, bake
from lazzik.core.channel.channel import Channel
from lazzik.core.channel.keys import Key
from lazzik.core.diagnose.number import why
from lazzik.core.diagnose.reason import Code
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.strata import strata
from lazzik.core.geometry.primitives import Ball, Tube
from lazzik.core.layers import BY_KIND
from lazzik.core.scene.address import Address, find
from lazzik.core.scene.node import Light, Node, Rotation
from lazzik.core.scene.scene import Scene
from lazzik.web.diagnose.words import SENTENCES, ReasonView, reason_view
from tests.conftest import edited, turned

HERE = "post/rotation.z"
MOVE = (Key(frame=0, value=0), Key(frame=60, value=30))


def stack(*kinds: str, base: Channel | None = None) -> Scene:
    scene = turned(base or Channel())
    return edited(scene, *({"do": "add-layer", "address": HERE, "kind": kind} for kind in kinds)) if kinds else scene


def reasons(scene: Scene, at: str = HERE) -> list[ReasonView]:
    return [reason_view(item) for item in why(scene, Address.parse(at), Scope(scene))]


def change(scene: Scene, layer: str, **fields: Any) -> Scene:
    return edited(scene, {"do": "change-layer", "address": f"{HERE}#{layer}"} | fields)


def number(scene: Scene, path: str, value: float) -> Scene:
    return edited(scene, {"do": "set", "address": f"{HERE}#{path}", "value": value})


def keyed(*kinds: str) -> Scene:
    return stack(*kinds, base=Channel(keys=MOVE))


TRAPS: dict[str, tuple[Scene, str]] = {
    "nothing": (stack(), "no layers and no keys"),
    "one key": (stack(base=Channel(keys=MOVE[:1])), "one key alone"),
    "muted": (change(stack("noise"), "noise", muted=True), "Noise is muted"),
    "solo": (change(stack("noise", "wave"), "wave", solo=True), "Wave is soloed, which silences Noise"),
    "weight": (number(stack("noise"), "noise.weight", 0), "The weight of Noise is 0"),
    "window": (change(stack("noise"), "noise", start=500, end=600), "runs from 500 to 600, outside the range 0 to 120"),
    "amplitude": (number(stack("noise"), "noise.amplitude", 0), "The amplitude of Noise is 0"),
    "rate": (number(stack("turn"), "turn.rate", 0), "The rate of Turn is 0"),
    "strength": (number(keyed("settle"), "settle.strength", 0), "The strength of Settle is 0"),
    "small": (number(stack("noise"), "noise.amplitude", 0.01), "too little to be seen"),
    "multiply": (change(stack("noise"), "noise", combine="multiply"), "multiplies what lies below, and that is 0"),
    "order": (edited(stack("noise", "settle"), {"do": "move-layer", "address": f"{HERE}#settle", "to": 0}),
              "answers to motion, and nothing below it moves"),
    "covered": (change(stack("noise", "wave"), "wave", combine="replace"), "takes the place of Noise"),
}  # fmt: skip


@pytest.mark.parametrize("trap", TRAPS)
def test_each_trap_is_named_and_its_button_mends_it(trap: str) -> None:
    scene, sentence = TRAPS[trap]
    found = reasons(scene)
    (reason,) = [item for item in found if sentence in item.text]
    assert reason.mend
    mended = edited(scene, *json.loads(reason.edits))
    assert not any(sentence in item.text for item in reasons(mended))
    laid = strata(find(mended, Address.parse(HERE)).number, mended.clock(), Scope(mended))
    assert np.ptp(laid.result) > 1


HINTS: dict[str, tuple[Scene, str]] = {
    "spring over nothing": (stack("settle"), "Key the base, or put a layer that moves below it"),
    "repeat without keys": (stack("repeat"), "fewer than two keys"),
    "link without source": (stack("link"), "reads nothing yet"),
    "limit that never bites": (number(number(stack("limit"), "limit.lowest", -90), "limit.highest", 90),
                               "what lies below is already as it would make it"),
    "formula that changes nothing": (edited(stack("formula"), {"do": "change-layer", "address": f"{HERE}#formula",
                                     "settings": {"text": "x"}}), "already as it would make it"),
    "formula without a value": (edited(stack("formula"), {"do": "change-layer", "address": f"{HERE}#formula",
                                "settings": {"text": "1 / (frame - 7)"}}), "no finite value at frame 7"),
}  # fmt: skip


@pytest.mark.parametrize("hint", HINTS)
def test_what_only_the_person_can_mend_is_said_without_a_button(hint: str) -> None:
    scene, sentence = HINTS[hint]
    (reason,) = [item for item in reasons(scene) if sentence in item.text]
    assert reason.mend == ""


def test_every_reason_has_its_words() -> None:
    assert set(SENTENCES) == set(get_args(Code))


def test_a_link_to_what_stands_still_names_it() -> None:
    add = {"do": "add-layer", "address": HERE, "kind": "link", "settings": {"source": "dials/far"}}
    scene = edited(turned(Channel()), {"do": "add-dial", "label": "Far", "value": 0}, add)
    assert "dials/far, does not change" in reasons(scene)[0].text


def test_what_shows_has_no_reasons() -> None:
    assert reasons(stack("noise", "wave")) == []
    assert reasons(keyed("settle", "follow")) == []
    assert reasons(keyed()) == []


@pytest.mark.parametrize("kind", sorted(kind for kind, model in BY_KIND.items() if model.offered))
def test_every_kind_can_say_why_whatever_is_wrong(kind: str) -> None:
    """Silenced in every way at once: all are told, none fails."""
    scene = change(number(keyed(kind), f"{kind}.weight", 0), kind, start=900, muted=True)
    told = " ".join(item.text for item in reasons(scene, f"{HERE}#{kind}"))
    assert "is muted" in told
    if kind not in ("link", "clip"):  # without a source nothing else counts
        assert "weight" in told
        assert "outside the range" in told


def test_a_baked_layer_says_so_and_the_bake_can_be_taken_back() -> None:
    scene = stack("noise")
    baked = bake(scene, [HERE], BakePlan(0, 120)).apply(scene)
    (reason,) = reasons(baked, f"{HERE}#noise")
    assert "switched off when it was baked" in reason.text
    assert edited(baked, *json.loads(reason.edits)) == scene


def test_hidden_shrunk_dark_and_round_objects() -> None:
    spun = Channel(layers=(BY_KIND["turn"].model_validate({"kind": "turn", "id": "t", "label": "Turn"}),))
    tube = Node(
        id="pole", label="Pole", parent="cart", shape=Tube(kind="tube"), rotation=Rotation(y=spun), visible=False
    )
    ball = Node(id="ball", label="Ball", parent="cart", shape=Ball(kind="ball"), rotation=Rotation(x=spun))
    lamp = Node(id="lamp", label="Lamp", light=Light(intensity=0.0))
    scene = Scene(name="Shed", nodes=(Node(id="cart", label="Cart"), tube, ball, lamp))
    scene = edited(scene, {"do": "set", "address": "cart/scale.x", "value": 0})
    found = reasons(scene, "pole/rotation.y")
    told = [item.text for item in found]
    assert told == [
        "Pole is hidden.",
        "Cart is scaled to nothing along x.",
        "A tube looks the same however it is turned about y.",
    ]
    mended = edited(scene, *(edit for item in found for edit in json.loads(item.edits)))
    assert reasons(mended, "pole/rotation.z") == []
    assert mended.by_id["pole"].rotation.y == 0.0
    assert "A ball looks the same" in reasons(scene, "ball/rotation.x")[-1].text
    glow = edited(scene, {"do": "add-layer", "address": "lamp/light.color.r", "kind": "noise"})
    assert "Lamp is dark." in [item.text for item in reasons(glow, "lamp/light.color.r")]
