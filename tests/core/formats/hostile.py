"""Damaged and hostile files, made up one by one: cut short, with lengths that lie, circles, bombs and tricks.

Run as a program it brings every one of them in and prints, for each, what came of it and what it cost.
"""

from __future__ import annotations

import io
import json
import resource
import struct
import time
import zipfile
from collections.abc import Iterator
from typing import Any

import numpy as np
import trimesh

from lazzik.core.errors import LazzikError
from lazzik.core.formats.gltf_file import glb_of
from lazzik.core.formats.importer import import_curves, import_files
from lazzik.core.scene.edits.base import applied
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.serialize import read_scene
from tests.core.formats.vane import vane

File = tuple[str, bytes]
HUGE = (-1, 2**31 - 1, 2**40, 10**30, 1.5, "7", None, True)


def broken(content: dict[str, Any], blob: bytes) -> Iterator[tuple[str, bytes]]:
    """A sound file with one thing wrong each time."""
    text = json.dumps(content)

    def wrong(name: str, *way: Any, value: Any) -> tuple[str, bytes]:
        copy = json.loads(text)
        here = copy
        for step in way[:-1]:
            here = here[step]
        here[way[-1]] = value
        return f"{name}.glb", glb_of(copy, blob)

    for value in HUGE:
        yield wrong(f"count {value}", "accessors", 0, "count", value=value)
        yield wrong(f"offset {value}", "accessors", 0, "byteOffset", value=value)
        yield wrong(f"length {value}", "bufferViews", 0, "byteLength", value=value)
        yield wrong(f"start {value}", "bufferViews", 0, "byteOffset", value=value)
        yield wrong(f"stride {value}", "bufferViews", 0, "byteStride", value=value)
        yield wrong(f"buffer {value}", "buffers", 0, "byteLength", value=value)
        yield wrong(f"view {value}", "accessors", 0, "bufferView", value=value)
        yield wrong(f"mesh {value}", "nodes", 0, "mesh", value=value)
        yield wrong(f"child {value}", "nodes", 0, "children", value=[value])
        yield wrong(f"root {value}", "scenes", 0, "nodes", value=[value])
        yield wrong(f"scene {value}", "scene", value=value)
        yield wrong(f"points {value}", "meshes", 0, "primitives", 0, "attributes", "POSITION", value=value)
        yield wrong(f"indices {value}", "meshes", 0, "primitives", 0, "indices", value=value)
        yield wrong(f"material {value}", "meshes", 0, "primitives", 0, "material", value=value)
        yield wrong(f"sampler {value}", "animations", 0, "channels", 0, "sampler", value=value)
        yield wrong(f"target {value}", "animations", 0, "channels", 0, "target", "node", value=value)
        yield wrong(f"input {value}", "animations", 0, "samplers", 0, "input", value=value)
        yield wrong(f"type {value}", "accessors", 0, "componentType", value=value)
        yield wrong(f"place {value}", "nodes", 0, "translation", value=[value, 0, 0])
        yield wrong(f"turn {value}", "nodes", 0, "rotation", value=value)
    for name in ("nodes", "meshes", "accessors", "bufferViews", "buffers", "scenes", "animations", "materials"):
        kinds: tuple[Any, ...] = (7, "all", {"a": 1}, [1], [[]])
        for other in kinds:
            yield wrong(f"{name} {other}", name, value=other)
    yield wrong("circle of two", "nodes", 1, "children", value=[0])
    yield wrong("circle of one", "nodes", 0, "children", value=[0])
    yield wrong("two parents", "scenes", 0, "nodes", value=[0, 1])
    yield wrong("no turn", "nodes", 0, "rotation", value=[0, 0, 0, 0])
    yield wrong("needs what is not known", "extensionsRequired", value=["KHR_draco_mesh_compression"])
    yield wrong("another version", "asset", "version", value="1.0")
    yield wrong("no version", "asset", value=[])
    chain = json.loads(text)
    chain["nodes"] = [{"children": [k + 1]} for k in range(3000)] + [{}]
    yield "deep.glb", glb_of(chain, blob)
    crowd = json.loads(text)
    crowd["nodes"] = [{} for _ in range(20_000)]
    crowd["scenes"] = [{"nodes": list(range(20_000))}]
    yield "crowd.glb", glb_of(crowd, blob)
    sparse = json.loads(text)
    sparse["accessors"][0] = {"componentType": 5126, "count": 2**30, "type": "VEC3"}
    yield "nothing of a billion.glb", glb_of(sparse, blob)
    sparse["accessors"][0] = {"componentType": 5126, "count": 9, "type": "VEC3", "sparse": {"count": 99}}
    yield "sparse.glb", glb_of(sparse, blob)
    back = json.loads(text)
    back["accessors"][2]["count"] = 2
    yield "times.glb", glb_of(back, blob)


