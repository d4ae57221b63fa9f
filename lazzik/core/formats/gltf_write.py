"""The parts of a glTF file, written one by one. (What a file carries is said in `gltf`.)"""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from lazzik.core.bake.fitted_surfaces import Attempt, fitted_shapes, moving_surfaces
from lazzik.core.bake.morph_targets import Fitted
from lazzik.core.channel.channel import Channel
from lazzik.core.clock import Clock
from lazzik.core.document import Frozen
from lazzik.core.errors import InvalidEdit
from lazzik.core.evaluate.alike import work_out_alike
from lazzik.core.evaluate.copies import copies_of
from lazzik.core.evaluate.evaluator import value_of
from lazzik.core.evaluate.picture_rows import picture_rows
from lazzik.core.evaluate.riding import standing
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.shapes import shapes_over_time
from lazzik.core.evaluate.transforms import Part, moves, numbers_of_transforms, part_of, transforms
from lazzik.core.evaluate.variants import instances, kinds_of, parts_of
from lazzik.core.fitting.minimax import PER_FRAME
from lazzik.core.formats.base import NOTHING
from lazzik.core.formats.colors import linear
from lazzik.core.formats.gltf_merge import Keep
from lazzik.core.formats.gltf_parts import STRENGTH, Form, Paint
from lazzik.core.formats.gltf_textures import TRANSFORM, Textures
from lazzik.core.formats.tracks import APART, Moved, SampledTrack, track_of
from lazzik.core.geometry.mesh import Mesh
from lazzik.core.progress import UNHEARD, Progress
from lazzik.core.scene.node import Camera, Color, Light, Look, Node
from lazzik.core.scene.picture import Picture
from lazzik.core.scene.scene import Scene
from lazzik.core.simulate.draped import surface_seen
from lazzik.core.types import Samples

NEAR, FAR = 0.05, 1000.0
"""Metres between which a camera sees."""

INSTANCING = "EXT_mesh_gpu_instancing"
POINTER = "KHR_animation_pointer"

PLAIN = Look()
"""What has none of its own."""

SHARE_OF_LOOKS = 1e-3
"""Of what a number of a look, a light or a camera spans: how far it may be off."""

SHAPES_WITHIN = 0.001
"""Metres by which a point of a moving shape may differ from where it was evaluated."""

MOST_SHAPES = 256
"""Morph targets of one object."""

PATHS: tuple[tuple[str, Part], ...] = (("translation", "position"), ("rotation", "rotation"), ("scale", "scale"))
"""What an animation can move of an object, by the standard's names and by ours."""

ARRAY_BUFFER, ELEMENT_ARRAY_BUFFER = 34962, 34963
COMPONENTS = {"float32": 5126, "uint16": 5123, "uint32": 5125}
"""Numbers that the standard gives to buffers of points and of triangles, and to the types of their values."""

Row = dict[str, Any]
"""A part of the file, by the standard's names."""


def shapes_of(
    scene: Scene, scope: Scope, progress: Progress, *, made: Mapping[str, Attempt] = NOTHING,
    only: Collection[str] | None = None,
) -> dict[str, Attempt]:  # fmt: skip
    """The shapes and weights of surfaces that move, of all or of some objects, by object; why not, where there are
    none. Raises Stopped."""
    moving = moving_surfaces(scene, scene.clock(PER_FRAME), scope, progress.part(0.0, 0.15), only)
    return fitted_shapes(moving, SHAPES_WITHIN, MOST_SHAPES, progress.part(0.15, 1.0), made)


