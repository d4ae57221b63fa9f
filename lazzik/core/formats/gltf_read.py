"""From a glTF 2.0 file to objects: hierarchy, meshes, flat colours, cameras, lights; its first animation as keys, the
others as clips.

The whole file is kept as an asset, and each object knows which of the file's nodes it came from, so that what is not
modelled here can be written out again untouched.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.spatial.transform import Rotation as Turn

from lazzik.core.channel.channel import Channel
from lazzik.core.channel.keys import Go, Key
from lazzik.core.errors import InvalidAsset
from lazzik.core.fitting.fitting import fit
from lazzik.core.fitting.minimax import PER_FRAME
from lazzik.core.formats.colors import coded
from lazzik.core.formats.euler_angles import euler_angles
from lazzik.core.formats.gltf_file import GltfFile, open_gltf
from lazzik.core.formats.tracks import sampled
from lazzik.core.geometry.assets import AssetStore, pack_mesh, pack_weights
from lazzik.core.geometry.imported import MOST_POINTS, MeshShape
from lazzik.core.geometry.mesh import Mesh, normals_of
from lazzik.core.layers.clip import LONGEST, MOST_TRACKS, Clip, Track
from lazzik.core.scene.edits.base import free_slug
from lazzik.core.scene.edits.dials import free_name
from lazzik.core.scene.node import Camera, Color, Light, Look, Node, Origin, Position, Rotation, Scale
from lazzik.core.scene.scene import DEEPEST, MOST_NODES
from lazzik.core.types import Points, Quaternions, Samples, Triangles

TURN_WITHIN = 0.02
"""Degrees by which keys of Euler angles may differ from the quaternions that they stand for."""

INSIDE = np.arange(1, 8) / 8
"""Parts of the way between two keys at which orientations are compared."""

FINER = 8
"""Parts of a quarter frame at which fitted angles are looked at."""

LEAST_APART = 1 / 256
"""Frames: keys are no nearer to each other."""

MOST_KEYS = 200_000

PARTS = {"translation": ("position", "m"), "rotation": ("rotation", "°"), "scale": ("scale", "×")}
"""What an animation may move -> what it is here, and its unit."""


@dataclass(frozen=True)
class Read:
    """What a file holds, for a scene of a certain rate."""

    nodes: tuple[Node, ...]
    """In the order of the file, each after what it sits under."""
    clips: tuple[Clip, ...]
    """Its animations after the first; their tracks come from numbers of these objects."""
    last: float
    """Frame at which its first animation ends; −inf without one."""
    kept: tuple[str, ...]
    """What is kept in the file but not shown, in words."""


def read_gltf(file: GltfFile, fps: float, first: int, assets: AssetStore) -> Read:
    """The objects of a file; the file itself and their meshes are put with the assets. Raises InvalidAsset, saying what
    is wrong and where."""
    reader = _SceneReader(file, assets.put(file.packed()), fps, first, assets)
    nodes = reader.nodes()
    return Read(nodes, reader.clips(nodes), reader.last, reader.left())


def read_again(assets: AssetStore, name: str, fps: float, first: int) -> dict[int, Node]:
    """The objects of a kept file as they were when it was brought in, by the file's own numbers. Raises UnknownAsset,
    InvalidAsset."""
    aside = AssetStore(assets.get)  # its meshes are there already; whatever is read here goes again
    found = _SceneReader(open_gltf(assets.content(name), name), name, fps, first, aside).nodes()
    return {node.origin.index: node for node in found if node.origin}


class _SceneReader:
    """Reads one file. What is heavy of it is put with the assets."""

    def __init__(self, file: GltfFile, name: str, fps: float, first: int, assets: AssetStore) -> None:
        self.file, self.name, self.fps, self.first, self.assets = file, name, fps, first, assets
        self.shapes: dict[int, MeshShape | None] = {}
        self.kept: dict[str, int] = {}
        self.last = -np.inf

    def nodes(self) -> tuple[Node, ...]:
        """Everything below the roots of the file's scene."""
        rows = self.file.rows("nodes")
        if len(rows) > MOST_NODES:
            raise InvalidAsset(f"The file has {len(rows):,} objects; {MOST_NODES:,} are the most")
        order = self._order(rows)
        first = self.file.rows("animations")[:1]
        moves = self._moves(first[0], rows) if first else {}
        self.last = max(
            (channel.keys[-1].frame for paths in moves.values() for path in paths.values() for channel in path),
            default=-np.inf,
        )
        ids: dict[int, str] = {}
        nodes = []
        for index, parent in order:
            ids[index] = free_slug(str(rows[index].get("name") or f"object-{index + 1}"), set(ids.values()))
            nodes.append(self._node(index, rows[index], ids, parent, moves.get(index, {})))
        return tuple(nodes)

    def clips(self, nodes: tuple[Node, ...]) -> tuple[Clip, ...]:
        """The animations after the first, as clips of the numbers that they move."""
        rows = self.file.rows("nodes")
        ours = {node.origin.index: node for node in nodes if node.origin}
        out: list[Clip] = []
        for number, animation in enumerate(self.file.rows("animations")[1:], 2):
            moves = self._moves(animation, rows)
            label = str(animation.get("name") or f"Animation {number}")[:120]
            tracks = self._tracks([(ours[index], paths) for index, paths in moves.items() if index in ours])
            length = max((track.motion.keys[-1].frame for track in tracks), default=0.0)
            if not 0 < len(tracks) <= MOST_TRACKS or length > LONGEST:
                self.kept["animations that make no clip"] = self.kept.get("animations that make no clip", 0) + 1
                continue
            name = free_name(label, {clip.id for clip in out}, "clip")
            out.append(Clip(id=name, label=label, length=max(1.0, length), tracks=tracks))
        return tuple(out)

    def _tracks(self, moves: list[tuple[Node, dict[str, list[Channel]]]]) -> tuple[Track, ...]:
        tracks: list[Track] = []
        for node, paths in moves:
            for path, channels in paths.items():
                part, unit = PARTS[path]
                for axis, channel in zip("xyz", channels, strict=True):
                    label = f"{node.label[:100]} / {part} {axis}"
                    keys = tuple(key.replaced(frame=key.frame - self.first) for key in channel.keys)
                    tracks.append(
                        Track(
                            id=free_name(label, {track.id for track in tracks}, "track"), label=label, unit=unit,
                            origin=f"{node.id}/{part}.{axis}", motion=Channel(keys=keys),
                        )
                    )  # fmt: skip
        return tuple(tracks)

    def left(self) -> tuple[str, ...]:
        """What is kept in the file but not shown, in words."""
        for word, what in (("textures", "textures"), ("skins", "skins"), ("materials", "materials as they are")):
            if self.file.rows(word):
                self.kept[what] = len(self.file.rows(word))
        return tuple(f"{word} ({count})" for word, count in self.kept.items())

    def _order(self, rows: list[dict[str, Any]]) -> list[tuple[int, int | None]]:
        """(node, what it sits under), parents first. Raises InvalidAsset for circles."""
        scenes = self.file.rows("scenes")
        chosen = self.file.content.get("scene", 0)
        roots = self._indices(self.file.row("scenes", chosen, "The file").get("nodes", []), rows, "Scene")
        roots = roots if scenes else list(range(len(rows)))
        seen: set[int] = set()
        out: list[tuple[int, int | None]] = []
        ahead = [(root, None, 0) for root in reversed(roots)]
        while ahead:
            index, parent, depth = ahead.pop()
            if index in seen:
                raise InvalidAsset(f"Object {index} of the file sits under two others, or under itself")
            if depth > DEEPEST:
                raise InvalidAsset(f"The file's objects are nested deeper than {DEEPEST}")
            seen.add(index)
            out.append((index, parent))
            children = self._indices(rows[index].get("children", []), rows, f"Object {index}")
            ahead += [(child, index, depth + 1) for child in reversed(children)]  # type: ignore[misc]
        return out

    def _indices(self, value: Any, rows: list[dict[str, Any]], where: str) -> list[int]:
        if not isinstance(value, list) or not all(
            isinstance(i, int) and not isinstance(i, bool) and 0 <= i < len(rows) for i in value
        ):
            raise InvalidAsset(f"{where} names objects that are not there")
        return value

    def _node(
        self, index: int, row: dict[str, Any], ids: dict[int, str], parent: int | None, moves: dict[str, list[Channel]]
    ) -> Node:
        where = f"Object {index}"
        position, turn, scale = _transform(row, where)
        if "matrix" in row and _sheared(row, turn, scale):
            self.kept["shears, which no turn and size can say"] = (
                self.kept.get("shears, which no turn and size can say", 0) + 1
            )
        angles = euler_angles(turn[None])[0]
        parts: dict[str, Any] = {
            "position": Position(**_xyz(position, moves.get("translation"))),
            "rotation": Rotation(**_xyz(angles, moves.get("rotation"))),
            "scale": Scale(**_xyz(scale, moves.get("scale"))),
        }
        if "mesh" in row:
            parts["shape"] = self._shape(row["mesh"], where)
            parts["look"] = self._look(row["mesh"], where) if parts["shape"] else None
        if "camera" in row:
            lens = self.file.row("cameras", row["camera"], where).get("perspective")
            if isinstance(lens, dict):
                view = float(np.degrees(_number(lens.get("yfov"), where)))
                parts["camera"] = Camera(view=round(min(max(view, 1.0), 170.0), 6))
            else:
                self.kept["cameras without perspective"] = self.kept.get("cameras without perspective", 0) + 1
        light = _inner(row, "extensions", "KHR_lights_punctual", "light")
        if light is not None:
            parts["light"] = self._light(light, where)
        label = str(row.get("name") or f"Object {index + 1}")[:120]
        return Node(
            id=ids[index], label=label, parent=None if parent is None else ids[parent],
            origin=Origin(asset=self.name, index=index), **parts,
        )  # fmt: skip

    def _light(self, index: Any, where: str) -> Light | None:
        lights = _inner(self.file.content, "extensions", "KHR_lights_punctual", "lights")
        if not isinstance(lights, list) or not isinstance(index, int) or not 0 <= index < len(lights):
            raise InvalidAsset(f"{where} refers to a light that is not there")
        row = lights[index] if isinstance(lights[index], dict) else {}
        if row.get("type") not in ("point", "directional"):
            self.kept["lights of other sorts"] = self.kept.get("lights of other sorts", 0) + 1
            return None
        color = _coded(row.get("color", [1, 1, 1]), where)
        strength = min(max(_number(row.get("intensity", 1.0), where), 0.0), 1e6)
        return Light(kind="lamp" if row["type"] == "point" else "sun", intensity=strength, color=color)

    def _look(self, index: int, where: str) -> Look:
        first = self.file.row("meshes", index, where)["primitives"][0]
        if "material" not in first:
            return Look(color=Color(r=1.0, g=1.0, b=1.0), roughness=1.0)
        row = self.file.row("materials", first["material"], where)
        surface = row.get("pbrMetallicRoughness") if isinstance(row.get("pbrMetallicRoughness"), dict) else {}
        assert isinstance(surface, dict)
        color = _coded(surface.get("baseColorFactor", [1, 1, 1, 1])[:3], where)
        shine = _vector(row.get("emissiveFactor", [0, 0, 0]), 3, where)
        base = _vector(surface.get("baseColorFactor", [1, 1, 1, 1])[:3], 3, where)
        glow = float(shine.max() / max(base.max(), 1e-3)) if shine.max() > 0 else 0.0
        strength = _inner(row, "extensions", "KHR_materials_emissive_strength", "emissiveStrength")
        glow *= _number(strength, where) if strength is not None else 1.0
        rough = min(max(_number(surface.get("roughnessFactor", 1.0), where), 0.0), 1.0)
        return Look(color=color, glow=round(min(max(glow, 0.0), 1e3), 6), roughness=rough)

    def _shape(self, index: Any, where: str) -> MeshShape | None:
        row = self.file.row("meshes", index, where)
        if index not in self.shapes:
            self.shapes[index] = self._mesh(row, f"Mesh {index}")
        return self.shapes[index]

    def _mesh(self, row: dict[str, Any], where: str) -> MeshShape | None:
        primitives = row.get("primitives")
        if not isinstance(primitives, list) or not primitives or not all(isinstance(p, dict) for p in primitives):
            raise InvalidAsset(f"{where} has no parts")
        points, normals, triangles, weights, start = [], [], [], [], 0
        for part in primitives:
            piece = self._piece(part, where)
            points.append(piece[0])
            normals.append(piece[1])
            triangles.append(piece[2] + start)
            weights.append(piece[3])
            start += len(piece[0])
            if start > MOST_POINTS:
                raise InvalidAsset(f"{where} has more than {MOST_POINTS:,} points")
        faces = np.concatenate(triangles)
        if not len(faces):
            self.kept["meshes of points or lines"] = self.kept.get("meshes of points or lines", 0) + 1
            return None
        mesh = Mesh(np.concatenate(points), np.concatenate(normals), faces)
        lost = ~(np.abs(np.linalg.norm(mesh.normals, axis=1) - 1) < 0.01)
        if lost.any():
            own = normals_of(mesh.points, mesh.triangles, np.arange(len(mesh.points)))
            mesh = replace(mesh, normals=np.where(lost[:, None], own, mesh.normals))
        known = [w for w in weights if w is not None]
        painted = self.assets.put(pack_weights(np.concatenate(known))) if len(known) == len(weights) else None
        return MeshShape(kind="mesh", asset=self.assets.put(pack_mesh(mesh)), weights=painted)

    def _piece(self, part: dict[str, Any], where: str) -> tuple[Points, Points, Triangles, Samples | None]:
        attributes = part.get("attributes")
        if not isinstance(attributes, dict) or "POSITION" not in attributes:
            raise InvalidAsset(f"{where} has a part without points")
        points = self.file.array(attributes["POSITION"], where)
        if points.shape[1] != 3 or not np.all(np.isfinite(points)) or np.abs(points).max(initial=0) > 1e6:
            raise InvalidAsset(f"{where} has points that are no places in space")
        normals = np.zeros_like(points)
        if "NORMAL" in attributes:
            given = self.file.array(attributes["NORMAL"], where)
            if given.shape == points.shape:
                normals = np.nan_to_num(given)
        weights = None
        if "COLOR_0" in attributes:
            given = self.file.array(attributes["COLOR_0"], where)
            weights = np.clip(np.nan_to_num(given[:, 0]), 0, 1) if len(given) == len(points) else None
        return points, normals, self._triangles(part, len(points), where), weights

    def _triangles(self, part: dict[str, Any], count: int, where: str) -> Triangles:
        if "indices" in part:
            order = self.file.array(part["indices"], where)[:, 0].astype(np.int64)
        else:
            order = np.arange(count)
        if order.max(initial=0) >= count or order.min(initial=0) < 0:
            raise InvalidAsset(f"{where} has triangles between points that are not there")
        mode = part.get("mode", 4)
        if mode == 4:
            return order[: len(order) // 3 * 3].reshape(-1, 3)
        if mode == 5 and len(order) > 2:
            rows = np.stack([order[:-2], order[1:-1], order[2:]], 1)
            rows[1::2] = rows[1::2][:, [1, 0, 2]]
            return rows
        if mode == 6 and len(order) > 2:
            return np.stack([np.full(len(order) - 2, order[0]), order[1:-1], order[2:]], 1)
        return np.empty((0, 3), np.int64)

    def _moves(self, animation: dict[str, Any], rows: list[dict[str, Any]]) -> dict[int, dict[str, list[Channel]]]:
        """What an animation moves: node -> path -> three channels."""
        found: dict[int, dict[str, list[Channel]]] = {}
        samplers = animation.get("samplers")
        for channel in animation.get("channels", []) if isinstance(animation.get("channels"), list) else []:
            target = channel.get("target", {}) if isinstance(channel, dict) else {}
            node, path = target.get("node"), target.get("path")
            if path not in PARTS or node is None:
                self.kept["animated weights and other things"] = 1
                continue
            if not isinstance(node, int) or isinstance(node, bool) or not 0 <= node < len(rows):
                raise InvalidAsset("An animation moves an object that is not there")
            place = channel.get("sampler")
            if not isinstance(samplers, list) or not isinstance(place, int) or not 0 <= place < len(samplers):
                raise InvalidAsset("An animation has a channel without a sampler")
            found.setdefault(node, {})[path] = self._channels(samplers[place], path)
        return found

    def _channels(self, sampler: Any, path: str) -> list[Channel]:
        if not isinstance(sampler, dict):
            raise InvalidAsset("An animation has a sampler that is none")
        seconds = self.file.array(sampler.get("input"), "An animation")[:, 0]
        values = self.file.array(sampler.get("output"), "An animation")
        way = sampler.get("interpolation", "LINEAR")
        cubic, width = way == "CUBICSPLINE", 4 if path == "rotation" else 3
        if values.shape[1] != width or len(values) != len(seconds) * (3 if cubic else 1):
            raise InvalidAsset("An animation's times and values do not fit each other")
        if not np.all(np.isfinite(seconds)) or not np.all(np.isfinite(values)) or np.any(np.diff(seconds) <= 0):
            raise InvalidAsset("An animation's times do not rise, or its values are no numbers")
        if len(seconds) > MOST_KEYS or seconds[-1] > 1e6 or np.abs(values).max() > 1e6:
            raise InvalidAsset("An animation is longer or larger than can be used")
        frames = self.first + seconds * self.fps
        if path == "rotation":
            return self._turning(seconds, frames, values, way)
        slopes_in, values, slopes_out = (values[0::3], values[1::3], values[2::3]) if cubic else (None, values, None)
        go: Go = "step" if way == "STEP" else "cubic" if cubic else "linear"
        return [
            Channel(
                keys=tuple(
                    Key(
                        frame=float(f), value=float(v), go=go,
                        slope_in=None if slopes_in is None else float(slopes_in[i, axis]),
                        slope_out=None if slopes_out is None else float(slopes_out[i, axis]),
                    )
                    for i, (f, v) in enumerate(zip(frames, values[:, axis], strict=True))
                )
            )
            for axis in range(3)
        ]  # fmt: skip

    def _turning(self, seconds: Samples, frames: Samples, values: NDArray[np.float64], way: str) -> list[Channel]:
        """Quaternion keys as Euler keys: as they are where straight lines between them stay close, else fitted."""
        if np.any(np.linalg.norm(values[1::3] if way == "CUBICSPLINE" else values, axis=1) < 1e-6):
            raise InvalidAsset("An animation has an orientation that is none")
        if way == "STEP" or len(seconds) == 1:
            own = values[1::3] if way == "CUBICSPLINE" else values
            angles = euler_angles(own / np.linalg.norm(own, axis=1, keepdims=True))
            return [_keyed(frames, angles[:, axis], "step" if way == "STEP" else "linear") for axis in range(3)]

        def at(moments: Samples) -> Quaternions:
            return sampled(way, seconds, values, (moments - self.first) / self.fps, True)

        return self._as_angles(frames, at)

    def _as_angles(self, frames: Samples, at: Callable[[Samples], Quaternions]) -> list[Channel]:
        """Keys of Euler angles for orientations over time: at the file's own keys, with straight lines between them
        where that is close, fitted where quarter frames tell all, else straight lines as dense as needed (near the pole
        angles turn fast where the orientation hardly does)."""
        places, angles = _dense(frames, at)
        if len(places) > MOST_KEYS:
            raise InvalidAsset("An animation is longer than can be used")
        lines = [_keyed(places, angles[:, axis], "linear") for axis in range(3)]
        first, last = float(frames[0]), float(frames[-1])
        count = int(np.floor((last - first) * PER_FRAME + 1e-9)) + 1
        if len(places) == len(frames) or not 3 <= count <= MOST_KEYS or np.diff(places).min() < 1 / PER_FRAME:
            return lines
        fine = first + np.arange((count - 1) * FINER + 1) / (PER_FRAME * FINER)
        true = at(fine)
        whole = euler_angles(np.concatenate([true, at(np.array([last]))]))
        fitted = [self._fitted(np.append(whole[:-1:FINER, axis], whole[-1, axis]), first, last) for axis in range(3)]
        read = np.stack([channel.curve(self.fps).at(fine, self.fps) for channel in fitted], 1)
        off = Turn.from_euler("XYZ", read, degrees=True).inv() * Turn.from_quat(true)
        return fitted if np.degrees(off.magnitude()).max() <= 2 * TURN_WITHIN else lines

    def _fitted(self, angles: Samples, first: float, last: float) -> Channel:
        """Keys of quarter frames from `first` on; the last sample stands at `last`, which may lie within one."""
        keys = fit(np.ascontiguousarray(angles[:-1]), first, self.fps, TURN_WITHIN)
        end = first + (len(angles) - 2) / PER_FRAME
        if last - end > 1e-6:
            keys = (*keys[:-1], keys[-1].replaced(go="linear"), Key(frame=last, value=float(angles[-1])))
        return Channel(keys=keys)


def _dense(frames: Samples, at: Callable[[Samples], Quaternions]) -> tuple[Samples, Points]:
    """(places,), (places, 3) moments between which straight lines of Euler angles keep within TURN_WITHIN, the given
    ones and halves between them as needed, and the angles there."""
    places = frames
    while True:
        inside = places[:-1, None] + np.diff(places)[:, None] * INSIDE
        whole = np.concatenate([places[:-1, None], inside], 1)
        # the writing is settled along all of them: it may change between two that lie far apart
        ends = euler_angles(at(np.append(whole.ravel(), places[-1])))[:: len(INSIDE) + 1]
        straight = ends[:-1, None] + (ends[1:] - ends[:-1])[:, None] * INSIDE[None, :, None]
        off = Turn.from_euler("XYZ", straight.reshape(-1, 3), degrees=True).inv() * Turn.from_quat(at(inside.ravel()))
        far = np.degrees(off.magnitude()).reshape(len(places) - 1, -1).max(axis=1) > TURN_WITHIN
        far &= np.diff(places) > LEAST_APART
        if not far.any() or len(places) > MOST_KEYS:
            return places, ends
        places = np.sort(np.concatenate([places, (places[:-1] + places[1:])[far] / 2]))


def _keyed(frames: Samples, values: Samples, go: str) -> Channel:
    keys = (
        Key.model_validate({"frame": float(f), "value": float(v), "go": go})
        for f, v in zip(frames, values, strict=True)
    )
    return Channel(keys=tuple(keys))


def _xyz(still: Samples, moves: list[Channel] | None) -> dict[str, float | Channel]:
    values: list[float | Channel] = [*moves] if moves else [float(v) for v in still]
    return dict(zip("xyz", values, strict=True))


def _transform(row: dict[str, Any], where: str) -> tuple[Samples, Samples, Samples]:
    """Position, quaternion and size of a node; a matrix is taken apart."""
    if "matrix" in row:
        matrix = _vector(row["matrix"], 16, where).reshape(4, 4).T
        scale = np.linalg.norm(matrix[:3, :3], axis=0)
        if np.linalg.det(matrix[:3, :3]) < 0:
            scale[0] = -scale[0]
        turn = matrix[:3, :3] / np.where(np.abs(scale) < 1e-12, 1.0, scale)
        if np.any(np.abs(scale) < 1e-12):
            return matrix[:3, 3], np.array([0.0, 0, 0, 1]), scale
        return matrix[:3, 3], Turn.from_matrix(turn).as_quat(), scale
    turn = _vector(row.get("rotation", [0, 0, 0, 1]), 4, where)
    if np.linalg.norm(turn) < 1e-6:
        raise InvalidAsset(f"{where} has an orientation that is none")
    place, size = _vector(row.get("translation", [0, 0, 0]), 3, where), _vector(row.get("scale", [1, 1, 1]), 3, where)
    return place, turn / np.linalg.norm(turn), size


def _sheared(row: dict[str, Any], turn: Samples, scale: Samples) -> bool:
    """Whether a node's matrix is more than a turn and a size."""
    matrix = np.array(row["matrix"], dtype=float).reshape(4, 4).T[:3, :3]
    said = Turn.from_quat(turn).as_matrix() * scale
    return bool(np.abs(said - matrix).max() > 1e-4 * max(1.0, float(np.abs(matrix).max())))


def _vector(value: Any, width: int, where: str) -> Samples:
    if not isinstance(value, list) or len(value) != width:
        raise InvalidAsset(f"{where} has {width} numbers that are not there")
    return np.array([_number(item, where) for item in value])


def _number(value: Any, where: str) -> float:
    if not isinstance(value, int | float) or isinstance(value, bool) or not abs(value) <= 1e6:
        raise InvalidAsset(f"{where} has '{str(value)[:30]}' where a number is needed")
    return float(value)


def _coded(light: Any, where: str) -> Color:
    """A colour as screens code it, from linear light."""
    r, g, b = (round(float(c), 6) for c in coded(_vector(light, 3, where)))
    return Color(r=r, g=g, b=b)


def _inner(row: Any, *way: str) -> Any:
    for name in way:
        row = row.get(name) if isinstance(row, dict) else None
    return row
