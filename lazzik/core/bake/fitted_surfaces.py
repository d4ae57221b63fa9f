"""The surfaces of a scene whose points move, and the shapes that stand for each: what files carry of them."""

from __future__ import annotations

from collections.abc import Sequence

from lazzik.core.bake.morph_targets import Fitted, fit_targets
from lazzik.core.clock import Clock
from lazzik.core.errors import InvalidEdit
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.shapes import shapes_over_time
from lazzik.core.evaluate.surface import Surface
from lazzik.core.progress import Progress
from lazzik.core.scene.scene import Scene
from lazzik.core.simulate.draped import surface_seen
from lazzik.core.threads import at_once


def moving_surfaces(scene: Scene, clock: Clock, scope: Scope, progress: Progress) -> list[Surface]:
    """What is seen and moves, the largest first; one whose points stand still is none. Raises Stopped."""
    shaped = [node for node in scene.nodes if node.visible and shapes_over_time(scene, node)]
    motions = []
    for place, node in enumerate(shaped):
        part = progress.part(place / len(shaped), (place + 1) / len(shaped))
        part.report(0.0, f"motion of {node.label}")
        motions.append(surface_seen(scene, node, clock, scope.at(node.id), progress=part))
    return sorted((motion for motion in motions if not motion.still), key=lambda motion: -len(motion.rest.points))


def fitted_shapes(
    motions: Sequence[Surface], tolerance: float, most: int, progress: Progress
) -> list[Fitted | InvalidEdit]:
    """The shapes and weights of each, within so many metres, fitted on all cores; why not, where more than `most` would
    be needed or the motion is too large. Raises Stopped."""

    def fitted(pair: tuple[Surface, Progress]) -> Fitted | InvalidEdit:
        motion, part = pair
        part.report(0.0, f"shapes of {motion.node.label}")
        try:
            return fit_targets(motion, tolerance, most, part, sizes=True)
        except InvalidEdit as error:
            return error

    return at_once(fitted, list(zip(motions, progress.shared(len(motions)), strict=True)))
