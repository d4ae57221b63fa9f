"""Stacks that differ in constant numbers alone: worked out together they have the bits that each has alone."""

from __future__ import annotations

from itertools import product
from typing import Any

import numpy as np
import pytest

from lazzik.core.air.wind import Wind
from lazzik.core.channel.channel import Channel
from lazzik.core.channel.inputs import Inputs
from lazzik.core.channel.keys import Key
from lazzik.core.channel.layer import Layer, numbers_of
from lazzik.core.channel.window import Window
from lazzik.core.clock import Clock
from lazzik.core.errors import BadFormula, UnknownAddress
from lazzik.core.evaluate.alike import FEW, MANY, motions, work_out_alike
from lazzik.core.evaluate.evaluator import number_at
from lazzik.core.evaluate.memo import Memo
from lazzik.core.evaluate.rows import Member
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.values import evaluate
from lazzik.core.layers import BY_KIND, Clip, Recipe
from lazzik.core.layers.clip import Track
from lazzik.core.layers.octaves import octave_noise
from lazzik.core.layers.recipe import Exposed
from lazzik.core.scene.dial import Dial
from lazzik.core.scene.node import Node, Position, Rotation
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.sheaf import Sheaf
from lazzik.core.types import Samples

TOGETHER = [name for name, kind in BY_KIND.items() if kind.together]
MANY_ALIKE = FEW + 3
MOST = 48
"""Settings of a kind, in all their combinations, that are tried."""

KEYS = tuple(Key(frame=frame, value=value) for frame, value in ((0, 0.0), (20, 4.0), (50, -2.0)))
READS: dict[str, dict[str, Any]] = {
    "link": {"source": "dials/tide"}, "formula": {"text": "x + tide * sin(t) + noise(x, 3)"},
    "recipe": {"recipe": "swing"}, "clip": {"source": "clips/gust.swing"},
}  # fmt: skip
TRACK = Track(id="swing", label="Swing", motion=Channel(keys=KEYS))


def layer(name: str, rng: np.random.Generator, **fields: Any) -> Layer:
    """A layer of a kind with numbers at random, within what is useful; those that have to be the same are."""
    kind = BY_KIND[name]
    numbers = {}
    for own, quantity in numbers_of(kind).items():
        value = max(quantity.low, quantity.useful[1] / 2 if own in kind.in_common else rng.uniform(*quantity.useful))
        numbers[own] = float(round(value)) if quantity.whole else value
    return kind.model_validate({"kind": name, "id": name, "label": name} | READS.get(name, {}) | numbers | fields)


def crowd(channels: list[Channel], **fields: Any) -> tuple[Scene, list[str]]:
    """An object for each channel, every third under one that is turned, in a wind and beside what layers read; and the
    addresses of the channels."""
    rng = np.random.default_rng(8)
    nodes = [Node(id="post", label="Post", position=Position(x=2.0), rotation=Rotation(y=40.0, z=10.0))]
    for k, channel in enumerate(channels):
        place = Position(x=1.5 * k, y=0.2 * k, z=-float(k % 5))
        above = "post" if k % 3 == 2 else None
        nodes.append(Node(id=f"n{k}", label="n", parent=above, position=place, rotation=Rotation(z=channel)))
    nodes.append(Node(id="wind", label="Wind", field=Wind(kind="wind")))
    swing = Channel(layers=(layer("wave", rng), layer("hold", rng, every=3.0)))
    target = {"name": "far", "label": "Far", "target": "wave.amplitude"}
    things: dict[str, Any] = {
        "nodes": tuple(nodes),
        "dials": (Dial(id="tide", label="Tide", value=Channel(value=1.0, layers=(layer("wave", rng),))),),
        "recipes": (Recipe(id="swing", label="Swing", stack=swing, exposed=(Exposed.model_validate(target),)),),
        "clips": (Clip(id="gust", label="Gust", length=50, tracks=(TRACK,)),),
    }
    return Scene(name="Crowd", last=60, **things | fields), [f"n{k}/rotation.z" for k in range(len(channels))]


def same_as_alone(scene: Scene, addresses: list[str]) -> None:
    """What is asked for together has the bits of what is asked for one by one."""
    clock = scene.clock()
    together = evaluate(scene, addresses, clock)
    for address in addresses:
        alone = evaluate(scene, [address], clock)[address]
        np.testing.assert_array_equal(together[address], alone)
    assert len({values.tobytes() for values in together.values()}) > 1


