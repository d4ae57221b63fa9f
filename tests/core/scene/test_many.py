"""Many numbers at once: the same edit on all, pasted stacks, staggering, one loop for many."""

from __future__ import annotations

import itertools
from typing import Any

import numpy as np
import pytest

from lazzik.core.channel.channel import Channel
from lazzik.core.channel.keys import Key
from lazzik.core.errors import InvalidEdit, UnknownAddress
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.seams import seams
from lazzik.core.evaluate.values import evaluate
from lazzik.core.scene.address import Address, find
from lazzik.core.scene.edits.every import read_edits
from lazzik.core.scene.node import Node, Position, Rotation
from lazzik.core.scene.rest_pose import rest_position
from lazzik.core.scene.scene import Scene
from tests.conftest import edited, turned

LAMPS = [f"lamp-{k}/rotation.z" for k in range(1, 7)]
NODS = [f"{lamp}#nod" for lamp in LAMPS]


def number(scene: Scene, address: str) -> Any:
    return find(scene, Address.parse(address)).channel.value


def together(scene: Scene, *edits: dict[str, Any], how: str = "same", channels: list[str] = LAMPS) -> Scene:
    return edited(scene, {"do": "together", "channels": channels, "edits": list(edits), "how": how})


def test_one_edit_on_all_the_chosen(demo: Scene) -> None:
    after = together(
        demo,
        {"do": "set", "address": f"{LAMPS[0]}#nod.period", "value": 0.7},
        {"do": "change-layer", "address": f"{LAMPS[0]}#nod", "start": 20, "settings": {"character": "ridged"}},
        {"do": "add-layer", "address": LAMPS[0], "kind": "wave"},
    )
    for lamp in LAMPS:
        channel = find(after, Address.parse(lamp)).channel
        assert [layer.id for layer in channel.layers] == ["nod", "breeze", "wave"]
        nod: Any = channel.layers[0]
        assert (nod.period, nod.window.start, nod.character) == (0.7, 20, "ridged")
    assert after.by_id["mast"] is demo.by_id["mast"]


def test_relative_changes_keep_what_differs() -> None:
    keyed = Channel(keys=(Key(frame=0, value=2), Key(frame=9, value=-4)))
    nodes = tuple(Node(id=f"n{k}", label="N", position=Position(y=y)) for k, y in enumerate((1.0, 3.0, keyed)))
    scene, channels = Scene(name="Three", nodes=nodes), ["n0/position.y", "n1/position.y", "n2/position.y"]
    edit = {"do": "set", "address": "n0/position.y", "value": 1.5}
    added = together(scene, edit, how="add", channels=channels)
    assert [number(added, c) for c in channels[:2]] == [1.5, 3.5]
    assert [key.value for key in added.by_id["n2"].position.y.keys] == [2.5, -3.5]  # type: ignore[union-attr]
    scaled = together(scene, edit, how="times", channels=channels)
    assert [number(scaled, c) for c in channels[:2]] == [1.5, 4.5]
    assert [key.value for key in scaled.by_id["n2"].position.y.keys] == [3, -6]  # type: ignore[union-attr]
    zero = edited(scene, {"do": "set", "address": "n0/position.y", "value": 0})
    with pytest.raises(InvalidEdit, match="add to it instead"):
        together(zero, edit, how="times", channels=channels)


def test_members_without_the_layer_are_passed_over_and_strangers_refused(demo: Scene) -> None:
    bare = edited(demo, {"do": "remove-layer", "address": NODS[2]})
    after = together(bare, {"do": "change-layer", "address": NODS[0], "muted": True})
    stacks = [find(after, Address.parse(lamp)).channel.layers for lamp in LAMPS]
    assert [layer.muted for stack in stacks for layer in stack if layer.id == "nod"] == [True] * 5
    with pytest.raises(InvalidEdit, match=r"must begin on lamp-1/rotation\.z"):
        together(demo, {"do": "change-layer", "address": "sock/rotation.y#veer", "muted": True})
    with pytest.raises(UnknownAddress):
        together(demo, {"do": "set", "address": f"{LAMPS[0]}#nobody.period", "value": 1})


def test_a_value_beyond_the_limits_of_one_is_refused_for_all(demo: Scene) -> None:
    low = edited(demo, {"do": "set", "address": f"{NODS[1]}.octaves", "value": 1})
    with pytest.raises(InvalidEdit, match="must be at least 1"):
        together(low, {"do": "set", "address": f"{NODS[0]}.octaves", "value": 1.5}, how="add")


