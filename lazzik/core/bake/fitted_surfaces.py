"""The surfaces of a scene whose points move, and the shapes that stand for each: what files carry of them."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence

from lazzik.core.bake.morph_targets import Fitted, fit_targets
from lazzik.core.clock import Clock
from lazzik.core.errors import InvalidEdit
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.shapes import shapes_over_time
from lazzik.core.evaluate.surface import Surface
from lazzik.core.progress import Progress
from lazzik.core.scene.node import Node
from lazzik.core.scene.scene import Scene
from lazzik.core.simulate.draped import surface_seen
from lazzik.core.threads import at_once

Attempt = Fitted | InvalidEdit
"""The shapes and weights of a surface, or why there are none."""


def shaped_nodes(scene: Scene) -> list[Node]:
    """What is seen and has points that may move, the one with most points first."""
    shaped = [node for node in scene.nodes if node.visible and shapes_over_time(scene, node)]
    return sorted(shaped, key=lambda node: -len(node.shape.mesh(scene.assets).points) if node.shape else 0)


def moving_surfaces(
    scene: Scene, clock: Clock, scope: Scope, progress: Progress, only: Collection[str] | None = None
) -> list[Surface]:
    """What is seen and moves, the largest first; one whose points stand still is none. Raises Stopped."""
    shaped = [node for node in shaped_nodes(scene) if only is None or node.id in only]
    motions = []
    for place, node in enumerate(shaped):
        part = progress.part(place / len(shaped), (place + 1) / len(shaped))
        part.report(0.0, f"motion of {node.label}")
        motions.append(surface_seen(scene, node, clock, scope.at(node.id), progress=part))
    return [motion for motion in motions if not motion.still]


def fitted_shapes(
    motions: Sequence[Surface], tolerance: float, most: int, progress: Progress, made: Mapping[str, Attempt]
) -> dict[str, Attempt]:
    """The shapes and weights of each by its object, within so many metres, fitted on all cores where they are not made
    yet; why not, where more than `most` would be needed or the motion is too large. Raises Stopped."""

    def fitted(pair: tuple[Surface, Progress]) -> Attempt:
        motion, part = pair
        if motion.node.id in made:
            return made[motion.node.id]
        part.report(0.0, f"shapes of {motion.node.label}")
        try:
            return fit_targets(motion, tolerance, most, part, sizes=True)
        except InvalidEdit as error:
            return error

    found = at_once(fitted, list(zip(motions, progress.shared(len(motions)), strict=True)))
    return {motion.node.id: one for motion, one in zip(motions, found, strict=True)}
