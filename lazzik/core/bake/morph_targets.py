"""Baking a deformation to shape targets: the fewest shapes whose weighted sum stays within a tolerance of every point.

The moved points of all whole frames as rows of D (frames, 3n) have the singular value decomposition D = U S Vᵀ, found
from the eigenvectors of D·Dᵀ, which is small; the first K rows of Vᵀ are the shapes that leave the least squared error
(C. Eckart, G. Young, 'The approximation of one matrix by another of lower rank', Psychometrika 1, 1936), and K grows
until the farthest point of any frame and sub-frame is within the tolerance. Weights are keyed on whole frames and go
straight between them; where that would miss at a sub-frame, they get keys between frames too.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lazzik.core.channel.channel import Channel
from lazzik.core.channel.keys import Key
from lazzik.core.clock import Clock
from lazzik.core.errors import InvalidEdit
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.shapes import acting, hangs_as_cloth
from lazzik.core.evaluate.surface import Surface
from lazzik.core.fitting.minimax import PER_FRAME
from lazzik.core.geometry.assets import pack_targets
from lazzik.core.progress import UNHEARD, Progress
from lazzik.core.scene.morph_targets import MOST_TARGETS, ShapeTargets, Target
from lazzik.core.scene.node import Node
from lazzik.core.scene.scene import Scene
from lazzik.core.simulate.draped import surface_seen
from lazzik.core.types import Samples

SHARE = 0.9
"""Part of the tolerance that the shapes may use up; the rest is for weights that go straight between frames."""

SPARE = 8
"""Shapes beyond those that whole frames need, for samples between them."""

PART = 2**16
"""Numbers that are looked at at once."""

LARGEST_MOTION = 400 * 2**20
"""Bytes of points that are held at once."""


@dataclass(frozen=True, eq=False)
class Fitted:
    """Shapes and weights."""

    offsets: NDArray[np.float64]
    """(targets, n, 3) metres."""
    normals: NDArray[np.float64]
    """(targets, n, 3) what each adds to the normals."""
    frames: Samples
    """(keys,) frames on which the weights are keyed."""
    weights: NDArray[np.float64]
    """(keys, targets)."""
    worst: float


def bake_shape(
    scene: Scene, node: Node, first: int, last: int, tolerance: float, scope: Scope, progress: Progress = UNHEARD
) -> ShapeTargets:
    """An object's deformation over a range as shape targets; its own deformers are what they stand for.

    Raises InvalidEdit if there is nothing to bake, or too much, and Stopped.
    """
    own = bakeable(scene, node, first, last)
    if not 1e-7 <= tolerance <= 1e3:
        raise InvalidEdit(f"The tolerance must lie above zero; {tolerance:g} m was given", "tolerance")
    clock = Clock.over(scene.fps, scene.first, last, start=first, per_frame=PER_FRAME)
    fitted = fit_targets(
        surface_seen(scene, node, clock, scope, own=True, progress=progress), tolerance, progress=progress
    )
    name = scene.assets.put(pack_targets(fitted.offsets, fitted.normals))
    rows = tuple(
        Target(
            id=f"shape_{k + 1}",
            label=f"Shape {k + 1}",
            weight=Channel(
                keys=tuple(
                    Key(frame=float(frame), value=float(value), go="linear")
                    for frame, value in zip(fitted.frames, fitted.weights[:, k], strict=True)
                )
            ),
        )
        for k in range(len(fitted.offsets))
    )
    return ShapeTargets(
        asset=name, rows=rows, first=first, last=last, tolerance=tolerance, worst=fitted.worst,
        points=fitted.offsets.shape[1], switched_off=own, was_cloth=hangs_as_cloth(node),
    )  # fmt: skip


def bakeable(scene: Scene, node: Node, first: int, last: int) -> tuple[str, ...]:
    """The deformers of its own that a bake of an object's shape stands for. Raises InvalidEdit if it can't be baked."""
    own = tuple(deformer.id for owner, deformer in acting(scene, node) if owner is node)
    if node.shape is None or not (own or hangs_as_cloth(node)):
        raise InvalidEdit(
            f"{node.label} has no deformer that acts and is no cloth, so there is nothing to bake", node.id
        )
    if first >= last:
        raise InvalidEdit(f"A bake needs two frames or more; {first} to {last} were given", "first")
    return own


def fit_targets(
    motion: Surface,
    tolerance: float,
    most: int = MOST_TARGETS,
    progress: Progress = UNHEARD,
    *,
    sizes: bool = False,
) -> Fitted:
    """The shapes and weights of a surface over a clock of whole frames and sub-frames: what its deformers do, and with
    `sizes` what its changing sizes do too. Raises InvalidEdit, Stopped."""
    clock, count = motion.clock, len(motion.rest.points)
    if 8 * 3 * count * len(clock.frames) > LARGEST_MOTION:
        raise InvalidEdit(f"{count:,} points over {len(clock.frames):,} samples are too many to bake at once", "range")
    moved = np.empty((len(clock.frames), count * 3))
    for index, points in motion.each():
        progress.report(0.4 * index / len(moved), "points of each frame")
        still = motion.rest.points if sizes else motion.rest_plain(index)
        moved[index] = (points - still).ravel()
    if motion.still:
        moved[:] = moved[0]
    if not moved.any():  # it only seems to move: one shape that never counts
        moved = moved + 0.0
        moved[0, 0] = 0.1 * tolerance
    k, basis = 0, np.empty((0, count * 3))
    progress.report(0.4, "the fewest shapes")
    for step in (PER_FRAME, 1):  # whole frames nearly always tell all; where they do not, every sample is asked
        basis = _basis(moved[::step], most, (SHARE * tolerance) ** 2)
        k = _fewest(moved, basis, SHARE * tolerance, progress)
        if k <= len(basis):
            break
    if k > min(most, len(basis)):
        raise InvalidEdit(
            f"{motion.node.label} would need more than {most} shapes for {tolerance:g} m; allow more, or move it less",
            "tolerance",
        )
    shapes = basis[:k]
    weights = moved @ shapes.T
    # each shape as large as its largest use, so that weights lie within one
    reach = np.maximum(np.abs(weights).max(axis=0), 1e-12)
    weights, shapes = weights / reach, shapes * reach[:, None]
    keyed, worst = _keyed(moved, shapes, weights, tolerance, progress)
    places = np.flatnonzero(keyed)
    turned = np.empty((len(places[::PER_FRAME]) or 1, count * 3))
    for row, index in enumerate(places[::PER_FRAME]):
        still = motion.rest.points if sizes else motion.rest_plain(index)
        turned[row] = (motion.normals(moved[index].reshape(count, 3) + still) - motion.rest.normals).ravel()
    normals = np.linalg.lstsq(weights[places[::PER_FRAME]], turned, rcond=None)[0]
    return Fitted(shapes.reshape(k, count, 3), normals.reshape(k, count, 3), clock.frames[keyed], weights[keyed], worst)


def _basis(rows: NDArray[np.float64], most: int, negligible: float) -> NDArray[np.float64]:
    """(at most `most` + 1, 3n) the right singular vectors of rows, the strongest first: as many as leave no more than
    what is negligible (square metres) of all rows together, and so of any point, and some for what lies between."""
    squares, u = np.linalg.eigh(rows @ rows.T)
    squares, u = squares[::-1], u[:, ::-1]
    strong = squares > 1e-18 * max(float(squares[0]), 1e-300)
    left = np.cumsum(np.maximum(squares, 0.0)[::-1])[::-1]
    enough = int(np.argmax(left <= negligible)) + SPARE if left[-1] <= negligible else len(left)
    basis = u[:, strong][:, : min(most + 1, max(enough, 1))].T @ rows
    out: NDArray[np.float64] = np.linalg.qr(basis.T)[0].T  # once more at right angles: squaring cost half the digits
    return out


def _fewest(moved: NDArray[np.float64], basis: NDArray[np.float64], allowed: float, progress: Progress) -> int:
    """How many of the shapes bring every point within what is allowed; one more than there are if all do not.

    Found by doubling, then by halving the interval: what is left shrinks with every shape but for a hair.
    """

    def fits(k: int, rows: NDArray[np.float64]) -> bool:
        progress.report(0.5, "the fewest shapes")
        shapes = basis[:k]
        weights = rows @ shapes.T
        return all(_squares(rows[part] - weights[part] @ shapes).max() <= allowed**2 for part in _parts(rows))

    few = moved[::PER_FRAME]  # whole frames find the number; all samples are asked once it is found
    low, high = 0, 1
    while high < len(basis) and not fits(high, few):
        low, high = high, high * 2
    high = min(high, len(basis))
    while high - low > 1:
        middle = (low + high) // 2
        low, high = (low, middle) if fits(middle, few) else (middle, high)
    while high <= len(basis) and not fits(high, moved):
        high += 1
    return high


def _keyed(
    moved: NDArray[np.float64],
    shapes: NDArray[np.float64],
    weights: NDArray[np.float64],
    tolerance: float,
    progress: Progress,
) -> tuple[NDArray[np.bool_], float]:
    """Which samples are keyed so that all are within the tolerance, and how far the farthest point is then."""
    samples = np.arange(len(weights))
    keyed = samples % PER_FRAME == 0
    keyed[-1] = True
    while True:
        progress.report(0.75, "keys of the weights")
        between = np.stack([np.interp(samples, samples[keyed], column[keyed]) for column in weights.T], 1)
        off = np.sqrt(
            np.concatenate([_squares(moved[part] - between[part] @ shapes).max(axis=1) for part in _parts(moved)])
        )
        missed = (off > tolerance) & ~keyed
        if not missed.any():
            return keyed, float(off.max())
        keyed |= missed


def _parts(rows: NDArray[np.float64]) -> list[slice]:
    """Rows that a processor keeps at hand, one part after the other."""
    size = max(1, PART // max(1, rows.shape[1]))
    return [slice(start, start + size) for start in range(0, len(rows), size)]


def _squares(off: NDArray[np.float64]) -> NDArray[np.float64]:
    """(samples, n) squared distances from (samples, 3n) offsets."""
    apart = off.reshape(len(off), -1, 3)
    out: NDArray[np.float64] = np.einsum("ijk,ijk->ij", apart, apart)
    return out
