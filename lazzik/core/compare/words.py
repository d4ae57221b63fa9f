"""Differences in people's words: what it is, what it was, what it becomes; and all of them in one line."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Any

from lazzik.core.channel.channel import Channel
from lazzik.core.channel.layer import numbers_of
from lazzik.core.channel.window import Window
from lazzik.core.compare.paths import address_of
from lazzik.core.document import Frozen, Option, Quantity, mark_of
from lazzik.core.errors import UnknownAddress
from lazzik.core.scene.address import WORDS, find_at
from lazzik.core.scene.differences import ABSENT, BASE, ORDER, RANGE, Base, Difference
from lazzik.core.scene.node import Node
from lazzik.core.scene.scene import Scene

SILENT = frozenset({"nodes", "layers", "deform", "tracks", "stack", "value", "motion", BASE})
"""Steps of a path that say nothing to people."""

ALSO = WORDS | {"object_recipes": "recipe", "poses": "pose", "receipts": "bake", "marks": "mark"}
"""Parts of a scene that are no objects, each with the word that stands before its name."""

FIELDS = {
    RANGE: "range", ORDER: "order", "fps": "frame rate", "first": "first frame", "last": "last frame", "label": "name",
    "parent": "hangs under", "uses": "recipes followed",
}  # fmt: skip
"""What fields are called whose names would not tell."""

UNITS = {"fps": "fr/s", "loop": "fr", "length": "fr", "frame": "fr"}
"""Of numbers that describe no unit of their own."""

MOST_SAID = 3
"""Groups of differences in a line."""


@dataclass(frozen=True)
class Worded:
    """A difference in words."""

    difference: Difference
    names: tuple[str, ...]
    """Its way through the scene: object, number, layer, number …"""
    was: str
    """In the first scene; '—' if it is not there."""
    becomes: str

    @property
    def title(self) -> str:
        """The whole way: 'Beacon mast / rotation z / Gust / amplitude'."""
        return " / ".join(self.names)

    @property
    def short(self) -> str:
        """As little as tells it in a line: 'Gust amplitude', 'Shiver on Beacon mast'."""
        first, last = self.names[0], self.names[-1]
        if len(self.names) > 1 and self.came_or_went:
            return f"{last} on {first}"
        return " ".join(self.names[-2:])

    @property
    def came_or_went(self) -> bool:
        """Whether it is there in one of the two only."""
        return ABSENT in (self.difference.before, self.difference.after)

    @property
    def holder(self) -> str:
        """The object or part of the scene that it belongs to: 'nodes/lamp-3'; 'scene' for what is the scene's own."""
        path = self.difference.path
        return "/".join(path[:2]) if len(path) > 1 and path[1] != ORDER else "scene"


def worded(difference: Difference, before: Scene, after: Scene) -> Worded:
    """A difference of two scenes in words."""
    scene = before if difference.after is ABSENT else after
    was, becomes = (
        _value(value, difference, side) for value, side in ((difference.before, before), (difference.after, after))
    )
    if was == becomes:
        was, becomes = _told_apart(difference, was, becomes)
    return Worded(difference, _names(scene, difference), was, becomes)


def in_words(found: Iterable[Difference], before: Scene, after: Scene) -> list[Worded]:
    """Differences of two scenes in words, in their order."""
    return [worded(difference, before, after) for difference in found]


def summary(rows: Sequence[Worded], most: int = MOST_SAID) -> str:
    """What differs, in a line: 'Gust amplitude 9° → 6°, Lamp 3 added, loop of 12 layers 150 → 200 fr'. What hangs under
    an object that came or went is told with it."""
    objects = {row.difference.path[1]: row for row in rows if row.came_or_went and row.difference.path[0] == "nodes"}
    groups = list(grouped([row for row in rows if not _comes_along(row, objects)]))
    said = [_group(group) for group in groups[:most]]
    left = sum(len(group) for group in groups[most:])
    return ", ".join(said) + (f" and {left} more" if left else "")


