"""OpenUSD read back by the standard's own library, SVG by an XML parser, JSON and long CSV by their readers."""

from __future__ import annotations

import csv
import io
import json
from pathlib import Path
from typing import Any
from xml.etree import ElementTree

import numpy as np
import pytest
import shapely
from numpy.typing import NDArray

from lazzik.core.errors import InvalidDocument
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.shapes import shapes_over_time
from lazzik.core.evaluate.transforms import world
from lazzik.core.evaluate.values import evaluate
from lazzik.core.formats.base import moving_addresses
from lazzik.core.formats.csv_curves import read_csv, write_csv, write_long_csv
from lazzik.core.formats.gltf import as_text, write_glb
from lazzik.core.formats.registry import FORMATS
from lazzik.core.formats.svg import AnimatedSvg
from lazzik.core.formats.usd import write_usd
from lazzik.core.progress import Progress, Stopped
from lazzik.core.scene.scene import Scene
from lazzik.core.simulate.draped import surface_seen
from tests.conftest import edited

LAST = 24


@pytest.fixture(scope="module")
def short(demo: Scene) -> Scene:
    """The demo over a second: as many kinds of motion, a tenth of the time. What is scattered has tests of its own."""
    return edited(demo, {"do": "change-scene", "last": LAST}, {"do": "remove-object", "node": "grass"})


@pytest.fixture(scope="module", params=["usda", "usdc", "usdz"])
def stage(request: pytest.FixtureRequest, short: Scene, tmp_path_factory: pytest.TempPathFactory) -> object:
    from pxr import Usd

    file = tmp_path_factory.mktemp("usd") / f"demo.{request.param}"
    file.write_bytes(write_usd(short, request.param).content)
    return Usd.Stage.Open(str(file))


def paths(stage: object) -> dict[str, object]:
    prims = [prim for prim in stage.Traverse() if prim.GetTypeName() == "Xform"]  # type: ignore[attr-defined]
    return {prim.GetName().removeprefix("n_").replace("_", "-"): prim for prim in prims}


def test_the_standards_own_validators_find_nothing(stage: object) -> None:
    from pxr import UsdValidation

    validators = UsdValidation.ValidationRegistry().GetOrLoadAllValidators()
    assert len(validators) > 20
    found = UsdValidation.ValidationContext(validators).Validate(stage)
    assert [error.GetMessage() for error in found] == []


def test_places_agree_with_evaluation_at_every_frame(stage: object, short: Scene) -> None:
    from pxr import UsdGeom

    assert (stage.GetStartTimeCode(), stage.GetEndTimeCode(), stage.GetTimeCodesPerSecond()) == (0, LAST, 30)  # type: ignore[attr-defined]
    assert (UsdGeom.GetStageUpAxis(stage), UsdGeom.GetStageMetersPerUnit(stage)) == ("Y", 1.0)
    found = paths(stage)
    caches = [UsdGeom.XformCache(frame) for frame in range(LAST + 1)]
    for node in short.nodes:
        expected = world(short, node, short.clock(), Scope(short))
        for frame, cache in enumerate(caches):
            matrix = np.array(cache.GetLocalToWorldTransform(found[node.id])).T
            np.testing.assert_allclose(matrix, expected[frame], atol=2e-5, err_msg=f"{node.id} at {frame}")


def test_points_agree_with_evaluation_at_every_frame(stage: object, short: Scene) -> None:
    from pxr import UsdGeom

    found = paths(stage)
    moving = [node for node in short.nodes if node.shape and shapes_over_time(short, node)]
    assert len(moving) > 20
    for node in moving:
        mesh = UsdGeom.Mesh(found[node.id].GetChild("shape"))  # type: ignore[attr-defined]
        motion = surface_seen(short, node, short.clock(), Scope(short))
        for frame in range(LAST + 1):
            points = np.array(mesh.GetPointsAttr().Get(frame))
            np.testing.assert_allclose(points, motion.points(0 if motion.still else frame), atol=1e-5)