@pytest.mark.parametrize("name", TOGETHER)
def test_every_setting_of_every_kind(name: str) -> None:
    rng = np.random.default_rng(1)
    settings = BY_KIND[name].settings()
    chosen = list(product(*settings.values()))
    for choices in rng.permutation(chosen)[:MOST] if len(chosen) > MOST else chosen:
        for loop in (None, 37.0) if BY_KIND[name].loops else (None,):
            fields = dict(zip(settings, map(str, choices), strict=True)) | {"loop": loop}
            lowest = [layer("wave", rng, id="low") for _ in range(MANY_ALIKE)]
            stacks = [(low, layer(name, rng, **fields)) for low in lowest]
            same_as_alone(*crowd([Channel(value=float(k), layers=stack) for k, stack in enumerate(stacks)]))


@pytest.mark.parametrize("name", TOGETHER)
def test_none_of_them_is_worked_out_alone(name: str, monkeypatch: pytest.MonkeyPatch) -> None:
    rng = np.random.default_rng(2)
    layers = [layer(name, rng) for _ in range(MANY_ALIKE)]
    scene, addresses = crowd([Channel(keys=KEYS, layers=(own,)) for own in layers])

    def alone(self: Layer, inputs: Inputs) -> Samples:
        assert inputs.clock is not clock, f"{self.kind} was asked for alone"
        return whole(self, inputs)

    clock, whole = scene.clock(), BY_KIND[name].signal
    monkeypatch.setattr(BY_KIND[name], "signal", alone)
    assert len(evaluate(scene, addresses, clock)) == MANY_ALIKE


@pytest.mark.parametrize("combine", ["add", "subtract", "multiply", "replace"])
@pytest.mark.parametrize("weight", [{}, {"weight": 1.0}], ids=["in-part", "in-full"])
def test_every_way_to_join_and_keyed_bases(combine: str, weight: dict[str, float]) -> None:
    rng = np.random.default_rng(2)
    stacks = [
        tuple(layer("noise", rng, id=f"l{i}", combine=combine, **weight) for i in range(3)) for _ in range(MANY_ALIKE)
    ]
    same_as_alone(
        *crowd([Channel(keys=KEYS if k % 2 else (), value=1.5, layers=stack) for k, stack in enumerate(stacks)])
    )


@pytest.mark.parametrize("above", sorted(BY_KIND))
def test_alike_below_a_layer_of_any_kind(above: str) -> None:
    rng = np.random.default_rng(3)
    stacks = [(layer("noise", rng), layer(above, rng, id="top")) for _ in range(MANY_ALIKE)]
    same_as_alone(*crowd([Channel(layers=stack) for stack in stacks]))


def test_what_is_driven_windowed_muted_soloed_or_in_a_sheaf() -> None:
    rng = np.random.default_rng(4)

    def stack(*layers: Layer) -> Channel:
        return Channel(layers=(layer("noise", rng, id="low"), *layers))

    driven = Channel(value=2.0, layers=(layer("wave", rng, amplitude=0.5),))
    window = Window(start=10, end=40, fade_in=5, fade_out=5)
    channels = [
        channel
        for _ in range(FEW)
        for channel in (
            stack(),
            stack(layer("wave", rng, amplitude=driven)),
            stack(layer("wave", rng, window=window)),
            stack(layer("wave", rng, muted=True)),
            stack(layer("wave", rng, solo=True)),
            stack(layer("wave", rng, sheaf="hand")),
        )
    ]
    sheaf = Sheaf(id="hand", label="Hand", weight=0.5, window=window)
    same_as_alone(*crowd(channels, sheaves=(sheaf,)))


def test_enough_for_threads() -> None:
    rng = np.random.default_rng(5)
    clock = Clock.over(30, 0, 4000)
    channels = [Channel(layers=(layer("noise", rng),)) for _ in range(3 * MANY)]
    scene, addresses = crowd(channels)
    together = evaluate(scene, addresses, clock)
    for channel, address in zip(channels, addresses, strict=True):
        np.testing.assert_array_equal(
            together[address], np.clip(motions([Member("", channel)], clock, Scope(scene))[0], -1e15, 1e15)
        )


def test_what_was_kept_is_not_worked_out_again() -> None:
    rng = np.random.default_rng(6)
    scene, addresses = crowd([Channel(layers=(layer("noise", rng),)) for _ in range(MANY_ALIKE)])
    memo = Memo()
    first = evaluate(scene, addresses, scene.clock(), memo)
    assert memo.computed == MANY_ALIKE
    assert all(motion.base is None for motion in first.values()), "a row that is kept must not keep its block"
    again = evaluate(scene, addresses, scene.clock(), memo)
    assert memo.computed == MANY_ALIKE
    for address in addresses:
        np.testing.assert_array_equal(first[address], again[address])


