"""What a scatter repeats: its sources with all below them, in as many shifts of time as it has variants.

A copy stands as its source does, but for where that is: T of the source is left out, R and S are kept. Variant v is the
source v/variants · shift seconds later, its transforms and its surfaces; in a loop the shifted time wraps. Sources that
stand still have one variant.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lazzik.core.clock import Clock
from lazzik.core.evaluate.evaluator import value_of
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.shapes import surface_moves
from lazzik.core.evaluate.transforms import moves, transforms
from lazzik.core.scene.node import Node
from lazzik.core.scene.scatter import Scatter
from lazzik.core.scene.scene import Scene
from lazzik.core.types import Matrices, Points, Quaternions, Samples


@dataclass(frozen=True, eq=False)
class Part:
    """A shape of a source, in one of its shifts of time."""

    node: Node
    matrices: Matrices
    """(frames or 1, 4, 4) from the shape's space to that of a copy."""
    clock: Clock
    """The moments at which its surface is to be worked out."""


def repeated(scene: Scene, source: Node) -> list[Node]:
    """The shapes of a source that copies have: its own even where it is hidden, and those below it that are seen."""
    return [here for here in scene.within(source) if here.shape is not None and (here.visible or here is source)]


def lent(scene: Scene) -> frozenset[str]:
    """Hidden objects whose shapes are seen in copies."""
    seen = [node for node in scene.nodes if node.visible]
    sources = {slug for node in seen if node.scatter for slug in node.scatter.sources}
    flown = [node.emitter for node in seen if node.emitter and node.emitter.drawn == "copies"]
    sources |= {emitter.copy_of for emitter in flown if emitter.copy_of is not None}
    return frozenset(here.id for slug in sources for here in repeated(scene, scene.node(slug)) if not here.visible)


def parts_of(scene: Scene, node: Node, place: int, variant: int, clock: Clock, scope: Scope) -> list[Part]:
    """The shapes of one of a scatter's sources in one of its variants."""
    scatter = node.scatter
    assert scatter is not None
    source = scene.node(scatter.sources[place])
    later = shifted(scene, scatter, variant, clock, scope.at(node.id)) if source_moves(scene, source) else clock
    return parts_at(scene, source, later, scope)


def parts_at(scene: Scene, source: Node, clock: Clock, scope: Scope) -> list[Part]:
    """The shapes of an object and of all below it over the moments of a clock, but for where the object stands."""
    at = clock if _turns(scene, source) else clock.once
    shapes = repeated(scene, source)
    rows: dict[str | None, Matrices] = {}
    found = []
    for here in scene.within(source):
        own = transforms(here, at, scope)
        from scipy.spatial.transform import Rotation as Turn

        matrix = np.tile(np.eye(4), (len(at.frames), 1, 1))
        matrix[:, :3, :3] = Turn.from_quat(own.orientation).as_matrix() * own.scale[:, None, :]
        if here is not source:
            matrix[:, :3, 3] = own.position
            matrix = rows[here.parent] @ matrix
        rows[here.id] = matrix
        if here in shapes:
            found.append(Part(here, matrix, clock))
    return found


def kinds_of(scene: Scene, scatter: Scatter) -> list[tuple[int, int | None]]:
    """What copies may be of: (source, shift of time), without a shift for a source that stands still."""
    return [
        (place, variant)
        for place, slug in enumerate(scatter.sources)
        for variant in (range(scatter.variants) if source_moves(scene, scene.node(slug)) else (None,))
    ]


def source_moves(scene: Scene, source: Node) -> bool:
    """Whether anything of a source changes its place, turn, size or surface over time."""
    return _turns(scene, source) or any(surface_moves(scene, here) for here in scene.within(source))


def _turns(scene: Scene, source: Node) -> bool:
    """Whether a transform within it does."""
    below = any(moves(scene, here) for here in scene.within(source) if here is not source)
    return below or moves(scene, source, ("rotation", "scale"))


def shifted(scene: Scene, scatter: Scatter, variant: int, clock: Clock, scope: Scope) -> Clock:
    """The clock of a variant."""
    later = clock.elapsed + ahead(scatter, variant, clock, scope) * scene.fps
    if scatter.loop is not None:
        later = np.mod(later, scatter.loop)
    return clock.at(clock.first + later)


def ahead(scatter: Scatter, variant: int, clock: Clock, scope: Scope) -> float:
    """Seconds by which a variant is ahead of the source."""
    first = clock.start
    return float(np.ravel(value_of(scatter, "shift", first, scope))[0]) * variant / max(1, scatter.variants)


def instances(
    places: Points, turns: Quaternions, sizes: Samples, matrix: NDArray[np.float64]
) -> tuple[Points, Quaternions, Points]:
    """Copies of a part as place, turn and size each: copy · part. A shear in the part, which these can't say, is left
    out.

    Parameters
    ----------
    places : (n, 3) array
        Metres, where copies stand.
    turns : (n, 4) array
        x, y, z, w.
    sizes : (n,) array
        Times.
    matrix : (4, 4) array
        From the part's space to that of a copy.

    Returns
    -------
    ((n, 3) array, (n, 4) array, (n, 3) array)
        Metres; x, y, z, w; times.
    """
    from scipy.spatial.transform import Rotation as Turn

    scale = np.linalg.norm(matrix[:3, :3], axis=0)
    scale[0] *= 1.0 if np.linalg.det(matrix[:3, :3]) >= 0 else -1.0
    own = Turn.from_matrix(matrix[:3, :3] / np.where(scale == 0, 1.0, scale))
    turn = Turn.from_quat(turns)
    moved = turn.apply(np.array(matrix[:3, 3])) * sizes[:, None] + places
    q: Quaternions = (turn * own).as_quat()
    return np.asarray(moved), q, np.asarray(sizes[:, None] * scale)


def placed(
    places: Points, turns: Quaternions, sizes: Samples, above: NDArray[np.float64]
) -> tuple[Points, Quaternions, Samples]:
    """Copies as they are in the space above their scatter's own: above · copy, with one size each. What is above in
    different sizes along its axes gives their mean, the one that keeps the volume.

    Parameters
    ----------
    places : (n, 3) array
        Metres, where copies stand.
    turns : (n, 4) array
        x, y, z, w.
    sizes : (n,) array
        Times.
    above : (4, 4) array
        From the scatter's space to the one above it.

    Returns
    -------
    ((n, 3) array, (n, 4) array, (n,) array)
        Metres; x, y, z, w; times.
    """
    from scipy.spatial.transform import Rotation as Turn

    part = above[:3, :3]
    axes = Turn.from_matrix(part / np.maximum(np.linalg.norm(part, axis=0), 1e-12))
    q: Quaternions = (axes * Turn.from_quat(turns)).as_quat() if len(turns) else turns
    return places @ part.T + above[:3, 3], q, sizes * float(np.cbrt(abs(np.linalg.det(part))))
