"""What a swarm shows: its numbers and choices as controls."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from lazzik.core.channel.layer import numbers_of
from lazzik.core.document import counts_under, option_of
from lazzik.core.scene.node import Node
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.swarm import Swarm
from lazzik.web.shape.controls import loop_field, number_control
from lazzik.web.ui.controls import Control, Group, Select, grouped, select_of

TITLES = {"does": "What is filled, and with what", "wind": "What moves it", "time": "In time", "look": "How it looks"}


@dataclass(frozen=True, kw_only=True)
class SwarmView:
    """A swarm laid open."""

    node: Node
    swarm: Swarm
    source: str
    """What the object is called that it fills; '' if it fills none."""
    colliders: tuple[tuple[str, str], ...]
    """The objects that it meets: (id, what it is called)."""
    offered: tuple[tuple[str, str], ...]
    """And those that it could meet."""
    groups: tuple[Group, ...]


def swarm_view(scene: Scene, node: Node, swarm: Swarm) -> SwarmView:
    """What an object is as a swarm."""
    shapes = tuple((each.id, scene.called[each.id]) for each in scene.nodes if each.shape is not None)
    return SwarmView(
        node=node,
        swarm=swarm,
        source=scene.called[swarm.of] if swarm.of is not None else "",
        colliders=tuple((slug, scene.called[slug]) for slug in swarm.colliders),
        offered=tuple(row for row in shapes if row[0] not in swarm.met),
        groups=grouped(f"{node.id}-swarm", _controls(scene, node, swarm, shapes), titles=TITLES),
    )


def _controls(scene: Scene, node: Node, swarm: Swarm, shapes: tuple[tuple[str, str], ...]) -> Iterator[Control]:
    chosen = {name: str(getattr(swarm, name)) for name in Swarm.settings()}
    edit = {"do": "change-swarm", "node": node.id}
    yield Select(
        id="sw-of", label="object", help="The object that it fills at first.", value=swarm.of or "",
        options=(("", "none"), *shapes), edit=edit, into="of", takes="slug", group="does",
    )  # fmt: skip
    for name, values in Swarm.settings().items():
        yield select_of(
            option_of(Swarm, name), name, values, chosen[name], id=f"sw-{name}", edit=edit, into=f"settings.{name}"
        )
    yield from (
        number_control(scene, node, f"swarm.{name}")
        for name, quantity in numbers_of(Swarm).items()
        if counts_under(quantity.only, chosen) and (name != "blend" or swarm.loop is not None)
    )
    yield loop_field("sw", swarm.loop, edit, "it repeats, its end blended into its beginning")
