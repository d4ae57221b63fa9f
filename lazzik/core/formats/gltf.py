"""glTF 2.0 as one binary file (Khronos, ISO/IEC 12113): geometry, hierarchy, lights, cameras and the animation.

Carried: objects and what sits under what, primitives as meshes, flat colours, glow at the first frame, lights
(KHR_lights_punctual) and cameras at their first frame, and position, orientation and size over time, a key on each
frame. Orientation gets keys between frames where turning is so fast that the short way between two frames would differ.
Shapes that deformers or driven sizes move are carried as morph targets with animated weights, within SHAPES_WITHIN.
Not carried: changes over time of glow, light and angle of view; layers and keys as such (the scene as JSON has them).
What a file that was brought in holds beyond that (textures, skins, extensions, extras) is written out again as it was.
"""

from __future__ import annotations

import json
import struct
from base64 import b64encode
from dataclasses import dataclass, field
from typing import Any, ClassVar, Literal

import numpy as np
import pygltflib as gl
from numpy.typing import NDArray

from lazzik.core.bake.targets import Fitted, fit_targets
from lazzik.core.clock import Clock
from lazzik.core.evaluate.evaluator import number_on
from lazzik.core.evaluate.memo import Memo
from lazzik.core.evaluate.poses import moves, orientations, pose, short_way, triple
from lazzik.core.evaluate.scope import ALONE, Scope
from lazzik.core.evaluate.shapes import shape_motion, shapes_over_time
from lazzik.core.fitting.minimax import PER_FRAME
from lazzik.core.formats.base import Format
from lazzik.core.formats.colors import linear
from lazzik.core.formats.gltf_file import glb_of
from lazzik.core.formats.gltf_merge import Keep, kept_file, merged
from lazzik.core.formats.gltf_parts import STRENGTH, Form, Paint
from lazzik.core.geometry.mesh import Mesh
from lazzik.core.progress import UNHEARD, Progress
from lazzik.core.scene.node import Color, Light, Look, Node
from lazzik.core.scene.scene import Scene
from lazzik.core.types import Quaternions, Samples

LARGEST_TURN = 0.05
"""Degrees by which an exported orientation may differ between two frames from the evaluated one."""

NEAR, FAR = 0.05, 1000.0
"""Metres between which a camera sees."""

SUBFRAMES = 4

SHAPES_WITHIN = 0.001
"""Metres by which a point of a moving shape may differ from where it was evaluated."""

MOST_SHAPES = 256
"""Morph targets of one object."""


class Gltf(Format):
    """The scene for engines, viewers and web pages."""

    name: ClassVar[str] = "gltf"
    title: ClassVar[str] = "glTF 2.0"
    standard: ClassVar[str] = "GLB, or glTF as text"
    ending: ClassVar[str] = "glb"
    media: ClassVar[str] = "model/gltf-binary"
    use: ClassVar[str] = (
        "For any program that reads the open standard: engines, viewers, web pages, other animation tools."
    )
    carries: ClassVar[str] = (
        "Geometry, hierarchy, colours, lights and cameras; position, rotation and size with a key on "
    )
    carries += "each frame; moving surfaces as shape targets with keyed weights, within a millimetre."
    leaves: ClassVar[str] = (
        "Layers and keys as such; glow, light and angle of view stay as on the first frame; hidden shapes."
    )

    form: Literal["glb", "gltf"] = "glb"

    def write(self, scene: Scene, progress: Progress = UNHEARD, memo: Memo | None = None) -> bytes:
        """One binary file, or one of text with the arrays in it."""
        content = write_glb(scene, memo=memo, progress=progress)
        return content if self.form == "glb" else as_text(content)


def write_glb(scene: Scene, *, animated: bool = True, memo: Memo | None = None, progress: Progress = UNHEARD) -> bytes:
    """The scene as the bytes of a .glb file."""
    file, keeps, forms = kept_file(scene) if animated else (None, {}, {})
    writer = _Writer(scene, Scope(scene, memo or Memo()), animated, progress, keeps, forms)
    content, blob = writer.write(animated)
    if file is not None:
        ids = [node.id for node in scene.nodes]
        content, blob = merged(file, keeps, forms, ids, content, blob, writer.paints)
    return glb_of(content, blob)