def _comes_along(row: Worded, objects: dict[str, Worded]) -> bool:
    """Whether it is an object under another one that came or went like it."""
    before, after = row.difference.before, row.difference.after
    node = before if after is ABSENT else after
    above = objects.get(node.parent or "") if isinstance(node, Node) else None
    return above is not None and (above.difference.after is ABSENT) == (after is ABSENT)


def grouped(rows: Sequence[Worded]) -> Iterable[list[Worded]]:
    """Differences that are the same in several places stand together, where the first of them stands."""
    groups: dict[object, list[Worded]] = {}
    for row in rows:
        groups.setdefault(_kind(row), []).append(row)
    return groups.values()


def group_name(group: Sequence[Worded]) -> str:
    """What a group of differences is of: 'Lamp 3 … 6', 'loop of 12 layers'."""
    first = group[0]
    if len(group) == 1:
        return first.short
    if len(first.names) == 1:
        return _series([row.names[0] for row in group])
    if first.came_or_went:
        return f"{first.names[-1]} in {len(group)} places"
    layers = all("layers" in row.difference.path for row in group)
    return f"{first.names[-1]} of {len(group)} {'layers' if layers else 'parts'}"


def _group(group: Sequence[Worded]) -> str:
    first, name = group[0], group_name(group)
    if first.difference.before is ABSENT:
        return f"{name} added"
    if first.difference.after is ABSENT:
        return f"{name} removed"
    if first.difference.path[-1] == ORDER:
        return f"{name} changed"
    return f"{name} {first.was} → {first.becomes}"


def _kind(row: Worded) -> object:
    """What differences have in common that are told as one."""
    difference = row.difference
    if row.came_or_went:
        if len(difference.path) == 2:
            return difference.path[0], difference.before is ABSENT, _stem(row.names[-1])
        return difference.path[-2], difference.before is ABSENT, row.names[-1]
    if len(row.names) > 1 and "layers" in difference.path:
        return row.names[-1], row.was, row.becomes
    return difference.path


def _stem(label: str) -> str:
    return re.sub(r" \d+$", "", label)


def _series(labels: Sequence[str]) -> str:
    """'Lamp 3 … 6' for Lamp 3, Lamp 4, Lamp 5 and Lamp 6."""
    last = re.search(r"\d+$", labels[-1])
    return f"{labels[0]} … {last.group() if last else labels[-1]}"


def _names(scene: Scene, difference: Difference) -> tuple[str, ...]:
    """The way to a part: labels where it has some, words where it has none."""
    names: list[str] = []
    words: list[str] = []
    part: Any = scene
    for step in difference.path:
        model = type(part)
        part = _inner(part, step)
        label = getattr(part, "label", None) or (step if isinstance(part, Frozen) and hasattr(part, "id") else None)
        if label is not None:
            if words:
                names.append(" ".join(words))
            words = []
            names.append(scene.called[part.id] if isinstance(part, Node) else label)
        elif step in ALSO:
            words.append(ALSO[step])
        elif step not in SILENT:
            words.append(_word(model, step))
    if words:
        names.append(" ".join(words))
    if len(names) > 1 and names[0] in ALSO.values():  # 'dial', 'Gust' is one name
        names[:2] = [f"{names[0]} {names[1]}"]
    return tuple(names) or ("scene",)


def _inner(part: Any, step: str) -> Any:
    if isinstance(part, tuple):
        return next((row for row in part if getattr(row, "id", None) == step), None)
    if step == BASE:
        return part
    return getattr(part, step, None)


def _word(model: type, step: str) -> str:
    """What a field is called where it is shown."""
    if step in FIELDS:
        return FIELDS[step]
    if issubclass(model, Frozen) and step in model.model_fields:
        mark = mark_of(model, step, Quantity) or mark_of(model, step, Option)
        if mark is not None and mark.label:
            return mark.label
    return step.replace("_", " ").replace("@", "")


