"""What the shelf holds, as pages show it."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from lazzik.core.scene.address import Address, exists, title
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.shelf_item import FIELDS, SORTS, ShelfItem, Sort
from lazzik.store.shelf_items import ShelfItems, digest

SORT_WORDS: dict[Sort, tuple[str, str]] = {
    "recipe": ("recipe", "recipes"), "object": ("recipe of an object", "recipes of objects"),
    "clip": ("clip", "clips"), "pose": ("pose", "poses"), "material": ("material", "materials"),
}  # fmt: skip
"""What each sort is called: one, and many."""


NAMED = 16
"""Characters of what names a picture."""


@dataclass(frozen=True, kw_only=True)
class ShelfCard:
    """An item as a card."""

    item: ShelfItem
    sort: str
    """What sort it is, in a word."""
    ships: bool
    """Whether the program brings it."""
    needs: str
    """What of it is about the unit of a number, or about how many things it is: '°', '3 objects'."""
    found_by: str
    """The words that a search looks in."""
    drawn_of: str
    """Names its picture, so that a browser may keep it for good."""
    drawn: bool
    """Whether that is there already."""


@dataclass(frozen=True, kw_only=True)
class ShelfView:
    """The shelf."""

    cards: tuple[ShelfCard, ...]
    sorts: tuple[tuple[str, str, int], ...]
    """(sort, what it is called, how many there are)."""
    tags: tuple[str, ...]
    """Those that most have first."""
    missing: int
    """How many of those that ship were removed."""


def shelf_view(shelf: ShelfItems) -> ShelfView:
    """All of it."""
    items, drawn = shelf.items(), shelf.drawn()
    counts = Counter(item.sort for item in items)
    tags = Counter(tag for item in items for tag in item.tags)
    return ShelfView(
        cards=tuple(_card(shelf, item, drawn) for item in items),
        sorts=tuple((sort, SORT_WORDS[sort][1], counts[sort]) for sort in SORTS if counts[sort]),
        tags=tuple(tag for tag, _ in tags.most_common()),
        missing=shelf.missing,
    )


def _card(shelf: ShelfItems, item: ShelfItem, drawn: set[str]) -> ShelfCard:
    of = digest(item)
    return ShelfCard(
        item=item,
        sort=SORT_WORDS[item.sort][0],
        ships=shelf.ships(item.key),
        needs=_needs(item),
        found_by=" ".join((item.label, item.note, *item.tags, SORT_WORDS[item.sort][0])).lower(),
        drawn_of=of[:NAMED],
        drawn=of in drawn,
    )


def _needs(item: ShelfItem) -> str:
    content = item.content
    match item.sort:
        case "recipe":
            recipe = content.recipe(item.part)
            return f"for {recipe.unit or 'plain numbers'}" if recipe is not None else ""
        case "object":
            recipe_of = content.object_recipe(item.part)
            return _count(len(recipe_of.nodes), "object") if recipe_of is not None else ""
        case "clip":
            clip = next(clip for clip in content.clips if clip.id == item.part)
            return f"{_count(len(clip.tracks), 'number')}, {clip.length / content.fps:.3g} s"
        case "pose":
            return _count(len(next(pose for pose in content.poses if pose.id == item.part).held), "number")
        case "material":
            return ""


def _count(count: int, what: str) -> str:
    return f"{count} {what}{'' if count == 1 else 's'}"


def offered(scene: Scene, sort: Sort, part: str) -> str:
    """What a part of a scene is called on the shelf, if nothing else is said."""
    labels = {row.id: row.label for row in getattr(scene, FIELDS[sort])}
    return str(labels.get(part, part))


@dataclass(frozen=True, kw_only=True)
class ShelfTarget:
    """Where in a scene an item would be put to use."""

    numbers: tuple[str, ...]
    number: str
    """What they are called; '' if there are none."""
    objects: tuple[str, ...]
    object: str
    frame: float

    def uses(self, item: ShelfItem) -> tuple[tuple[str, dict[str, Any]], ...]:
        """What can be done with an item: (words, what is asked of the server)."""
        here = {"item": item.key, "frame": self.frame}
        match item.sort:
            case "recipe":
                on = (f"Put on {self.number}", here | {"on": self.numbers})
                return ((on,) if self.numbers else ()) + (self._only(item),)
            case "object":
                on = (f"Put on {self.object}", here | {"on": self.objects})
                return ((on,) if self.objects else ()) + (("As new objects", here),)
            case "clip":
                return ((f"Play from frame {self.frame:g}", here), self._only(item))
            case "pose":
                return ((f"Place at frame {self.frame:g}", here), self._only(item))
            case "material":
                return ((f"Give to {self.object}", here | {"on": self.objects}),) if self.objects else ()

    def _only(self, item: ShelfItem) -> tuple[str, dict[str, Any]]:
        return "Bring into the scene", {"item": item.key, "use": False}


def target_of(scene: Scene, at: str, also: Sequence[str], frame: float) -> ShelfTarget:
    """What is chosen in a scene."""
    chosen = [text for text in dict.fromkeys((at, *also)) if text]
    numbers = tuple(text for text in chosen if exists(scene, text))
    slugs = dict.fromkeys(text.split("/", 1)[0] for text in chosen)
    objects = tuple(slug for slug in slugs if slug in scene.by_id)
    first = title(scene, Address.parse(numbers[0])) if numbers else ""
    named = scene.called[objects[0]] if objects else ""
    return ShelfTarget(
        numbers=numbers,
        number=first if len(numbers) < 2 else f"{len(numbers)} numbers",
        objects=objects,
        object=named if len(objects) < 2 else f"{len(objects)} objects",
        frame=frame,
    )
