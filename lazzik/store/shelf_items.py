"""The shelf: what is kept across scenes, beside what ships with the program.

What ships is part of the program, so that a newer one brings newer recipes; a row of the table stands over it: one of
the same key in its place, or one without content where it was removed.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

from sqlalchemy import Select, delete, select

from lazzik.core.cache import BoundedCache
from lazzik.core.errors import InvalidEdit
from lazzik.core.scene.edits.base import free_slug
from lazzik.core.scene.serialize import scene_text
from lazzik.core.scene.shelf_file import MOST_ITEMS, item_json, read_item
from lazzik.core.scene.shelf_item import ShelfItem
from lazzik.store.database import Database
from lazzik.store.rows import NotOnShelf
from lazzik.store.tables import ShelfRow, SpecimenRow

_READ: BoundedCache[ShelfItem] = BoundedCache(64 * 2**20)


@dataclass(frozen=True)
class Specimen:
    """What an item looks like."""

    drawn_of: str
    """What it was drawn of: the digest of the item's text."""
    content: bytes
    """SVG."""


class ShelfItems:
    """The shelf of one database. Safe between threads and processes."""

    def __init__(self, database: Database, shipped: Callable[[], Sequence[ShelfItem]]) -> None:
        self._database = database
        self._ships = shipped

    @cached_property
    def _shipped(self) -> dict[str, ShelfItem]:
        """Made when they are first asked for."""
        return {item.key: item for item in self._ships()}

    def items(self) -> list[ShelfItem]:
        """All of it: what was kept first, the newest before the others, then what ships, in its order."""
        with self._database.reading() as session:
            rows = list(session.scalars(select(ShelfRow).order_by(ShelfRow.made.desc(), ShelfRow.key)))
        own = [_read(row.key, row.content) for row in rows if row.content is not None]
        over = {row.key for row in rows}
        return [*own, *(item for key, item in self._shipped.items() if key not in over)]

    def item(self, key: str) -> ShelfItem:
        """One of them. Raises NotOnShelf."""
        with self._database.reading() as session:
            row = session.get(ShelfRow, key)
        if row is None and key in self._shipped:
            return self._shipped[key]
        if row is None or row.content is None:
            raise NotOnShelf(f"There is nothing called '{key[:64]}' on the shelf", key[:64])
        return _read(key, row.content)

    def ships(self, key: str) -> bool:
        """Whether the program brings something under this key."""
        return key in self._shipped

    @property
    def missing(self) -> int:
        """How many of those that ship were removed."""
        with self._database.reading() as session:
            return len(list(session.scalars(self._removed())))

    def keep(self, item: ShelfItem) -> ShelfItem:
        """Keep an item under a key of its own, unless the very same is there already. Raises InvalidEdit if there are
        too many, UnknownAsset if something heavy of it is not here."""
        return self.keep_all([item])[0]

    def keep_all(self, items: Iterable[ShelfItem]) -> list[ShelfItem]:
        """Keep several, all or none; as they are kept."""
        here = {item.key: item for item in self.items()}
        taken = {*here, *self._shipped}
        kept: list[ShelfItem] = []
        new: list[ShelfRow] = []
        for item in items:
            same = here.get(item.key)
            if same is not None and _text(same) == _text(item):
                kept.append(same)
                continue
            keyed = item.replaced(key=free_slug(item.key, taken))
            taken.add(keyed.key)
            kept.append(keyed)
            new.append(ShelfRow(key=keyed.key, content=_text(keyed)))
        if len(here) + len(new) > MOST_ITEMS:
            raise InvalidEdit(f"The shelf holds at most {MOST_ITEMS:,} things; remove some that you no longer need")
        with self._database.writing() as session:
            session.add_all(new)
        return kept

    def change(self, key: str, **changes: object) -> ShelfItem:
        """Give an item another name, note or tags. Raises NotOnShelf."""
        item = self.item(key).replaced(**changes)
        with self._database.writing() as session:
            row = session.get(ShelfRow, key)
            if row is None:
                session.add(ShelfRow(key=key, content=_text(item)))
            else:
                row.content = _text(item)
        return item

    def remove(self, key: str) -> None:
        """Take an item away. One that ships can be put back. Raises NotOnShelf."""
        self.item(key)
        with self._database.writing() as session:
            row = session.get(ShelfRow, key)
            if key in self._shipped and row is None:
                session.add(ShelfRow(key=key, content=None))
            elif key in self._shipped and row is not None:
                row.content = None
            else:
                session.execute(delete(ShelfRow).where(ShelfRow.key == key))

    def put_back(self) -> int:
        """Put back those that ship and were removed; how many they were."""
        with self._database.writing() as session:
            rows = list(session.scalars(self._removed()))
            for row in rows:
                session.delete(row)
        return len(rows)

    def _removed(self) -> Select[Any]:
        return select(ShelfRow).where(ShelfRow.content.is_(None), ShelfRow.key.in_(self._shipped))

    def specimen(self, key: str) -> Specimen | None:
        """What an item looks like, if that was drawn of it as it is now. Raises NotOnShelf."""
        of = digest(self.item(key))
        with self._database.reading() as session:
            row = session.get(SpecimenRow, key)
            return Specimen(row.drawn_of, row.content) if row is not None and row.drawn_of == of else None

    def drawn(self) -> set[str]:
        """What there are pictures of, by digests of items."""
        with self._database.reading() as session:
            return set(session.scalars(select(SpecimenRow.drawn_of)))

    def keep_specimen(self, key: str, specimen: Specimen) -> None:
        """Keep what an item looks like."""
        with self._database.writing() as session:
            session.merge(SpecimenRow(key=key, drawn_of=specimen.drawn_of, content=specimen.content))


def digest(item: ShelfItem) -> str:
    """What tells one state of an item from another: the SHA-256 of its text."""
    return hashlib.sha256(_text(item).encode()).hexdigest()


def _text(item: ShelfItem) -> str:
    kept: str | None = item.__dict__.get("_text")  # an item is a value: it is written once
    if kept is None:
        content = json.loads(scene_text(item.content))
        kept = item.__dict__["_text"] = json.dumps(item_json(item) | {"content": content}, ensure_ascii=False)
    return kept


def _read(key: str, content: str) -> ShelfItem:
    """An item out of its row; what was read is at hand for the next time."""
    known = _READ.get((key, content))
    return known if known is not None else _READ.put((key, content), read_item(json.loads(content), key), len(content))
