"""Outlines of the scene in a chosen view as an animated SVG (W3C SVG 1.1 with SMIL).

The outline of a surface is the edge of what faces the viewer: of all triangles whose picture is anticlockwise, the
directed edges that no other of them runs through backwards. They close into loops, and filling these by the non-zero
rule covers exactly what the triangles cover. Each object is one path; where it moves, its `d` changes from picture to
picture. What lies in front is settled at the first frame.
"""

from __future__ import annotations

from collections.abc import Sequence
from html import escape
from itertools import groupby
from typing import Annotated, ClassVar, Literal, NamedTuple

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from lazzik.core.bake.real import MOST_REAL, with_objects
from lazzik.core.clock import Clock
from lazzik.core.document import Quantity
from lazzik.core.evaluate.evaluator import value_of
from lazzik.core.evaluate.memo import Memo
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.shapes import hangs_as_cloth, shapes_over_time, surface_moves
from lazzik.core.evaluate.transforms import moves, world
from lazzik.core.formats.base import NOTHING, Format, Made, Written
from lazzik.core.formats.silhouette import NEAR, Silhouette
from lazzik.core.progress import UNHEARD, Progress
from lazzik.core.scene.node import Look, Node
from lazzik.core.scene.scene import Scene
from lazzik.core.simulate.draped import surface_seen
from lazzik.core.types import Points, Samples

View = Literal["camera", "front", "side", "top"]

MARGIN = 0.06
"""Part of the picture's width and height that is left free around the scene in the views without a camera."""

IN_A_PIECE = 32
"""Pictures of an object that are drawn together at most."""

AXES: dict[str, NDArray[np.float64]] = {
    "front": np.array([[1.0, 0, 0], [0, 1, 0], [0, 0, 1]]),
    "side": np.array([[0.0, 0, -1], [0, 1, 0], [1, 0, 0]]),
    "top": np.array([[1.0, 0, 0], [0, 0, -1], [0, 1, 0]]),
}
"""Rows: what goes right, up and toward the viewer."""


