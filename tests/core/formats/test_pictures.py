"""Pictures on surfaces: where they lie, and that they come out of glTF and OpenUSD as they went in."""

from __future__ import annotations

import io
import struct
import tracemalloc
import zipfile
import zlib
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from numpy.typing import NDArray
from PIL import Image

from lazzik.core.errors import InvalidAsset, InvalidEdit
from lazzik.core.evaluate.evaluator import value_of
from lazzik.core.evaluate.picture_rows import picture_rows
from lazzik.core.evaluate.scope import Scope
from lazzik.core.formats.gltf import write_glb
from lazzik.core.formats.usd import write_usd
from lazzik.core.geometry.pictures import LARGEST, kept, with_border
from lazzik.core.geometry.primitives import Ball, Box, Ring, Sheet, Tube
from lazzik.core.scene.node import Look, Node
from lazzik.core.scene.picture import transform
from lazzik.core.scene.scene import Scene
from tests.conftest import edited
from tests.core.formats.gltf_player import Player

Values = NDArray[np.float64]


def dots(mode: str = "RGB", size: tuple[int, int] = (12, 8)) -> Image.Image:
    """A picture whose dots all differ."""
    rng = np.random.default_rng(3)
    width, height = size
    return Image.fromarray(rng.integers(0, 256, (height, width, len(mode)), dtype=np.uint8), mode)


def file_of(picture: Image.Image, form: str = "PNG", **more: Any) -> bytes:
    out = io.BytesIO()
    picture.save(out, form, **more)
    return out.getvalue()


def pictured(content: bytes, *edits: dict[str, Any], shape: Any = None) -> Scene:
    """A sheet that carries a picture."""
    shape = shape or Sheet(kind="sheet", standing=True, width=3.0)
    scene = Scene(name="Pictured", last=60, nodes=(Node(id="sheet", label="Sheet", shape=shape, look=Look()),))
    asset = scene.assets.put(content)
    return edited(scene, {"do": "put-picture", "node": "sheet", "asset": asset, "label": "Dots"}, *edits)


def seen(texture: Values, u: Values, v: Values, beyond: str) -> Values:
    """What a renderer reads of a texture at coordinates: the nearest dot, with the wrapping of the standard."""
    height, width = texture.shape[:2]
    out = []
    for at, count in ((u, width), (v, height)):
        if beyond == "repeat":
            at = at - np.floor(at)
        elif beyond == "mirror":
            at = 1 - np.abs(np.mod(at, 2) - 1)
        out.append(np.clip(np.floor(at * count).astype(int), 0, count - 1))
    return np.asarray(texture[out[1], out[0]])


@pytest.mark.parametrize("beyond", ["clear", "last", "mirror", "repeat"])
@pytest.mark.parametrize(("x", "y", "size"), [(0.0, 0.0, 1.0), (0.25, -0.4, 0.5), (-0.6, 0.1, 1.7)])
def test_it_lies_where_it_is_put_and_beyond_it_is_what_is_chosen(beyond: str, x: float, y: float, size: float) -> None:
    """Against the picture pasted by hand: its middle x to the right and y up, size times as large."""
    content = file_of(dots("RGBA"))
    change = ("x", x), ("y", y), ("size", size)
    scene = pictured(
        content,
        {"do": "change-picture", "node": "sheet", "beyond": beyond},
        *({"do": "set", "address": f"sheet/look.picture.{name}", "value": value} for name, value in change),
    )
    player = Player(write_glb(scene))
    (material,) = player.json["materials"]
    texture = material["pbrMetallicRoughness"]["baseColorTexture"]
    moved = texture["extensions"]["KHR_texture_transform"]
    row = player.json["textures"][texture["index"]]
    view = player.json["bufferViews"][player.json["images"][row["source"]]["bufferView"]]
    start = view.get("byteOffset", 0)
    drawn = np.asarray(Image.open(io.BytesIO(player.blob[start : start + view["byteLength"]])).convert("RGBA"))
    wrap = {33071: "last", 33648: "mirror", 10497: "repeat"}[player.json["samplers"][row["sampler"]]["wrapS"]]
    u, v = np.meshgrid((np.arange(90) + 0.37) / 90, (np.arange(90) + 0.37) / 90)
    found = seen(drawn, moved["offset"][0] + moved["scale"][0] * u, moved["offset"][1] + moved["scale"][1] * v, wrap)
    # by hand: where on the picture each place of the surface lies
    across, down = (u - (0.5 + x)) / size + 0.5, (v - (0.5 - y)) / size + 0.5
    wanted = np.array(seen(np.asarray(dots("RGBA")), across, down, beyond))
    outside = (across < 0) | (across >= 1) | (down < 0) | (down >= 1)
    if beyond == "clear":
        wanted[outside, 3] = 0
        assert (found[outside, 3] == 0).all()
        assert material["alphaMode"] == "BLEND"
    np.testing.assert_array_equal(found[~outside], wanted[~outside])
    if beyond != "clear":
        np.testing.assert_array_equal(found, wanted)


