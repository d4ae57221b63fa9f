"""Lettering, imported meshes, pivots, copies, coarse meshes, shapes made permanent and baked to targets."""

from __future__ import annotations

import pickle
from typing import Any

import numpy as np
import pytest
import trimesh
from hypothesis import given
from hypothesis import strategies as st

from lazzik.core.bake.morph_targets import bake_shape
from lazzik.core.bake.permanent import make_permanent
from lazzik.core.bake.vertex_cache import bake_frames
from lazzik.core.channel.channel import Channel
from lazzik.core.channel.keys import Key
from lazzik.core.clock import Clock
from lazzik.core.errors import InvalidAsset, InvalidDocument, InvalidEdit, UnknownAsset
from lazzik.core.evaluate.mesh_density import Coarse, CoarseMarks, coarse
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.shapes import reshaped
from lazzik.core.evaluate.surface import surface_of
from lazzik.core.evaluate.transforms import world
from lazzik.core.geometry.assets import AssetStore, pack_mesh
from lazzik.core.geometry.font_names import SHIPPED
from lazzik.core.geometry.fonts import check_font, font_bytes
from lazzik.core.geometry.imported import MeshShape
from lazzik.core.geometry.lettering import Lettering
from lazzik.core.geometry.mesh import Mesh
from lazzik.core.geometry.mesh_read import read_mesh
from lazzik.core.geometry.pictures import read_grey
from lazzik.core.geometry.primitives import Ball, Box
from lazzik.core.layers import BY_KIND
from lazzik.core.scene.edits.base import applied
from lazzik.core.scene.edits.shapes import PlaceShapeBake, paint
from lazzik.core.scene.node import Node, Position, Rotation, Scale
from lazzik.core.scene.references import affected
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.serialize import read_scene, scene_text
from tests.conftest import edited
from tests.strategies import numbers


def solid(mesh: Mesh) -> trimesh.Trimesh:
    out = trimesh.Trimesh(mesh.points, mesh.triangles, process=True)
    out.merge_vertices(merge_norm=True)
    return out


@pytest.mark.parametrize("font", SHIPPED)
@pytest.mark.parametrize("text", ["RIDGE 4", "D", "e&g", "%@8"])
def test_letters_are_closed_solids_that_face_outward(font: str, text: str) -> None:
    mesh = Lettering(kind="lettering", text=text, font=font, size=1.0, depth=0.2).mesh()
    whole = solid(mesh)
    assert whole.is_watertight
    assert whole.volume > 0.01
    assert mesh.size[2] == pytest.approx(0.2)
    a, b, c = (mesh.points[mesh.triangles[:, k]] for k in range(3))
    faces = np.cross(b - a, c - a)
    assert np.einsum("ij,ij->i", faces, mesh.normals[mesh.triangles].mean(axis=1)).min() > 0


def test_faces_of_letters_have_points_inside_to_bend_with() -> None:
    coarse_ones, fine = (Lettering(kind="lettering", text="O", density=d).mesh() for d in (8, 30))
    assert len(fine.points) > 3 * len(coarse_ones.points)
    wide = Lettering(kind="lettering", text="I", density=30, size=Channel(keys=(Key(frame=0, value=1),))).mesh()
    assert wide.size[1] == pytest.approx(0.66, abs=0.1)


def test_fonts_that_are_none_are_refused() -> None:
    assert "Bricolage" in check_font(font_bytes("bricolage-grotesque"))
    for content in (b"", b"no font", font_bytes("spline-sans-mono")[:2000], b"\0\1\0\0" + b"\xff" * 400):
        with pytest.raises(InvalidAsset):
            check_font(content)
    with pytest.raises(UnknownAsset):
        Lettering(kind="lettering", text="A", font="0" * 64).mesh()