def test_noise_does_not_depend_on_what_is_asked_beside_it() -> None:
    """Values at both sides of a cell are worked out once for moments in a row that share it."""
    rng = np.random.default_rng(7)
    position = rng.uniform(-40, 40, 300)
    numbers = np.array([[3.5], [0.6], [11.0]])
    driven = np.repeat(numbers, len(position), axis=1)
    driven[2] = rng.integers(0, 3, len(position))
    for table in (numbers, driven):
        whole, one = np.empty(len(position)), np.empty(1)
        octave_noise(position, 5, 0, np.ascontiguousarray(table), whole)
        for i in range(len(position)):
            column = np.ascontiguousarray(table[:, [i if table.shape[1] > 1 else 0]])
            octave_noise(position[i : i + 1].copy(), 5, 0, column, one)
            assert one[0] == whole[i]


def test_air_that_jumps_places_that_move_and_a_channel_of_two_objects() -> None:
    rng = np.random.default_rng(9)
    channels = [Channel(layers=(layer("breeze", rng),)) for _ in range(MANY_ALIKE)]
    scene, addresses = crowd([*channels, channels[0], channels[0]])
    apart = evaluate(scene, addresses, scene.clock())
    assert np.ptp([apart[addresses[k]][30] for k in (0, -2, -1)]) > 0.0, "they stand in different air"
    same_as_alone(scene, addresses)
    slide = Channel(keys=KEYS)
    moving = tuple(
        node.replaced(position=node.position.replaced(y=slide)) if node.id in ("n1", "post") else node
        for node in scene.nodes
    )
    same_as_alone(scene.replaced(nodes=moving), addresses)
    steps = Channel(keys=(Key(frame=0, value=4.0, go="step"), Key(frame=31, value=9.0)))
    jumping = tuple(
        node.replaced(field=node.field.replaced(speed=steps)) if node.field is not None else node
        for node in scene.nodes
    )
    same_as_alone(scene.replaced(nodes=jumping), addresses)


def test_uses_of_a_recipe_with_numbers_of_their_own() -> None:
    rng = np.random.default_rng(10)

    def use(**fields: Any) -> Channel:
        return Channel(value=1.0, layers=(layer("noise", rng), layer("recipe", rng, **fields)))

    plain = [use() for _ in range(FEW)]
    own = [use(overrides=({"name": "far", "value": float(k)},)) for k in range(FEW)]
    driven = Channel(value=2.0, layers=(layer("wave", rng),))
    same_as_alone(*crowd([*plain, *own, use(overrides=({"name": "far", "value": driven},))]))
    repeated = Channel(layers=(layer("repeat", rng),))  # which is worked out alone
    recipes = (Recipe(id="swing", label="Swing", stack=repeated),)
    same_as_alone(*crowd([channel.replaced(keys=KEYS) for channel in plain], recipes=recipes))


def test_what_has_no_value_says_so_as_it_does_alone() -> None:
    rng = np.random.default_rng(11)
    roots = [
        Channel(value=float(5 - k), layers=(layer("formula", rng, label=f"Root {k}", text="sqrt(x)"),))
        for k in range(8)
    ]
    scene, addresses = crowd(roots)
    same_as_alone(scene, addresses[:6])
    with pytest.raises(BadFormula, match="'Root 6' has no finite value at frame 0"):
        evaluate(scene, addresses, scene.clock())
    lost = [Channel(layers=(layer("link", rng, source="dials/gone"),)) for _ in range(MANY_ALIKE)]
    scene, addresses = crowd(lost)
    with pytest.raises(UnknownAddress, match="gone"):
        evaluate(scene, addresses, scene.clock())


def test_what_they_read_is_not_forgotten() -> None:
    rng = np.random.default_rng(12)
    scene, addresses = crowd([Channel(layers=(layer("link", rng, delay=0.2 * k),)) for k in range(MANY_ALIKE)])
    memo = Memo()
    evaluate(scene, addresses, scene.clock(), memo)
    changed = scene.replaced(dials=(Dial(id="tide", label="Tide", value=0.5),))
    known, fresh = (evaluate(changed, addresses, scene.clock(), where) for where in (memo, None))
    for address in addresses:
        np.testing.assert_array_equal(known[address], fresh[address])


def test_a_problem_of_the_air_is_said_of_each_that_answers_it() -> None:
    rng = np.random.default_rng(13)
    scene, addresses = crowd([Channel(layers=(layer("breeze", rng),)) for _ in range(MANY_ALIKE)])
    broken = Channel(value=5.0, layers=(layer("formula", rng, text="1 / (t - t)"),))
    nodes = tuple(
        node if node.field is None else node.replaced(field=node.field.replaced(speed=broken)) for node in scene.nodes
    )
    scene = scene.replaced(nodes=nodes)
    problems: list[str] = []
    clock, scope = scene.clock(), Scope(scene, Memo(), problems).running()
    places = [scope.place(address) for address in addresses]
    work_out_alike(((place.home, place.number) for place in places), clock, scope)
    for place in places:
        before = len(problems)
        number_at(place, clock, scope)
        assert "no finite value" in "".join(problems[before:])
