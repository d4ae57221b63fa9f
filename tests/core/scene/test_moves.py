"""Moves of cameras: what follows the range, ends that are swapped, rates that are told, orbits and pans."""

from __future__ import annotations

import numpy as np
import pytest

from lazzik.core.channel.channel import Channel
from lazzik.core.channel.keys import Key
from lazzik.core.errors import InvalidEdit
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.transforms import world
from lazzik.core.evaluate.values import evaluate
from lazzik.core.geometry.primitives import Box
from lazzik.core.layers.travel import Travel
from lazzik.core.layers.turn import Turn
from lazzik.core.scene.address import Address, find, find_layer
from lazzik.core.scene.node import Camera, Node, Position, Rotation, Scale
from lazzik.core.scene.scene import Scene
from tests.conftest import edited, note

LENS = Node(id="lens", label="Lens", camera=Camera(), position=Position(x=4.0, y=1.5, z=3.0), rotation=Rotation(y=53.0))
TOWER = Node(
    id="tower", label="Tower", position=Position(x=1.0, y=0.5), scale=Scale(y=2.0),
    shape=Box(kind="box", width=1.0, height=3.0, depth=1.0, base=True),
)  # fmt: skip


@pytest.fixture
def filmed() -> Scene:
    """A camera beside a tower."""
    return Scene(name="Filmed", first=10, last=160, nodes=(TOWER, LENS))


def travel(scene: Scene, address: str) -> Travel:
    layer = find_layer(scene, Address.parse(address))
    assert isinstance(layer, Travel)
    return layer


def test_a_travel_follows_the_range_if_told_until_it_gets_a_length_of_its_own(filmed: Scene) -> None:
    at = "lens/position.x#travel"
    own = edited(filmed, {"do": "add-layer", "address": "lens/position.x", "kind": "travel"})
    assert (travel(own, at).start, travel(own, at).length) == (60, 50)
    longer = {"do": "change-scene", "last": 310}
    assert travel(edited(own, longer), at) == travel(own, at)
    fits = edited(own, {"do": "change-layer", "address": at, "fit": True})
    assert (travel(fits, at).start, travel(fits, at).length) == (10, 150)
    assert (travel(edited(fits, longer), at).start, travel(edited(fits, longer), at).length) == (10, 300)
    moved = edited(fits, {"do": "change-scene", "first": 40})
    assert (travel(moved, at).start, travel(moved, at).length) == (40, 120)
    typed = edited(fits, {"do": "set", "address": f"{at}.length", "value": 80})
    assert not travel(typed, at).fit
    assert travel(edited(typed, longer), at).length == 80
    kept = edited(fits, {"do": "set", "address": f"{at}.finish", "value": 3})
    assert travel(kept, at).fit
    with pytest.raises(InvalidEdit, match="A Hold layer has nothing that could follow the range"):
        edited(
            filmed,
            {"do": "add-layer", "address": "lens/position.x", "kind": "hold"},
            {"do": "change-layer", "address": "lens/position.x#hold", "fit": True},
        )


def test_ends_are_swapped_whatever_they_are(filmed: Scene) -> None:
    at = "lens/position.x#travel"
    finish = Channel(keys=(Key(frame=10, value=1), Key(frame=60, value=2)))
    scene = edited(filmed, {"do": "add-layer", "address": "lens/position.x", "kind": "travel"})
    scene = edited(
        scene,
        {"do": "set", "address": f"{at}.begin", "value": -4},
        *({"do": "put-key", "address": f"{at}.finish", "frame": key.frame, "value": key.value} for key in finish.keys),
    )
    before = travel(scene, at)
    swapped = edited(scene, {"do": "swap-ends", "address": at})
    after = travel(swapped, at)
    assert (after.begin, after.finish) == (before.finish, before.begin)
    assert edited(swapped, {"do": "swap-ends", "address": at}).nodes == scene.nodes
    row = ["lens/position.x"]
    ends = evaluate(swapped, row, swapped.clock().at(np.array([10.0, 160.0])))[row[0]]
    np.testing.assert_allclose(ends, [4 + 1, 4 - 4])
    with pytest.raises(InvalidEdit, match="A Noise layer has no two ends"):
        edited(
            scene,
            {"do": "add-layer", "address": "lens/position.y", "kind": "noise"},
            {"do": "swap-ends", "address": "lens/position.y#noise"},
        )