@pytest.mark.parametrize("ending", ["obj", "ply", "stl"])
def test_meshes_are_read_from_files(ending: str) -> None:
    ball = trimesh.creation.icosphere(2)
    content = ball.export(file_type=ending)
    imported = read_mesh(content.encode() if isinstance(content, str) else content, f"Ball.{ending.upper()}")
    assert solid(imported.mesh).volume == pytest.approx(ball.volume, rel=1e-5)
    np.testing.assert_allclose(np.linalg.norm(imported.mesh.normals, axis=1), 1, atol=1e-9)
    assets = AssetStore()
    shape = MeshShape(kind="mesh", asset=assets.put(pack_mesh(imported.mesh)), size=2.0)
    np.testing.assert_allclose(shape.mesh(assets).size, 2 * imported.mesh.size, rtol=1e-6)


def test_colours_of_points_are_weights() -> None:
    ball = trimesh.creation.icosphere(1)
    ball.visual.vertex_colors = np.tile([51, 0, 0, 255], (len(ball.vertices), 1)).astype(np.uint8)
    weights = read_mesh(ball.export(file_type="ply"), "b.ply").weights
    assert weights is not None
    np.testing.assert_allclose(weights, 0.2)


BROKEN = [(b"", "a.obj"), (b"solid x", "a.stl"), (b"glTF" + b"\xff" * 90, "a.glb"), (b"ply\nformat ascii", "a.ply"),
          (b"v 0 0 0\nv nan 0 0\nv 1 1 1\nf 1 2 3\n", "a.obj"), (b"v 0 0 0\nv 1e9 0 0\nv 1 1 1\nf 1 2 3\n", "a.obj"),
          (b"v 0 0 0\nv 1 0 0\nf 1 2 99\n", "a.obj"), (b"whatever", "a.exe"), (b"whatever", "no-ending")]  # fmt: skip


@pytest.mark.parametrize(("content", "name"), BROKEN)
def test_broken_files_are_refused_in_a_sentence(content: bytes, name: str) -> None:
    with pytest.raises(InvalidAsset) as told:
        read_mesh(content, name)
    assert len(told.value.message) > 15


def test_a_scene_carries_its_assets_and_refuses_forged_ones() -> None:
    mesh = Ball(kind="ball", around=8, along=6).mesh()
    assets = AssetStore()
    name = assets.put(pack_mesh(mesh))
    scene = Scene(name="S", nodes=(Node(id="a", label="A", shape=MeshShape(kind="mesh", asset=name)),))
    with pytest.raises(UnknownAsset):
        scene_text(scene)
    text = scene_text(scene.with_assets(assets))
    again = read_scene(text)
    assert again == scene
    assert dict(again.assets.own) == dict(assets.own)
    np.testing.assert_allclose(again.nodes[0].shape.mesh(again.assets).points, mesh.points, atol=1e-6)  # type: ignore[union-attr]
    with pytest.raises(InvalidDocument, match="is not what its name says"):
        read_scene(text.replace('"assets": {"' + name[:4], '"assets": {"0000'))
    with pytest.raises(InvalidDocument, match="no base64"):
        read_scene(text[: text.index('"assets"')] + '"assets": {"x": "§"}}')
    with pytest.raises(InvalidDocument, match="no table"):
        read_scene(text[: text.index('"assets"')] + '"assets": [1]}')


def test_an_asset_is_looked_for_where_it_is_said_and_read_once() -> None:
    asked: list[str] = []
    beneath, mesh = AssetStore(), Ball(kind="ball", around=8, along=6).mesh()
    name = beneath.put(pack_mesh(mesh))

    def keeper(wanted: str) -> bytes | None:
        asked.append(wanted)
        return beneath.get(wanted)

    over = AssetStore(keeper)
    with pytest.raises(UnknownAsset):
        MeshShape(kind="mesh", asset="f" * 64).mesh(over)
    for size in (1.0, 2.0, 3.0):
        shape = MeshShape(kind="mesh", asset=name, size=size)
        np.testing.assert_allclose(shape.mesh(over).points, size * mesh.points, atol=1e-6)
    assert asked == ["f" * 64, name]
    assert not over.own
    damaged = over.put(b"neither a mesh nor a picture")
    with pytest.raises(UnknownAsset, match="can't be read"):
        MeshShape(kind="mesh", asset=damaged).mesh(over)
    with pytest.raises(InvalidAsset, match="no PNG or JPEG"):
        over.read(damaged, read_grey)


