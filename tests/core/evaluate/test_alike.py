"""Stacks that differ in constant numbers alone: worked out together they have the bits that each has alone."""

from __future__ import annotations

from itertools import product
from typing import Any

import numpy as np
import pytest

from lazzik.core.channel.channel import Channel
from lazzik.core.channel.keys import Key
from lazzik.core.channel.layer import Layer, numbers_of
from lazzik.core.channel.window import Window
from lazzik.core.clock import Clock
from lazzik.core.evaluate.alike import FEW, MANY, motions
from lazzik.core.evaluate.evaluator import evaluate
from lazzik.core.evaluate.memo import Memo
from lazzik.core.layers import BY_KIND
from lazzik.core.layers.noise import octave_noise
from lazzik.core.scene.node import Node, Rotation
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.sheaf import Sheaf

TOGETHER = [name for name, kind in BY_KIND.items() if kind.together]
MANY_ALIKE = FEW + 3


def layer(name: str, rng: np.random.Generator, **fields: Any) -> Layer:
    """A layer of a kind with numbers at random, within what is useful."""
    kind = BY_KIND[name]
    numbers = {}
    for own, quantity in numbers_of(kind).items():
        value = max(quantity.low, rng.uniform(*quantity.useful))
        numbers[own] = float(round(value)) if quantity.whole else value
    return kind.model_validate({"kind": name, "id": name, "label": name} | numbers | fields)


def crowd(channels: list[Channel], **fields: Any) -> tuple[Scene, list[str]]:
    """An object for each channel, and the addresses of them."""
    nodes = tuple(Node(id=f"n{k}", label="n", rotation=Rotation(z=channel)) for k, channel in enumerate(channels))
    return Scene(name="Crowd", last=60, nodes=nodes, **fields), [f"{node.id}/rotation.z" for node in nodes]


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
    for choices in product(*settings.values()):
        for loop in (None, 37.0) if BY_KIND[name].loops else (None,):
            chosen = dict(zip(settings, choices, strict=True)) | {"loop": loop}
            lowest = [layer("wave", rng, id="low") for _ in range(MANY_ALIKE)]
            stacks = [(low, layer(name, rng, **chosen)) for low in lowest]
            same_as_alone(*crowd([Channel(value=float(k), layers=stack) for k, stack in enumerate(stacks)]))


@pytest.mark.parametrize("combine", ["add", "subtract", "multiply", "replace"])
@pytest.mark.parametrize("weight", [{}, {"weight": 1.0}], ids=["in-part", "in-full"])
def test_every_way_to_join_and_keyed_bases(combine: str, weight: dict[str, float]) -> None:
    rng = np.random.default_rng(2)
    keys = tuple(Key(frame=frame, value=value) for frame, value in ((0, 0.0), (20, 4.0), (50, -2.0)))
    stacks = [
        tuple(layer("noise", rng, id=f"l{i}", combine=combine, **weight) for i in range(3)) for _ in range(MANY_ALIKE)
    ]
    same_as_alone(
        *crowd([Channel(keys=keys if k % 2 else (), value=1.5, layers=stack) for k, stack in enumerate(stacks)])
    )


@pytest.mark.parametrize("above", sorted(set(BY_KIND) - {"recipe", "clip", "link", "play", "use"}))
def test_alike_below_a_layer_of_any_kind(above: str) -> None:
    rng = np.random.default_rng(3)
    fields: dict[str, Any] = {"text": "x + sin(t)"} if above == "formula" else {}
    stacks = [(layer("noise", rng), layer(above, rng, id="top", **fields)) for _ in range(MANY_ALIKE)]
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
        np.testing.assert_array_equal(together[address], np.clip(motions([channel], clock)[0], -1e15, 1e15))


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
