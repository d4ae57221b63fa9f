"""How the copies of a scatter lean in the air: two angles a frame, by the law of all that answers (layers/response.py).

    θ'' + 2ζω θ' + ω² θ = ω²·gain·u/u₁₀

for the air's parts along x and z of the scatter, at each copy's own root, with a frequency of its own. The air is read
twice a frame and taken as straight between. Copies are gone through in blocks, on all cores, so that nothing large is
held.
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from lazzik.core.clock import Clock
from lazzik.core.evaluate.airflow import air, scatter_jumps, world_of
from lazzik.core.evaluate.copies import Copies
from lazzik.core.evaluate.evaluator import value_of
from lazzik.core.evaluate.scope import Scope
from lazzik.core.geometry.quaternions import product
from lazzik.core.layers.breeze import USUAL
from lazzik.core.layers.oscillator import TURN
from lazzik.core.layers.response import Spring, answer_to, pieces_for
from lazzik.core.scene.node import Node
from lazzik.core.scene.references import fields_for
from lazzik.core.scene.scatter import Scatter
from lazzik.core.scene.scene import Scene
from lazzik.core.threads import MOST, at_once
from lazzik.core.types import PointBlock, Points, Quaternions

BLOCK = 128
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
    omega, damping = (TURN * pieces.middle(spring.frequency), pieces.middle(spring.damping))

    def lean(part: slice) -> PointBlock:
        before, after = pieces.read(lambda at: _push(scene, node, copies, part, at, scope))
        flat = (len(after), 2 * (part.stop - part.start))
        stiffness = np.repeat(copies.stiffness[part], 2)  # of both angles
        ratios = np.repeat(damping[:, None], len(stiffness), axis=1)
        out = answer_to(before.reshape(flat), after.reshape(flat), omega[:, None] * stiffness, ratios, pieces, clock)
        return out.reshape(len(out), -1, 2)

    start, stop, _ = chosen.indices(len(copies))
    parts = [slice(low, min(low + BLOCK, stop)) for low in range(start, stop, BLOCK)]
    # the first alone: the numbers of the fields are worked out with it, which all others read
    for few in (parts[:1], *(parts[low : low + MOST] for low in range(1, len(parts), MOST))):
        yield from zip(few, at_once(lean, few), strict=True)


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