def test_a_scene_keeps_its_assets_through_edits_and_leaves_them_behind_on_its_way_to_a_worker() -> None:
    scene = Scene(name="S", nodes=(Node(id="a", label="A", shape=Box(kind="box")),))
    kept = scene.assets
    kept.put(b"something")
    moved = scene.with_node(scene.nodes[0].replaced(label="B"))
    assert moved.assets is scene.replaced(name="T").assets is kept
    sent = pickle.loads(pickle.dumps(moved))
    assert sent == moved
    assert not sent.assets.own


def test_a_pivot_of_what_turns_over_time_is_refused_with_the_reason() -> None:
    turning = Channel(keys=(Key(frame=0, value=10.0), Key(frame=20, value=90.0)))
    arm = Node(id="arm", label="Arm", shape=Box(kind="box", height=3), rotation=Rotation(z=turning))
    scene = Scene(name="S", nodes=(arm,))
    asked = {"do": "set-pivot", "node": "arm", "box": "base"}
    with pytest.raises(InvalidEdit, match="The rotation of Arm changes over time, and about another pivot"):
        edited(scene, asked)
    rest = edited(scene, asked | {"stay": "rest"})
    np.testing.assert_allclose(everywhere(rest, "arm", 0), everywhere(scene, "arm", 0), atol=1e-9)


LIMIT = {"kind": "limit", "id": "l", "label": "L", "lowest": -1.0, "highest": 1.5}


def everywhere(scene: Scene, name: str, index: int = 20) -> Any:
    """World places of an object's points."""
    node = scene.by_id[name]
    clock = Clock.over(30, 0, 20)
    points = surface_of(scene, node, clock, Scope(scene)).points(index)
    matrix = world(scene, node, clock, Scope(scene))[index]
    return points @ matrix[:3, :3].T + matrix[:3, 3]


@given(st.sampled_from(["middle", "base", "top", "low-corner", "high-corner", None]), numbers(-2, 2), numbers(-90, 90))
def test_a_pivot_moves_and_nothing_that_is_seen_does(box: str | None, place: float, angle: float) -> None:
    bend = {"do": "add-deformer", "node": "arm", "kind": "bend"}
    arm = Node(id="arm", label="Arm", shape=Box(kind="box", height=3, cuts_y=12), rotation=Rotation(x=20.0, z=angle),
               position=Position(x=place), scale=Scale(y=1.5))  # fmt: skip
    tip = Node(id="tip", label="Tip", parent="arm", shape=Ball(kind="ball"), position=Position(y=1.5))
    scene = edited(Scene(name="S", nodes=(arm, tip)), bend)
    at = {"box": box} if box else {"point": [0.2, place, -0.1]}
    moved = edited(scene, {"do": "set-pivot", "node": "arm"} | at)
    for name in ("arm", "tip"):
        np.testing.assert_allclose(everywhere(moved, name), everywhere(scene, name), atol=1e-9)
    assert moved.by_id["arm"].shape.pivot != (0, 0, 0) or box == "middle" or place == 0  # type: ignore[union-attr]
    keyed = Channel(keys=(Key(frame=0, value=place), Key(frame=20, value=3.0)))
    limited = keyed.replaced(layers=(BY_KIND["limit"].model_validate(LIMIT),))
    walking = scene.with_node(arm.replaced(position=Position(x=keyed, y=limited), deform=scene.by_id["arm"].deform))
    for _ in range(2):
        moved = edited(walking, {"do": "set-pivot", "node": "arm"} | at)
        for name in ("arm", "tip"):
            for index in (0, 7, 20):
                before, after = everywhere(walking, name, index), everywhere(moved, name, index)
                np.testing.assert_allclose(after, before, atol=1e-9)
        walking = moved
    with pytest.raises(InvalidEdit, match="either to a point"):
        edited(scene, {"do": "set-pivot", "node": "arm"})


