"""How the copies of a scatter lean in the air: two angles a frame, by the law of all that answers (layers/response.py).

    θ'' + 2ζω θ' + ω² θ = ω²·gain·u/u₁₀

for the air's parts along x and z of the scatter, at each copy's own root, with a frequency of its own. The air is read
twice a frame and taken as straight between; where ω and ζ stay, a step is a fixed matrix for each copy, worked out
once. Copies are gone through in blocks, so that nothing large is held.
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from lazzik.core.clock import Clock
from lazzik.core.evaluate.airflow import air, scatter_jumps, world_of
from lazzik.core.evaluate.copies import Copies
from lazzik.core.evaluate.evaluator import value_of
from lazzik.core.evaluate.quaternions import product
from lazzik.core.evaluate.scope import Scope
from lazzik.core.kernels import kernel
from lazzik.core.layers.breeze import USUAL
from lazzik.core.layers.oscillator import index_of, trailed
from lazzik.core.layers.response import Spring, pieces_for
from lazzik.core.scene.node import Node
from lazzik.core.scene.references import fields_for
from lazzik.core.scene.scatter import Scatter
from lazzik.core.scene.scene import Scene
from lazzik.core.types import PointBlock, Points, Quaternions, Samples

BLOCK = 512
"""Copies at once."""


def leans(
    scene: Scene, node: Node, copies: Copies, clock: Clock, scope: Scope, chosen: slice = slice(None)
) -> Iterator[tuple[slice, PointBlock]]:
    """How far copies lean toward x and z of the scatter, a block of copies after the other.

    Yields
    ------
    slice, (frames, copies, 2) array
        Radians.
    """
    scatter = node.scatter
    assert scatter is not None
    scope = scope.at(node.id)
    spring = Spring(
        lambda at: value_of(scatter, "frequency", at, scope), lambda at: value_of(scatter, "damping", at, scope)
    )
    pieces = pieces_for(clock, spring, lambda first, last: scatter_jumps(scene, node, first, last, scope), scatter.loop)
    omega, damping = (2 * np.pi * pieces.middle(spring.frequency), pieces.middle(spring.damping))
    place = pieces.place(clock)
    order = np.argsort(place, kind="stable")  # in a loop the last frame lies where the first does
    back = np.argsort(order)
    place = np.ascontiguousarray(place[order])
    start, stop, _ = chosen.indices(len(copies))
    for low in range(start, stop, BLOCK):
        part = slice(low, min(low + BLOCK, stop))
        before, after = pieces.read(lambda at, part=part: _push(scene, node, copies, part, at, scope))  # type: ignore[misc]
        out = np.empty((len(clock.frames), part.stop - part.start, 2))
        lean_all(
            pieces.seconds, np.ascontiguousarray(before), np.ascontiguousarray(after), omega, damping,
            np.ascontiguousarray(copies.stiffness[part]), scatter.loop is not None, place, out,
        )  # fmt: skip
        yield part, out[back]


def answers_air(scene: Scene, scatter: Scatter) -> bool:
    """Whether the copies of a scatter can lean."""
    return scatter.wind == "air" and bool(fields_for(scene, ""))


def leaning(turns: Quaternions, angles: Points) -> Quaternions:
    """Copies turned on by a lean: toward x about −z, toward z about x, both at once.

    Parameters
    ----------
    turns : (copies, 4) array
        x, y, z, w, as they stand at rest.
    angles : (copies, 2) array
        Radians toward x and z.

    Returns
    -------
    (copies, 4) array
        x, y, z, w.
    """
    whole = np.linalg.norm(angles, axis=1)
    share = np.where(whole > 1e-12, np.sin(whole / 2) / np.where(whole > 1e-12, whole, 1.0), 0.5)
    bend = np.stack([angles[:, 1] * share, np.zeros(len(angles)), -angles[:, 0] * share, np.cos(whole / 2)], axis=1)
    return product(bend, turns)


def _push(scene: Scene, node: Node, copies: Copies, part: slice, clock: Clock, scope: Scope) -> PointBlock:
    """(frames, copies, 2) radians to which the air would hold them."""
    world = world_of(scene, node, clock, scope)
    still = bool(np.all(world == world[:1]))
    matrices = world[:1] if still else world
    points = np.einsum("fij,nj->fni", matrices[:, :3, :3], copies.places[part]) + matrices[:, None, :3, 3]
    axes = np.swapaxes(matrices[:, :3, :3], 1, 2)
    axes = axes / np.maximum(np.linalg.norm(axes, axis=2, keepdims=True), 1e-12)
    blown = air(points, clock, scope)
    gain = np.radians(np.asarray(value_of(node.scatter, "gain", clock, scope))) / USUAL  # type: ignore[arg-type]
    along = np.einsum("fij,fnj->fni", np.broadcast_to(axes[:, [0, 2]], (len(blown), 2, 3)), blown)
    return np.asarray(along * np.reshape(gain, (-1, 1, 1)))


@kernel(
    "void(float64[::1], float64[:, :, ::1], float64[:, :, ::1], float64[::1], float64[::1], float64[::1], boolean,"
    " float64[::1], float64[:, :, ::1])"
)
def lean_all(
    seconds: Samples,
    before: PointBlock,
    after: PointBlock,
    omega: Samples,
    damping: Samples,
    stiffness: Samples,
    loop: bool,
    place: Samples,
    out: PointBlock,
) -> None:
    """Fill `out` with where each copy is at each moment.

    Parameters
    ----------
    seconds : (nodes,) array
        When the air was read.
    before, after : (nodes, copies, 2) arrays
        Where it would hold each, just before each node and just after it.
    omega, damping : (nodes − 1,) or (1,) arrays
        Radians per second; ratios to the critical one.
    stiffness : (copies,) array
        Times the frequency of each.
    place : (frames,) array
        Seconds from the first node, ascending.
    out : (frames, copies, 2) array
        Filled.
    """
    nodes, frames = seconds.shape[0], place.shape[0]
    usual = seconds[1] - seconds[0]
    for n in range(stiffness.shape[0]):
        k_w, k_d = omega[0] * stiffness[n], damping[0]
        # what a usual step makes of position, velocity, and the pushes at its ends
        yy, vy = trailed(1.0, 0.0, k_w, k_d, 0.0, 0.0, 0.0, usual)
        yv, vv = trailed(0.0, 1.0, k_w, k_d, 0.0, 0.0, 0.0, usual)
        ya, va = trailed(0.0, 0.0, k_w, k_d, 1.0, -1.0 / usual, 0.0, usual)
        yb, vb = trailed(0.0, 0.0, k_w, k_d, 0.0, 1.0 / usual, 0.0, usual)
        for side in range(2):
            y, v = (0.0, 0.0) if loop else (after[0, n, side], 0.0)
            rounds = 2 if loop else 1
            m00, m01, m10, m11 = 1.0, 0.0, 0.0, 1.0
            for turn in range(rounds):
                f = 0
                for k in range(nodes - 1):
                    h = seconds[k + 1] - seconds[k]
                    a, b = after[k, n, side], before[k + 1, n, side]
                    w, d = omega[index_of(omega, k)] * stiffness[n], damping[index_of(damping, k)]
                    if turn == rounds - 1:
                        while f < frames and (place[f] < seconds[k + 1] - 1e-12 or k == nodes - 2):
                            t = max(0.0, place[f] - seconds[k])
                            out[f, n, side] = y if t < 1e-12 else trailed(y, v, w, d, a, (b - a) / h, 0.0, t)[0]
                            f += 1
                    if abs(h - usual) < 1e-12 and w == k_w and d == k_d:
                        y, v = yy * y + yv * v + ya * a + yb * b, vy * y + vv * v + va * a + vb * b
                        if turn < rounds - 1:
                            m00, m10 = yy * m00 + yv * m10, vy * m00 + vv * m10
                            m01, m11 = yy * m01 + yv * m11, vy * m01 + vv * m11
                    else:
                        y, v = trailed(y, v, w, d, a, (b - a) / h, 0.0, h)
                        if turn < rounds - 1:
                            m00, m10 = trailed(m00, m10, w, d, 0.0, 0.0, 0.0, h)
                            m01, m11 = trailed(m01, m11, w, d, 0.0, 0.0, 0.0, h)
                if turn < rounds - 1:  # the state that returns to itself: (I − Φ)·s = b
                    p, q, r, s = 1.0 - m00, -m01, -m10, 1.0 - m11
                    whole = p * s - q * r
                    if abs(whole) > 1e-12:
                        y, v = (s * y - q * v) / whole, (p * v - r * y) / whole