def texts(content: dict[str, Any]) -> Iterator[File]:
    """Addresses that try to lead elsewhere."""
    for uri in (
        "../../../etc/passwd", "/etc/passwd", "file:///etc/passwd", "http://127.0.0.1:9/x.bin", "..\\..\\x.bin",
        "%2e%2e%2fetc%2fpasswd", "data:application/octet-stream;base64,@@@", "data:;base64,", "data:text/plain,abc",
        "\x00", "C:\\x.bin", "//host/x.bin", "a" * 5000, "", "data:,", "?", "#",
    ):  # fmt: skip
        yield f"path {uri[:16]!r}.gltf", json.dumps(content | {"buffers": [{"byteLength": 900, "uri": uri}]}).encode()
    yield "number.gltf", json.dumps(content | {"buffers": [{"byteLength": 900, "uri": 7}]}).encode()
    yield "nested.gltf", b"[" * 200_000
    yield "nested objects.gltf", b'{"a":' * 100_000
    yield "cut.gltf", json.dumps(content).encode()[:200]
    yield "latin.gltf", json.dumps(content).encode() + b"\xff\xfe"
    yield "a number.gltf", b"17"
    yield "nothing.gltf", b"null"


def drawings() -> Iterator[File]:
    bomb = "".join(f'<!ENTITY l{k} "{f"&l{k - 1};" * 10}">' for k in range(1, 10))
    yield "laughs.svg", f'<!DOCTYPE svg [<!ENTITY l0 "ha">{bomb}]><svg xmlns="x"><text>&l9;</text></svg>'.encode()
    yield "outside.svg", b'<!DOCTYPE svg [<!ENTITY e SYSTEM "file:///etc/passwd">]><svg><text>&e;</text></svg>'
    yield "parameter.svg", b'<!DOCTYPE svg [<!ENTITY % p SYSTEM "http://127.0.0.1:9/x"> %p;]><svg/>'
    yield "no drawing.svg", b"<html><body/></html>"
    yield "empty.svg", b'<svg xmlns="http://www.w3.org/2000/svg"/>'
    yield "cut.svg", b'<svg xmlns="http://www.w3.org/2000/svg"><rect width="10"'
    yield "deep.svg", b"<svg>" + b"<g>" * 50_000 + b"</g>" * 50_000 + b"</svg>"
    yield "many.svg", b'<svg xmlns="http://www.w3.org/2000/svg">' + b"<rect/>" * 30_000 + b"</svg>"
    shape = b'<svg xmlns="http://www.w3.org/2000/svg"><path fill="red" d="%s"/></svg>'
    for name, d in (
        ("wild", b"M0 0L1e308 1e308L-1e308 5Z"), ("nan", b"M0 0Lnan 5L3 3Z"), ("point", b"M5 5Z"),
        ("line", b"M0 0L9 9"),
        ("letters", b"qwerty"), ("long", b"M0 0" + b"L1 1L2 0" * 40_000 + b"Z"), ("arcs", b"M0 0A0 0 0 0 0 1e9 1e9Z"),
        ("curves", b"M0 0" + b"C1 1 2 2 3 0" * 3000 + b"Z"),
    ):  # fmt: skip
        yield f"{name}.svg", shape % d
    yield "use.svg", b'<svg xmlns="http://www.w3.org/2000/svg"><g id="a"><use href="#a"/></g></svg>'
    yield (
        "infinite.svg",
        b'<svg xmlns="http://www.w3.org/2000/svg" width="1e999" height="5"><rect width="inf" height="1"/></svg>',
    )
    yield (
        "turn.svg",
        b'<svg xmlns="http://www.w3.org/2000/svg"><rect width="9" height="9" transform="matrix(0 0 0 0 0 0)"/></svg>',
    )


def laborious() -> Iterator[File]:
    """Small drawings that would be much work."""
    random = np.random.default_rng(3)

    def drawing(parts: str) -> bytes:
        return f'<svg xmlns="http://www.w3.org/2000/svg" width="1000" height="1000">{parts}</svg>'.encode()

    def path(points: Any) -> str:
        return f'<path fill="red" d="M{"L".join(f"{x:.1f} {y:.1f}" for x, y in points)}Z"/>'

    turn = np.linspace(0, 2 * np.pi, 3900, endpoint=False)
    far = np.where(np.arange(3900) % 2, 400, 150)
    yield "star.svg", drawing(path(np.column_stack([500 + far * np.cos(turn), 500 + far * np.sin(turn)])))
    yield "scribble.svg", drawing(path(random.uniform(0, 1000, (3900, 2))))
    yield "small scribble.svg", drawing(path(random.uniform(0, 1000, (500, 2))))
    places = random.integers(0, 1000, (500, 2))
    yield "circles.svg", drawing("".join(f'<circle cx="{x}" cy="{y}" r="90" fill="red"/>' for x, y in places))
    arcs = "".join(f"M{x} {y}a90 90 0 1 0 180 0a90 90 0 1 0 -180 0Z" for x, y in places)
    yield "circles of one path.svg", drawing(f'<path fill="red" d="{arcs}"/>')
    yield "equal.svg", drawing('<rect x="1" y="1" width="900" height="900" fill="red"/>' * 300)
    yield "groups.svg", drawing("<g>" * 900 + '<rect width="9" height="9" fill="red"/>' + "</g>" * 900)


