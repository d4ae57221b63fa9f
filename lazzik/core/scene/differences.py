"""What differs between two scenes, part by part, and a scene with some of it taken over.

A difference is found at the smallest part that a person can name: a choice, a number's base, a layer that came, a row
that changed its order. Rows of parts that have an id are matched by it; whatever has none, a window and a receipt are
taken as they are. Differences are complete: a scene with all of them taken over is the other one.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from enum import Enum
from typing import Any, TypeVar

from lazzik.core.channel.channel import Channel, as_channel, simplest
from lazzik.core.channel.keys import Beyond, Key
from lazzik.core.channel.window import Window
from lazzik.core.document import Frozen
from lazzik.core.scene.receipt import Receipt
from lazzik.core.scene.scene import Scene

Document = TypeVar("Document", bound=Frozen)

Path = tuple[str, ...]
"""From the scene to a part: names of fields, ids of rows, and the three below."""

BASE, ORDER, RANGE = "@base", "@order", "@range"
"""A number's base, the order of a row of parts, and the scene's first and last frame: each differs as one."""

WHOLE = (Window, Receipt)
"""Parts whose fields make sense together only."""


class Absent(Enum):
    """What stands for a part that is not there."""

    ABSENT = "—"


ABSENT = Absent.ABSENT


@dataclass(frozen=True)
class Base:
    """A number without its layers."""

    value: float
    keys: tuple[Key, ...] = ()
    before: Beyond = "hold"
    after: Beyond = "hold"

    @classmethod
    def of(cls, number: float | Channel) -> Base:
        """That of a number."""
        channel = as_channel(number)
        return cls(channel.value, channel.keys, channel.before, channel.after)


@dataclass(frozen=True, eq=False)
class Difference:
    """One part that is not the same in both."""

    path: Path
    before: Any
    """What it is in the first scene; ABSENT if it is not there."""
    after: Any
    """And in the second."""
    row: Path = ()
    """Of a part that came: the ids of those that it stands among, in their order."""

    @property
    def key(self) -> str:
        """The path as text (a JSON pointer, RFC 6901, without its first stroke)."""
        return written(self.path)


Chosen = dict[str, "Difference | Chosen"]
"""Differences by the steps of their paths."""


def written(path: Path) -> str:
    """A path as text."""
    return "/".join(step.replace("~", "~0").replace("/", "~1") for step in path)


def under(path: Path, root: Path) -> bool:
    """Whether a path leads to a part or into it."""
    return path[: len(root)] == root


def differences(before: Document, after: Document) -> list[Difference]:
    """All that leads from one scene to another, or from an object or another part of one to another, in the order of
    the document. What is the same object in both is passed over unread."""
    if not isinstance(before, Scene) or not isinstance(after, Scene):
        return list(_fields(before, after, ()))
    found = list(_fields(before, after, (), leaving=("first", "last")))
    was, becomes = (before.first, before.last), (after.first, after.last)
    if was != becomes:
        found.insert(0, Difference((RANGE,), was, becomes))
    return found


def _fields(before: Frozen, after: Frozen, path: Path, leaving: tuple[str, ...] = ()) -> Iterator[Difference]:
    for name in type(after).model_fields:
        if name not in leaving:
            yield from _values(getattr(before, name), getattr(after, name), (*path, name))


def _values(before: Any, after: Any, path: Path) -> Iterator[Difference]:
    if before is after or (type(before) is type(after) and before == after):
        return
    if _are_numbers(before, after):
        yield from _numbers(as_channel(before), as_channel(after), path)
    elif isinstance(before, Frozen) and type(before) is type(after) and not isinstance(before, (*WHOLE, Channel)):
        yield from _fields(before, after, path)
    elif _are_rows(before) and _are_rows(after):
        yield from _rows(before, after, path)
    else:
        yield Difference(path, before, after)


def _are_numbers(before: Any, after: Any) -> bool:
    """Whether both are numbers that differ in parts: at least one has keys or layers, and neither is a channel without
    need."""
    pair = (before, after)
    if not any(isinstance(value, Channel) for value in pair):
        return False
    return all(simplest(v) is v if isinstance(v, Channel) else isinstance(v, float | int) for v in pair)


def _numbers(before: Channel, after: Channel, path: Path) -> Iterator[Difference]:
    bases = Base.of(before), Base.of(after)
    if bases[0] != bases[1]:
        yield Difference((*path, BASE), *bases)
    yield from _rows(before.layers, after.layers, (*path, "layers"))


def _are_rows(value: Any) -> bool:
    """Whether it is a row of parts that can be told apart by their ids."""
    if not isinstance(value, tuple):
        return False
    ids = [getattr(row, "id", None) for row in value]
    return None not in ids and len(set(ids)) == len(ids)


def _rows(before: tuple[Any, ...], after: tuple[Any, ...], path: Path) -> Iterator[Difference]:
    was, becomes = {row.id: row for row in before}, {row.id: row for row in after}
    order = tuple(becomes)
    for slug, row in was.items():
        if slug not in becomes:
            yield Difference((*path, slug), row, ABSENT)
    for slug, row in becomes.items():
        if slug in was:
            yield from _values(was[slug], row, (*path, slug))
        else:
            yield Difference((*path, slug), ABSENT, row, order)
    if [slug for slug in was if slug in becomes] != [slug for slug in order if slug in was]:
        yield Difference((*path, ORDER), tuple(was), order)


def with_differences(part: Document, taken: Iterable[Difference]) -> Document:
    """The scene, or the part of one, that differences lead to which were found from it. All is made at once, so that
    parts that make sense together only can come together.

    Raises pydantic's ValidationError where the outcome would be none.
    """
    chosen: Chosen = {}
    for difference in taken:
        here = chosen
        for step in difference.path[:-1]:
            here = here.setdefault(step, {})  # type: ignore[assignment]
        here[difference.path[-1]] = difference
    return _made(part, chosen) if chosen else part


def _made(part: Frozen, chosen: Chosen) -> Any:
    changes: dict[str, Any] = {}
    for step, inner in chosen.items():
        if step == RANGE:
            changes["first"], changes["last"] = inner.after  # type: ignore[union-attr]
        else:
            plain = type(part).model_fields[step].annotation is Channel
            changes[step] = _value(getattr(part, step), inner, plain=plain)
    return part.replaced(**changes)


def _value(value: Any, chosen: Difference | Chosen, *, plain: bool = False) -> Any:
    """A part with what was chosen of it. `plain`: it stays a channel even if nothing moves it."""
    if isinstance(chosen, Difference):
        return chosen.after
    if isinstance(value, tuple):
        return _row(value, chosen)
    if not isinstance(value, float | int | Channel):
        return _made(value, chosen)
    channel = as_channel(value)
    base = chosen.get(BASE)
    if isinstance(base, Difference):
        channel = channel.replaced(**vars(base.after))
    if "layers" in chosen:
        channel = channel.replaced(layers=_value(channel.layers, chosen["layers"]))
    return channel if plain else simplest(channel)


def _row(rows: tuple[Any, ...], chosen: Chosen) -> tuple[Any, ...]:
    parts = {row.id: row for row in rows}
    order = list(parts)
    came: list[Difference] = []
    for slug, inner in chosen.items():
        if slug == ORDER:
            continue
        if isinstance(inner, Difference) and inner.before is ABSENT:
            came.append(inner)
        elif isinstance(inner, Difference) and inner.after is ABSENT:
            order.remove(slug)
        else:
            parts[slug] = _value(parts[slug], inner)
    for new in sorted(came, key=lambda new: new.row.index(new.path[-1])):
        slug = new.path[-1]
        parts[slug] = new.after
        order.insert(_place(slug, new.row, order), slug)
    rule = chosen.get(ORDER)
    if isinstance(rule, Difference):
        order = _ordered(order, rule.after)
    return tuple(parts[slug] for slug in order)


def _place(slug: str, row: Path, order: list[str]) -> int:
    """Where a part goes: after the nearest one before it in its own row that is here."""
    earlier = row[: row.index(slug)]
    return next((order.index(other) + 1 for other in reversed(earlier) if other in order), 0)


def _ordered(order: list[str], row: Path) -> list[str]:
    """Ids in the order of a row; those that are not in it follow whom they followed."""
    ordered = [slug for slug in row if slug in order]
    for i, slug in enumerate(order):
        if slug not in row:
            ordered.insert(ordered.index(order[i - 1]) + 1 if i else 0, slug)
    return ordered