def _value(value: Any, difference: Difference, scene: Scene) -> str:
    """What a part is, in words."""
    path = difference.path
    match value:
        case _ if value is ABSENT:
            return "—"
        case None:
            return "none"
        case tuple() if path == (RANGE,):
            return f"{value[0]} to {value[1]}"
        case tuple() if path[-1] == ORDER:
            return _row_of(value, difference, scene)
        case Base() | Channel():
            return _number(value, *_measure(difference, scene))
        case bool():
            return _choice(value, difference, scene, "yes" if value else "no")
        case int() | float():
            return _plain(value, *_measure(difference, scene))
        case str() if re.fullmatch(r"[0-9a-f]{64}", value):
            return "a file"
        case str() if path[-1] in ("parent", "target"):
            return scene.called.get(value, value)
        case str():
            return _choice(value, difference, scene, value)
        case Window():
            return _window(value)
        case tuple():
            return f"{len(value)} of them"
    return getattr(value, "label", "") if len(path) > 1 and path[-1] == "picture" else _kind_of(value)


def _row_of(order: tuple[str, ...], difference: Difference, scene: Scene) -> str:
    """The parts of a row as they stand."""
    row: Any = scene
    for step in difference.path[:-1]:
        row = _inner(row, step)
    labels = [getattr(_inner(row, slug), "label", slug) for slug in order]
    return ", ".join(labels[:MOST_SAID]) + (" …" if len(labels) > MOST_SAID else "")


def _kind_of(part: Any) -> str:
    """A part that came, went or became another kind of part."""
    kind = getattr(part, "kind", "")
    return kind.replace("-", " ") if kind and not hasattr(part, "id") else "there"


def _choice(value: Any, difference: Difference, scene: Scene, otherwise: str) -> str:
    part: Any = scene
    for step in difference.path[:-1]:
        part = _inner(part, step)
    option = mark_of(type(part), difference.path[-1], Option) if isinstance(part, Frozen) else None
    return option.words.get(str(value), otherwise) if option else otherwise


def _measure(difference: Difference, scene: Scene) -> tuple[str, float]:
    """The unit of a number, and the least of it that is told."""
    address = address_of(difference.path)
    if address:
        try:
            quantity = find_at(scene, address).quantity
        except UnknownAddress:
            pass
        else:
            return quantity.unit, quantity.step
    part: Any = scene
    for step in difference.path[:-1]:
        part = _inner(part, step)
    own = numbers_of(type(part)).get(difference.path[-1]) if isinstance(part, Frozen) else None
    return (own.unit if own else UNITS.get(difference.path[-1], "")), 0.0


def _number(value: Base | Channel, unit: str, step: float) -> str:
    layers = len(value.layers) if isinstance(value, Channel) else 0
    if value.keys:
        values = [key.value for key in value.keys]
        count = len(values)
        spread = (
            f"{_digits(min(values))} to {_plain(max(values), unit, step)}"
            if count > 1
            else _plain(values[0], unit, step)
        )
        said = f"{count} key{'' if count == 1 else 's'}, {spread}"
    else:
        said = _plain(value.value, unit, step)
    return f"{said}, {layers} layer{'' if layers == 1 else 's'}" if layers else said


def _plain(value: float, unit: str, step: float) -> str:
    if abs(value) >= 1e8:
        return "no limit"
    space = "" if unit in ("°", "°/s", "×", "") else " "
    return f"{_digits(value)}{space}{unit}"


def _digits(value: float) -> str:
    text = f"{value:.4g}" if abs(value) < 1e4 else f"{value:.6g}"
    return "0" if text == "-0" else text


def _window(window: Window) -> str:
    if window.open:
        said = "all the time"
    elif window.start is None:
        said = f"until {window.end:g}"
    else:
        said = f"{window.start:g} on" if window.end is None else f"{window.start:g} to {window.end:g}"
    fades = [f"{n:g}" for n in (window.fade_in, window.fade_out) if n]
    return f"{said}, fades {' and '.join(fades)}" if fades else said


def _told_apart(difference: Difference, was: str, becomes: str) -> tuple[str, str]:
    """What looks alike in words though it differs: with more digits, or said to be another."""
    before, after = difference.before, difference.after
    if isinstance(before, float | int) and isinstance(after, float | int) and not isinstance(before, bool):
        return f"{before!r}", f"{after!r}"
    if isinstance(before, Base) and isinstance(after, Base) and not before.keys and not after.keys:
        return f"{before.value!r}", f"{after.value!r}"
    return was, "otherwise"