def test_numbers_over_time_and_what_is_hidden(short: Scene, tmp_path: Path) -> None:
    from pxr import Gf, Usd, UsdGeom

    zoomed = edited(
        short,
        {"do": "put-key", "address": "camera/camera.view", "frame": 0, "value": 30},
        {"do": "put-key", "address": "camera/camera.view", "frame": 20, "value": 50},
        {"do": "change-object", "node": "gauge", "visible": False},
    )
    (tmp_path / "z.usdc").write_bytes(write_usd(zoomed, "usdc").content)
    stage = Usd.Stage.Open(str(tmp_path / "z.usdc"))
    found = paths(stage)
    lens = UsdGeom.Camera(found["camera"].GetChild("camera"))  # type: ignore[attr-defined]
    wanted = evaluate(zoomed, ["camera/camera.view"], zoomed.clock())["camera/camera.view"]
    for frame in (0, 7, 20):
        assert lens.GetCamera(frame).GetFieldOfView(Gf.Camera.FOVVertical) == pytest.approx(wanted[frame], abs=1e-4)
    assert UsdGeom.Imageable(found["gauge"].GetChild("shape")).ComputeVisibility() == "invisible"  # type: ignore[attr-defined]
    glow = evaluate(short, ["beacon/look.glow"], short.clock())["beacon/look.glow"]
    surface = next(
        prim for prim in stage.Traverse()
        if prim.GetName() == "surface" and prim.GetAttribute("inputs:emissiveColor").GetNumTimeSamples() > 1
    )  # fmt: skip
    red = [surface.GetAttribute("inputs:emissiveColor").Get(f)[0] for f in range(LAST + 1)]
    np.testing.assert_allclose(np.array(red) / red[0], glow / glow[0], rtol=1e-4)


def polygons(d: str) -> shapely.Geometry:
    """What a path covers by the non-zero rule, from its loops alone: rings of either turn added and taken away."""
    loops = [np.array([pair.split() for pair in part.rstrip("Z").split("L")], float) for part in d.split("M") if part]
    lines = [shapely.LinearRing(loop) for loop in loops if len(loop) > 2]
    faces = shapely.get_parts(shapely.polygonize([shapely.unary_union(lines)]))
    kept = [face for face in faces if _winding(face.representative_point(), loops) != 0]
    return shapely.unary_union(kept)


def _winding(point: shapely.Point, loops: list[NDArray[np.float64]]) -> int:
    total = 0.0
    for loop in loops:
        away = loop - [point.x, point.y]
        angle = np.unwrap(np.arctan2(away[:, 1], away[:, 0]), axis=0)
        last = np.arctan2(away[0, 1], away[0, 0])
        closing = (last - angle[-1] + np.pi) % (2 * np.pi) - np.pi
        total += float(angle[-1] - angle[0] + closing)
    return round(total / (2 * np.pi))


@pytest.fixture(scope="module", params=["camera", "front", "top"])
def drawn(request: pytest.FixtureRequest, short: Scene) -> tuple[str, ElementTree.Element]:
    return request.param, ElementTree.fromstring(AnimatedSvg(view=request.param, every=6).write(short))


def test_outlines_cover_what_the_surfaces_cover(drawn: tuple[str, ElementTree.Element], short: Scene) -> None:
    """The union of all projected triangles, by another library, against the loops of the path."""
    view, svg = drawn
    ns = {"s": "http://www.w3.org/2000/svg"}
    every = {path.get("id"): path for path in svg.iterfind(".//s:path", ns)}
    assert set(every) == {node.id for node in short.nodes if node.shape and node.visible}
    clock = short.clock().at(np.arange(0, LAST + 1, 6.0))
    for name in ("cloth", "envelope", "dish", "crate", "needle"):
        node = short.by_id[name]
        assert node.shape is not None
        animate = every[name].find("s:animate", ns)
        pictures = [every[name].get("d")] * 5 if animate is None else (animate.get("values") or "").split(";")
        assert len(pictures) == 5
        motion = surface_seen(short, node, clock, Scope(short))
        places = world(short, node, clock, Scope(short))
        for index in range(5):
            points = motion.points(0 if motion.still else index) @ places[index][:3, :3].T + places[index][:3, 3]
            flat = _projected(short, view, points, index, svg)
            union = shapely.unary_union(shapely.polygons(flat[node.shape.mesh().triangles]).tolist())
            apart = polygons(pictures[index] or "").symmetric_difference(union).area
            assert apart < 0.01 * union.area + 0.06 * union.length + 2, (name, index)  # a tenth of a pixel is written