def test_copies_stand_as_a_row_a_ring_and_a_grid() -> None:
    post = Node(id="post", label="Post", position=Position(x=1.0, z=2.0), rotation=Rotation(y=10.0))
    cap = Node(id="cap", label="Cap", parent="post")
    scene = Scene(name="S", nodes=(post, cap))
    row = edited(
        scene,
        {"do": "duplicate", "node": "post", "count": 3, "move": [2, 0, 0], "turn": [0, 30, 0], "scale": [1, 0.5, 1]},
    )
    posts = [node for node in row.nodes if node.id.startswith("post")]
    assert [node.position.x for node in posts] == [1, 3, 5, 7]
    assert [node.rotation.y for node in posts] == [10, 40, 70, 100]
    assert [node.scale.y for node in posts] == [1, 0.5, 0.25, 0.125]
    assert [node.parent for node in row.nodes if node.id.startswith("cap")] == [node.id for node in posts]
    ring = edited(scene, {"do": "duplicate", "node": "post", "count": 3, "how": "ring", "radius": 2})
    middle = np.array([1.0, 0.0])  # two metres behind the first, which stands in front of it
    places = np.array([[n.position.x, n.position.z] for n in ring.nodes if n.id.startswith("post")])
    np.testing.assert_allclose(np.linalg.norm(places - middle, axis=1), 2, atol=1e-9)
    grid = edited(scene, {"do": "duplicate", "node": "post", "count": 5, "how": "grid", "across": 3, "move": [1, 0, 4]})
    places = np.array([[n.position.x, n.position.z] for n in grid.nodes if n.id.startswith("post")])
    assert places.tolist() == [[1, 2], [2, 2], [3, 2], [1, 6], [2, 6], [3, 6]]
    with pytest.raises(InvalidEdit, match="whole numbers"):
        edited(scene, {"do": "duplicate", "node": "post", "count": 1.5})


def test_a_coarse_mesh_is_told_and_mended_by_its_edit() -> None:
    scene = Scene(name="S", nodes=(Node(id="post", label="Post", shape=Box(kind="box", height=4.0)),))
    scene = edited(scene, {"do": "add-deformer", "node": "post", "kind": "bend"})
    (report,) = coarse(scene, scene.by_id["post"], Scope(scene))
    assert (report.deformer, report.wanted) == ("bend", 12)
    assert report.segments < 4
    mended = edited(scene, *report.edits)
    assert coarse(mended, mended.by_id["post"], Scope(mended)) == []
    assert mended.by_id["post"].shape.cuts_y > 1  # type: ignore[union-attr]
    stretched = edited(scene, {"do": "remove-deformer", "node": "post", "deformer": "bend"},
                       {"do": "add-deformer", "node": "post", "kind": "stretch"})  # fmt: skip
    assert coarse(stretched, stretched.by_id["post"], Scope(stretched)) == []


def test_the_station_has_no_mesh_that_is_too_coarse(demo: Scene) -> None:
    assert [report for node in demo.nodes for report in coarse(demo, node, Scope(demo))] == []
    used = {deformer.kind for node in demo.nodes for deformer in node.deform}
    assert used == {"bend", "twist", "taper", "stretch", "undulate", "ripple", "rumple", "sway", "jiggle"}


