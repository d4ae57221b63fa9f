"""What a strip of numbers is made of: numbers, choices and plain fields, in groups under a heading each."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any, ClassVar, Literal

from lazzik.core.document import Option
from lazzik.web.ui.knob import Knob

TITLES = {
    "does": "What it does", "time": "In time", "where": "Where it acts", "mask": "Mask",
    "stack": "In the stack", "size": "Size", "mesh": "Mesh", "look": "Look",
}  # fmt: skip
"""The headings, in the order in which groups stand."""

MOST_IN_A_ROW = 9
"""Controls that stand beside each other; more are set in two rows."""


MOST_FOLDED = 4
"""Of those that are folded, how many a group is made wide enough for."""


Takes = Literal["text", "number", "truth", "slug", "length", "kind"]
"""As what the value of a control is written: an empty slug or kind is none, an empty length 0."""


@dataclass(frozen=True, kw_only=True)
class Plain:
    """A control of what is none of the scene's numbers."""

    id: str
    label: str
    help: str
    value: str
    data: Mapping[str, str] = field(default_factory=dict)
    """What the scripts read, as data attributes."""
    edit: Mapping[str, Any] | None = None
    """The edit that it makes; its value is written into it before it is sent."""
    into: str = ""
    """Where: 'target', 'settings.axis'."""
    takes: Takes = "text"
    """As what its value is written."""
    group: str = "does"
    rest: str | None = None
    """A value at which it adds nothing, so that it need not be seen; None if there is none."""

    @property
    def folds(self) -> bool:
        """Whether it need not be seen at rest."""
        return self.rest is not None

    @property
    def resting(self) -> bool:
        """Whether it adds nothing."""
        return self.value == self.rest


@dataclass(frozen=True, kw_only=True)
class Select(Plain):
    """One of a few values."""

    what: ClassVar[str] = "select"
    options: tuple[tuple[str, str], ...]
    """(value, what it is called)."""


@dataclass(frozen=True, kw_only=True)
class TypedField(Plain):
    """A number or a text that is none of the scene's numbers, and can only be typed."""

    what: ClassVar[str] = "field"
    unit: str = ""
    placeholder: str = ""
    most: int = 40
    wide: bool = False
    mode: str = "decimal"
    note: str = ""
    """What came of it, said below it."""


@dataclass(frozen=True, kw_only=True)
class Swatch:
    """The three numbers of a colour as one."""

    what: ClassVar[str] = "swatch"
    address: str
    """What theirs begin with: 'post/look.color'."""
    label: str = "colour"
    hex: str
    keyed: tuple[bool, ...]
    group: str = "look"
    folds: ClassVar[bool] = False
    resting: ClassVar[bool] = False


Control = Knob | Select | TypedField | Swatch


@dataclass(frozen=True, kw_only=True)
class Group:
    """Controls about the same thing; those at rest are folded."""

    key: str
    """Names it on the page, so that a fold that somebody opened stays so."""
    title: str
    shown: tuple[Control, ...]
    folded: tuple[Control, ...]
    columns: int
    drawing: str = ""
    """SVG path data in a field of 44 × 14."""

    @property
    def open(self) -> bool:
        """Whether something that is folded at rest is not at rest."""
        return not all(control.resting for control in self.folded)

    @property
    def more(self) -> str:
        """What is folded, in words."""
        return " · ".join(_gathered([control.label for control in self.folded]))


def grouped(
    key: str,
    controls: Iterable[Control],
    drawings: Mapping[str, str] | None = None,
    titles: Mapping[str, str] = TITLES,
) -> tuple[Group, ...]:
    """Controls under their headings, each in the order in which it is given. What a kind does is drawn beside its first
    heading, if none of its controls is about that."""
    found = list(controls)
    drawn = dict(drawings or {})
    if "does" in drawn and all(control.group != "does" for control in found):
        first = next(name for name in titles if any(control.group == name for control in found))
        drawn[first] = drawn.pop("does")
    rows = 1 if sum(not control.folds for control in found) <= MOST_IN_A_ROW else 2
    groups = []
    for name, title in titles.items():
        own = [control for control in found if control.group == name]
        if not own:
            continue
        shown = tuple(control for control in own if not control.folds)
        folded = tuple(control for control in own if control.folds)
        fits = min(MOST_FOLDED, len(folded)) if rows > 1 else 1
        groups.append(
            Group(
                key=f"{key}-{name}",
                title=title,
                shown=shown,
                folded=folded,
                columns=max(1, fits, math.ceil(len(shown) / rows)),
                drawing=drawn.get(name, ""),
            )
        )
    return tuple(groups)


def select_of(
    option: Option,
    name: str,
    values: Iterable[Any],
    value: Any,
    *,
    id: str,
    data: Mapping[str, str] | None = None,
    edit: Mapping[str, Any] | None = None,
    into: str = "",
    group: str = "",
) -> Select:
    """A choice as its kind describes it."""
    return Select(
        id=id,
        label=option.label or name.replace("_", " "),
        help=option.help,
        value=str(value),
        options=tuple((str(each), option.words.get(str(each), str(each))) for each in values),
        data=data or {},
        edit=edit,
        into=into,
        group=group or option.group,
        rest=option.rest,
    )


def _gathered(labels: list[str]) -> list[str]:
    """Labels that begin with the same word as one: 'turn x', 'turn y', 'turn z' are 'turn'."""
    first = Counter(label.partition(" ")[0] for label in labels)
    heads = (label.partition(" ")[0] if first[label.partition(" ")[0]] > 1 else label for label in labels)
    return list(dict.fromkeys(heads))
