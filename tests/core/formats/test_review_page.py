"""The page for review: small, whole, quiet; versions share what is the same; what it lacks is said."""

from __future__ import annotations

import base64
import gzip
import hashlib
import json
import re
import struct
from typing import Any

import numpy as np
import pytest
from numpy.typing import NDArray

from lazzik.core.formats.base import NamedScene
from lazzik.core.formats.gltf import Gltf
from lazzik.core.formats.gltf_compact import compacted
from lazzik.core.formats.gltf_file import GltfFile
from lazzik.core.formats.registry import format_for
from lazzik.core.formats.review_page import ReviewPage
from lazzik.core.formats.scripts import WEB, joined
from lazzik.core.progress import Progress
from lazzik.core.scene.scene import Scene
from lazzik.demo.starts import BY_KEY
from tests.conftest import edited


def parts(page: bytes) -> tuple[dict[str, Any], list[bytes]]:
    """What a page carries: its content, and the packs, unpacked."""
    text = page.decode()
    content = re.search(r'id="content">(.*?)</script>', text, re.S)
    assert content
    packs = re.findall(r'id="pack-\d+">(.*?)</script>', text, re.S)
    return json.loads(content[1]), [gzip.decompress(base64.b64decode(pack)) for pack in packs]


def glb_of(version: dict[str, Any], packs: list[bytes]) -> GltfFile:
    """A version put together from its pieces, as the page does it."""
    buffer = bytearray()
    for pack, start, length in version["pieces"]:
        buffer += packs[pack][start : start + length]
        buffer += bytes(-len(buffer) % 4)
    return GltfFile(json.loads(packs[version["head"]]), bytes(buffer))


def pennant(weight: float = 1.0) -> Scene:
    scene = BY_KEY["pennant"].build("Pennant")
    node = next(node for node in scene.nodes if node.deform)
    return edited(scene, {"do": "set", "address": f"{node.id}/deform.{node.deform[0].id}.weight", "value": weight})


def arrays(file: GltfFile) -> list[NDArray[np.float64]]:
    return [file.array(k, "it") for k in range(len(file.rows("accessors")))]


def test_a_page_holds_the_scene_as_gltf_has_it_to_what_its_bits_allow() -> None:
    scene = pennant()
    content, packs = parts(ReviewPage().write(scene))
    (version,) = content["versions"]
    assert (version["first"], version["last"], version["fps"]) == (scene.first, scene.last, scene.fps)
    glb = Gltf().write(scene)
    length = struct.unpack_from("<I", glb, 12)[0]
    whole = GltfFile(json.loads(glb[20 : 20 + length]), glb[28 + length :])
    small = glb_of(version, packs)
    assert len(small.blob) < 0.8 * len(whole.blob)
    rows = [p for mesh in whole.rows("meshes") for p in mesh["primitives"]]
    shading = {part["NORMAL"] for p in rows for part in (p["attributes"], *p.get("targets", [])) if "NORMAL" in part}
    for number, (was, now) in enumerate(zip(arrays(whole), arrays(small), strict=True)):
        within = 0.004 if number in shading else 1.6e-5
        np.testing.assert_allclose(now, was, atol=within, err_msg=str(number))


def test_a_second_version_costs_what_differs() -> None:
    one = ReviewPage().write(pennant())
    same = ReviewPage().deliver_all([NamedScene(pennant(), "A"), NamedScene(pennant(), "B")], Progress())
    calmer = NamedScene(pennant(0.5), "B <b>", "calmer")
    other = ReviewPage().deliver_all([NamedScene(pennant(), "A"), calmer], Progress())
    assert len(same.content) - len(one) < 8000  # its name, and a head that says the same
    assert len(other.content) > len(same.content)
    assert "2 versions" in other.summary
    content, packs = parts(other.content)
    first, second = (glb_of(version, packs) for version in content["versions"])
    pieces = [{tuple(piece) for piece in version["pieces"]} for version in content["versions"]]
    assert len(pieces[0] & pieces[1]) > 3
    pairs = zip(arrays(first), arrays(second), strict=False)
    assert any(a.shape != b.shape or not np.array_equal(a, b) for a, b in pairs)
    assert "B &lt;b&gt;" in other.content.decode()


def test_the_policy_lets_run_what_is_in_the_page_and_ask_nobody() -> None:
    text = ReviewPage().write(BY_KEY["mast"].build('Mast </script><script>alert("x")')).decode()
    policy = re.search(r'Content-Security-Policy" content="([^"]*)"', text)
    assert policy
    rules = dict(rule.strip().split(" ", 1) for rule in policy[1].split(";"))
    (boot,) = re.findall(r"<script>(.*?)</script>", text, re.S)
    (style,) = re.findall(r"<style>(.*?)</style>", text, re.S)
    for body, rule in ((boot, "script-src"), (style, "style-src")):
        assert f"'sha256-{base64.b64encode(hashlib.sha256(body.encode()).digest()).decode()}'" in rules[rule]
    assert rules["default-src"] == "'none'"
    assert rules["connect-src"] == "blob:"
    assert re.findall(r"https?://", text) == []
    modules = joined([WEB / "review/static/review.js"]).split("\n// ")
    own = [module for module in modules if module.startswith("review/")]
    assert len(own) > 1
    assert all(word not in module for module in own for word in ("localStorage", "cookie", "fetch(", "http"))


def test_what_it_lacks_is_said(demo: Scene) -> None:
    left = ReviewPage(moving_copies=20).left_out(demo)
    assert left == ["Grass: 20 of 10,000 copies move, the others stand", "Snow: particles"]


def test_a_file_name_asks_for_it() -> None:
    assert isinstance(format_for("station.html"), ReviewPage)


def test_what_lies_beyond_one_keeps_its_bits() -> None:
    values = np.array([[0.5, 2.0, 0.0]], "<f4")
    content = {
        "bufferViews": [{"buffer": 0, "byteLength": 12}], "buffers": [{"byteLength": 12}],
        "accessors": [{"bufferView": 0, "componentType": 5126, "count": 1, "type": "VEC3"}],
        "meshes": [{"primitives": [{"attributes": {}, "targets": [{"POSITION": 0}]}]}],
    }  # fmt: skip
    made, buffer = compacted(content, values.tobytes())
    assert buffer == values.tobytes()
    assert "extensionsUsed" not in made


@pytest.mark.slow
def test_the_demo_stays_within_three_megabytes_and_one_for_a_wilder_version(demo: Scene) -> None:
    wind = next(node for node in demo.nodes if node.field is not None and node.field.kind == "wind")
    wild = edited(demo, {"do": "set", "address": f"{wind.id}/field.speed", "value": 9})
    one = ReviewPage().write(demo)
    both = ReviewPage().deliver_all([NamedScene(demo, "Calm"), NamedScene(wild, "Wild")], Progress()).content
    assert len(one) <= 3 * 2**20
    assert len(both) - len(one) <= 2**20