def test_a_windsock_takes_a_tenth_of_its_points_as_shape_targets(demo: Scene) -> None:
    node = demo.by_id["cloth"]
    targets = bake_shape(demo, node, 0, 250, 0.001, Scope(demo))
    assert targets.points >= 2000
    assert targets.bytes <= targets.bytes_per_frame / 10
    assert 2 * targets.bytes <= targets.bytes_per_frame / 10  # with normals too
    assert targets.worst <= 0.001
    baked = PlaceShapeBake(node="cloth", targets=targets).apply(demo)
    clock = demo.clock(4)
    before, after = (surface_of(s, s.by_id["cloth"], clock, Scope(s)) for s in (demo, baked))
    worst = max(
        float(np.linalg.norm(before.points(i) - after.points(i), axis=1).max()) for i in range(0, len(clock.frames), 3)
    )
    assert worst <= 0.001 + 1e-6
    assert worst <= targets.worst + 1e-6
    assert [deformer.muted for deformer in baked.by_id["cloth"].deform] == [True] * 3
    assert read_scene(scene_text(baked)) == baked
    back = edited(baked, {"do": "take-back-shape", "node": "cloth"})
    assert back == demo
    keyed = edited(baked, {"do": "put-key", "address": "cloth/targets.rows.shape_1.weight", "frame": 10, "value": 0})
    assert keyed != baked
    with pytest.raises(InvalidEdit, match="has a baked shape already"):
        PlaceShapeBake(node="cloth", targets=targets).apply(baked)
    with pytest.raises(InvalidEdit, match="no deformer that acts"):
        bake_shape(baked, baked.by_id["cloth"], 0, 250, 0.001, Scope(baked))


def test_a_bake_that_needs_too_many_shapes_says_so() -> None:
    boil = {"do": "add-deformer", "node": "ball", "kind": "rumple"}
    scene = edited(Scene(name="S", last=200, nodes=(Node(id="ball", label="Ball", shape=Ball(kind="ball")),)), boil,
                   {"do": "set", "address": "ball/deform.rumple.drift", "value": 3})  # fmt: skip
    with pytest.raises(InvalidEdit, match="Ball would need more than 64 shapes"):
        bake_shape(scene, scene.by_id["ball"], 0, 200, 1e-6, Scope(scene))
    with pytest.raises(InvalidEdit, match="must lie above zero"):
        bake_shape(scene, scene.by_id["ball"], 0, 200, 0.0, Scope(scene))


def changed(before: Scene, *edits: dict[str, Any]) -> set[str]:
    after = edited(before, *edits)
    return {node.id for node in reshaped(before, after, affected(before, after))}


def test_only_what_takes_another_shape_is_sent_anew(demo: Scene) -> None:
    assert changed(demo, {"do": "set", "address": "sign/position.x", "value": 2}) == set()
    assert changed(demo, {"do": "set", "address": "pine-1/deform.sway.period", "value": 2}) == {
        "pine-1-trunk", "pine-1-low", "pine-1-top",
    }  # fmt: skip
    assert changed(demo, {"do": "set", "address": "board/shape.width", "value": 2}) == {"board"}
    assert "pool" in changed(demo, {"do": "set", "address": "float/position.x", "value": 0.6})
    assert "envelope" in changed(demo, {"do": "set", "address": "tether/rotation.x#drift.amplitude", "value": 9})
    reads = changed(demo, {"do": "set", "address": "ridge-wind/field.speed", "value": 3})
    assert {"cloth", "pool", "pine-3-low", "ribbon", "aerial"} <= reads
    assert "board" not in reads
    assert changed(demo, {"do": "remove-deformer", "node": "rock-a", "deformer": "weather"}) == {"rock-a"}


def test_marks_of_coarse_meshes_look_again_only_at_what_was_reshaped(
    demo: Scene, monkeypatch: pytest.MonkeyPatch
) -> None:
    scene = edited(demo, {"do": "add-object", "label": "Slab", "shape": {"kind": "box"}})
    scene = edited(scene, {"do": "add-deformer", "node": "slab", "kind": "twist"})
    marks = CoarseMarks()
    assert marks.of(scene, Scope(scene)) == {"slab"}
    looked: list[str] = []

    def counted(scene: Scene, node: Node, scope: Scope) -> list[Coarse]:
        looked.append(node.id)
        return coarse(scene, node, scope)

    monkeypatch.setattr("lazzik.core.evaluate.mesh_density.coarse", counted)
    assert marks.of(scene, Scope(scene)) == {"slab"}
    assert looked == []
    mended = edited(scene, *coarse(scene, scene.by_id["slab"], Scope(scene))[0].edits)
    assert marks.of(mended, Scope(mended)) == frozenset()
    assert looked == ["slab"]
    gone = edited(scene, {"do": "remove-object", "node": "slab"})
    assert marks.of(scene, Scope(scene)) == {"slab"}
    assert marks.of(gone, Scope(gone)) == frozenset()


