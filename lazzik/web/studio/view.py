"""What the studio shows beside the strata and the tree: the dials, and the facts that scripts need."""

from __future__ import annotations

from typing import Any

from lazzik.core.channel.channel import Channel
from lazzik.core.evaluate.poses import moving_numbers
from lazzik.core.evaluate.shapes import surface_moves
from lazzik.core.geometry.primitives import base_value
from lazzik.core.scene.scene import Scene
from lazzik.store.scenes import State
from lazzik.web.stack.view import StrataView, facts_of
from lazzik.web.ui.knob import Knob, shown

COMBINES = ("add", "subtract", "multiply", "replace")

BEYONDS = (
    ("hold", "hold"),
    ("straight", "go straight on"),
    ("repeat", "repeat"),
    ("alternate", "repeat to and fro"),
    ("accumulate", "repeat and add up"),
)
"""What the base may do beyond its keys, and how that is said."""


def dials(scene: Scene) -> list[Knob]:
    """The scene's dials as knobs."""
    rows = []
    for dial in scene.dials:
        number = dial.value if isinstance(dial.value, Channel) else Channel(value=dial.value)
        rows.append(
            Knob(
                address=f"dials/{dial.id}",
                name=dial.id,
                label=dial.label,
                value=shown(base_value(number)),
                quantity=dial.quantity,
                keyed=bool(number.keys),
                driven=number.moves,
            )
        )
    return rows


def count_moving(scene: Scene) -> int:
    """How many objects have a number or a surface that changes over time."""
    return sum(any(True for _ in moving_numbers(node)) or surface_moves(scene, node) for node in scene.nodes)


def facts(state: State, at: str, view: StrataView | None, moving_only: bool) -> dict[str, Any]:
    """What the page's scripts need to know to draw and drag what is shown."""
    scene = state.scene
    nothing: dict[str, Any] = {"channel": "", "also": [], "tracks": [], "unit": "", "step": 1.0, "lanes": []}
    return {
        "revision": state.revision,
        "at": at,
        "fps": scene.fps,
        "first": scene.first,
        "last": scene.last,
        "moving": moving_only,
        "order": node.rotation.order if (node := scene.by_id.get(at.split("/", 1)[0])) else "xyz",
    } | (facts_of(view, scene) if view else nothing)
