"""What all deformers promise together: nothing without weight, the same whatever is asked; masks, placement, order."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lazzik.core.channel.channel import Channel
from lazzik.core.channel.keys import Key
from lazzik.core.clock import Clock
from lazzik.core.deformers import BY_KIND
from lazzik.core.deformers.extent import Extent
from lazzik.core.errors import InvalidEdit, UnknownAddress
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.shapes import shapes_over_time
from lazzik.core.evaluate.surface import surface_of
from lazzik.core.geometry.assets import pack_weights
from lazzik.core.geometry.primitives import Ball, Box, Shape, Sheet, Tube
from lazzik.core.layers.noise import Noise
from lazzik.core.scene.address import Address, find
from lazzik.core.scene.node import Node, Position, Rotation
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.serialize import read_scene, scene_text
from tests.conftest import edited
from tests.core.deformers.test_deformers import ASSETS, BAR, CLOCK, POOL, deformer, motion
from tests.strategies import numbers

KINDS = sorted(BY_KIND)
SHAPES: list[Shape] = [BAR, POOL, Ball(kind="ball"), Sheet(kind="sheet", columns=8, rows=8)]


@pytest.mark.parametrize("kind", KINDS)
def test_weight_zero_mute_and_removal_leave_the_points_to_the_bit(kind: str) -> None:
    spin = Rotation(z=Channel(keys=(Key(frame=0, value=0), Key(frame=30, value=90))))
    plain = motion(BAR, rotation=spin)
    for off in ({"weight": 0.0}, {"muted": True}, {"weight": Channel(keys=(Key(frame=0, value=0),))}):
        moved = motion(BAR, deformer(kind, **off), rotation=spin)
        assert moved.points(20).tolist() == plain.rest.points.tolist()
        assert moved.normals(moved.points(20)).tolist() == plain.rest.normals.tolist()
    partly = motion(BAR, deformer(kind, mask={"kind": "gradient", "nothing": 2.0, "full": 3.0}), rotation=spin)
    low = plain.rest.points[:, 1] <= 2.0
    if kind != "jiggle":  # whose own frame lies along y too
        assert partly.points(20)[low].tolist() == plain.rest.points[low].tolist()


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize(("start", "last", "per_frame"), [(20, 20, 1), (20, 60, 1), (17, 40, 4), (0, 20, 2)])
def test_a_frame_has_the_same_points_whatever_else_is_asked(kind: str, start: int, last: int, per_frame: int) -> None:
    gust = Channel(value=0.5, layers=(Noise(kind="noise", id="n", label="n", amplitude=0.4),))
    hop = Position(x=Channel(keys=(Key(frame=0, value=0), Key(frame=25, value=3))))
    clock = Clock.over(30, 0, last, start=start, per_frame=per_frame)
    part = motion(BAR, deformer(kind, weight=gust), clock=clock, position=hop)
    whole = motion(BAR, deformer(kind, weight=gust), position=hop)
    (index,) = np.flatnonzero(clock.frames == 20)
    np.testing.assert_allclose(part.points(int(index)), whole.points(20), atol=1e-12)
    assert np.abs(whole.points(20) - whole.rest.points).max() > 1e-3


@pytest.mark.parametrize("kind", [kind for kind in KINDS if kind != "jiggle"])
def test_turning_or_moving_the_object_changes_no_local_point(kind: str) -> None:
    here = motion(BAR, deformer(kind))
    there = motion(BAR, deformer(kind), position=Position(x=7.0, y=-2.0), rotation=Rotation(x=40.0, y=70.0, z=-20.0))
    np.testing.assert_allclose(there.points(33), here.points(33), atol=1e-9)


def test_jiggle_does_not_depend_on_where_in_the_world_it_happens() -> None:
    hop = Channel(keys=(Key(frame=0, value=0), Key(frame=10, value=3)))
    node = Node(id="thing", label="T", parent="cart", shape=BAR, deform=(deformer("jiggle"),), position=Position(x=hop))
    found = []
    for turn in (0.0, 63.0):
        cart = Node(id="cart", label="Cart", rotation=Rotation(y=turn), position=Position(z=turn))
        scene = Scene(name="S", nodes=(cart, node))
        found.append(surface_of(scene, node, CLOCK, Scope(scene)).points(12))
    np.testing.assert_allclose(found[0], found[1], atol=1e-9)


@given(st.sampled_from(KINDS), st.sampled_from(SHAPES), numbers(-3, 3), numbers(-3, 3), st.integers(0, 60))
def test_no_span_no_wave_and_no_mesh_ever_gives_what_is_not_a_number(
    kind: str, shape: Shape, start: float, end: float, index: int
) -> None:
    span = {} if kind == "jiggle" else {"start": start, "end": end}
    for fields in (span, {"start": 1.0, "end": 1.0}, span | {"fade": "both", "fade_length": 0.0}):
        moved = motion(shape, deformer(kind, **fields))
        points = moved.points(index)
        assert np.all(np.isfinite(points))
        assert np.all(np.isfinite(moved.normals(points)))


@pytest.mark.parametrize(
    ("kind", "field"),
    [("undulate", "length"), ("ripple", "spacing"), ("rumple", "size"), ("jiggle", "reach"), ("sway", "period")],
)
def test_a_length_of_nothing_is_refused_and_a_driven_one_is_held(kind: str, field: str) -> None:
    with pytest.raises(ValueError, match="must be at least"):
        deformer(kind, **{field: 0.0})
    driven = Channel(keys=(Key(frame=0, value=1.0), Key(frame=30, value=-1.0)))
    assert np.all(np.isfinite(motion(BAR, deformer(kind, **{field: driven})).points(30)))


def test_a_mesh_without_area_keeps_finite_normals() -> None:
    flat = motion(
        Sheet(kind="sheet", width=1.0, height=1.0, rows=3), deformer("stretch", factor=0.01, volume="free", axis="z")
    )
    assert np.all(np.isfinite(flat.normals(flat.points(0) * 0.0)))


MASKS: dict[str, tuple[dict[str, Any], Any]] = {
    "ball": (
        {"kind": "ball", "along": 2.0, "radius": 0.5, "rim": 0.5},
        lambda p: np.linalg.norm(p - [0, 2, 0], axis=1) <= 0.5,
    ),
    "gradient": ({"kind": "gradient", "nothing": 1.0, "full": 3.0}, lambda p: p[:, 1] >= 3),
}


@pytest.mark.parametrize("name", MASKS)
def test_masks_are_full_where_they_say_and_can_be_turned_round(name: str) -> None:
    fields, inside = MASKS[name]
    plain, masked, turned = (
        motion(BAR, deformer("taper", last=0.0, **more))
        for more in ({}, {"mask": fields}, {"mask": fields | {"invert": True}})
    )
    full = inside(plain.rest.points)
    assert 0 < full.sum() < len(full)
    np.testing.assert_allclose(masked.points(0)[full], plain.points(0)[full], atol=1e-12)
    np.testing.assert_allclose(turned.points(0)[full], plain.rest.points[full], atol=1e-12)
    total = masked.counts(0, 0) + turned.counts(0, 0)
    np.testing.assert_allclose(total, 1, atol=1e-12)


def test_noise_picture_and_painted_masks() -> None:
    import io

    from PIL import Image

    count = len(motion(BAR).rest.points)
    noise = motion(BAR, deformer("taper", mask={"kind": "noise", "size": 0.5, "contrast": 3.0})).counts(0, 0)
    assert noise.min() >= 0
    assert noise.max() <= 1
    assert np.ptp(noise) > 0.5
    painted = np.linspace(0, 1, count)
    mask = {"kind": "weights", "asset": ASSETS.put(pack_weights(painted))}
    np.testing.assert_allclose(motion(BAR, deformer("taper", mask=mask)).counts(0, 0), painted, atol=1e-6)
    other = Box(kind="box")
    assert set(motion(other, deformer("taper", mask=mask)).counts(0, 0)) == {0.0}  # cut anew: nothing is painted
    file = io.BytesIO()
    Image.fromarray(np.array([[0, 255], [0, 255]], np.uint8)).save(file, "PNG")
    picture = {"kind": "picture", "asset": ASSETS.put(file.getvalue()), "width": 0.3, "height": 0.2}
    counts = motion(BAR, deformer("taper", mask=picture)).counts(0, 0)
    z = motion(BAR).rest.points[:, 2]
    np.testing.assert_allclose(counts, np.clip(z / 0.3 + 0.5, 0, 1), atol=1e-9)


@given(numbers(-2, 2), numbers(-180, 180), st.sampled_from(["x", "y", "z"]))
def test_a_placement_moves_and_turns_what_a_deformer_does(shift: float, turn: float, axis: str) -> None:
    """Deforming in a moved and turned frame is deforming what was moved and turned, and taking it back."""
    from scipy.spatial.transform import Rotation as Turn

    there = deformer(
        "bend", axis=axis, placement={"x": shift, "y": 0.5, "turn_z": turn, "turn_x": 30.0}, start=-1.0, end=1.0
    )
    plain = deformer("bend", axis=axis, start=-1.0, end=1.0)
    ball = Ball(kind="ball")
    moved = motion(ball, there)
    rotation = Turn.from_euler("XYZ", [30.0, 0, turn], degrees=True)
    origin = np.array([shift, 0.5, 0])
    local = rotation.inv().apply(moved.rest.points - origin)
    order = {"x": [0, 1, 2], "y": [1, 2, 0], "z": [2, 0, 1]}[axis]
    inside = np.ascontiguousarray(local[:, order].T)[None]
    numbers = {name: np.array([v]) for name, v in (("start", -1.0), ("end", 1.0), ("angle", 45.0), ("direction", 0.0))}
    shaped = plain.shaped(inside, np.ones((1, len(local))), numbers, None)[0]  # type: ignore[arg-type]
    back = np.empty_like(local)
    back[:, order] = shaped.T
    np.testing.assert_allclose(moved.points(0), rotation.apply(back) + origin, atol=1e-9)


def test_the_order_matters_and_numbers_may_be_driven() -> None:
    bend, taper = deformer("bend", angle=90.0), deformer("taper", last=0.2)
    assert motion(BAR, bend, taper).points(0).tolist() != motion(BAR, taper, bend).points(0).tolist()
    keyed = Channel(keys=(Key(frame=0, value=0), Key(frame=30, value=90)))
    moved = motion(BAR, deformer("bend", angle=keyed))
    assert not moved.still
    assert moved.points(0).tolist() == moved.rest.points.tolist()
    np.testing.assert_allclose(moved.points(30), motion(BAR, bend).points(0), atol=1e-12)
    assert motion(BAR, bend).still


def test_a_group_bends_all_below_it_in_its_own_space() -> None:
    low = Node(
        id="low", label="Low", parent="stack", shape=Box(kind="box", base=True, cuts_y=8), position=Position(y=0.0)
    )
    high = Node(
        id="high", label="High", parent="stack", shape=Box(kind="box", base=True, cuts_y=8), position=Position(y=1.0)
    )
    bend = deformer("bend", angle=60.0, end=2.0)
    scene = Scene(
        name="S", nodes=(Node(id="stack", label="Stack", deform=(bend,), rotation=Rotation(y=90.0)), low, high)
    )
    tall = motion(Box(kind="box", height=2.0, base=True, cuts_y=16), bend)
    lift, bent = np.array([0.0, 1.0, 0.0]), surface_of(scene, high, CLOCK, Scope(scene))
    upper, rest = bent.points(0) + lift, tall.rest.points
    for point, place in zip(bent.rest.points + lift, upper, strict=True):
        same = np.flatnonzero(np.abs(rest - point).max(axis=1) < 1e-9)
        if len(same):
            np.testing.assert_allclose(place, tall.points(0)[same[0]], atol=1e-9)
    assert shapes_over_time(scene, low)


def test_sizes_are_numbers_like_any_other() -> None:
    grow = Channel(keys=(Key(frame=0, value=1), Key(frame=60, value=3)))
    moved = motion(Tube(kind="tube", height=grow, upper=0.5))
    assert np.ptp(moved.points(0)[:, 1]) == 1
    assert np.ptp(moved.points(60)[:, 1]) == pytest.approx(3)
    assert len(moved.points(0)) == len(moved.points(60))
    scene = Scene(name="S", nodes=(Node(id="post", label="Post", shape=BAR),))
    driven = edited(scene, {"do": "add-layer", "address": "post/shape.height", "kind": "wave"})
    assert find(driven, Address.parse("post/shape.height")).quantity.unit == "m"
    assert read_scene(scene_text(driven)) == driven


def test_normals_follow_the_surface_and_edges_stay_crisp() -> None:
    ball = motion(
        Ball(kind="ball", radius=1.0, around=64, along=48),
        deformer("stretch", start=-1.0, end=1.0, factor=2.0, volume="free", held="middle"),
    )
    points = ball.points(0)
    expected = points / np.array([1, 4, 1])  # of the ellipsoid
    expected /= np.linalg.norm(expected, axis=1, keepdims=True)
    assert np.einsum("ij,ij->i", ball.normals(points), expected).min() > 0.99
    box = motion(BAR, deformer("twist", angle=20.0))
    assert len(set(box.rest.welds)) == len(box.rest.points)  # no two sides of a box share a place of its surface


@pytest.mark.parametrize("kind", KINDS)
def test_a_new_deformer_shows_along_the_longest_axis(kind: str) -> None:
    hop = {"do": "add-layer", "address": "post/position.x", "kind": "wave"}
    scene = Scene(
        name="S", nodes=(Node(id="post", label="Post", shape=Tube(kind="tube", height=3.0, along=40, lids=8)),)
    )
    scene = edited(scene, hop, {"do": "add-deformer", "node": "post", "kind": kind})
    node = scene.by_id["post"]
    if kind != "ripple":
        assert node.deform[0].axis == "y"
    moved = surface_of(scene, node, scene.clock(), Scope(scene))
    away = max(float(np.abs(moved.points(i) - moved.rest.points).max()) for i in range(0, 60, 7))
    assert away > 0.02 * 3
    place = find(scene, Address.parse(f"post/deform.{kind}.weight"))
    assert place.number == 1.0
    assert read_scene(scene_text(scene)) == scene


def test_deformers_are_changed_moved_and_removed_by_edits() -> None:
    scene = Scene(
        name="S",
        nodes=(
            Node(id="post", label="Post", shape=BAR),
            Node(id="float", label="Float"),
            Node(id="empty", label="Empty"),
        ),
    )
    at = {"node": "post", "deformer": "bend"}
    scene = edited(
        scene, *({"do": "add-deformer", "node": "post", "kind": kind} for kind in ("bend", "ripple", "bend"))
    )
    assert [d.id for d in scene.by_id["post"].deform] == ["bend", "ripple", "bend_2"]
    handed = {"of": "float", "settings": {"form": "pulse", "fade": "both"}}
    scene = edited(
        scene,
        {"do": "move-deformer", "node": "post", "deformer": "bend_2", "to": 0},
        {"do": "change-deformer", "node": "post", "deformer": "ripple"} | handed,
        {"do": "change-deformer", "mask": {"kind": "ball"}} | at,
        {"do": "set", "address": "post/deform.bend.mask.radius", "value": 2},
    )
    first, second, third = scene.by_id["post"].deform
    assert (first.id, second.mask.radius, third.placement.of) == ("bend_2", 2, "float")  # type: ignore[union-attr]
    assert (third.form, third.fade) == ("pulse", "both")  # type: ignore[attr-defined]
    assert [
        d.id for d in edited(scene, {"do": "remove-deformer", "node": "post", "deformer": "bend"}).by_id["post"].deform
    ] == ["bend_2", "ripple"]
    for edit, sentence in (
        ({"do": "add-deformer", "node": "post", "kind": "melt"}, "no kind of deformer called 'melt'"),
        ({"do": "add-deformer", "node": "empty", "kind": "bend"}, "has no shape and nothing below it"),
        (
            {"do": "change-deformer", "node": "post", "deformer": "bend", "settings": {"held": "up"}},
            "it may be start, middle, end",
        ),
        ({"do": "change-deformer", "node": "post", "deformer": "bend", "of": "nobody"}, "no object 'nobody'"),
        ({"do": "remove-deformer", "node": "post", "deformer": "gone"}, "has no deformer 'gone'"),
        ({"do": "change-shape", "node": "post", "fields": {"colour": 3}}, "has no 'colour'"),
        ({"do": "change-shape", "node": "float", "fields": {"cuts_x": 3}}, "has no shape"),
        ({"do": "change-shape", "node": "post", "fields": {"cuts_x": 9999}}, "less than or equal to 512"),
    ):
        with pytest.raises((InvalidEdit, UnknownAddress)) as told:
            edited(scene, edit)
        assert sentence in told.value.message


def test_an_extent_knows_its_longest_axis() -> None:
    assert Extent((0, 0, 0), (1, 3, 2)).longest == "y"
    assert Extent((0, 0, 0), (4, 3, 2)).longest == "x"
    assert Extent((-1, -1, -1), (1, 1, 1)).longest == "y"