def as_text(glb: bytes) -> bytes:
    """A .glb as a .gltf of text alone: its buffer becomes a data address (RFC 2397)."""
    length = struct.unpack_from("<I", glb, 12)[0]
    content = json.loads(glb[20 : 20 + length])
    if content.get("buffers"):
        blob = glb[28 + length :][: content["buffers"][0]["byteLength"]]
        content["buffers"][0]["uri"] = "data:application/octet-stream;base64," + b64encode(blob).decode()
    return json.dumps(content, ensure_ascii=False, allow_nan=False).encode()


@dataclass
class _Writer:
    """Collects the parts of one file. Shapes and looks that are equal are written once."""

    scene: Scene
    scope: Scope
    animated: bool
    progress: Progress = UNHEARD
    keeps: dict[str, Keep] = field(default_factory=dict)
    """What objects that were brought in have as their file has it: it need not be written."""
    forms: dict[str, Form] = field(default_factory=dict)
    """Objects whose shape is a file's: only what is new of it is written."""
    paints: dict[str, Paint] = field(default_factory=dict)
    """The looks of those of them that were repainted."""
    gltf: gl.GLTF2 = field(default_factory=gl.GLTF2)
    blob: bytearray = field(default_factory=bytearray)
    materials: dict[str, int] = field(default_factory=dict)
    meshes: dict[tuple[str, int], int] = field(default_factory=dict)
    shapes: dict[str, tuple[gl.Attributes, int]] = field(default_factory=dict)
    lights: list[dict[str, Any]] = field(default_factory=list)
    clocks: dict[bytes, int] = field(default_factory=dict)
    moving: dict[str, Fitted] = field(default_factory=dict)
    """The shapes and weights of objects whose points move, by object."""

    def write(self, animated: bool) -> tuple[dict[str, Any], bytes]:
        """Everything, in the order of the document: the JSON and the buffer."""
        places = {node.id: i for i, node in enumerate(self.scene.nodes)}
        self.gltf.asset = gl.Asset(version="2.0", generator="Lazzik")
        if animated:
            shaped = [node for node in self.scene.nodes if node.visible and shapes_over_time(self.scene, node)]
            for node in self.progress.over(shaped, lambda node: f"shapes of {node.label}"):
                self._shapes(node)
        self.gltf.nodes = [self._node(node) for node in self.scene.nodes]
        for node in self.scene.nodes:
            if node.parent is not None:
                self.gltf.nodes[places[node.parent]].children.append(places[node.id])
        roots = [places[node.id] for node in self.scene.nodes if node.parent is None]
        self.gltf.scenes = [gl.Scene(name=self.scene.name, nodes=roots)]
        self.gltf.scene = 0
        if animated:
            self._animate(places)
        if self.lights:
            self.gltf.extensions = {"KHR_lights_punctual": {"lights": self.lights}}
            self.gltf.extensionsUsed.append("KHR_lights_punctual")
        if self.blob:
            self.gltf.buffers = [gl.Buffer(byteLength=len(self.blob))]
        return json.loads(self.gltf.gltf_to_json()), bytes(self.blob)

    def _now(self) -> Clock:
        return Clock.over(self.scene.fps, self.scene.first, self.scene.first)

    def _node(self, node: Node) -> gl.Node:
        now = pose(node, self._now(), self.scope)
        out = gl.Node(
            name=node.label,
            translation=now.position[0].tolist(),
            rotation=now.orientation[0].tolist(),
            scale=now.scale[0].tolist(),
            children=[],
            extras={"id": node.id},
        )
        keep = self.keeps.get(node.id)
        form = self.forms.get(node.id)
        if form and form.repainted:
            self.paints[node.id] = self._paint(node.look or Look())
        if node.shape is not None and node.visible and (form is None or form.bent):
            out.mesh = self._mesh(node)
        if node.camera is not None and not (keep and keep.camera):
            view = np.radians(self._first(node.camera.view))
            lens = gl.Perspective(yfov=float(view), znear=NEAR, zfar=FAR)
            self.gltf.cameras.append(gl.Camera(type="perspective", perspective=lens))
            out.camera = len(self.gltf.cameras) - 1
        if node.light is not None and node.visible and not (keep and keep.light):
            self.lights.append(self._light(node.light))
            out.extensions = {"KHR_lights_punctual": {"light": len(self.lights) - 1}}
        return out

    def _first(self, number: Any) -> float:
        value = number_on(number, self._now(), self.scope)
        return float(value if isinstance(value, float | int) else value[0])

    def _linear(self, color: Color) -> list[float]:
        """A colour in linear light."""
        return [round(float(c), 6) for c in linear([self._first(c) for c in (color.r, color.g, color.b)])]

    def _light(self, light: Light) -> dict[str, Any]:
        return {
            "type": "point" if light.kind == "lamp" else "directional",
            "color": self._linear(light.color),
            "intensity": self._first(light.intensity),
        }

    def _paint(self, look: Look) -> Paint:
        r, g, b = self._linear(look.color)
        return Paint((r, g, b), self._first(look.glow), self._first(look.roughness))

    def _material(self, look: Look) -> int:
        paint = self._paint(look)
        surface = gl.PbrMetallicRoughness(
            baseColorFactor=[*paint.color, 1.0], metallicFactor=0.0, roughnessFactor=paint.roughness
        )
        emitted = [c * min(paint.glow, 1.0) for c in paint.color]
        material = gl.Material(pbrMetallicRoughness=surface, emissiveFactor=emitted)
        if paint.glow > 1:
            material.extensions = {STRENGTH: {"emissiveStrength": paint.glow}}
            if STRENGTH not in self.gltf.extensionsUsed:
                self.gltf.extensionsUsed.append(STRENGTH)
        self.gltf.materials.append(material)
        return len(self.gltf.materials) - 1

    def _shapes(self, node: Node) -> None:
        """Find the shape targets of an object; one whose points stand still has none."""
        clock = self.scene.clock(PER_FRAME)
        motion = shape_motion(self.scene, node, clock, self.scope)
        if not motion.still:
            self.moving[node.id] = fit_targets(motion, SHAPES_WITHIN, MOST_SHAPES)

    def _mesh(self, node: Node) -> int:
        shapes = self.moving.get(node.id)
        if shapes is not None or shapes_over_time(self.scene, node):
            return self._own_mesh(node, shapes)
        look = node.look or Look()
        key = look.model_dump_json()
        if key not in self.materials:
            self.materials[key] = self._material(look)
        shape = node.shape.model_dump_json() if node.shape else ""
        if (shape, self.materials[key]) not in self.meshes:
            if shape not in self.shapes:
                self.shapes[shape] = self._geometry(node.shape.mesh())  # type: ignore[union-attr]
            attributes, indices = self.shapes[shape]
            part = gl.Primitive(attributes=attributes, indices=indices, material=self.materials[key])
            self.gltf.meshes.append(gl.Mesh(primitives=[part]))
            self.meshes[shape, self.materials[key]] = len(self.gltf.meshes) - 1
        return self.meshes[shape, self.materials[key]]

    def _own_mesh(self, node: Node, shapes: Fitted | None) -> int:
        """A mesh of the object's own: as it is at the first frame, or at rest with morph targets. Of a file's shape,
        only the points if they are moved, or the targets."""
        assert node.shape is not None
        mesh = node.shape.mesh()
        if shapes is None and self.animated:
            motion = shape_motion(self.scene, node, self._now(), self.scope)
            mesh = mesh.moved(motion.points(0))
        part = gl.Primitive(attributes=gl.Attributes())
        if node.id not in self.forms:
            part.attributes, part.indices = self._geometry(mesh)
            part.material = self._material(node.look or Look())
        elif shapes is None:
            part.attributes = self._points(mesh)
        out = gl.Mesh(primitives=[part])
        if shapes is not None:
            part.targets = [
                {
                    "POSITION": self._accessor(offsets.astype(np.float32), "VEC3", gl.ARRAY_BUFFER, limits=True),
                    "NORMAL": self._accessor(normals.astype(np.float32), "VEC3", gl.ARRAY_BUFFER),
                }
                for offsets, normals in zip(shapes.offsets, shapes.normals, strict=True)
            ]
            out.weights = [float(weight) for weight in shapes.weights[0]]
        self.gltf.meshes.append(out)
        return len(self.gltf.meshes) - 1

    def _geometry(self, mesh: Mesh) -> tuple[gl.Attributes, int]:
        width: type[np.unsignedinteger[Any]] = np.uint16 if len(mesh.points) < 65_535 else np.uint32
        triangles = self._accessor(mesh.triangles.ravel().astype(width), "SCALAR", gl.ELEMENT_ARRAY_BUFFER)
        return self._points(mesh), triangles

    def _points(self, mesh: Mesh) -> gl.Attributes:
        return gl.Attributes(
            POSITION=self._accessor(mesh.points.astype(np.float32), "VEC3", gl.ARRAY_BUFFER, limits=True),
            NORMAL=self._accessor(mesh.normals.astype(np.float32), "VEC3", gl.ARRAY_BUFFER),
        )

    def _accessor(self, values: NDArray[Any], shape: str, target: int | None = None, *, limits: bool = False) -> int:
        """Add an array to the buffer, its start on a multiple of four bytes."""
        self.blob.extend(b"\0" * (-len(self.blob) % 4))
        data = values.tobytes()
        self.gltf.bufferViews.append(
            gl.BufferView(buffer=0, byteOffset=len(self.blob), byteLength=len(data), target=target)
        )
        self.blob.extend(data)
        types = {"float32": gl.FLOAT, "uint16": gl.UNSIGNED_SHORT, "uint32": gl.UNSIGNED_INT}
        rows = values.reshape(len(values), -1)
        self.gltf.accessors.append(
            gl.Accessor(
                bufferView=len(self.gltf.bufferViews) - 1,
                componentType=types[values.dtype.name],
                count=len(values),
                type=shape,
                min=rows.min(axis=0).tolist() if limits else None,
                max=rows.max(axis=0).tolist() if limits else None,
            )
        )
        return len(self.gltf.accessors) - 1

    def _animate(self, places: dict[str, int]) -> None:
        clock = self.scene.clock()
        animation = gl.Animation(name=self.scene.name, samplers=[], channels=[])
        for node in self.scene.nodes:
            if moves(node, ("position",)):
                values = triple(node.position, clock, self.scope)
                self._track(animation, places[node.id], "translation", clock.frames, values)
            if moves(node, ("rotation",)):
                frames, turned = turning(node, self.scene, self.scope)
                self._track(animation, places[node.id], "rotation", frames, turned)
            if moves(node, ("scale",)):
                values = triple(node.scale, clock, self.scope)
                self._track(animation, places[node.id], "scale", clock.frames, values)
            if node.id in self.moving:
                shapes = self.moving[node.id]
                self._track(animation, places[node.id], "weights", shapes.frames, shapes.weights)
        if animation.channels:
            self.gltf.animations = [animation]

    def _track(self, animation: gl.Animation, place: int, path: str, frames: Samples, values: NDArray[Any]) -> None:
        times = ((frames - self.scene.first) / self.scene.fps).astype(np.float32)
        if times.tobytes() not in self.clocks:
            self.clocks[times.tobytes()] = self._accessor(times, "SCALAR", limits=True)
        shape = {"rotation": "VEC4", "weights": "SCALAR"}.get(path, "VEC3")
        values = values.reshape(-1, 1) if path == "weights" else values  # a row of weights for each time, flat
        sampler = gl.AnimationSampler(
            input=self.clocks[times.tobytes()],
            output=self._accessor(values.astype(np.float32), shape),
            interpolation="LINEAR",
        )
        animation.samplers.append(sampler)
        target = gl.AnimationChannelTarget(node=place, path=path)
        animation.channels.append(gl.AnimationChannel(sampler=len(animation.samplers) - 1, target=target))