class AnimatedSvg(Format):
    """Moving outlines for web pages."""

    name: ClassVar[str] = "svg"
    title: ClassVar[str] = "Outlines"
    standard: ClassVar[str] = "animated SVG"
    ending: ClassVar[str] = "svg"
    media: ClassVar[str] = "image/svg+xml"
    use: ClassVar[str] = "For web pages and drawing programs: moves by itself in any browser, sharp at any size."
    carries: ClassVar[str] = (
        "The outline of each object in the chosen view, filled with its colour, on every n-th frame, "
    )
    carries += "over and over."
    leaves: ClassVar[str] = (
        "Light and shade; edges within an outline; changes of what lies in front, which is settled at the first frame; "
        "copies of what is scattered beyond the number below; particles, unless they are made objects; swarms."
    )

    view: View = "camera"
    every: Annotated[int, Field(ge=1, le=1000), Quantity("fr", "Frames from one picture to the next.")] = 2
    width: Annotated[int, Field(ge=16, le=8192), Quantity("px", "Width of the picture.")] = 960
    height: Annotated[int, Field(ge=16, le=8192), Quantity("px", "Height of the picture.")] = 540
    copies: Annotated[int, Field(ge=0, le=MOST_REAL), Quantity(help="So many copies of each scatter are drawn.")] = 100

    def deliver(
        self, scene: Scene, progress: Progress = UNHEARD, memo: Memo | None = None, made: Made = NOTHING
    ) -> Written:
        """The document as UTF-8."""
        scene, shown = self._shown(scene, memo)
        parts = self._parts(scene, shown)
        outlines = {**made, **self._drawn(scene, [part for part in parts if part not in made], progress, memo)}
        drawn = {
            slug: _joined([outlines[part] for part in own]) for slug, own in groupby(parts, key=lambda part: part.node)
        }
        order = sorted(shown, key=lambda node: -drawn[node.id].distance)
        seconds = (scene.last - scene.first + 1) / scene.fps
        scope = Scope(scene, memo, [])
        body = "\n".join(_path(node, drawn[node.id].paths, seconds, scope, scene) for node in order)
        head = (
            f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {self.width} {self.height}" width="{self.width}" '
            f'height="{self.height}">\n<title>{escape(scene.name)}</title>\n'
            f'<g fill-rule="nonzero" stroke="#1F2B2E" stroke-width="1" stroke-linejoin="round">\n'
        )
        return Written(f"{head}{body}\n</g>\n</svg>\n".encode())

    def pieces(self, scene: Scene) -> list[Section]:
        """Objects that are seen, those of which pictures may differ some pictures at a time."""
        scene, shown = self._shown(scene, None)
        return self._parts(scene, sorted(shown, key=lambda node: not shapes_over_time(scene, node)))

    def make(self, scene: Scene, pieces: Sequence[Section], progress: Progress, memo: Memo | None = None) -> Made:
        """The outlines of some of them."""
        scene, _ = self._shown(scene, memo)
        return self._drawn(scene, pieces, progress, memo)

    def _shown(self, scene: Scene, memo: Memo | None) -> tuple[Scene, list[Node]]:
        """The scene with copies that are objects, and what is drawn of it."""
        scene = with_objects(scene, self.copies, Scope(scene, memo, []))
        return scene, [node for node in scene.nodes if node.shape is not None and node.visible]

    def _frames(self, scene: Scene) -> Samples:
        """(pictures,) the frames that are drawn."""
        return np.arange(scene.first, scene.last + 1, self.every, dtype=np.float64)

    def _camera(self, scene: Scene) -> Node | None:
        """The camera that it is seen from, if it is."""
        return next((node for node in scene.nodes if node.camera is not None), None) if self.view == "camera" else None

    def _parts(self, scene: Scene, shown: Sequence[Node]) -> list[Section]:
        """The pictures of some objects, cut in time where they may differ. Those of cloth are not: whoever has no run
        of it at hand works it out from the first frame, so the second part would take as long as both."""
        count, camera = len(self._frames(scene)), self._camera(scene)
        roams = camera is not None and any(moves(scene, part) for part in scene.lineage(camera))
        out = []
        for node in shown:
            differ = roams or surface_moves(scene, node) or any(moves(scene, part) for part in scene.lineage(node))
            most = IN_A_PIECE if differ and not hangs_as_cloth(node) else count
            out += [Section(node.id, start, min(start + most, count)) for start in range(0, count, most)]
        return out

    def _drawn(
        self, scene: Scene, parts: Sequence[Section], progress: Progress, memo: Memo | None
    ) -> dict[Section, Outlines]:
        clock = Clock(scene.fps, scene.first, self._frames(scene))
        scope = Scope(scene, memo, [])
        eye = self._eye(scene, clock, scope)
        out: dict[Section, Outlines] = {}
        for slug, own in groupby(parts, key=lambda part: part.node):
            node = scene.node(slug)
            assert node.shape is not None
            silhouette = Silhouette(node.shape.mesh(scene.assets))
            for part in own:
                progress.report(len(out) / len(parts), node.label)
                now = clock.at(clock.frames[part.start : part.end])
                out[part] = _outlines(scene, node, now, scope, eye.between(part.start, part.end), silhouette)
        return out

    def _eye(self, scene: Scene, clock: Clock, scope: Scope) -> Eye:
        camera = self._camera(scene)
        if camera is not None and camera.camera is not None:
            view = np.broadcast_to(
                np.asarray(value_of(camera.camera, "view", clock, scope.at(camera.id))), clock.frames.shape
            )
            scale = (self.height / 2 / np.tan(np.radians(view) / 2)).astype(np.float64)
            inverse = np.linalg.inv(world(scene, camera, clock, scope)).astype(np.float64)
            return Eye(inverse, scale, self.width / 2, self.height / 2, True)
        axes = AXES[self.view if self.view != "camera" else "front"]
        corners = [_corners(scene, node, clock, scope) for node in scene.nodes if node.shape and node.visible]
        points = (np.concatenate(corners) if corners else np.zeros((1, 3))) @ axes.T
        low, high = points.min(axis=0), points.max(axis=0)
        room = np.maximum(high - low, 1e-6)[:2]
        scale_by = float(np.min(np.array([self.width, self.height]) * (1 - 2 * MARGIN) / room))
        middle = (low + high) / 2
        matrix = np.eye(4)
        matrix[:3, :3] = axes
        matrix[:3, 3] = [-middle[0], -middle[1], -high[2]]
        still = np.full(len(clock.frames), scale_by)
        return Eye(np.tile(matrix, (len(clock.frames), 1, 1)), still, self.width / 2, self.height / 2, False)