def test_layers_are_pasted_in_the_size_that_shows_there(demo: Scene) -> None:
    gust = demo.by_id["beacon-mast"].rotation.z.layers[0].model_dump(mode="json")  # type: ignore[union-attr]
    paste: dict[str, Any] = {"do": "put-layers", "layers": [gust], "unit": "°", "reach": 8.0}
    turned_too = edited(demo, paste | {"address": "sock/rotation.y"})
    assert number(turned_too, "sock/rotation.y#gust.amplitude") == 4.8
    reach = find(demo, Address.parse("winch/position.y")).reach
    lifted = edited(demo, paste | {"address": "winch/position.y"})
    assert number(lifted, "winch/position.y#gust.amplitude") == pytest.approx(4.8 * reach / 8)
    assert number(lifted, "winch/position.y#gust.period") == 0.9
    twice = edited(demo, paste | {"address": "beacon-mast/rotation.z"})
    assert [layer.id for layer in twice.by_id["beacon-mast"].rotation.z.layers][-1] == "gust-2"  # type: ignore[union-attr]
    instead = edited(demo, paste | {"address": "beacon-mast/rotation.z", "how": "instead"})
    assert [layer.id for layer in instead.by_id["beacon-mast"].rotation.z.layers] == ["gust"]  # type: ignore[union-attr]


def test_what_is_driven_is_scaled_with_its_layers(demo: Scene) -> None:
    nod = demo.by_id["lamp-1"].rotation.z.layers[0].model_dump(mode="json")  # type: ignore[union-attr]
    paste = {"do": "put-layers", "layers": [nod], "unit": "°", "reach": 8.0, "address": "winch/position.y"}
    before = evaluate(demo, ["lamp-1/rotation.z#nod.amplitude"], demo.clock())
    after = edited(demo, paste)
    pasted = evaluate(after, ["winch/position.y#nod.amplitude"], demo.clock())
    factor = find(demo, Address.parse("winch/position.y")).reach / 8
    (a,), (b,) = before.values(), pasted.values()
    np.testing.assert_allclose(b, a * factor)


def test_a_pasted_layer_that_reads_what_is_not_there_is_refused(post: Scene) -> None:
    link = {"kind": "link", "id": "l", "label": "L", "source": "dials/breeze"}
    with pytest.raises(UnknownAddress, match="no dial 'breeze'"):
        edited(post, {"do": "put-layers", "address": "post/rotation.z", "layers": [link]})


def staggered(scene: Scene, name: str = "shift", **fields: Any) -> list[float]:
    after = edited(scene, {"do": "stagger", "addresses": [f"{nod}.{name}" for nod in NODS]} | fields)
    return [number(after, f"{nod}.{name}") for nod in NODS]


def test_stagger_by_order_step_axis_distance_and_chance(demo: Scene) -> None:
    assert staggered(demo, by="order", start=1, amount=2) == pytest.approx([1, 1.4, 1.8, 2.2, 2.6, 3])
    assert staggered(demo, by="step", start="1/4", amount=0.5) == [0.25, 0.75, 1.25, 1.75, 2.25, 2.75]
    assert staggered(demo, by="axis", axis="x", amount=5) == pytest.approx([0, 1, 2, 3, 4, 5])
    assert staggered(demo, by="axis", axis="z", amount=5) == pytest.approx([5, 4, 3, 2, 1, 0])
    assert staggered(demo, by="axis", axis="y", amount=5) == [0] * 6  # all stand at one height
    places = [rest_position(demo, demo.by_id[f"lamp-{k}"]) for k in range(1, 7)]
    away = np.linalg.norm(np.array(places) - rest_position(demo, demo.by_id["lamp-3"]), axis=1)
    expected = (away - away.min()) / np.ptp(away) * 4
    assert staggered(demo, by="distance", origin="lamp-3", amount=4) == pytest.approx(expected.tolist(), abs=1e-6)
    chance = staggered(demo, by="random", seed=3, start=-1, amount=2)
    assert chance == staggered(demo, by="random", seed=3, start=-1, amount=2)
    assert chance != staggered(demo, by="random", seed=4, start=-1, amount=2)
    assert all(-1 <= v <= 1 for v in chance)
    assert np.ptp(chance) > 0.3
    assert staggered(demo, "seed", by="random", amount=99) == [
        round(v) for v in staggered(demo, "seed", by="random", amount=99)
    ]


