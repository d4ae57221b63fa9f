"""Why an object's aim does not show."""

from __future__ import annotations

from lazzik.core.channel.channel import Channel
from lazzik.core.diagnose.reason import STILL, Reason, largest, reason, set_to, unseen
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.transforms import moves
from lazzik.core.scene.node import Node
from lazzik.core.scene.scene import Scene


def why_aim(scene: Scene, node: Node, scope: Scope) -> list[Reason]:
    """The reasons; none if it shows."""
    aim, scope = node.aim, scope.at(node.id)
    if aim is None:
        return [reason("no-aim", name=node.label)]
    found: list[Reason] = []
    if aim.muted:
        unmute = {"do": "change-aim", "node": node.id, "muted": False}
        found.append(reason("muted", unmute, name=f"The aim of {node.label}"))
    if largest(aim.weight, scene, scope) < STILL:
        mend = [] if isinstance(aim.weight, Channel) else [set_to(f"{node.id}/aim.weight", 1.0)]
        found.append(reason("weightless", *mend, name=f"the aim of {node.label}"))
    elif aim.acts and not moves(scene, node, ("rotation",)):
        target = scene.called[aim.target] if aim.target is not None else "the point"
        found.append(reason("aims-still", name=node.label, target=target))
    return [*found, *unseen(scene, node)]


def turned_by_aim(node: Node) -> Reason | None:
    """That an object's rotation is its aim's, so that the bases of its numbers do nothing."""
    if node.aim is None or not node.aim.acts or node.aim.weight != 1.0:
        return None
    return reason("aimed", {"do": "change-aim", "node": node.id, "muted": True}, name=node.label)
