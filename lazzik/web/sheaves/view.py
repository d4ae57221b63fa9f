"""The sheaves of a scene as rows over the time axis, and one of them laid open."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from typing_extensions import TypedDict

from lazzik.core.channel.channel import Channel, base_value
from lazzik.core.scene.address import Address, title
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.sheaf import WEIGHT, Sheaf
from lazzik.core.scene.visit import all_members
from lazzik.web.stack.facts import WindowFacts, window_facts
from lazzik.web.stack.view import LOOP, WINDOW
from lazzik.web.ui.controls import Group, TypedField, grouped
from lazzik.web.ui.knob import Knob, shown


@dataclass(frozen=True, kw_only=True)
class SheafRow:
    """A sheaf in the row above the strata."""

    sheaf: Sheaf
    weight: Knob
    count: int
    """How many layers are in it."""
    here: bool
    """Whether one of them lies on the shown number."""
    chosen: bool


@dataclass(frozen=True, kw_only=True)
class SheafView:
    """A sheaf laid open."""

    sheaf: Sheaf
    members: tuple[tuple[str, str], ...]
    """(address, title) of its layers."""
    groups: tuple[Group, ...]


class SheafFacts(TypedDict):
    """What the scripts are told of a sheaf, to draw its block and drag it."""

    id: str
    label: str
    window: WindowFacts


def sheaf_rows(scene: Scene, shown_at: Address | None) -> tuple[SheafRow, ...]:
    """All sheaves, in the order of the document."""
    if not scene.sheaves:
        return ()
    inside = all_members(scene)
    channel = f"{shown_at.channel}#" if shown_at else ""
    return tuple(
        SheafRow(
            sheaf=sheaf,
            weight=_weight(sheaf),
            count=len(inside.get(sheaf.id, ())),
            here=bool(channel) and any(address.startswith(channel) for address in inside.get(sheaf.id, ())),
            chosen=channel == f"{sheaf.address}#",
        )
        for sheaf in scene.sheaves
    )


def sheaf_view(scene: Scene, shown_at: Address | None) -> SheafView | None:
    """The sheaf whose weight is shown, if one is."""
    sheaf = scene.sheaf(shown_at.path) if shown_at and shown_at.node == "sheaves" and not shown_at.hops else None
    if sheaf is None:
        return None
    addresses = all_members(scene).get(sheaf.id, ())
    return SheafView(
        sheaf=sheaf,
        members=tuple((address, title(scene, Address.parse(address))) for address in addresses),
        groups=grouped(f"sheaf-{sheaf.id}", _controls(sheaf)),
    )


def sheaf_facts(scene: Scene) -> list[SheafFacts]:
    """Of all sheaves."""
    return [{"id": item.id, "label": item.label, "window": window_facts(item.window)} for item in scene.sheaves]


def _controls(sheaf: Sheaf) -> Iterator[TypedField]:
    edit = {"do": "change-sheaf", "sheaf": sheaf.id}
    fields = [("loop", sheaf.loop, *LOOP)]
    fields += [(name, getattr(sheaf.window, name), *words, "where") for name, words in WINDOW.items()]
    for name, value, label, help, group in fields:
        fades = name.startswith("fade")
        yield TypedField(
            id=f"sheaf-{name}",
            label=label,
            help=help,
            value="" if value is None or (fades and value == 0.0) else shown(value),
            unit="fr",
            edit=edit,
            into=name,
            takes="length" if fades else "slug",
            group=group,
            placeholder="none" if fades else "open",
        )


def _weight(sheaf: Sheaf) -> Knob:
    channel = sheaf.weight if isinstance(sheaf.weight, Channel) else Channel(value=sheaf.weight)
    return Knob(
        address=sheaf.address,
        name="weight",
        label="weight",
        value=shown(base_value(channel)),
        quantity=WEIGHT,
        keyed=bool(channel.keys),
        driven=channel.moves,
    )