def _projected(
    scene: Scene, view: str, points: NDArray[np.float64], index: int, svg: ElementTree.Element
) -> NDArray[np.float64]:
    """Pixels of points. For views without a camera the scale is read off two corners of a box that stands still."""
    if view == "camera":
        clock = scene.clock().at(np.array([index * 6.0]))
        inverse = np.linalg.inv(world(scene, scene.by_id["camera"], clock, Scope(scene))[0])
        there = points @ inverse[:3, :3].T + inverse[:3, 3]
        scale = 270 / np.tan(np.radians(36) / 2)
        return np.column_stack([480 + scale * there[:, 0] / -there[:, 2], 270 - scale * there[:, 1] / -there[:, 2]])
    axes = {"front": ([1, 0, 0], [0, 1, 0]), "top": ([1, 0, 0], [0, 0, -1])}[view]
    flat = points @ np.array(axes, float).T
    # the crate stands still: what its path spans against what its points span gives scale and place
    path = next(p for p in svg.iter("{http://www.w3.org/2000/svg}path") if p.get("id") == "crate")
    loops = [pair.split() for part in (path.get("d") or "").split("M") if part for pair in part.rstrip("Z").split("L")]
    pixels = np.array(loops, float)
    node = scene.by_id["crate"]
    assert node.shape is not None
    still = world(scene, node, scene.clock().at(np.array([0.0])), Scope(scene))[0]
    own = (node.shape.mesh().points @ still[:3, :3].T + still[:3, 3]) @ np.array(axes, float).T
    scale = np.ptp(pixels[:, 0]) / np.ptp(own[:, 0])
    right = pixels[:, 0].min() + scale * (flat[:, 0] - own[:, 0].min())
    return np.column_stack([right, pixels[:, 1].max() - scale * (flat[:, 1] - own[:, 1].min())])


def test_json_curves_are_the_keys_and_the_values(demo: Scene) -> None:
    content = json.loads(FORMATS["curves"]().write(demo))
    assert (content["fps"], content["first"], content["last"]) == (30, 0, 250)
    by_address = {curve["address"]: curve for curve in content["curves"]}
    expected = evaluate(demo, list(by_address), demo.clock())
    for address, curve in by_address.items():
        assert curve["values"] == expected[address].tolist()
    mast = by_address["beacon-mast/rotation.z"]
    assert [key["frame"] for key in mast["keys"]] == [0, 30, 58, 120, 150, 250]
    assert mast["unit"] == "°"
    assert all(isinstance(key["slope_in"], float) for key in mast["keys"])


def test_long_and_wide_tables_are_read_back_alike(demo: Scene) -> None:
    addresses = moving_addresses(demo)[:9]
    wide = read_csv(write_csv(demo, addresses, demo.clock()))
    long = read_csv(write_long_csv(demo, addresses, demo.clock()))
    expected = evaluate(demo, addresses, demo.clock())
    rows = list(csv.reader(io.StringIO(write_long_csv(demo, addresses, demo.clock()))))
    assert rows[0] == ["address", "unit", "frame", "value"]
    assert len(rows) == 1 + 9 * 251
    for address in addresses:
        for table in (wide, long):
            assert table[address][0].tolist() == demo.clock().frames.tolist()
            assert table[address][1].tolist() == expected[address].tolist()


@pytest.mark.parametrize(
    ("text", "sentence"),
    [
        ("", "no rows"),
        ("time,a\n0,1", "one of them 'frame'"),
        ("frame,a\n0,one", "'one' in row 2 under 'a' is not a number"),
        ("frame,a\n0,1\n0,2", "the same frame"),
        ("frame,a,a\n0,1,2", "same heading"),
        ("frame\n0", "no column beside the frames"),
        ("frame,a\n0,1\n3", "Row 3 of the table has no value under 'a'"),
        ("address,frame,value\nx,0", "Row 2 of the table is too short"),
        ('frame,"a\n0,1', "not a table"),
        ("frame,a\n0,1e300", "not a number that can be used"),
    ],
)
def test_tables_that_are_none(text: str, sentence: str) -> None:
    with pytest.raises(InvalidDocument, match=sentence):
        read_csv(text)


def test_gltf_as_text_holds_the_same_file(short: Scene, tmp_path: Path, validate: object) -> None:
    glb = write_glb(short.replaced(nodes=short.nodes[:6]))
    file = tmp_path / "short.gltf"
    file.write_bytes(as_text(glb))
    report = validate(file)  # type: ignore[operator]
    assert (report["numErrors"], report["numWarnings"]) == (0, 0), report["messages"]
    import trimesh

    one: Any = trimesh.load(io.BytesIO(glb), file_type="glb")
    other: Any = trimesh.load(file)
    assert one.bounds.tolist() == other.bounds.tolist()
    assert len(one.geometry) == len(other.geometry)


@pytest.mark.parametrize("name", ["gltf", "usd", "svg"])
def test_long_formats_tell_how_far_they_are_and_can_be_stopped(short: Scene, name: str) -> None:
    heard: list[float] = []
    FORMATS[name]().write(short.replaced(nodes=short.nodes[:30]), Progress(lambda share, _: heard.append(share)))
    assert len(heard) > 2
    assert heard == sorted(heard)

    def stop(share: float, said: str) -> None:
        raise Stopped

    with pytest.raises(Stopped):
        FORMATS[name]().write(short, Progress(stop))