def meshes() -> Iterator[File]:
    ball = trimesh.creation.icosphere(1)
    for ending in ("obj", "ply", "stl"):
        sound = ball.export(file_type=ending)
        sound = sound.encode() if isinstance(sound, str) else sound
        for part in (1, 5, 40, 83, 84, 100, len(sound) // 3, len(sound) // 2):
            yield f"cut {part}.{ending}", sound[:part]
        yield f"zeros.{ending}", b"\0" * 5000
        yield f"noise.{ending}", np.random.default_rng(5).bytes(5000)
    for count in (0, 2**32 - 1, 10**7, 21):
        yield f"stl {count}.stl", b"\0" * 80 + struct.pack("<I", count) + b"\0" * 1000
    for count in (10**12, 10**30, -5, 0):
        head = f"ply\nformat binary_little_endian 1.0\nelement vertex {count}\nproperty float x\nproperty float y\n"
        yield f"ply {count}.ply", (head + "property float z\nend_header\n").encode() + b"\0" * 300
    for row in ("f 1 2 999999999999", "f -9 -8 -7", "f 0 0 0", "f a b c", "v 1e999 0 0", "v nan nan nan\nf 1 2 3"):
        yield f"obj {row[:9]}.obj", f"v 0 0 0\nv 1 0 0\nv 0 1 0\n{row}\n".encode()
    yield "material.obj", b"mtllib ../../../../etc/passwd\nv 0 0 0\nf 1 1 1\n"


def others() -> Iterator[File]:
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("scene.usdc", b"\0" * 40_000_000)
    yield "bomb.usdz", packed.getvalue()
    yield "bomb.glb", packed.getvalue()
    yield "no ending", b"x"
    yield "program.exe", b"MZ"
    for text in (b"", b"frame", b"frame,a\n0,1e999", b"frame,a\n" + b"0,1\n" * 9, b"\xff\xfe", b'"' * 999, b"a,b\n1,2"):
        yield f"table {text[:12]!r}.csv", text
    for text in (b"{}", b"[" * 100_000, b'{"format": "lazzik-scene", "version": 9}', b'{"nodes": 5}', b"\xff"):
        yield f"scene {text[:12]!r}.json", text


def hostile() -> Iterator[File]:
    """All of them."""
    built = vane()
    content, blob = built.finished(), bytes(built.blob)
    sound = built.packed()
    for part in (0, 3, 4, 11, 12, 19, 20, 50, 900, len(sound) // 2, len(sound) - 5):
        yield f"cut {part}.glb", sound[:part]
    for place in range(0, 20, 2):
        yield f"head {place}.glb", sound[:place] + b"\xff\xff" + sound[place + 2 :]
    yield from broken(content, blob)
    yield from texts(content)
    yield from drawings()
    yield from laborious()
    yield from meshes()
    yield from others()


def attempt(scene: Scene, name: str, content: bytes) -> str:
    """What comes of one file: 'refused: …', or 'taken'. Anything but a LazzikError goes through."""
    try:
        if name.endswith(".csv"):
            applied(scene, import_curves(scene, content.decode("utf-8-sig"), "post/rotation.z")[0])
        elif name.endswith(".json"):
            read_scene(content)
        else:
            applied(scene, [import_files(scene, {name: content}).edit])
    except LazzikError as error:
        return f"refused: {error.message}"
    except UnicodeDecodeError:
        return "refused: no text in UTF-8"
    return "taken"


def main() -> None:
    """Bring all in, and print one line of JSON for each."""
    from tests.conftest import turned

    scene = turned(0.0)
    attempt(scene, "first.svg", b'<svg xmlns="x"><rect width="9" height="9"/></svg>')  # a worker is warm, too
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    for name, content in hostile():
        start = time.process_time()
        said = attempt(scene, name, content)
        spent = time.process_time() - start
        more = (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) / 1024
        print(json.dumps({"name": name, "said": said, "seconds": round(spent, 3), "megabytes": round(more, 1)}))


if __name__ == "__main__":
    main()
