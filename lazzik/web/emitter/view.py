"""What an emitter shows: its numbers and choices as controls."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from lazzik.core.channel.layer import numbers_of
from lazzik.core.document import counts_under, option_of
from lazzik.core.scene.emitter import OF_OBJECT, Emitter
from lazzik.core.scene.node import Node
from lazzik.core.scene.scene import Scene
from lazzik.web.shape.controls import loop_field, number_control
from lazzik.web.ui.controls import Control, Group, Select, grouped, select_of

TITLES = {
    "does": "What comes", "where": "How it sets out", "wind": "What moves it", "look": "How it looks",
    "time": "In time",
}  # fmt: skip


POINTS = (
    "Drag points; a double press adds one or takes one away. Arrows move the chosen one, Insert adds, Delete removes."
)


@dataclass(frozen=True, kw_only=True)
class OverLifeView:
    """A curve over a particle's life."""

    name: str
    label: str
    points: tuple[tuple[float, ...], ...]
    tint: bool = False
    """Whether its points are colours."""
    help: str = POINTS


@dataclass(frozen=True, kw_only=True)
class EmitterView:
    """An emitter laid open."""

    node: Node
    emitter: Emitter
    source: str
    """What the object is called that they come from; '' for one that stands by itself."""
    colliders: tuple[tuple[str, str], ...]
    """The objects that they meet: (id, what it is called)."""
    offered: tuple[tuple[str, str], ...]
    """And those that they could meet."""
    groups: tuple[Group, ...]
    over_life: tuple[OverLifeView, ...]


def emitter_view(scene: Scene, node: Node, emitter: Emitter) -> EmitterView:
    """What an object sends out."""
    shapes = tuple((each.id, scene.called[each.id]) for each in scene.nodes if each.shape is not None)
    return EmitterView(
        node=node,
        emitter=emitter,
        source=scene.called[emitter.of] if emitter.of is not None and emitter.begin in OF_OBJECT else "",
        colliders=tuple((slug, scene.called[slug]) for slug in emitter.colliders),
        offered=tuple(row for row in shapes if row[0] not in emitter.colliders),
        groups=grouped(f"{node.id}-particles", _controls(scene, node, emitter, shapes), titles=TITLES),
        over_life=(
            OverLifeView(name="size_over_life", label="size", points=emitter.size_over_life),
            OverLifeView(name="answer_over_life", label="answer to the air", points=emitter.answer_over_life),
            OverLifeView(name="color_over_life", label="colour", points=emitter.color_over_life, tint=True),
        ),
    )


def _controls(scene: Scene, node: Node, emitter: Emitter, shapes: tuple[tuple[str, str], ...]) -> Iterator[Control]:
    chosen = {name: str(getattr(emitter, name)) for name in Emitter.settings()}
    edit = {"do": "change-emitter", "node": node.id}
    for name, values in Emitter.settings().items():
        option = option_of(Emitter, name)
        allowed = values if emitter.of is not None or name != "begin" else values[:1]
        if name == "drawn" and emitter.copy_of is None:
            allowed = ("puffs", "points")
        if not counts_under(option.only, chosen):
            continue
        yield select_of(option, name, allowed, chosen[name], id=f"em-{name}", edit=edit, into=f"settings.{name}")
    yield Select(
        id="em-of", label="object", help="The object whose surface, inside or edges they come from.",
        value=emitter.of or "", options=(("", "none"), *shapes), edit=edit, into="of", takes="slug", group="does",
    )  # fmt: skip
    if emitter.drawn == "copies" or emitter.copy_of is None:
        copied = tuple(
            (each.id, scene.called[each.id])
            for each in scene.nodes
            if each.shape is not None or scene.below.get(each.id)
        )
        yield Select(
            id="em-copy-of", label="copies of", help="An object that is drawn for each particle, with all below it.",
            value=emitter.copy_of or "", options=(("", "none"), *copied), edit=edit, into="copy_of", takes="slug",
            group="look",
        )  # fmt: skip
    yield from (
        number_control(scene, node, f"emitter.{name}")
        for name, quantity in numbers_of(Emitter).items()
        if counts_under(quantity.only, chosen)
    )
    yield loop_field("em", emitter.loop, edit, "all repeats")
