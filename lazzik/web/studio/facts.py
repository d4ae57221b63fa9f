"""What the page's scripts are told of the document and of what is shown, beside the panels themselves.

Their types for the scripts are made from these (`python -m tools.script_types`).
"""

from __future__ import annotations

from lazzik.core.scene.node import EulerOrder
from lazzik.store.scenes import State
from lazzik.web.aim.facts import AimFacts, aim_facts
from lazzik.web.air.facts import AirFacts, air_facts
from lazzik.web.carried.facts import RunFacts, run_facts
from lazzik.web.marks.facts import MarkFacts, mark_facts
from lazzik.web.scatter.facts import ScatterFacts, scatter_facts
from lazzik.web.shape.facts import ShapeFacts
from lazzik.web.sheaves.view import SheafFacts, sheaf_facts
from lazzik.web.stack.facts import StackFacts, stack_facts
from lazzik.web.stack.view import StrataView
from lazzik.web.stage.points import MOST_TOGETHER


class Facts(StackFacts):
    """All of it."""

    revision: int
    at: str
    """The address that is shown."""
    fps: float
    first: int
    last: int
    moving: bool
    """Whether the tree lists moving objects alone."""
    find: str
    """What is searched for in the tree."""
    order: EulerOrder
    """In which the chosen object turns about its axes."""
    shape: ShapeFacts | None
    aim: AimFacts | None
    air: AirFacts
    scatters: list[ScatterFacts]
    carried: list[RunFacts]
    sheaves: list[SheafFacts]
    marks: list[MarkFacts]
    points_together: int
    """Objects whose points may be asked for at once."""


def facts_of(
    state: State, at: str, view: StrataView | None, shape: ShapeFacts | None, *, moving: bool, find: str
) -> Facts:
    """What is shown at an address, its strata or its shape open."""
    scene = state.scene
    node = scene.by_id.get(at.split("/", 1)[0])
    return {
        **stack_facts(view, scene),
        "revision": state.revision,
        "at": at,
        "fps": scene.fps,
        "first": scene.first,
        "last": scene.last,
        "moving": moving,
        "find": find,
        "order": node.rotation.order if node else "xyz",
        "shape": shape,
        "aim": aim_facts(node),
        "air": air_facts(scene, node),
        "scatters": scatter_facts(scene),
        "carried": run_facts(scene),
        "sheaves": sheaf_facts(scene),
        "marks": mark_facts(scene),
        "points_together": MOST_TOGETHER,
    }
