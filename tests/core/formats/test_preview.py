"""What a file is said to bring, before it does."""

from __future__ import annotations

import io

import numpy as np
import pytest
import trimesh
from PIL import Image

from lazzik.core.errors import InvalidAsset
from lazzik.core.evaluate.transforms import world
from lazzik.core.formats.importer import import_files
from lazzik.core.formats.preview import preview_files
from lazzik.core.progress import UNHEARD
from lazzik.core.scene.edits.base import applied
from lazzik.core.scene.node import Look
from lazzik.core.scene.scene import Scene
from tests.conftest import edited
from tests.core.formats.test_importer import DRAWING
from tests.core.formats.vane import vane


def test_a_file_is_told_as_it_will_come_and_nothing_is_kept(post: Scene) -> None:
    before = dict(post.assets.own)
    told = preview_files(post, {"Vane.glb": vane().packed()}, 0.0, UNHEARD)
    assert post.assets.own == before
    made = import_files(post, {"Vane.glb": vane().packed()})
    scene = applied(post, [made.edit])
    came = scene.nodes[1:]
    assert told.objects == tuple(node.label for node in came)
    assert told.notes == made.notes
    assert told.moving == sum(bool(node.moving) for node in came)
    shaped = [node for node in came if node.shape is not None]
    assert told.triangles == sum(len(node.shape.mesh(scene.assets).triangles) for node in shaped if node.shape)
    corners = []
    for node in shaped:
        assert node.shape is not None
        low, high = node.shape.mesh(scene.assets).bounds
        box = np.array(np.meshgrid(*zip(low, high, strict=True))).reshape(3, -1).T
        matrix = world(scene, node.replaced(), scene.clock().at(np.zeros(1)))[0]
        corners.append(box @ matrix[:3, :3].T + matrix[:3, 3])
    every = np.concatenate(corners)
    assert told.size == pytest.approx(tuple(np.ptp(every, axis=0)), rel=0.2)  # at rest, however it begins to move
    assert told.drawn.startswith("<svg")


def test_drawings_and_meshes_and_what_is_none(post: Scene) -> None:
    drawn = preview_files(post, {"Sign.svg": DRAWING}, 0.25, UNHEARD)
    assert drawn.size[2] == pytest.approx(0.25, rel=0.01)  # filled shapes that overlap lie a little apart
    box = trimesh.creation.box((1.0, 2.0, 3.0)).export(file_type="obj").encode()
    told = preview_files(post, {"Crate.obj": box}, 0.0, UNHEARD)
    assert (told.label, told.triangles, told.moving, told.clips) == ("Crate", 12, 0, ())
    assert told.size == pytest.approx((1, 2, 3))
    made = preview_files(post, {"Crate.obj": b"mtllib crate.mtl\n" + box}, 0.0, UNHEARD)
    assert made.notes == ("Left out: its materials.",)
    shapes = (
        b'<rect width="9" height="9" fill="red"/><rect width="5" height="5" fill="none" stroke="red"/><text>A</text>'
    )
    more = preview_files(
        post, {"a.svg": b'<svg xmlns="http://www.w3.org/2000/svg">' + shapes + b"</svg>"}, 0.0, UNHEARD
    )
    assert more.notes == ("Left out: 1 shape without a plain filling, 1 text.",)
    with pytest.raises(InvalidAsset, match=r"bad\.obj"):
        preview_files(post, {"bad.obj": b"nothing"}, 0.0, UNHEARD)


def test_what_counts_in_centimetres_comes_in_metres(post: Scene) -> None:
    made = import_files(post, {"Vane.glb": vane().packed()})
    whole, small = (applied(post, [made.edit.replaced(size=size)]) for size in (1.0, 0.01))
    for node in whole.nodes[1:]:
        clock = whole.clock().at(np.array([0.0, 17.0, 40.0]))
        large, little = (world(scene, scene.node(node.id), clock) for scene in (whole, small))
        np.testing.assert_allclose(little[:, :3, 3], 0.01 * large[:, :3, 3], atol=1e-12)
        np.testing.assert_allclose(little[:, :3, :3], 0.01 * large[:, :3, :3], atol=1e-12)


def test_an_obj_with_texture_coordinates_can_carry_a_picture(post: Scene) -> None:
    text = b"v 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 0.25 0.75\nf 1/1 2/2 3/3\n"
    scene = applied(post, [import_files(post, {"Leaf.obj": text}).edit])
    mesh = scene.node("leaf").shape.mesh(scene.assets)  # type: ignore[union-attr]
    assert mesh.coordinates is not None
    place = {tuple(point): tuple(uv) for point, uv in zip(mesh.points.tolist(), mesh.coordinates.tolist(), strict=True)}
    assert place == {(0, 0, 0): (0, 1), (1, 0, 0): (1, 1), (0, 1, 0): (0.25, 0.25)}
    out = io.BytesIO()
    Image.new("RGB", (4, 4), (9, 9, 9)).save(out, "PNG")
    asset = scene.assets.put(out.getvalue())
    put = edited(scene, {"do": "put-picture", "node": "leaf", "asset": asset})
    look = put.node("leaf").look
    assert isinstance(look, Look)
    assert look.picture is not None
