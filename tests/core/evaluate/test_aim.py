"""Aim: against turning by heading and height, SciPy's slerp and the Follow layer; without a direction; in circles."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from numpy.typing import NDArray
from scipy.spatial.transform import Rotation as Turn
from scipy.spatial.transform import Slerp

from lazzik.core.channel.channel import Channel
from lazzik.core.channel.keys import Key
from lazzik.core.clock import Clock
from lazzik.core.errors import InvalidDocument, InvalidEdit
from lazzik.core.evaluate.memo import Memo
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.transforms import moves, transforms, world
from lazzik.core.formats.gltf import write_glb
from lazzik.core.formats.usd import write_usd
from lazzik.core.layers.follow import Follow
from lazzik.core.layers.noise import Noise
from lazzik.core.layers.turn import Turn as TurnLayer
from lazzik.core.layers.wave import Wave
from lazzik.core.scene.aim import Aim, AimPoint, Axis, axis_vector
from lazzik.core.scene.node import Camera, Node, Position, Rotation, Scale
from lazzik.core.scene.references import affected
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.serialize import read_scene, scene_text
from tests.conftest import edited
from tests.core.formats.gltf_player import Player
from tests.strategies import numbers

Values = NDArray[np.float64]
KEYS = (Key(frame=0, value=-3), Key(frame=60, value=4), Key(frame=120, value=-3))


def wave(amplitude: float, period: float, offset: float = 0.0, **more: Any) -> Channel:
    layer = Wave(kind="wave", id="wave", label="Wave", amplitude=amplitude, period=period, offset=offset, **more)
    return Channel(layers=(layer,))


def noise(seed: float, amplitude: float = 6.0) -> Channel:
    return Channel(layers=(Noise(kind="noise", id="n", label="N", amplitude=amplitude, seed=seed),))


def pair(
    aim: dict[str, Any], target: Position, rotation: Rotation | None = None, *around: Node, under: str = ""
) -> Scene:
    """A vane that aims at a bird, by choice among other objects and under one of them."""
    vane = Node(
        id="vane", label="Vane", parent=under or None, position=Position(x=0.5, y=1.0, z=-0.5),
        rotation=rotation or Rotation(), aim=Aim(target="bird", **aim),
    )  # fmt: skip
    return Scene(name="Aims", last=120, nodes=(*around, vane, Node(id="bird", label="Bird", position=target)))


FLIGHT = Position(x=wave(3.0, 2.1), y=wave(2.0, 1.3, 1.5), z=Channel(keys=KEYS))


def orientation(scene: Scene, node: str = "vane", clock: Clock | None = None) -> Turn:
    own = transforms(scene.node(node), clock or scene.clock(2), Scope(scene))
    return Turn.from_quat(own.orientation)


def origin(scene: Scene, node: str, clock: Clock | None = None) -> Values:
    return world(scene, scene.node(node), clock or scene.clock(2), Scope(scene))[:, :3, 3]


def angle_between(a: Turn, b: Turn) -> Values:
    return np.asarray((a.inv() * b).magnitude())


def by_heading_and_height(away: Values, axis: str, roll: float = 0.0) -> Turn:
    """A turn about Y by the heading, then about the level axis by the height, then about what points by the roll: the
    own axis goes from −z to where it points first, y upward (or z, if y points)."""
    x, y, z = away.T
    heading, height = np.arctan2(-x, -z), np.arctan2(y, np.hypot(x, z))
    looks = Turn.from_euler("YX", np.stack([heading, height], 1))
    first = {
        name: Turn.from_euler("Y", by, degrees=True) for name, by in (("-z", 0), ("z", 180), ("x", 90), ("-x", -90))
    }
    # y forward with z upward, and −y forward with z upward
    first["y"] = Turn.from_matrix(np.array([[1.0, 0, 0], [0, 0, 1], [0, -1, 0]]))
    first["-y"] = Turn.from_matrix(np.array([[-1.0, 0, 0], [0, 0, 1], [0, 1, 0]]))
    return looks * first[axis] * Turn.from_rotvec(np.radians(roll) * axis_vector(axis))  # type: ignore[arg-type]


@pytest.mark.parametrize("axis", ["x", "-x", "y", "-y", "z", "-z"])
def test_it_is_a_turn_by_heading_and_height(axis: str) -> None:
    scene = pair({"axis": axis, "roll": 25.0}, FLIGHT)
    away = origin(scene, "bird") - origin(scene, "vane")
    assert np.abs(away[:, 1] / np.linalg.norm(away, axis=1)).max() < np.cos(np.radians(5))
    assert angle_between(orientation(scene), by_heading_and_height(away, axis, 25.0)).max() < 1e-9


@given(numbers(-180, 180), numbers(-80, 80), numbers(0.01, 30), numbers(-180, 180))
def test_any_direction(heading: float, height: float, far: float, roll: float) -> None:
    x, y, z = far * Turn.from_euler("YX", [heading, height], degrees=True).apply([0, 0, -1])
    scene = pair({"axis": "-z", "roll": roll}, Position(x=0.5 + x, y=1.0 + y, z=-0.5 + z))
    still = scene.clock().at(np.zeros(1))
    away = origin(scene, "bird", still) - origin(scene, "vane", still)
    assert angle_between(orientation(scene, clock=still), by_heading_and_height(away, "-z", roll)).max() < 1e-9


def test_a_weight_goes_the_short_way_and_zero_is_exactly_no_aim() -> None:
    own = Rotation(x=Channel(value=20.0, layers=noise(3).layers), y=-35.0, z=Channel(keys=KEYS), order="zxy")
    for weight in (0.0, 0.3, 0.8, 1.0):
        scene = pair({"axis": "x", "weight": weight}, FLIGHT, own)
        bare = edited(scene, {"do": "remove-aim", "node": "vane"})
        if weight == 0.0:
            np.testing.assert_array_equal(orientation(scene).as_quat(), orientation(bare).as_quat())
            continue
        away = origin(scene, "bird") - origin(scene, "vane")
        unmoved = bare.node("vane").replaced(rotation=Rotation(x=20.0, y=-35.0, z=own.z, order="zxy"))
        base = orientation(bare.with_node(unmoved))
        aimed = by_heading_and_height(away, "x")
        for k in range(0, len(away), 7):
            between = Slerp([0, 1], Turn.concatenate([base[k], aimed[k]]))(weight)
            expected = between * base[k].inv() * orientation(bare)[k]
            assert angle_between(orientation(scene)[k], expected) < 1e-9


def test_a_driven_weight_and_layers_on_top() -> None:
    """With nothing in the base, what the layers of a rotation do is done about the aimed axes."""
    own = Rotation(x=noise(5), y=noise(6), z=noise(7))
    scene = pair({"axis": "-z"}, FLIGHT, own)
    bare = edited(scene, {"do": "remove-aim", "node": "vane"})
    steady = pair({"axis": "-z"}, FLIGHT)
    assert angle_between(orientation(scene), orientation(steady) * orientation(bare)).max() < 1e-9
    comes = pair({"axis": "-z", "weight": Channel(keys=(Key(frame=0, value=0), Key(frame=60, value=1)))}, FLIGHT, own)
    ends = Turn.concatenate([orientation(bare)[0], orientation(scene)[240]])
    assert angle_between(orientation(comes)[[0, 240]], ends).max() < 1e-9


ROTOR = TurnLayer(kind="turn", id="t", label="T", rate=70.0)
MAST = Node(
    id="mast", label="Mast", position=Position(x=1.0, y=wave(0.4, 1.7), z=0.2),
    rotation=Rotation(x=20.0, y=Channel(layers=(ROTOR,)), z=wave(30, 2.4)),
    scale=Scale(x=1.6, y=0.5, z=wave(0.3, 3.1, 1.0)),
)  # fmt: skip
ARM = Node(id="arm", label="Arm", parent="mast", rotation=Rotation(z=35.0), scale=Scale(x=0.7, y=1.4, z=-1.0))


@pytest.mark.parametrize("axis", ["y", "-z"])
def test_under_parents_that_turn_and_stretch_it_points_there_with_its_up_upward(axis: Axis) -> None:
    scene = pair({"axis": axis}, FLIGHT, None, MAST, ARM, under="arm")
    matrix = world(scene, scene.node("vane"), scene.clock(2), Scope(scene))
    away = origin(scene, "bird") - matrix[:, :3, 3]
    away /= np.linalg.norm(away, axis=1, keepdims=True)
    points = np.matmul(matrix[:, :3, :3], axis_vector(axis))
    points /= np.linalg.norm(points, axis=1, keepdims=True)
    np.testing.assert_allclose(points, away, atol=1e-9)
    # the own upward axis lies in the upright half-plane of the direction: its part across that is none
    upward = matrix[:, :3, :3] @ axis_vector("z" if axis == "y" else "y")
    across = np.cross(away, [0.0, 1.0, 0.0])
    clear = np.linalg.norm(across, axis=1) > np.sin(np.radians(5))
    assert clear.sum() > 100
    assert np.abs(np.einsum("ij,ij->i", upward, across))[clear].max() < 1e-9
    lifted = upward[:, 1] - np.einsum("ij,ij->i", upward, away) * away[:, 1]
    assert lifted[clear].min() > 0


def test_about_one_axis_it_turns_by_the_heading_alone() -> None:
    scene = pair({"axis": "x", "about": "y"}, FLIGHT, Rotation(x=8.0, y=30.0, z=-5.0))
    base = Turn.from_euler("XYZ", [8.0, 30.0, -5.0], degrees=True)
    away = base.inv().apply(origin(scene, "bird") - origin(scene, "vane"))
    expected = base * Turn.from_euler("Y", np.arctan2(-away[:, 2], away[:, 0])[:, None])
    assert angle_between(orientation(scene), expected).max() < 1e-9


def test_one_axis_under_parents_keeps_the_post_and_the_target_in_one_half_plane() -> None:
    scene = pair({"axis": "-z", "about": "x"}, FLIGHT, Rotation(z=15.0), MAST, ARM, under="arm")
    matrix = world(scene, scene.node("vane"), scene.clock(2), Scope(scene))
    local = np.linalg.solve(matrix, np.c_[origin(scene, "bird"), np.ones(len(matrix))][..., None])[:, :3, 0]
    assert np.abs(local[:, 1]).max() < 1e-9
    assert local[:, 2].max() < 0


def test_what_turns_about_an_axis_cant_aim_with_it() -> None:
    with pytest.raises(ValueError, match="turns about its own y alone can't aim with that axis"):
        Aim(axis="-y", about="y")


def over_the_pole(way: str, low: float, high: float) -> Turn:
    """Directions from `low` to `high` degrees beside the zenith, on the way of an axis of the scene."""
    angles = np.linspace(low, high, 241)
    keys = tuple(Key(frame=i / 2, value=v) for i, v in enumerate(4 * np.tan(np.radians(angles))))
    rest = {"x": 0.5, "z": -0.5}
    place = {way: Channel(keys=tuple(k.replaced(value=k.value + rest[way], go="linear") for k in keys))}
    return orientation(pair({"axis": "-z"}, Position(**({**rest, "y": 5.0} | place))))


def test_at_the_pole_up_goes_over_to_a_second_axis() -> None:
    across = over_the_pole("x", -10, 10)
    assert np.isfinite(across.as_quat()).all()
    step = angle_between(across[:-1], across[1:])
    assert np.degrees(step).max() < 8  # half a turn within ten degrees of the pole, spread over it
    assert np.degrees(step[:60]).max() < 0.1  # no more than the direction itself, where up is still up
    at = across[120].as_matrix()  # straight up
    np.testing.assert_allclose(at[:, 2], [0, -1, 0], atol=1e-9)
    np.testing.assert_allclose(at[:, 1], [0, 0, 1], atol=1e-9)
    ahead = over_the_pole("z", -30, 0)  # raising the eyes from looking along −z: nothing rolls
    assert np.degrees(angle_between(ahead[:-1], ahead[1:])).max() < 0.13


def through(offset: float = 0.0) -> Scene:
    """A bird that flies along x through the vane on frame 60."""
    way = Channel(keys=(Key(frame=0, value=-5.5, go="linear"), Key(frame=120, value=6.5)))
    return pair({"axis": "-z"}, Position(x=way, y=1.0 + offset, z=-0.5))


def test_a_target_that_passes_through_turns_it_round_once() -> None:
    scene = through()
    turns = orientation(scene, clock=scene.clock(16))
    assert np.isfinite(turns.as_quat()).all()
    step = np.degrees(angle_between(turns[:-1], turns[1:]))
    assert (step > 1e-6).sum() == 1
    assert step.max() == pytest.approx(180)


def test_nearer_than_a_millimetre_the_last_direction_holds_whatever_is_asked_beside_it() -> None:
    scene = through()
    row = orientation(scene, clock=scene.clock(8))
    for frame in (59.75, 60.0, 60.25):
        alone = orientation(scene, clock=scene.clock().at(np.array([frame])))
        np.testing.assert_array_equal(alone.as_quat()[0], row.as_quat()[round(frame * 8)])
    np.testing.assert_allclose(row[480].apply([0, 0, -1]), [-1, 0, 0], atol=1e-9)  # as it came
    on_it = pair({"axis": "-z"}, Position(x=0.5, y=1.0, z=-0.5), Rotation(x=12.0))
    np.testing.assert_array_equal(
        orientation(on_it).as_quat(), orientation(edited(on_it, {"do": "remove-aim", "node": "vane"})).as_quat()
    )


def test_lag_is_the_law_of_follow_on_the_targets_point() -> None:
    """Against a bird that itself trails another one by Follow layers on its three numbers."""
    ahead = pair({"axis": "-z", "lag": True, "frequency": 1.1, "damping": 0.4}, FLIGHT)
    layer = Follow(kind="follow", id="f", label="F", frequency=1.1, damping=0.4)

    def trails(number: Channel) -> Channel:
        return number.replaced(layers=(*number.layers, layer))

    late = Position(x=trails(FLIGHT.x), y=trails(FLIGHT.y), z=trails(FLIGHT.z))  # type: ignore[arg-type]
    behind = pair({"axis": "-z"}, late)
    assert angle_between(orientation(ahead), orientation(behind)).max() < 1e-9
    assert np.degrees(angle_between(orientation(ahead), orientation(pair({"axis": "-z"}, FLIGHT))).max()) > 10


@pytest.mark.parametrize("lag", [False, True])
def test_in_a_loop_value_and_slope_meet(lag: bool) -> None:
    flight = Position(x=wave(3.0, 2.0, loop=120), y=wave(2.0, 1.0, 1.5, loop=120), z=wave(2.5, 4.0, 2.0, loop=120))
    scene = pair({"axis": "-z", "lag": lag, "loop": 120.0}, flight)
    h = 1 / 64
    ends = np.array([0.0, h, 2 * h])
    q = orientation(scene, clock=scene.clock().at(np.concatenate([ends, 120 - ends]))).as_quat()
    q *= np.sign(q @ q[0])[:, None]
    np.testing.assert_allclose(q[3], q[0], atol=1e-7)
    leaves, arrives = -3 * q[0] + 4 * q[1] - q[2], 3 * q[3] - 4 * q[4] + q[5]
    np.testing.assert_allclose(arrives, leaves, atol=0.02 * np.abs(leaves).max())


def test_two_may_look_at_each_other_but_none_at_what_it_carries() -> None:
    scene = Scene(
        name="Two", nodes=(
            Node(id="left", label="Left"), Node(id="right", label="Right", position=Position(x=2.0, z=wave(1, 2))),
            Node(id="hand", label="Hand", parent="left", position=Position(y=1.0)),
        ),
    )  # fmt: skip
    both = edited(
        scene, {"do": "aim", "nodes": ["left"], "target": "right"}, {"do": "aim", "nodes": ["right"], "target": "left"}
    )
    for one, other in (("left", "right"), ("right", "left")):
        d = origin(both, other) - origin(both, one)
        axis = axis_vector(both.node(one).aim.axis)  # type: ignore[union-attr]
        np.testing.assert_allclose(
            orientation(both, one).apply(axis), d / np.linalg.norm(d, axis=1, keepdims=True), atol=1e-9
        )
    with pytest.raises(InvalidEdit, match="'Left / rotation' would read itself, by way of Hand / position"):
        edited(scene, {"do": "aim", "nodes": ["left"], "target": "hand"})
    with pytest.raises(InvalidEdit, match="Left can't aim at itself"):
        edited(scene, {"do": "aim", "nodes": ["left"], "target": "left"})
    beside = both.node("right")
    assert beside.aim is not None
    with pytest.raises(InvalidEdit, match="would read itself"):  # a point beside the other turns with it
        edited(both, {"do": "set", "address": "right/aim.point.x", "value": 0.4},
               {"do": "set", "address": "left/aim.point.x", "value": 0.4})  # fmt: skip
    written = scene_text(both).replace('"target": "right"', '"target": "hand"')
    with pytest.raises(InvalidDocument, match="would read itself"):
        read_scene(written)
    with pytest.raises(InvalidDocument, match="aims at 'nobody', which is not there"):
        read_scene(scene_text(both).replace('"target": "right"', '"target": "nobody"'))


def test_a_change_of_what_carries_the_target_reaches_what_aims_and_nothing_else() -> None:
    scene = pair({"axis": "-z"}, FLIGHT, None, MAST, Node(id="rock", label="Rock"))
    scene = edited(scene, {"do": "hang", "nodes": ["bird"], "under": "mast", "stay": False})
    memo = Memo()
    clock = scene.clock()
    first = transforms(scene.node("vane"), clock, Scope(scene, memo)).orientation
    assert transforms(scene.node("vane"), clock, Scope(scene, memo)).orientation is not None
    moved = edited(scene, {"do": "set", "address": "mast/position.x", "value": 3.0})
    assert {node.id for node in affected(scene, moved)} == {"mast", "vane"}
    again = transforms(moved.node("vane"), clock, Scope(moved, memo)).orientation
    assert np.abs(again - first).max() > 0.01
    elsewhere = edited(scene, {"do": "set", "address": "rock/position.x", "value": 3.0})
    assert {node.id for node in affected(scene, elsewhere)} == {"rock"}


def test_what_aims_moves_only_if_something_of_it_does() -> None:
    still = pair({"axis": "-z"}, Position(x=3.0), None, Node(id="post", label="Post"), under="post")
    assert not moves(still, still.node("vane"))
    for address in ("bird/position.y", "post/rotation.z", "vane/aim.roll", "vane/position.x"):
        after = edited(still, {"do": "add-layer", "address": address, "kind": "noise"})
        assert moves(after, after.node("vane"))
    turning = edited(still, {"do": "add-layer", "address": "bird/rotation.z", "kind": "noise"})
    assert not moves(turning, turning.node("vane"))


def test_edits_of_aims() -> None:
    scene = Scene(
        name="Edits", nodes=(
            Node(id="lens", label="Lens", camera=Camera(), position=Position(z=4.0)),
            Node(id="stick", label="Stick", position=Position(x=-2.0)),
            Node(id="bird", label="Bird", position=Position(x=1.0, y=2.0)),
        ),
    )  # fmt: skip
    aims = edited(scene, {"do": "aim", "nodes": ["lens", "stick"], "target": "bird"})
    axes = [aims.node(slug).aim.axis for slug in ("lens", "stick")]  # type: ignore[union-attr]
    assert axes == ["-z", "x"]  # as a camera looks; and the axis that points there best as it stands
    assert edited(aims, {"do": "remove-aim", "node": "stick"}).node("stick") == scene.node("stick")
    muted = edited(aims, {"do": "change-aim", "node": "stick", "muted": True})
    np.testing.assert_array_equal(orientation(muted, "stick").as_quat(), orientation(scene, "stick").as_quat())
    turned = edited(
        aims, {"do": "change-aim", "node": "stick", "settings": {"about": "y", "axis": "-z", "lag": "True"}}
    )
    assert turned.node("stick").aim == Aim(target="bird", about="y", axis="-z", lag=True)
    for settings, sentence in (
        ({"axis": "up"}, "'up' is no axis of an aim; it may be x, -x, y"),
        ({"nose": "x"}, "'x' is no nose"),
    ):
        with pytest.raises(InvalidEdit, match=sentence):
            edited(aims, {"do": "change-aim", "node": "stick", "settings": settings})
    with pytest.raises(InvalidEdit, match="Bird aims at nothing"):
        edited(aims, {"do": "change-aim", "node": "bird", "muted": True})
    gone = edited(aims, {"do": "remove-object", "node": "bird"})
    assert gone.node("lens").aim == Aim(axis="-z", point=AimPoint(x=1.0, y=2.0))
    np.testing.assert_allclose(orientation(gone, "lens").as_quat(), orientation(aims, "lens").as_quat(), atol=1e-12)
    ahead = edited(scene, {"do": "aim", "nodes": ["lens"]})
    assert ahead.node("lens").aim == Aim(axis="-z", point=AimPoint(z=2.0))
    np.testing.assert_allclose(orientation(ahead, "lens").as_quat(), orientation(scene, "lens").as_quat(), atol=1e-12)


def test_copies_aim_at_the_copy_of_their_target_and_at_the_same_one_else() -> None:
    group = Node(id="set", label="Set")
    inside = pair({"axis": "-z"}, FLIGHT, None, group)
    inside = edited(inside, {"do": "hang", "nodes": ["vane", "bird"], "under": "set", "stay": False})
    copied = edited(inside, {"do": "duplicate", "node": "set"})
    assert copied.node("vane-2").aim.target == "bird-2"  # type: ignore[union-attr]
    alone = edited(inside, {"do": "duplicate", "node": "vane"})
    assert alone.node("vane-2").aim.target == "bird"  # type: ignore[union-attr]


def test_another_frame_rate_keeps_the_time_of_the_lag() -> None:
    scene = pair({"axis": "-z", "lag": True, "loop": 120.0}, FLIGHT)
    slower = edited(scene, {"do": "change-scene", "fps": 60, "keep": "seconds"})
    assert slower.node("vane").aim.loop == 240.0  # type: ignore[union-attr]


@given(st.integers(0, 2**32 - 1))
def test_any_arrangement_has_a_finite_answer(seed: int) -> None:
    rng = np.random.default_rng(seed)
    flat = Node(
        id="flat", label="Flat", position=Position(x=float(rng.uniform(-2, 2))),
        scale=Scale(x=float(rng.choice([0.0, 1.0, -2.0])), y=float(rng.choice([0.0, 1.0, 3.0])), z=1.0),
    )  # fmt: skip
    x, y, z = (float(rng.choice([0.5, 1.0, -0.5, 3.0])) for _ in range(3))
    aim = {"axis": str(rng.choice(["x", "-z"])), "about": str(rng.choice(["all", "y"])), "lag": bool(rng.integers(2))}
    scene = pair(aim, Position(x=x, y=y, z=z), None, flat, under=str(rng.choice(["", "flat"])))
    q = orientation(scene, clock=scene.clock()).as_quat()
    np.testing.assert_allclose(np.linalg.norm(q, axis=1), 1.0, atol=1e-12)


def test_it_leaves_in_gltf_and_usd_as_it_was_evaluated(tmp_path: Path) -> None:
    from pxr import Usd, UsdGeom

    scene = pair({"axis": "y", "lag": True, "roll": 20.0}, FLIGHT, Rotation(x=noise(4)), MAST, ARM, under="arm")
    frames = np.arange(481) / 4
    wanted = orientation(scene, clock=scene.clock(4))
    player = Player(write_glb(scene))
    sampler = player.channel("Vane", "rotation")
    assert sampler is not None
    played = Turn.from_quat(player.play(sampler, frames / scene.fps, turns=True))
    assert np.degrees(angle_between(played, wanted)).max() < 0.06
    (tmp_path / "aim.usdc").write_bytes(write_usd(scene, "usdc").content)
    stage = Usd.Stage.Open(str(tmp_path / "aim.usdc"))
    turn = UsdGeom.Xformable(stage.GetPrimAtPath("/World/mast/arm/vane")).GetOrderedXformOps()[1]
    for frame in (0, 37, 120):
        q = turn.Get(frame)
        there = Turn.from_quat([*q.GetImaginary(), q.GetReal()])
        assert np.degrees((there.inv() * wanted[4 * frame]).magnitude()) < 1e-4