def test_staggering_what_can_not_be_is_said(demo: Scene) -> None:
    with pytest.raises(UnknownAddress, match="There is no object 'nobody'"):
        staggered(demo, by="distance", origin="nobody")
    with pytest.raises(InvalidEdit, match="not a whole layer"):
        edited(demo, {"do": "stagger", "addresses": NODS})


def test_the_row_of_lamps_nods_in_a_wave(demo: Scene) -> None:
    """What is loose in them rattles from lamp to lamp by the same time."""
    calm = edited(demo, *({"do": "change-layer", "address": f"{lamp}#breeze", "muted": True} for lamp in LAMPS))
    values = evaluate(calm, LAMPS, demo.clock(10))
    late = round(0.22 * demo.fps * 10)
    for a, b in itertools.pairwise(LAMPS):
        np.testing.assert_allclose(values[b][late:], values[a][:-late], atol=0.05)


def test_rest_places_are_those_of_the_bases() -> None:
    nodes = (
        Node(id="arm", label="Arm", position=Position(x=1.0), rotation=Rotation(z=90.0)),
        Node(id="tip", label="Tip", parent="arm", position=Position(x=2.0, y=Channel(keys=(Key(frame=5, value=3),)))),
    )
    scene = Scene(name="Two", nodes=nodes)
    np.testing.assert_allclose(rest_position(scene, nodes[1]), [1 - 3, 2, 0], atol=1e-12)


def loops(scene: Scene, address: str) -> list[tuple[float | None, bool]]:
    return [(layer.loop, layer.fit) for layer in find(scene, Address.parse(address)).channel.layers]


def test_loops_for_a_layer_a_number_an_object_and_the_scene(demo: Scene) -> None:
    free = edited(demo, {"do": "loop"})
    assert loops(free, "beacon-mast/rotation.z") == [(None, False)] * 3
    assert loops(free, "rotor/rotation.y#spin.rate")[-1] == (None, False)
    one = edited(free, {"do": "loop", "addresses": ["beacon-mast/rotation.z#tremble"], "frames": "100/2"})
    assert loops(one, "beacon-mast/rotation.z") == [(None, False), (50, False), (None, False)]
    whole = edited(free, {"do": "loop", "addresses": ["beacon-mast/rotation.z"], "fit": True})
    assert loops(whole, "beacon-mast/rotation.z") == [(250, True)] * 3
    assert loops(whole, "sock/rotation.y") == [(None, False)] * 2
    thing = edited(free, {"do": "loop", "addresses": ["rotor"], "fit": True})
    assert loops(thing, "rotor/rotation.y") == [(250, True)]
    assert loops(thing, "rotor/rotation.y#spin.rate") == [(250, True)] * 2
    assert edited(free, {"do": "loop", "fit": True}).recipes[0].stack.layers[0].loop == 250


def test_a_new_range_refits_what_was_told_to_fit(demo: Scene) -> None:
    mixed = edited(demo, {"do": "change-layer", "address": "sock/rotation.y#veer", "loop": 90})
    assert loops(mixed, "sock/rotation.y")[0] == (90, False)
    after = edited(mixed, {"do": "change-scene", "first": 20, "last": 220})
    assert loops(after, "sock/rotation.y") == [(90, False), (200, True)]
    assert loops(after, "tether/rotation.z") == [(200, True)]
    assert loops(after, "rotor/rotation.y#spin.rate")[-1] == (200, True)
    value = evaluate(after, ["tether/rotation.z"], after.clock())["tether/rotation.z"]
    assert value[0] == pytest.approx(value[-1], abs=1e-9)


def test_the_seam_check_lists_what_does_not_meet_itself_and_nothing_else(demo: Scene) -> None:
    assert seams(demo, Scope(demo)) == []
    freed = edited(demo, {"do": "loop", "addresses": ["sock", "beacon-mast/rotation.z#tremble"]})
    found = {seam.address: seam for seam in seams(freed, Scope(freed))}
    plates = {f"guy-plate-{k}/deform.wring.angle" for k in (1, 2, 3)}  # which read the mast
    assert set(found) == {"sock/rotation.y", "beacon-mast/rotation.z"} | plates
    sock = evaluate(freed, ["sock/rotation.y"], freed.clock())["sock/rotation.y"]
    assert found["sock/rotation.y"].value == pytest.approx(sock[-1] - sock[0])
    assert found["sock/rotation.y"].unit == "°"