class Eye:
    """From the scene to the picture, at each moment of a clock."""

    def __init__(
        self, matrices: NDArray[np.float64], scale: NDArray[np.float64], x: float, y: float, perspective: bool
    ) -> None:
        self.matrices, self.scale, self.x, self.y, self.perspective = matrices, scale, x, y, perspective
        self.still = bool(np.all(matrices == matrices[0]) and np.all(scale == scale[0]))

    def between(self, start: int, end: int) -> Eye:
        """The same at some of the moments alone, which follow one another."""
        return Eye(self.matrices[start:end], self.scale[start:end], self.x, self.y, self.perspective)

    def seen(self, points: Points, index: int) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """((n, 2) pixels, right and down, (n,) metres before the viewer).

        Parameters
        ----------
        points : (n, 3) array
            Metres, in the scene.

        Returns
        -------
        ((n, 2) array, (n,) array)
            Pixels, right and down; metres before the viewer.
        """
        there = points @ self.matrices[index][:3, :3].T + self.matrices[index][:3, 3]
        depth = -there[:, 2]
        near = np.maximum(depth, NEAR)[:, None] if self.perspective else 1.0
        flat = self.scale[index] * there[:, :2] / near
        return np.column_stack([self.x + flat[:, 0], self.y - flat[:, 1]]), depth


class Section(NamedTuple):
    """Those of an object's pictures that are drawn together: from the one at `start` until before that at `end`."""

    node: str
    start: int
    end: int


class Outlines(NamedTuple):
    """What is drawn of an object in some pictures that follow one another."""

    paths: list[str]
    """The `d` of its path in each of them."""
    distance: float
    """How far it is in the first."""


def _joined(parts: Sequence[Outlines]) -> Outlines:
    """Parts that follow one another as one; of what looks the same throughout, a single picture."""
    paths = [path for part in parts for path in part.paths]
    return Outlines(paths[:1] if all(path == paths[0] for path in paths) else paths, parts[0].distance)


def _outlines(scene: Scene, node: Node, clock: Clock, scope: Scope, eye: Eye, silhouette: Silhouette) -> Outlines:
    assert node.shape is not None
    motion = surface_seen(scene, node, clock, scope) if shapes_over_time(scene, node) else None
    places = world(scene, node, clock, scope)
    still = eye.still and bool(np.all(places == places[0])) and (motion is None or motion.still)
    paths, distance = [], 0.0
    moments = 1 if still else len(clock.frames)
    moving = motion.each(0, moments) if motion is not None and not motion.still else None
    first = motion.points(0) if motion is not None and motion.still else node.shape.mesh(scene.assets).points
    for index in range(moments):
        points = first if moving is None else next(moving)[1]
        placed = points @ places[index][:3, :3].T + places[index][:3, 3]
        flat, depth = eye.seen(placed, index)
        if index == 0:
            distance = float(depth.mean())
        paths.append(silhouette.path(flat, depth if eye.perspective else None))
    return Outlines(paths * (len(clock.frames) if still else 1), distance)


def _corners(scene: Scene, node: Node, clock: Clock, scope: Scope) -> Points:
    """The corners of an object's box at rest, where they are at each moment."""
    assert node.shape is not None
    points = node.shape.mesh(scene.assets).points
    low, high = points.min(axis=0), points.max(axis=0)
    box = np.array([[(low, high)[k >> axis & 1][axis] for axis in range(3)] for k in range(8)])
    places = world(scene, node, clock, scope)
    moved: Points = np.einsum("fij,nj->fni", places[:, :3, :3], box) + places[:, None, :3, 3]
    return moved.reshape(-1, 3)


def _path(node: Node, paths: list[str], seconds: float, scope: Scope, scene: Scene) -> str:
    look = node.look or Look()
    now = Clock.over(scene.fps, scene.first, scene.first)
    parts = [float(np.ravel(value_of(look.color, name, now, scope.at(node.id)))[0]) for name in "rgb"]
    code = "".join(f"{round(255 * part):02X}" for part in parts)
    head = f'<path id="{node.id}" fill="#{code}" d="{paths[0]}"><title>{escape(node.label)}</title>'
    if len(paths) == 1:
        return f"{head}</path>"
    values = ";".join(paths)
    return (
        f'{head}<animate attributeName="d" dur="{seconds:.6g}s" repeatCount="indefinite" calcMode="discrete" '
        f'values="{values}"/></path>'
    )
