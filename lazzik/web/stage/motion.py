"""How objects move, as the stage is sent it."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np

from lazzik.core.clock import Clock
from lazzik.core.evaluate.alike import work_out_alike
from lazzik.core.evaluate.evaluator import value_of
from lazzik.core.evaluate.picture_rows import picture_rows
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.transforms import PARTS, moves, numbers_of_transforms, part_of
from lazzik.core.scene.node import Node
from lazzik.core.scene.scene import Scene
from lazzik.web.ui.encode import floats

SHOWN = (("look", "glow"), ("light", "intensity"), ("camera", "view"))
"""Numbers beside the transforms that the stage can show."""


AT_ONCE = 2**18
"""Objects times frames that are worked out together: some ten numbers of each are held until they are sent."""


def motions_of(scene: Scene, nodes: list[Node], clock: Clock, scope: Scope) -> Iterator[tuple[str, dict[str, Any]]]:
    """What the stage needs of these objects, one after the other: the parts of its transform, and other numbers, over
    the clock, or once where they stand still."""
    still = Clock.over(scene.fps, scene.first, scene.first)
    count = max(1, AT_ONCE // len(clock.frames))
    for start in range(0, len(nodes), count):
        together, running = nodes[start : start + count], scope.running()
        numbers = ((node.id, number) for node in together for number in numbers_of_transforms([node]))
        work_out_alike(numbers, clock, running)
        for node in together:
            yield node.id, _motion(scene, node, clock, still, running.at(node.id))


def _motion(scene: Scene, node: Node, clock: Clock, still: Clock, scope: Scope) -> dict[str, Any]:
    position, orientation, scale = (
        floats(part_of(node, part, clock if moves(scene, node, (part,)) else still, scope)) for part in PARTS
    )
    numbers = {
        f"{part}.{name}": floats(np.atleast_1d(value_of(getattr(node, part), name, clock, scope)))
        for part, name in SHOWN
        if getattr(node, part) is not None
    }
    if node.look is not None and node.look.picture is not None:
        numbers["look.picture"] = floats(picture_rows(node.look.picture, scene.assets, clock, scope))
    return {"position": position, "orientation": orientation, "scale": scale, "numbers": numbers}
