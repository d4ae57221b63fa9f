"""Stacks: combine, window, mute, solo, and what stays exactly as it was."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np
import pytest
from hypothesis import given
from pydantic import ValidationError

from lazzik.core.channel.channel import Channel
from lazzik.core.channel.combine import combined
from lazzik.core.channel.inputs import Inputs
from lazzik.core.channel.keys import Key
from lazzik.core.channel.layer import Family, Layer
from lazzik.core.channel.window import Window
from lazzik.core.clock import Clock
from lazzik.core.errors import UnknownAddress
from lazzik.core.evaluate.evaluator import number_on
from lazzik.core.evaluate.memo import Memo
from lazzik.core.evaluate.strata import strata
from lazzik.core.evaluate.values import evaluate
from lazzik.core.layers.noise import Noise
from lazzik.core.scene.scene import Scene
from lazzik.core.types import Samples
from tests.conftest import turned
from tests.strategies import channels

CLOCK = Clock.over(30, 0, 120)


def noise(layer_id: str = "a", **fields: Any) -> Noise:
    return Noise(kind="noise", id=layer_id, label=layer_id, **({"amplitude": 5.0} | fields))


def test_combining_is_its_formulas() -> None:
    x, y = np.array([1.0, 2, 3]), np.array([4.0, -5, 6])
    for k in (0.0, 0.25, 1.0, 1.5):
        np.testing.assert_allclose(combined("add", x, y, k), x + k * y)
        np.testing.assert_allclose(combined("subtract", x, y, k), x - k * y)
        np.testing.assert_allclose(combined("multiply", x, y, k), x * (1 + k * (y - 1)))
        np.testing.assert_allclose(combined("replace", x, y, k), x + k * (y - x))


def test_a_window_opens_and_closes_smoothly() -> None:
    window = Window(start=10, end=50, fade_in=10, fade_out=20)
    w = window.at(np.array([9.999, 10, 12.5, 15, 20, 30, 40, 45, 50, 50.001]))
    np.testing.assert_allclose(w, [0, 0, 0.15625, 0.5, 1, 1, 0.5, 0.15625, 0, 0], atol=1e-9)
    assert Window(start=3, end=5).at(np.array([2.99, 3, 5, 5.01])).tolist() == [0, 1, 1, 0]
    assert Window().at(np.array([-9.0, 9e5])).tolist() == [1, 1]


def test_a_window_backwards_is_refused() -> None:
    with pytest.raises(ValidationError, match="ends at 5, before it starts at 9"):
        Window(start=9, end=5)


@given(channels(nested=True))
def test_muting_every_layer_gives_back_the_base_exactly(channel: Channel) -> None:
    muted = channel.replaced(layers=tuple(layer.replaced(muted=True) for layer in channel.layers))
    bare = channel.replaced(layers=())
    expected = np.broadcast_to(number_on(bare, CLOCK), CLOCK.frames.shape)
    assert np.broadcast_to(number_on(muted, CLOCK), CLOCK.frames.shape).tolist() == expected.tolist()
    assert strata(muted, CLOCK).result.tolist() == bare.base(CLOCK).tolist()


@given(channels(nested=True))
def test_weight_zero_adds_nothing(channel: Channel) -> None:
    idle = channel.replaced(layers=tuple(layer.replaced(weight=0.0) for layer in channel.layers))
    expected = channel.base(CLOCK)
    np.testing.assert_array_equal(np.broadcast_to(number_on(idle, CLOCK), expected.shape), expected)


@given(channels(nested=True))
def test_strata_add_up_to_the_result(channel: Channel) -> None:
    laid = strata(channel, CLOCK)
    sounding = {layer.id for layer in channel.sounding}
    total = laid.base + sum(lane.contribution for lane in laid.lanes if lane.layer.id in sounding)
    np.testing.assert_allclose(laid.result, total, atol=1e-6)
    np.testing.assert_allclose(laid.result, np.broadcast_to(number_on(channel, CLOCK), total.shape), atol=1e-9)


def test_solo_silences_the_others_and_mute_wins() -> None:
    a, b, c = noise("a"), noise("b", seed=2.0, solo=True), noise("c", seed=3.0, solo=True, muted=True)
    assert Channel(layers=(a, b, c)).sounding == (b,)
    assert Channel(layers=(a, c)).sounding == (a,)


def test_order_matters_and_each_layer_joins_what_lies_below() -> None:
    flat = noise("flat", amplitude=0.0, combine="replace")
    wave = noise("wave")
    over = evaluate(turned(Channel(value=3.0, layers=(wave, flat))), ["post/rotation.z"], CLOCK)["post/rotation.z"]
    under = evaluate(turned(Channel(value=3.0, layers=(flat, wave))), ["post/rotation.z"], CLOCK)["post/rotation.z"]
    assert over.tolist() == [0.0] * 121
    assert np.ptp(under) > 1


def test_a_driven_amplitude_scales_the_layer() -> None:
    grows = Channel(keys=(Key(frame=0, value=0, go="linear"), Key(frame=120, value=10)))
    plain = number_on(Channel(layers=(noise(amplitude=1.0),)), CLOCK)
    driven = number_on(Channel(layers=(noise(amplitude=grows),)), CLOCK)
    np.testing.assert_allclose(driven, plain * CLOCK.frames / 12, atol=1e-9)


def test_addresses_reach_numbers_of_layers() -> None:
    scene = turned(Channel(layers=(noise(amplitude=Channel(value=2.0, layers=(noise("b", amplitude=1.0),))),)))
    inner = evaluate(scene, ["post/rotation.z#a.amplitude", "post/rotation.z#a.amplitude#b.period"], CLOCK)
    assert 1 <= inner["post/rotation.z#a.amplitude"].min() <= inner["post/rotation.z#a.amplitude"].max() <= 3
    assert set(inner["post/rotation.z#a.amplitude#b.period"]) == {1.0}


def test_an_unknown_address_says_so(demo: Scene) -> None:
    with pytest.raises(UnknownAddress, match="There is no object 'nobody'"):
        evaluate(demo, ["nobody/rotation.z"], CLOCK)


class Trailing(Layer):
    """A kind made for this test: what lies below it, half a second ago."""

    family: ClassVar[Family] = "logic"
    title: ClassVar[str] = "Trailing"
    summary: ClassVar[str] = "For a test."
    kind: Literal["trailing"]

    def signal(self, inputs: Inputs) -> Samples:
        clock = inputs.clock
        return inputs.below(clock.at(clock.frames - 0.5 * clock.fps))


def test_a_layer_may_ask_for_what_lies_below_at_other_times() -> None:
    """Through a layer below and the keys, and not through itself or what lies above."""
    keys = (Key(frame=0, value=0, go="linear"), Key(frame=100, value=100))
    trailing = Trailing(kind="trailing", id="t", label="t", combine="replace")
    stack = Channel.model_construct(value=0.0, keys=keys, layers=(noise("a"), trailing, noise("b", weight=0.0)))
    below = Channel(keys=keys, layers=(noise("a"),))
    early = CLOCK.at(CLOCK.frames - 15)
    np.testing.assert_allclose(number_on(stack, CLOCK), number_on(below, early), atol=1e-12)


def test_memo_keeps_what_did_not_change_and_forgets_in_time(demo: Scene) -> None:
    memo = Memo(most=251 * 3)
    addresses = ["beacon-mast/rotation.z", "needle/rotation.z"]
    first = evaluate(demo, addresses, demo.clock(), memo)
    again = evaluate(demo, addresses, demo.clock(), memo)
    assert memo.computed == 2
    assert all(first[a].tolist() == again[a].tolist() for a in addresses)
    evaluate(demo, ["tether/rotation.x", "tether/rotation.z"], demo.clock(), memo)
    evaluate(demo, addresses[:1], demo.clock(), memo)
    assert memo.computed == 5


@pytest.mark.parametrize("address", ["beacon-mast/rotation.z", "guy-plate-1/deform.wring.angle", "float/position.y"])
def test_what_is_known_on_a_finer_clock_is_known_on_a_coarser_one(demo: Scene, address: str) -> None:
    memo = Memo()
    evaluate(demo, [address], demo.clock(4), memo)
    computed = memo.computed
    one = Clock.over(demo.fps, demo.first, 7, start=7)
    for clock in (demo.clock(), demo.clock(2), one, Clock.over(demo.fps, demo.first, 90, start=12, per_frame=4)):
        np.testing.assert_allclose(
            evaluate(demo, [address], clock, memo)[address], evaluate(demo, [address], clock)[address], atol=1e-12
        )
    assert memo.computed == computed
    for clock in (demo.clock(3), demo.clock(8), Clock.over(demo.fps, demo.first, demo.last + 1)):
        evaluate(demo, [address], clock, memo)
        assert memo.computed > computed
        computed = memo.computed