def test_transforms_are_offsets_and_scales_of_each_moment() -> None:
    rows = transform(np.array([0.0, 0.5]), 0.0, np.array([1.0, 2.0]))
    np.testing.assert_allclose(rows, np.array([[0, 0, 1, 1], [0.0, 0.25, 0.5, 0.5]]))


@pytest.mark.parametrize(
    "shape",
    [
        Sheet(kind="sheet", columns=3, rows=2), Sheet(kind="sheet", standing=True), Box(kind="box", cuts_x=2),
        Ball(kind="ball"), Tube(kind="tube", along=3), Tube(kind="tube", upper=0.0), Ring(kind="ring"),
    ],
)  # fmt: skip
def test_coordinates_of_the_primitives_lie_in_the_picture_and_follow_the_points(shape: Any) -> None:
    mesh = shape.mesh()
    assert mesh.coordinates is not None
    assert mesh.coordinates.shape == (len(mesh.points), 2)
    assert mesh.coordinates.min() >= -1e-12
    assert mesh.coordinates.max() <= 1 + 1e-12
    # each triangle faces the reader of the picture as it faces whoever sees it from outside, but for a sheet's back
    a, b, c = (mesh.points[mesh.triangles[:, k]] for k in range(3))
    p, q, r = (mesh.coordinates[mesh.triangles[:, k]] for k in range(3))
    area = (q[:, 0] - p[:, 0]) * (r[:, 1] - p[:, 1]) - (q[:, 1] - p[:, 1]) * (r[:, 0] - p[:, 0])
    large = np.linalg.norm(np.cross(b - a, c - a), axis=1) > 1e-9
    turned = area[large] < 0  # v runs downward
    assert turned.mean() == (0.5 if isinstance(shape, Sheet) else 1.0)


def test_a_box_shows_it_upright_on_every_side() -> None:
    mesh = Box(kind="box").mesh()
    assert mesh.coordinates is not None
    sides = {(0, 0, 1): [1, -1], (0, 0, -1): [-1, -1], (1, 0, 0): [-1, -1], (0, 1, 0): [1, 1]}
    for normal, right, up in (((0, 0, 1), 0, 1), ((0, 0, -1), 0, 1), ((1, 0, 0), 2, 1), ((0, 1, 0), 0, 2)):
        on = (mesh.normals @ np.array(normal)) > 0.9
        points, (u, v) = mesh.points[on], mesh.coordinates[on].T
        signs = [np.sign(np.corrcoef(points[:, axis], values)[0, 1]) for axis, values in ((right, u), (up, v))]
        assert signs == sides[normal]


@pytest.fixture(scope="module")
def moving() -> Scene:
    """Four sheets with one picture, each beyond its edge otherwise; the first slides in, bends and glows."""
    sheet = Sheet(kind="sheet", standing=True, width=2.0, columns=8, rows=8)
    nodes = tuple(Node(id=f"s{k}", label=f"S{k}", shape=sheet, look=Look()) for k in range(4))
    scene = Scene(name="Moving", last=60, nodes=nodes)
    asset = scene.assets.put(file_of(dots(size=(40, 30)), "JPEG"))
    put: list[dict[str, Any]] = [{"do": "put-picture", "node": f"s{k}", "asset": asset} for k in range(4)]
    beyond = [
        {"do": "change-picture", "node": f"s{k}", "beyond": how}
        for k, how in enumerate(("clear", "last", "mirror", "repeat"))
    ]
    more: list[dict[str, Any]] = [
        {"do": "add-layer", "address": "s0/look.picture.x", "kind": "travel"},
        {"do": "add-layer", "address": "s2/look.picture.size", "kind": "noise"},
        {"do": "set", "address": "s0/look.glow", "value": 0.5},
        {"do": "add-deformer", "node": "s0", "kind": "bend"},
    ]
    return edited(scene, *put, *beyond, *more)


