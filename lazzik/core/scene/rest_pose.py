"""Where objects stand and how large they are at rest: by the bases of their numbers alone, whatever their layers do."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from lazzik.core.channel.channel import Channel, base_value
from lazzik.core.deformers.extent import Extent
from lazzik.core.scene.node import EulerOrder, Node, Position, Rotation, Scale
from lazzik.core.scene.scene import Scene
from lazzik.core.types import Points, Samples


def rest_position(scene: Scene, node: Node) -> Samples:
    """Metres: the object's origin in the scene.

    Returns
    -------
    (3,) array
        Metres.
    """
    point = np.zeros(3)
    for here in scene.lineage(node):
        point = _outward(here, point[None])[0]
    return point


def extent(scene: Scene, node: Node) -> Extent:
    """How large an object is in its own space: its shape, or for one without the shapes below it; at least a speck."""
    if node.shape is not None:
        low, high = node.shape.mesh(scene.assets).bounds
    else:
        corners = _corners_below(scene, node)
        low, high = (corners.min(axis=0), corners.max(axis=0)) if len(corners) else (np.full(3, -0.5), np.full(3, 0.5))
    return Extent(tuple(low.tolist()), tuple(high.tolist()))


def largest_extent(scene: Scene, node: Node) -> float:
    """Metres that an object's shape at rest spans along its longest side; 1 for one without."""
    return float(np.max(node.shape.mesh(scene.assets).size)) if node.shape else 1.0


def across(scene: Scene, node: Node) -> float:
    """Metres that an object spans at rest along its longest side, by its own size: its shape, or the shapes below it;
    at least a millionth."""
    box = extent(scene, node)
    sides = (np.array(box.high) - np.array(box.low)) * np.abs(triple(node.scale))
    return max(float(sides.max()), 1e-6)


def _corners_below(scene: Scene, node: Node) -> Points:
    rows: list[Points] = []
    for child in scene.below.get(node.id, ()):
        if child.shape is not None:
            low, high = child.shape.mesh(scene.assets).bounds
            box = np.array([[(low, high)[k >> axis & 1][axis] for axis in range(3)] for k in range(8)])
            rows.append(_outward(child, box))
        rows.append(_outward(child, _corners_below(scene, child)))
    return np.concatenate(rows) if rows else np.empty((0, 3))


def _outward(node: Node, points: Points) -> Points:
    """(n, 3) points of an object's space in the space of the object above."""
    if not len(points):
        return points
    matrix = matrix_of(triple(node.position), triple(node.rotation), node.rotation.order, triple(node.scale))
    out: Points = points @ matrix[:3, :3].T + matrix[:3, 3]
    return out


def matrix_of(position: Samples, angles: Samples, order: EulerOrder, scale: Samples) -> Samples:
    """T · R · S: sized, then turned about own axes in the written order, then moved.

    Parameters
    ----------
    position : (3,) array
        Metres.
    angles : (3,) array
        Degrees about x, y, z.
    scale : (3,) array
        Factors.

    Returns
    -------
    (4, 4) array
        From the object's space to that of the object above, metres.
    """
    from scipy.spatial.transform import Rotation as Turn

    turn = Turn.from_euler(order.upper(), [angles["xyz".index(axis)] for axis in order], degrees=True)
    matrix: Samples = np.eye(4)
    matrix[:3, :3] = turn.as_matrix() * scale
    matrix[:3, 3] = position
    return matrix


def triple(part: Position | Rotation | Scale) -> Samples:
    """The bases of x, y and z.

    Returns
    -------
    (3,) array
        In the part's unit.
    """
    return np.array([base_value(part.x), base_value(part.y), base_value(part.z)])


def placement(scene: Scene, node: Node, frame: float | None = None) -> NDArray[np.float64]:
    """An object's place in the scene by the bases of its numbers, T · R · S of it and of all above it.

    Returns
    -------
    (4, 4) array
        From the object's space to the scene's, metres.
    """
    out: NDArray[np.float64] = np.eye(4)
    for here in scene.lineage(node):
        out = _own(here, frame, scene.fps) @ out
    return out


def _own(node: Node, frame: float | None, fps: float) -> NDArray[np.float64]:
    position, angles, scale = (bases_at(part, frame, fps) for part in (node.position, node.rotation, node.scale))
    return matrix_of(position, angles, node.rotation.order, scale)


def bases_at(part: Position | Rotation | Scale, frame: float | None, fps: float) -> NDArray[np.float64]:
    """The bases of x, y and z of a part: constants, or the curve through the keys at a frame.

    Returns
    -------
    (3,) array
        In the part's unit.
    """

    def base(number: float | Channel) -> float:
        if frame is None or not isinstance(number, Channel) or not number.keys:
            return base_value(number)
        return float(number.curve(fps).at(np.array([frame]), fps)[0])

    return np.array([base(part.x), base(part.y), base(part.z)])
