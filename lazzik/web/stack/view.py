"""What the strata of a number show, gathered from what its layers say of themselves. No kind is known here by name."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import get_args

from lazzik.core.channel.channel import Channel, sounding
from lazzik.core.channel.combine import Combine
from lazzik.core.channel.layer import Layer, numbers_of
from lazzik.core.document import Option, Quantity, Wording, counts_under, option_of
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.strata import loop_note
from lazzik.core.layers import BY_KIND, Recipe
from lazzik.core.scene.address import Address, Hop, Place, find, into, names, title
from lazzik.core.scene.dial import Dial
from lazzik.core.scene.references import readers
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.sheaf import Sheaf
from lazzik.web.stack.palette import own_picture
from lazzik.web.ui.controls import Control, Group, Select, TypedField, grouped, select_of
from lazzik.web.ui.knob import Knob, shown

SWITCHED = tuple((name, kind.title) for name, kind in BY_KIND.items() if kind.offered and not kind.wordings())
"""Kinds that take each other's place: those that need nothing but numbers."""

JOINS = Option("How it joins what lies below: added, taken away, as a factor, or in its place.", "combine")

LOOP = ("loops after", "Frames after which the motion repeats and meets itself; empty is endless.", "time")

WINDOW = {
    "start": ("acts from", "First frame in which the layer acts; empty is from the beginning."),
    "end": ("acts to", "Last frame in which the layer acts; empty is to the end."),
    "fade_in": ("fades in", "Frames over which it comes in; it needs a first frame."),
    "fade_out": ("fades out", "Frames over which it goes; it needs a last frame."),
}

MOST_SOURCES = 400
"""Numbers offered to be read; any other can be typed."""


@dataclass(frozen=True, kw_only=True)
class LaneView:
    """One layer of the shown channel."""

    layer: Layer
    counted: Layer
    """As it counts: with what its sheaf says, if it is in one."""
    sheaf: Sheaf | None
    address: str
    chosen: bool
    groups: tuple[Group, ...]
    weight: Knob
    note: str
    """The rate that it really has, where it has one and no loop whose field says it."""
    texts: dict[str, Wording]
    place: int
    """In the stack, 0 the lowest."""
    sounds: bool
    recipe: str
    """The recipe in use, '' if the layer is none."""
    can_seed: bool


@dataclass(frozen=True, kw_only=True)
class DialOffer:
    """A dial that a new link could read, and how it would join: scaling, or in place of what is there."""

    dial: Dial
    combine: str


@dataclass(frozen=True, kw_only=True)
class StrataView:
    """A channel laid open: topmost layer first, the base last."""

    address: str
    trail: tuple[tuple[str, str], ...]
    """(name, address) of what leads here; the last is the channel itself."""
    axis: str
    unit: str
    quantity: Quantity
    channel: Channel
    base: Knob
    tolerance: float
    """Within which keys are thinned out at first: a two-hundredth of the span of their values."""
    lanes: tuple[LaneView, ...]
    base_chosen: bool
    also: tuple[tuple[str, str], ...]
    """(title, address) of the numbers chosen beside this one."""
    left_out: tuple[str, ...]
    """What objects are called that were asked for and have no such number."""
    chosen_line: str
    """The chosen numbers in words, if they are several: by their objects where it is the same number of each."""
    recipe: Recipe | None
    """Whose stack this is, if it is one."""
    bakes: bool
    """Whether it can be baked: the numbers of objects can."""
    uses: tuple[str, ...]
    """Addresses on which that recipe is used."""
    dials: tuple[DialOffer, ...]
    sources: tuple[tuple[str, str], ...]
    """(address, title) of what the chosen layer could read, if it reads anything."""