def turning(node: Node, scene: Scene, scope: Scope = ALONE) -> tuple[Samples, Quaternions]:
    """Frames and orientations between which the short way is right to LARGEST_TURN degrees at every sub-frame."""
    fine = scene.clock(SUBFRAMES)
    q = orientations(triple(node.rotation, fine, scope), node.rotation.order)
    whole = np.arange(0, len(q), SUBFRAMES)
    kept = np.zeros(len(q), bool)
    kept[whole] = True
    for j in range(1, SUBFRAMES):
        between = slerp(q[whole[:-1]], q[whole[1:]], j / SUBFRAMES)
        off = 2 * np.degrees(np.arccos(np.clip(np.abs(np.einsum("ij,ij->i", between, q[whole[:-1] + j])), -1, 1)))
        for k in range(1, SUBFRAMES):
            kept[whole[:-1][off > LARGEST_TURN] + k] = True
    return fine.frames[kept], short_way(q[kept])


def slerp(a: Quaternions, b: Quaternions, u: float) -> Quaternions:
    """(n, 4) the short way from a to b (K. Shoemake, 'Animating rotation with quaternion curves', SIGGRAPH 1985)."""
    dot = np.einsum("ij,ij->i", a, b)
    b = np.where(dot[:, None] < 0, -b, b)
    angle = np.arccos(np.clip(np.abs(dot), 0, 1))[:, None]
    sine = np.sin(angle)
    small = sine < 1e-9
    safe = np.where(small, 1.0, sine)
    out: Quaternions = np.where(small, a + u * (b - a), (np.sin((1 - u) * angle) * a + np.sin(u * angle) * b) / safe)
    out /= np.linalg.norm(out, axis=1, keepdims=True)
    return out