def test_points_per_frame_are_exact_at_frames_and_straight_between_them(demo: Scene) -> None:
    node = demo.by_id["cloth"]
    made = bake_frames(demo, node, 20, 60, Scope(demo))
    baked = PlaceShapeBake(node="cloth", targets=made).apply(demo)
    assert made.bytes == 41 * 12 * made.points
    assert all(deformer.muted for deformer in baked.by_id["cloth"].deform)
    again = read_scene(scene_text(baked))
    clock = Clock.over(demo.fps, demo.first, 60, start=20, per_frame=4)
    true, now = (surface_of(s, s.by_id["cloth"], clock, Scope(s), own=True) for s in (demo, again))
    away = np.array([np.linalg.norm(true.points(i) - now.points(i), axis=1).max() for i in range(len(clock.frames))])
    assert away[::4].max() < 1e-6
    assert away.max() == pytest.approx(made.worst, rel=1e-3)
    np.testing.assert_allclose(now.points(2), (now.points(0) + now.points(4)) / 2, atol=1e-7)
    taken = edited(baked, {"do": "take-back-shape", "node": "cloth"})
    assert taken == demo


def test_points_per_frame_that_would_be_too_many_are_refused() -> None:
    scene = Scene(
        name="One", last=2000, nodes=(Node(id="ball", label="Ball", shape=Ball(kind="ball", around=64, along=64)),)
    )
    scene = edited(scene, {"do": "add-deformer", "node": "ball", "kind": "undulate"})
    with pytest.raises(InvalidEdit, match="bake fewer frames"):
        bake_frames(scene, scene.nodes[0], 0, 2000, Scope(scene))
    with pytest.raises(InvalidEdit, match="two frames or more"):
        bake_frames(scene, scene.nodes[0], 5, 5, Scope(scene))


def test_a_shape_is_made_permanent_and_painted_without_a_server() -> None:
    plain = Scene(name="S", nodes=(Node(id="bar", label="Bar", shape=Box(kind="box", height=2.0, cuts_y=8)),))
    bent = edited(plain, {"do": "add-deformer", "node": "bar", "kind": "bend"},
                  {"do": "set", "address": "bar/deform.bend.angle", "value": 40})  # fmt: skip
    wanted = surface_of(bent, bent.node("bar"), bent.clock(), Scope(bent)).points(0)
    made = applied(bent, [make_permanent(bent, "bar", 0, Scope(bent))])
    node = made.node("bar")
    assert node.deform == ()
    np.testing.assert_allclose(node.shape.mesh(made.assets).points, wanted, atol=1e-6)  # type: ignore[union-attr]
    assert read_scene(scene_text(made)) == made
    with pytest.raises(InvalidEdit, match="permanent already"):
        make_permanent(made, "bar", 0, Scope(made))
    with pytest.raises(InvalidEdit, match="does not lie in the range"):
        make_permanent(bent, "bar", 999, Scope(bent))
    count = len(wanted)
    masked = applied(bent, [paint(bent, "bar", "bend", np.linspace(-1, 2, count))])
    counts = surface_of(masked, masked.node("bar"), masked.clock(), Scope(masked)).counts(0, 0)
    np.testing.assert_allclose(counts, np.clip(np.linspace(-1, 2, count), 0, 1), atol=1e-6)
    for bad in (np.zeros(count - 1), np.full(count, np.nan)):
        with pytest.raises(InvalidEdit, match=f"has {count} points"):
            paint(bent, "bar", "bend", bad)