def strata_view(
    scene: Scene, chosen: Address, also: tuple[Address, ...] = (), left_out: tuple[str, ...] = ()
) -> StrataView:
    """The channel at an address, with the layer chosen that the address names; without one, the topmost. `left_out` are
    the names of objects that were asked for beside it and have no such number."""
    place = find(scene, chosen)
    here = chosen.channel
    channel = place.channel
    layer_id = chosen.layer or (channel.layers[-1].id if channel.layers else "")
    recipe = scene.recipe(here.path) if here.node == "recipes" else None
    lanes = tuple(
        _lane(scene, here, place, layer, position, layer.id == layer_id, recipe)
        for position, layer in reversed(list(enumerate(channel.layers)))
    )
    texts = {w.what for lane in lanes if lane.chosen for w in lane.texts.values()}
    uses = tuple(a for a, reads in readers(scene) if f"recipes/{recipe.id}" in reads) if recipe else ()
    return StrataView(
        address=str(here),
        trail=_trail(scene, here),
        axis=axis_of(here),
        unit=place.quantity.unit,
        quantity=place.quantity,
        channel=channel,
        base=Knob(
            address=str(here),
            name="value",
            label="value",
            value=shown(channel.value),
            quantity=place.quantity,
            keyed=bool(channel.keys),
            driven=False,
        ),
        tolerance=_tolerance(channel, place.reach),
        lanes=lanes,
        base_chosen=not channel.layers,
        also=tuple((title(scene, address), str(address)) for address in also),
        left_out=left_out,
        chosen_line=_chosen_line(scene, [here, *also], left_out),
        recipe=recipe if not here.hops else None,
        bakes=place.node is not None and not here.hops,
        uses=uses,
        dials=tuple(
            DialOffer(dial=dial, combine="replace" if dial.unit == place.quantity.unit else "multiply")
            for dial in scene.dials
            if here.node != "dials" or here.path != dial.id
        ),
        sources=_sources(scene, here) if "address" in texts else _tracks(scene) if "clip" in texts else (),
    )


def _chosen_line(scene: Scene, chosen: list[Address], left_out: tuple[str, ...]) -> str:
    words = [names(scene, address) for address in chosen]
    of, whose = {tuple(word[1:]) for word in words}, {word[0] for word in words}
    if len(of) == 1:
        line = f"{' / '.join(words[0][1:])} of {', '.join(word[0] for word in words)}"
    elif len(whose) == 1:
        line = f"{', '.join(' / '.join(word[1:]) for word in words)} of {words[0][0]}"
    else:
        line = ", ".join(" / ".join(word) for word in words)
    has = "has" if len(left_out) == 1 else "have"
    return f"{line}. {', '.join(left_out)} {has} no such number." if left_out else line


def axis_of(address: Address) -> str:
    """Which axis a channel belongs to, if any."""
    last = address.path.rsplit(".", 1)[-1]
    return last if last in ("x", "y", "z") and not address.hops else ""


def _tolerance(channel: Channel, reach: float) -> float:
    values = [key.value for key in channel.keys]
    span = max(values) - min(values) if values else 0.0
    return float(f"{(span or reach) / 200:.1g}")


def _lane(
    scene: Scene, here: Address, place: Place, layer: Layer, position: int, chosen: bool, recipe: Recipe | None
) -> LaneView:
    knobs = [_knob(scene, here, place, layer, name, recipe) for name in layer.numbers(scene)]
    note = loop_note(place.number, layer, scene.clock(), Scope(scene, home=place.home)) if chosen else ""
    unit = place.quantity.unit
    note = note.replace(" own", unit if unit in ("", "°") else f" {unit}")
    (counted,) = scene.counted((layer,))
    controls = _controls(f"{here}#{layer.id}", counted, knobs, note) if chosen else ()
    drawings = {"does": own_picture(layer, place.reach)} if chosen else {}
    return LaneView(
        layer=layer,
        counted=counted,
        sheaf=scene.sheaf(layer.sheaf),
        address=f"{here}#{layer.id}",
        chosen=chosen,
        groups=grouped(f"{layer.kind}-{layer.id}", controls, drawings),
        weight=next(knob for knob in knobs if knob.name == "weight"),
        note="" if layer.loops else note,
        texts=type(layer).wordings(),
        place=position,
        sounds=any(other is counted for other in sounding(scene.counted(place.channel.layers))),
        recipe=getattr(layer, "recipe", ""),
        can_seed="seed" in numbers_of(type(layer)),
    )