def test_the_standards_validator_finds_nothing(
    moving: Scene, tmp_path: Path, validate: Callable[[Path], dict[str, Any]]
) -> None:
    for animated in (False, True):
        file = tmp_path / f"{animated}.glb"
        file.write_bytes(write_glb(moving, animated=animated))
        found = validate(file)
        assert (found["numErrors"], found["numWarnings"]) == (0, 0), found["messages"]
    content = Player((tmp_path / "True.glb").read_bytes()).json
    assert len(content["images"]) == 2  # as it is, and once with its clear border
    assert {row["mimeType"] for row in content["images"]} == {"image/jpeg", "image/png"}


def test_it_moves_in_gltf_as_it_was_evaluated(moving: Scene) -> None:
    player = Player(write_glb(moving))
    picture = moving.node("s0").look.picture  # type: ignore[union-attr]
    assert picture is not None
    rows = picture_rows(picture, moving.assets, moving.clock(), Scope(moving))
    place = next(i for i, row in enumerate(player.json["materials"]) if "emissiveTexture" in row)
    for way in ("pbrMetallicRoughness/baseColorTexture", "emissiveTexture"):
        sampler = player.pointed(f"/materials/{place}/{way}/extensions/KHR_texture_transform/offset")
        assert sampler is not None
        seconds, values = player.array(sampler["input"])[:, 0], player.array(sampler["output"])
        if sampler["interpolation"] == "CUBICSPLINE":
            values = values[1::3]
        np.testing.assert_allclose(values, [rows[round(s * 30), :2] for s in seconds], atol=2e-3)


def test_it_comes_back_from_a_package(moving: Scene, tmp_path: Path) -> None:
    from pxr import Usd, UsdGeom, UsdShade, UsdValidation

    file = tmp_path / "moving.usdz"
    file.write_bytes(write_usd(moving, "usdz").content)
    picture = moving.node("s0").look.picture  # type: ignore[union-attr]
    assert picture is not None
    with zipfile.ZipFile(file) as package:
        (name,) = [entry for entry in package.namelist() if entry.endswith(".jpg")]
        assert package.read(name) == moving.assets.content(picture.asset)
    stage = Usd.Stage.Open(str(file))
    validators = UsdValidation.ValidationRegistry().GetOrLoadAllValidators()
    found = UsdValidation.ValidationContext(validators).Validate(stage)
    assert [error.GetMessage() for error in found] == []
    prim = stage.GetPrimAtPath("/World/s0/shape")
    st = np.array(UsdGeom.PrimvarsAPI(prim).GetPrimvar("st").Get())
    mesh = moving.node("s0").shape.mesh()  # type: ignore[union-attr]
    assert mesh.coordinates is not None
    np.testing.assert_allclose(st, mesh.coordinates * [1, -1] + [0, 1], atol=1e-6)
    material, _ = UsdShade.MaterialBindingAPI(prim).ComputeBoundMaterial()
    shaders = {child.GetName(): UsdShade.Shader(child) for child in material.GetPrim().GetChildren()}
    assert shaders["picture"].GetInput("wrapS").Get() == "black"
    rows = transform(*(np.atleast_1d(v) for v in _numbers(moving)))
    for frame in (0, 31, 60):
        u, v, across, down = rows[min(frame, len(rows) - 1)]
        move, scale = (shaders["place"].GetInput(n).Get(frame) for n in ("translation", "scale"))
        # at the same place of the surface the same place of the picture, v counted the other way
        np.testing.assert_allclose(0.3 * scale[0] + move[0], 0.3 * across + u, atol=1e-6)
        np.testing.assert_allclose(1 - ((1 - 0.7) * scale[1] + move[1]), 0.7 * down + v, atol=1e-6)


def _numbers(scene: Scene) -> list[Any]:
    picture = scene.node("s0").look.picture  # type: ignore[union-attr]
    assert picture is not None
    return [value_of(picture, name, scene.clock(), Scope(scene)) for name in ("x", "y", "size")]