def test_whole_turns_meet_and_a_corner_does_not() -> None:
    spin = turned(Channel(keys=(Key(frame=0, value=0, go="linear"), Key(frame=120, value=720, go="linear"))))
    assert seams(spin, Scope(spin)) == []
    bent = turned(
        Channel(keys=(Key(frame=0, value=0, go="linear"), Key(frame=60, value=9, go="linear"), Key(frame=120, value=0)))
    )
    (corner,) = seams(bent, Scope(bent))
    assert corner.value == 0
    assert corner.slope == pytest.approx(-9 / 2, abs=0.01)


def test_six_stand_at_sixths_of_a_turn() -> None:
    nodes = tuple(Node(id=f"p{k}", label=f"P{k}") for k in range(6))
    scene = Scene(name="Wheel", nodes=nodes)
    scene = edited(scene, *({"do": "add-layer", "address": f"p{k}/rotation.z", "kind": "wave"} for k in range(6)))
    numbers = [f"p{k}/rotation.z#wave.phase" for k in range(6)]
    after = edited(scene, {"do": "stagger", "addresses": numbers, "by": "cycle", "start": 0.25, "amount": 1})
    phases = [find(after, Address.parse(number)).channel.value for number in numbers]
    assert phases == pytest.approx([0.25 + k / 6 for k in range(6)], abs=1e-6)
    assert [b - a for a, b in itertools.pairwise([*phases, phases[0] + 1])] == pytest.approx([1 / 6] * 6, abs=2e-6)


def test_a_layer_takes_another_kind_and_keeps_what_both_have() -> None:
    scene = Scene(name="S", nodes=(Node(id="post", label="Post"),))
    at = "post/rotation.z"
    scene = edited(
        scene,
        {"do": "add-layer", "address": at, "kind": "noise"},
        {"do": "change-layer", "address": f"{at}#noise", "start": 10, "fade_in": 5, "combine": "replace"},
        {"do": "change-layer", "address": f"{at}#noise", "muted": True},
        {"do": "set", "address": f"{at}#noise.amplitude", "value": 7},
        {"do": "set", "address": f"{at}#noise.period", "value": 0.5},
    )
    wave = edited(scene, {"do": "switch-layer", "address": f"{at}#noise", "kind": "wave"})
    layer: Any = find(wave, Address.parse(at)).channel.layers[0]
    assert (layer.kind, layer.id, layer.label) == ("wave", "noise", "Wave")
    assert (layer.window.start, layer.window.fade_in, layer.combine, layer.muted) == (10, 5, "replace", True)
    assert (layer.amplitude, layer.period) == (7, 0.5)
    back = edited(wave, {"do": "switch-layer", "address": f"{at}#noise", "kind": "noise"})
    again: Any = find(back, Address.parse(at)).channel.layers[0]
    assert (again.kind, again.label, again.amplitude, again.period) == ("noise", "Noise", 7, 0.5)
    limited = edited(scene, {"do": "switch-layer", "address": f"{at}#noise", "kind": "limit"})
    assert find(limited, Address.parse(at)).channel.layers[0].window.start == 10
    with pytest.raises(InvalidEdit, match="no kind of layer called 'tune'"):
        edited(scene, {"do": "switch-layer", "address": f"{at}#noise", "kind": "tune"})


def test_a_layer_put_on_three_axes_has_a_pattern_of_its_own_on_each(post: Scene) -> None:
    axes = [f"post/position.{axis}" for axis in "xyz"]
    edit = {"do": "add-layer", "address": axes[0], "kind": "noise"}
    after = together(post, edit, channels=axes)
    motions = evaluate(after, axes, after.clock())
    alike = np.abs(np.corrcoef([motions[axis] for axis in axes]))
    assert (alike[np.triu_indices(3, 1)] < 0.6).all(), alike
    seeds = {after.by_id["post"].position.model_dump()[axis]["layers"][0]["seed"] for axis in "xyz"}
    assert len(seeds) == 3
    twice = together(after, edit, channels=axes)
    assert evaluate(twice, axes, twice.clock())[axes[0]].std() > 0
    (described,) = read_edits([{"do": "together", "channels": axes, "edits": [edit]}])
    assert described.describe(post) == "add noise to Post / position x, on 3 together, each with a seed of its own"


def test_what_stands_side_by_side_does_not_move_alike(post: Scene) -> None:
    two = edited(
        post,
        {"do": "add-object", "label": "Other"},
        *({"do": "add-layer", "address": f"{node}/rotation.z", "kind": "noise"} for node in ("post", "other")),
    )
    rows = evaluate(two, ["post/rotation.z", "other/rotation.z"], two.clock())
    assert abs(np.corrcoef(rows["post/rotation.z"], rows["other/rotation.z"])[0, 1]) < 0.9