def _controls(address: str, layer: Layer, knobs: list[Knob], note: str) -> Iterator[Control]:
    """What the strip of a layer offers: what does anything under what is chosen. `note` is what its loop made of it."""
    settings = type(layer).settings()
    chosen = {name: getattr(layer, name) for name in settings}
    edit = {"do": "change-layer", "address": address}
    yield from (knob for knob in knobs if knob.name != "weight" and counts_under(knob.quantity.only, chosen))
    for name, values in settings.items():
        option = option_of(type(layer), name)
        if counts_under(option.only, chosen):
            into = f"settings.{name}"
            yield select_of(option, name, values, chosen[name], id=f"s-{address}-{name}", edit=edit, into=into)
    if layer.loops:
        yield _field(address, "loop", layer.loop, *LOOP, note)
    for name, (label, help) in WINDOW.items():
        value = getattr(layer.window, name)
        yield _field(address, name, None if value == 0.0 and name.startswith("fade") else value, label, help, "where")
    yield select_of(
        JOINS, "combine", get_args(Combine), layer.combine, id=f"s-{address}-combine", edit=edit, into="combine",
        group="stack",
    )  # fmt: skip
    if layer.kind in dict(SWITCHED):
        yield Select(
            id=f"kind-{address}",
            label="kind",
            help="Another kind in its place; what both have stays.",
            value=layer.kind,
            options=SWITCHED,
            edit={"do": "switch-layer", "address": address},
            into="kind",
            group="stack",
        )


def _field(
    address: str, name: str, value: float | None, label: str, help: str, group: str, note: str = ""
) -> TypedField:
    return TypedField(
        id=f"f-{address}-{name}",
        label=label,
        help=help,
        value="" if value is None else shown(value),
        unit="fr",
        edit={"do": "change-layer", "address": address},
        into=name,
        takes="length" if name.startswith("fade") else "slug",
        group=group,
        placeholder="none" if name.startswith("fade") else "open",
        note=note,
    )


def _knob(scene: Scene, here: Address, place: Place, layer: Layer, name: str, recipe: Recipe | None) -> Knob:
    address = f"{here}#{layer.id}.{name}"
    entry = into(scene, place, Hop(layer.id, name), here)
    own = entry.channel
    using = scene.recipe(getattr(layer, "recipe", ""))
    label = next((item.label for item in using.exposed if item.name == name), "") if using else ""
    overrides = {override.name for override in getattr(layer, "overrides", ())}
    target = address.split("#", 1)[1] if recipe else ""
    exposed = recipe is not None and any(item.target == target for item in recipe.exposed)
    return Knob(
        address=address,
        name=name,
        label=label or entry.quantity.label or name.replace("_", " "),
        value=shown(own.value),
        quantity=entry.quantity,
        keyed=bool(own.keys),
        driven=own.moves,
        follows={"do": "follow-recipe", "address": f"{here}#{layer.id}", "number": name} if name in overrides else None,
        target=target,
        exposed=exposed,
    )


def _trail(scene: Scene, address: Address) -> tuple[tuple[str, str], ...]:
    steps: list[tuple[str, str]] = []
    for depth in range(len(address.hops) + 1):
        step = Address(address.node, address.path, address.hops[:depth])
        steps.append((" / ".join(names(scene, step)[-2:]), str(step)))
    return tuple(steps)


def _tracks(scene: Scene) -> tuple[tuple[str, str], ...]:
    return tuple((clip.address(t), f"{clip.label} / {t.label}") for clip in scene.clips for t in clip.tracks)


def _sources(scene: Scene, here: Address) -> tuple[tuple[str, str], ...]:
    """Dials first, then what moves."""
    found = [(f"dials/{dial.id}", f"dial / {dial.label}") for dial in scene.dials]
    for node in scene.nodes:
        for path, _ in node.moving:
            if len(found) < MOST_SOURCES and f"{node.id}/{path}" != str(here):
                found.append((f"{node.id}/{path}", title(scene, Address(node.id, path))))
    return tuple(found)