def test_a_sheet_gets_its_proportions_and_its_own_colours_and_gives_it_back(moving: Scene) -> None:
    scene = pictured(file_of(dots(size=(300, 100))))
    node = scene.node("sheet")
    assert (node.shape.width, node.shape.height) == (3.0, 1.0)  # type: ignore[union-attr]
    assert node.look.color.r == 1.0  # type: ignore[union-attr]
    off = edited(scene, {"do": "change-picture", "node": "sheet", "asset": None})
    assert off.node("sheet").look.picture is None  # type: ignore[union-attr]
    with pytest.raises(InvalidEdit, match="Sheet carries no picture"):
        edited(off, {"do": "change-picture", "node": "sheet", "beyond": "last"})
    asset = moving.node("s0").look.picture.asset  # type: ignore[union-attr]
    lettered = edited(moving, {"do": "add-object", "label": "Word", "shape": {"kind": "lettering", "text": "A"}})
    with pytest.raises(InvalidEdit, match="Word can carry no picture: its surface has no texture coordinates"):
        edited(lettered, {"do": "put-picture", "node": "word", "asset": asset})
    brought = edited(moving, {"do": "bring-picture", "asset": asset, "label": "Card"})
    card = brought.nodes[-1]
    assert (card.label, card.shape.height) == ("Card", 1.5)  # type: ignore[union-attr]


def test_what_every_reader_knows_stays_as_it_is_and_the_rest_becomes_png() -> None:
    for form in ("PNG", "JPEG"):
        content = file_of(dots(), form)
        assert kept(content) == content
    webp = kept(file_of(dots("RGBA"), "WEBP", lossless=True, exact=True))
    np.testing.assert_array_equal(np.asarray(Image.open(io.BytesIO(webp))), np.asarray(dots("RGBA")))
    sideways = Image.Exif()
    sideways[0x0112] = 6
    turned = Image.open(io.BytesIO(kept(file_of(dots(), "JPEG", exif=sideways))))
    assert (turned.size, turned.format) == ((8, 12), "PNG")
    inks = Image.open(io.BytesIO(kept(file_of(dots("CMYK"), "JPEG"))))
    assert (inks.mode, inks.format) == ("RGB", "PNG")


def test_a_border_is_clear_and_has_the_colour_beside_it() -> None:
    found = np.asarray(Image.open(io.BytesIO(with_border(file_of(dots())))))
    assert found.shape == (10, 14, 4)
    np.testing.assert_array_equal(found[1:-1, 1:-1, :3], np.asarray(dots()))
    assert (found[1:-1, 1:-1, 3] == 255).all()
    assert not found[[0, -1], :, 3].any()
    assert not found[:, [0, -1], 3].any()
    np.testing.assert_array_equal(found[0, 1:-1, :3], found[1, 1:-1, :3])


def _png(width: int, height: int, data: bytes) -> bytes:
    def chunk(kind: bytes, content: bytes) -> bytes:
        return struct.pack(">I", len(content)) + kind + content + struct.pack(">I", zlib.crc32(kind + content))

    head = struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, 0)
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", zlib.compress(data, 9)) + chunk(b"IEND", b"")


@contextmanager
def bounded(most: int) -> Iterator[None]:
    """No more than so many bytes are taken within."""
    tracemalloc.start()
    yield
    _, peak = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    assert peak < most


@pytest.mark.parametrize(
    ("content", "sentence"),
    [
        (_png(20_000, 20_000, bytes(60_001) * 300), f"at most {LARGEST} dots along a side"),
        (_png(5000, 8, bytes(15_001) * 8), f"at most {LARGEST} dots along a side; it has 5000"),
        (_png(64, 64, bytes(50)), "no PNG, JPEG or WEBP picture that can be read"),
        (file_of(dots(size=(200, 200)), "JPEG")[:2000], "no PNG, JPEG or WEBP picture that can be read"),
        (b"GIF89a" + bytes(40), "no PNG, JPEG or WEBP picture that can be read"),
        (b"", "no PNG, JPEG or WEBP picture that can be read"),
    ],
    ids=["huge", "wide", "short", "cut", "other", "empty"],
)
def test_pictures_that_are_none_or_too_large_are_a_sentence(content: bytes, sentence: str) -> None:
    with bounded(20 * 2**20), pytest.raises(InvalidAsset, match=sentence):
        kept(content)


def test_what_hides_behind_the_dots_of_a_picture_is_never_unpacked() -> None:
    bomb = _png(8, 8, bytes(200_000_000))
    with bounded(20 * 2**20):
        kept(bomb)
