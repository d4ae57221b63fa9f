"""An edit is a typed command: a description that turns one scene into the next and says what it did."""

from __future__ import annotations

import re
from collections.abc import Collection, Mapping

from pydantic import ValidationError

from lazzik.core.document import Frozen
from lazzik.core.errors import InvalidEdit, plain
from lazzik.core.progress import UNHEARD, Progress
from lazzik.core.scene.references import circle, circle_said
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.visit import without_empty_sheaves


class Edit(Frozen):
    """Base of all edits. `do` names the kind."""

    do: str

    def apply(self, scene: Scene) -> Scene:
        """The scene after the edit. Raises UnknownAddress or InvalidEdit; the scene itself never changes."""
        raise NotImplementedError

    def describe(self, scene: Scene) -> str:
        """What the edit does, as a step is named: 'amplitude of Gust'. `scene` is the one before it."""
        raise NotImplementedError

    @property
    def where(self) -> str:
        """The address or object that the edit is about, for errors."""
        return getattr(self, "address", "") or getattr(self, "node", "")


def applied(scene: Scene, edits: list[Edit], progress: Progress = UNHEARD) -> Scene:
    """The scene after all edits, in order; all or none. Raises UnknownAddress or InvalidEdit, the latter also where
    numbers would read each other in a ring."""
    before = scene
    for edit in progress.over(edits, lambda _: ""):
        try:
            scene = edit.apply(scene)
        except ValidationError as error:
            first = error.errors(include_url=False)[0]
            field = ".".join(str(part) for part in first["loc"] if part not in ("constant", "layered"))
            sentence = f"{field}: {plain(first['msg'])}" if field else plain(first["msg"])
            raise InvalidEdit(sentence[:1].upper() + sentence[1:], edit.where) from None
    scene = without_empty_sheaves(scene)
    if members := circle(scene, before):
        raise InvalidEdit(circle_said(scene, members), members[0])
    return scene


def free_label(wish: str, taken: Collection[str]) -> str:
    """A label that no other one beside it has: 'Box', 'Box 2' …"""
    if wish not in taken:
        return wish
    stem = re.sub(r" \d+$", "", wish)[:110]
    return next(label for n in range(2, len(taken) + 3) if (label := f"{stem} {n}") not in taken)


def free_slug(wish: str, taken: set[str]) -> str:
    """A slug made from a label that nothing else has: 'Gust' -> 'gust', 'gust-2' …"""
    letters = "".join(c if c.isascii() and c.isalnum() else "-" for c in wish.lower())
    stem = "-".join(part for part in letters.split("-") if part)[:56] or "item"
    if stem not in taken:
        return stem
    return next(slug for n in range(2, len(taken) + 3) if (slug := f"{stem}-{n}") not in taken)


def checked_choices(
    allowed: Mapping[str, tuple[str, ...]], given: Mapping[str, str], what: str, where: str
) -> dict[str, str]:
    """The choices that were given. Raises InvalidEdit where one is none of those that may be made."""
    for name, value in given.items():
        if value not in allowed.get(name, ()):
            others = f"; it may be {', '.join(allowed[name])}" if name in allowed else ""
            raise InvalidEdit(f"'{value}' is no {name} of {what}{others}", where)
    return dict(given)
