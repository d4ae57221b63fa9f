"""How objects move, as the stage is sent it."""

from __future__ import annotations

from typing import Any

import numpy as np

from lazzik.core.clock import Clock
from lazzik.core.evaluate.evaluator import value_of
from lazzik.core.evaluate.picture_rows import picture_rows
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.transforms import moves, transforms
from lazzik.core.scene.node import Node
from lazzik.core.scene.scene import Scene
from lazzik.web.ui.encode import floats

SHOWN = (("look", "glow"), ("light", "intensity"), ("camera", "view"))
"""Numbers beside the transforms that the stage can show."""


def motion_of(scene: Scene, nodes: list[Node], clock: Clock, scope: Scope) -> dict[str, Any]:
    """What the stage needs of these objects: for each its transform over the clock, or once if it stands still."""
    return {node.id: motion_of_one(scene, node, clock, scope) for node in nodes}


def motion_of_one(scene: Scene, node: Node, clock: Clock, scope: Scope) -> dict[str, Any]:
    """What the stage needs of one object."""
    scope = scope.at(node.id)
    own = transforms(node, clock if moves(scene, node) else Clock.over(scene.fps, scene.first, scene.first), scope)
    numbers = {
        f"{part}.{name}": floats(np.atleast_1d(value_of(getattr(node, part), name, clock, scope)))
        for part, name in SHOWN
        if getattr(node, part) is not None
    }
    if node.look is not None and node.look.picture is not None:
        numbers["look.picture"] = floats(picture_rows(node.look.picture, scene.assets, clock, scope))
    return {
        "position": floats(own.position),
        "orientation": floats(own.orientation),
        "scale": floats(own.scale),
        "numbers": numbers,
    }