@pytest.mark.parametrize(
    ("layer", "said"),
    [
        (Turn(kind="turn", id="t", label="T", rate=100.0, loop=150.0), "1 turn in the loop, from 1.39: 72 own/s"),
        (Turn(kind="turn", id="t", label="T", rate=-72.0, loop=150.0), "−1 turn in the loop: −72 own/s"),
        (Turn(kind="turn", id="t", label="T", rate=100.0), ""),
        (Travel(kind="travel", id="t", label="T", begin=2.0, finish=-1.0, length=60.0, ease="linear"), "−1.5 own/s"),
        (Travel(kind="travel", id="t", label="T"), ""),
    ],
)
def test_constant_motion_says_the_rate_it_really_has(layer: Turn | Travel, said: str) -> None:
    assert note(layer) == said


def test_an_orbit_goes_round_the_middle_once_in_the_range_at_one_distance_and_keeps_its_framing(filmed: Scene) -> None:
    scene = edited(filmed, {"do": "orbit", "node": "lens", "around": "tower"})
    group = scene.node(scene.node("lens").parent or "")
    assert (group.label, group.what) == ("Orbit of Tower", "group")
    middle = np.array([1.0, 0.5 + 2 * 1.5, 0.0])
    clock = scene.clock().at(np.linspace(10, 160, 9))
    now = world(scene, scene.node("lens"), clock, Scope(scene))
    was = world(filmed, filmed.node("lens"), clock, Scope(filmed))
    np.testing.assert_allclose(now[0], was[0], atol=1e-9)  # where it was on the first frame
    np.testing.assert_allclose(now[8], was[0], atol=1e-9)
    for k in range(9):
        angle = 2 * np.pi * k / 8
        turn = np.array([[np.cos(angle), 0, np.sin(angle)], [0, 1, 0], [-np.sin(angle), 0, np.cos(angle)]])
        np.testing.assert_allclose(now[k, :3, 3], middle + turn @ (was[0, :3, 3] - middle), atol=1e-9)
        np.testing.assert_allclose(now[k, :3, :3], turn @ was[0, :3, :3], atol=1e-9)
    other = edited(scene, {"do": "change-scene", "last": 180})
    end = world(other, other.node("lens"), other.clock().at(np.array([180.0])), Scope(other))
    np.testing.assert_allclose(end[0], was[0], atol=1e-9)
    for around in ("lens", group.id):
        with pytest.raises(InvalidEdit, match="can't go round what it hangs under"):
            edited(scene, {"do": "orbit", "node": "lens", "around": around})


def test_a_pan_goes_straight_to_the_side_over_the_range_its_place_half_way(filmed: Scene) -> None:
    scene = edited(filmed, {"do": "pan", "node": "lens"})
    aside = world(scene, scene.node("lens"), scene.clock().at(np.array([10.0, 85.0, 160.0])), Scope(scene))[:, :3, 3]
    np.testing.assert_allclose(aside[1], [4.0, 1.5, 3.0], atol=1e-9)
    way = aside[2] - aside[0]
    np.testing.assert_allclose(aside[1] - aside[0], way / 2, atol=1e-9)
    right = world(filmed, filmed.node("lens"), filmed.clock(), Scope(filmed))[0, :3, 0]
    assert way @ right > 0.7 * np.linalg.norm(way) > 0.1  # along the axis that lies nearest to its own right
    address = "lens/position.z"  # at 53° that is z
    assert find(scene, Address.parse(address)).channel.layers[0].fit
    there = edited(scene, {"do": "swap-ends", "address": f"{address}#pan"})
    back = world(there, there.node("lens"), there.clock().at(np.array([10.0])), Scope(there))[0, :3, 3]
    np.testing.assert_allclose(back, aside[2], atol=1e-9)