@dataclass
class Writer:
    """Collects the parts of one file. Shapes and looks that are equal are written once."""

    scene: Scene
    scope: Scope
    animated: bool
    progress: Progress = UNHEARD
    keeps: dict[str, Keep] = field(default_factory=dict)
    """What objects that were brought in have as their file has it: it need not be written."""
    forms: dict[str, Form] = field(default_factory=dict)
    """Objects whose shape is a file's: only what is new of it is written."""
    tolerances: dict[str, float] = field(default_factory=dict)
    """By what is moved: metres, degrees, factors."""
    pointers: bool = False
    """Whether looks, lights and cameras change over time."""
    made: Mapping[str, Attempt] = field(default_factory=dict)
    """Shapes that are fitted already, by object."""
    lent: frozenset[str] = frozenset()
    """Hidden objects whose shapes are written all the same, told as unseen: copies are drawn of them."""
    paints: dict[str, Paint] = field(default_factory=dict)
    """The looks of those of them that were repainted."""
    changing: list[tuple[str, str, Frozen, str, str]] = field(default_factory=list)
    """(label, pointer, part, number or 'color', object) of what moves by a pointer, in the order of writing."""
    report: list[str] = field(default_factory=list)
    counts: Counter[str] = field(default_factory=Counter)
    worst: dict[str, float] = field(default_factory=dict)
    out: Row = field(default_factory=dict)
    blob: bytearray = field(default_factory=bytearray)
    materials: dict[str, int] = field(default_factory=dict)
    meshes: dict[tuple[tuple[str, bool], int], int] = field(default_factory=dict)
    shapes: dict[tuple[str, bool], tuple[Row, int]] = field(default_factory=dict)
    lights: list[dict[str, Any]] = field(default_factory=list)
    clocks: dict[bytes, int] = field(default_factory=dict)
    moving: dict[str, Fitted] = field(default_factory=dict)
    """The shapes and weights of objects whose points move, by object."""

    def write(self) -> tuple[dict[str, Any], bytes]:
        """Everything, in the order of the document: the JSON and the buffer. Raises Stopped."""
        animated = self.animated
        places = {node.id: i for i, node in enumerate(self.scene.nodes)}
        self.out |= {"asset": {"version": "2.0", "generator": "Lazzik"}, "scene": 0}
        if animated:
            self.moving = self._shapes()
        nodes = self._nodes()
        for node in self.scene.nodes:
            if node.parent is not None:
                nodes[places[node.parent]].setdefault("children", []).append(places[node.id])
        if animated:  # the stage makes its own of what is scattered
            for node in self.scene.nodes:
                if node.scatter is not None and node.visible:
                    nodes[places[node.id]].setdefault("children", []).extend(self._instances(node, nodes, places))
        roots = [places[node.id] for node in self.scene.nodes if node.parent is None]
        self.out["scenes"] = [{"name": self.scene.name} | ({"nodes": roots} if roots else {})]
        if nodes:
            self.out["nodes"] = nodes
        if animated:
            self._animate(places, self.progress.part(0.6, 1.0))
        if self.lights:
            self.out["extensions"] = {"KHR_lights_punctual": {"lights": self.lights}}
            self._uses("KHR_lights_punctual")
        if self.blob:
            self.out["buffers"] = [{"byteLength": len(self.blob)}]
        return self.out, bytes(self.blob)

    def __post_init__(self) -> None:
        self.textures = Textures(self.scene.assets, self._put, self._view)

    def _put(self, kind: str, row: Row) -> int:
        """Add a part to the file; its number."""
        rows: list[Row] = self.out.setdefault(kind, [])
        rows.append(row)
        return len(rows) - 1

    def _uses(self, extension: str) -> None:
        used: list[str] = self.out.setdefault("extensionsUsed", [])
        if extension not in used:
            used.append(extension)

    @cached_property
    def _now(self) -> Clock:
        return Clock.over(self.scene.fps, self.scene.first, self.scene.first)

    def _nodes(self) -> list[Row]:
        """Every object as it is on the first frame: what is alike of where they are is worked out together."""
        scope, self.scope = self.scope, self.scope.running()
        numbers = ((node.id, number) for node in self.scene.nodes for number in numbers_of_transforms([node]))
        work_out_alike(numbers, self._now, self.scope)
        rows = [self._node(node) for node in self.scene.nodes]
        self.scope = scope
        return rows

    def _node(self, node: Node) -> Row:
        self.scope = self.scope.at(node.id)
        now = transforms(node, self._now, self.scope)
        out: Row = {
            "name": node.label,
            "translation": now.position[0].tolist(),
            "rotation": now.orientation[0].tolist(),
            "scale": now.scale[0].tolist(),
            "extras": {"id": node.id},
        }
        keep = self.keeps.get(node.id)
        form = self.forms.get(node.id)
        if form and form.repainted:
            self.paints[node.id] = self._paint(node.look or PLAIN)
        if node.id in self.lent:
            out["extras"]["unseen"] = True
        if node.shape is not None and (node.visible or node.id in self.lent) and (form is None or form.bent):
            out["mesh"] = self._mesh(node)
        if node.camera is not None and not (keep and keep.camera):
            view = np.radians(self._first(node.camera, "view"))
            lens = {"yfov": float(view), "znear": NEAR, "zfar": FAR}
            place = self._put("cameras", {"type": "perspective", "perspective": lens})
            out["camera"] = place
            self._moving_looks(node.label, f"/cameras/{place}/", node.camera, {"view": "perspective/yfov"})
        if node.light is not None and node.visible and not (keep and keep.light):
            self.lights.append(self._light(node.light))
            place = len(self.lights) - 1
            out["extensions"] = {"KHR_lights_punctual": {"light": place}}
            root = f"/extensions/KHR_lights_punctual/lights/{place}/"
            self._moving_looks(node.label, root, node.light, {"intensity": "intensity", "color": "color"})
        return out

    def _instances(self, node: Node, nodes: list[Row], places: dict[str, int]) -> list[int]:
        """Copies on the first frame, a node of instances for each shape of each source; their places."""
        scatter, now = node.scatter, self._now
        assert scatter is not None
        copies = copies_of(self.scene, node, self.scope)
        ((_, stand, turns),) = standing(self.scene, node, copies, now, self.scope)
        made = []
        for place, variant in kinds_of(self.scene, scatter):
            slug = scatter.sources[place]
            for part in parts_of(self.scene, node, place, variant or 0, now, self.scope):
                mine = copies.of(place, variant)
                mesh = nodes[places[part.node.id]].get("mesh")
                if mesh is None:
                    mesh = self._mesh(part.node)
                if not len(mine):
                    continue
                rows = instances(stand[mine], turns[mine], copies.sizes[mine], part.matrices[0])
                attributes = {
                    name: self._accessor(np.ascontiguousarray(values, dtype=np.float32), shape)
                    for name, values, shape in zip(
                        ("TRANSLATION", "ROTATION", "SCALE"), rows, ("VEC3", "VEC4", "VEC3"), strict=True
                    )
                }
                nodes.append(
                    {
                        "name": f"{node.label} / {self.scene.node(slug).label} / {part.node.label}",
                        "mesh": mesh,
                        "extensions": {INSTANCING: {"attributes": attributes}},
                    }
                )
                made.append(len(nodes) - 1)
                self._uses(INSTANCING)
        return made

    def _first(self, part: Frozen, name: str) -> float:
        return float(np.ravel(value_of(part, name, self._now, self.scope))[0])

    def _linear(self, color: Color) -> list[float]:
        """A colour in linear light."""
        return [round(float(c), 6) for c in linear([self._first(color, name) for name in "rgb"])]

    def _light(self, light: Light) -> dict[str, Any]:
        return {
            "type": "point" if light.kind == "lamp" else "directional",
            "color": self._linear(light.color),
            "intensity": self._first(light, "intensity"),
        }

    def _paint(self, look: Look) -> Paint:
        r, g, b = self._linear(look.color)
        return Paint((r, g, b), self._first(look, "glow"), self._first(look, "roughness"))

    def _material(self, node: Node) -> int:
        look = node.look or PLAIN
        paint = self._paint(look)
        surface: Row = {
            "baseColorFactor": [*paint.color, 1.0], "metallicFactor": 0.0, "roughnessFactor": paint.roughness,
        }  # fmt: skip
        glows = self.pointers and isinstance(look.glow, Channel) and look.glow.moves
        emitted = list(paint.color) if glows else [c * min(paint.glow, 1.0) for c in paint.color]
        material: Row = {"pbrMetallicRoughness": surface, "emissiveFactor": emitted}
        if look.picture is not None:
            texture = self._texture(look.picture)
            surface["baseColorTexture"] = texture
            if paint.glow > 0 or glows:
                material["emissiveTexture"] = texture
            if self.textures.lets_through(look.picture):
                material["alphaMode"] = "BLEND"
        if paint.glow > 1 or glows:
            material["extensions"] = {STRENGTH: {"emissiveStrength": paint.glow}}
            self._uses(STRENGTH)
        place = self._put("materials", material)
        ways = {"color": "pbrMetallicRoughness/baseColorFactor", "roughness": "pbrMetallicRoughness/roughnessFactor"}
        if glows:
            ways |= {"glow": f"extensions/{STRENGTH}/emissiveStrength", "emission": "emissiveFactor"}
        self._moving_looks(node.label, f"/materials/{place}/", look, ways)
        if look.picture is not None and self.pointers:
            self._moving_picture(node.label, f"/materials/{place}/", material, look.picture)
        return place

    def _texture(self, picture: Picture) -> Row:
        """A picture as a material refers to it, with where it lies on the first frame."""
        u, v, across, down = picture_rows(picture, self.scene.assets, self._now, self.scope)[0].tolist()
        self._uses(TRANSFORM)
        placed = {TRANSFORM: {"offset": [u, v], "scale": [across, down]}}
        return {"index": self.textures.of(picture), "extensions": placed}

    def _moving_picture(self, label: str, root: str, material: Row, picture: Picture) -> None:
        """Note that a picture moves on its surface, if it does."""
        if not any(isinstance(n, Channel) and n.moves for n in (picture.x, picture.y, picture.size)):
            return
        ways = ["pbrMetallicRoughness/baseColorTexture"] + ["emissiveTexture"] * ("emissiveTexture" in material)
        for way in ways:
            for name in ("offset", "scale"):
                pointer = f"{root}{way}/extensions/{TRANSFORM}/{name}"
                self.changing.append((f"{label} / picture", pointer, picture, name, self.scope.home))

    def _shapes(self) -> dict[str, Fitted]:
        """The shape targets of objects, by object; one whose points stand still has none. The scene is evaluated first,
        object by object; then the shapes are fitted on all cores, the largest first."""
        out = {}
        for node, one in shapes_of(self.scene, self.scope, self.progress.part(0.0, 0.6), made=self.made).items():
            if isinstance(one, InvalidEdit):
                raise InvalidEdit(f"{self.scene.node(node).label}: {one.message}", node)
            out[node] = one
        return out

    def _mesh(self, node: Node) -> int:
        shapes = self.moving.get(node.id)
        if shapes is not None or shapes_over_time(self.scene, node):
            return self._own_mesh(node, shapes)
        look = node.look or PLAIN
        key = look.as_json
        if key not in self.materials:
            self.materials[key] = self._material(node)
        shape = (node.shape.as_json if node.shape else "", look.picture is not None)
        if (shape, self.materials[key]) not in self.meshes:
            if shape not in self.shapes:
                self.shapes[shape] = self._geometry(node.shape.mesh(self.scene.assets), look)  # type: ignore[union-attr]
            attributes, indices = self.shapes[shape]
            part = {"attributes": attributes, "indices": indices, "material": self.materials[key]}
            self.meshes[shape, self.materials[key]] = self._put("meshes", {"primitives": [part]})
        return self.meshes[shape, self.materials[key]]

    def _own_mesh(self, node: Node, shapes: Fitted | None) -> int:
        """A mesh of the object's own: as it is at the first frame, or at rest with morph targets. Of a file's shape,
        only the points if they are moved, or the targets."""
        assert node.shape is not None
        mesh = node.shape.mesh(self.scene.assets)
        if shapes is None and self.animated:
            motion = surface_seen(self.scene, node, self._now, self.scope)
            mesh = mesh.moved(motion.points(0))
        part: Row = {"attributes": {}}
        if node.id not in self.forms:
            part["attributes"], part["indices"] = self._geometry(mesh, node.look or PLAIN)
            part["material"] = self._material(node)
        elif shapes is None:
            part["attributes"] = self._points(mesh)
        out: Row = {"primitives": [part]}
        if shapes is not None:
            part["targets"] = [
                {
                    "POSITION": self._accessor(offsets.astype(np.float32), "VEC3", ARRAY_BUFFER, limits=True),
                    "NORMAL": self._accessor(normals.astype(np.float32), "VEC3", ARRAY_BUFFER),
                }
                for offsets, normals in zip(shapes.offsets, shapes.normals, strict=True)
            ]
            out["weights"] = [float(weight) for weight in shapes.weights[0]]
        return self._put("meshes", out)

    def _geometry(self, mesh: Mesh, look: Look) -> tuple[Row, int]:
        width: type[np.unsignedinteger[Any]] = np.uint16 if len(mesh.points) < 65_535 else np.uint32
        triangles = self._accessor(mesh.triangles.ravel().astype(width), "SCALAR", ELEMENT_ARRAY_BUFFER)
        attributes = self._points(mesh)
        if look.picture is not None and mesh.coordinates is not None:
            attributes["TEXCOORD_0"] = self._accessor(mesh.coordinates.astype(np.float32), "VEC2", ARRAY_BUFFER)
        return attributes, triangles

    def _points(self, mesh: Mesh) -> Row:
        return {
            "POSITION": self._accessor(mesh.points.astype(np.float32), "VEC3", ARRAY_BUFFER, limits=True),
            "NORMAL": self._accessor(mesh.normals.astype(np.float32), "VEC3", ARRAY_BUFFER),
        }

    def _view(self, data: bytes, target: int | None = None) -> int:
        """Add bytes to the buffer, their start on a multiple of four; the number of what refers to them."""
        self.blob.extend(b"\0" * (-len(self.blob) % 4))
        view: Row = {"buffer": 0, "byteOffset": len(self.blob), "byteLength": len(data)}
        if target is not None:
            view["target"] = target
        self.blob.extend(data)
        return self._put("bufferViews", view)

    def _accessor(self, values: NDArray[Any], shape: str, target: int | None = None, *, limits: bool = False) -> int:
        """Add an array to the buffer."""
        row: Row = {
            "bufferView": self._view(values.tobytes(), target),
            "componentType": COMPONENTS[values.dtype.name],
            "count": len(values),
            "type": shape,
        }
        if limits:
            rows = values.reshape(len(values), -1)
            row |= {"min": rows.min(axis=0).tolist(), "max": rows.max(axis=0).tolist()}
        return self._put("accessors", row)

    def _animate(self, places: dict[str, int], progress: Progress) -> None:
        """One animation of all that moves; what a file's own animation has unchanged is left to it."""
        clock = self.scene.clock(PER_FRAME)
        just_before = clock.at(clock.frames - APART)
        animation: Row = {"name": self.scene.name, "samplers": [], "channels": []}

        def add(track: SampledTrack, shape: str, label: str, target: Row, what: str) -> None:
            self._add(animation, track, shape, target)
            unit = {"translation": " mm", "rotation": "°", "scale": "×", "weights": " mm"}.get(what, "")
            off = track.off * (1000 if unit == " mm" else 1)
            self.report.append(f"{label}: {track.interpolation}, {len(track.seconds)} keys, {off:.2g}{unit} off")
            self.counts[track.interpolation] += 1
            self.counts["keys"] += len(track.seconds)
            if unit and what != "weights":
                self.worst[what] = max(self.worst.get(what, 0.0), off)

        for node in progress.over(self.scene.nodes, lambda node: f"motion of {node.label}"):
            keep = self.keeps.get(node.id)
            for path, part in PATHS:
                if not moves(self.scene, node, (part,)) or (keep is not None and path in keep.same):
                    continue
                rows, before = (part_of(node, part, at, self.scope) for at in (clock, just_before))
                moved = Moved(clock.frames, rows, before, path == "rotation")
                track = track_of(moved, self.scene.first, self.scene.fps, self.tolerances[path])
                target: Row = {"node": places[node.id], "path": path}
                add(track, "VEC4" if path == "rotation" else "VEC3", f"{node.label} / {part}", target, path)
            if node.id in self.moving:
                shapes = self.moving[node.id]
                seconds = ((shapes.frames - self.scene.first) / self.scene.fps).astype(np.float32)
                track = SampledTrack("LINEAR", seconds, shapes.weights.astype(np.float32), shapes.worst)
                target = {"node": places[node.id], "path": "weights"}
                add(track, "SCALAR", f"{node.label} / shape", target, "weights")
        for label, pointer, owner, name, home in self.changing:
            self.scope = self.scope.at(home)
            rows, before = (self._looks(owner, name, at) for at in (clock, just_before))
            span = max(float(np.ptp(rows, axis=0).max()), 1e-9)
            track = track_of(Moved(clock.frames, rows, before), self.scene.first, self.scene.fps, SHARE_OF_LOOKS * span)
            target = {"path": "pointer", "extensions": {POINTER: {"pointer": pointer}}}
            add(track, {1: "SCALAR", 2: "VEC2", 3: "VEC3", 4: "VEC4"}[rows.shape[1]], label, target, "")
        if animation["channels"]:
            self.out["animations"] = [animation]
        if self.changing:
            self._uses(POINTER)

    def _looks(self, part: Frozen, name: str, clock: Clock) -> NDArray[np.float64]:
        """(frames, numbers) what a pointer moves."""

        def one(of: Frozen, name: str) -> Samples:
            value = np.asarray(value_of(of, name, clock, self.scope), dtype=np.float64)
            return np.array(np.broadcast_to(value, clock.frames.shape))

        if isinstance(part, Picture):
            rows = picture_rows(part, self.scene.assets, clock, self.scope)
            rows = np.array(np.broadcast_to(rows, (len(clock.frames), 4)))
            return np.ascontiguousarray(rows[:, :2] if name == "offset" else rows[:, 2:])
        if isinstance(part, Camera):
            return np.radians(one(part, name))[:, None]
        if name not in ("color", "emission"):
            return one(part, name)[:, None]
        color = linear(np.stack([one(part.color, axis) for axis in "rgb"], 1))  # type: ignore[attr-defined]
        if isinstance(part, Look) and name == "color":
            return np.concatenate([color, np.ones((len(color), 1))], 1)
        return np.asarray(color)

    def _moving_looks(self, label: str, root: str, part: Frozen, names: dict[str, str]) -> None:
        """Note what of a part moves by a pointer: number -> the rest of its pointer."""
        for name, rest in names.items():
            held = part.color if name in ("color", "emission") else part  # type: ignore[attr-defined]
            numbers = [getattr(held, axis) for axis in "rgb"] if held is not part else [getattr(part, name)]
            if self.pointers and any(isinstance(number, Channel) and number.moves for number in numbers):
                self.changing.append((f"{label} / {name}", root + rest, part, name, self.scope.home))

    def _add(self, animation: Row, track: SampledTrack, shape: str, target: Row) -> None:
        key = track.seconds.tobytes()
        if key not in self.clocks:
            self.clocks[key] = self._accessor(track.seconds, "SCALAR", limits=True)
        # a row of weights for each time stands flat
        values = track.values.reshape(-1, 1) if shape == "SCALAR" else track.values
        output = self._accessor(np.ascontiguousarray(values, dtype=np.float32), shape)
        sampler = {"input": self.clocks[key], "output": output, "interpolation": track.interpolation}
        animation["samplers"].append(sampler)
        animation["channels"].append({"sampler": len(animation["samplers"]) - 1, "target": target})

    def summary(self) -> str:
        """How the motion came out, in a sentence."""
        if not self.counts:
            return ""
        ways = (("CUBICSPLINE", "cubic"), ("LINEAR", "linear"), ("STEP", "in steps"))
        tracks = ", ".join(f"{self.counts[way]} {word}" for way, word in ways if self.counts[way])
        units = (("translation", " mm"), ("rotation", "°"), ("scale", "×"))
        off = [f"{self.worst[what]:.2g}{unit}" for what, unit in units if what in self.worst]
        tail = f"; at quarter frames at most {', '.join(off)} off" if off else ""
        return f"{self.counts['keys']:,} keys in {sum(self.counts[w] for w, _ in ways)} tracks: {tracks}{tail}."
