"""The shelf as a file: JSON, with a version; and refusing what is none."""

from __future__ import annotations

import json
from collections.abc import Iterable
from typing import Any

from pydantic import ValidationError

from lazzik.core.errors import InvalidDocument, LazzikError, plain
from lazzik.core.scene.form import LARGEST_TEXT
from lazzik.core.scene.serialize import MOST_VALUES, read_scene, scene_text
from lazzik.core.scene.shelf_item import ShelfItem

FORMAT = "lazzik-shelf"
VERSION = 1
MOST_ITEMS = 1000


def shelf_text(items: Iterable[ShelfItem]) -> str:
    """Items as JSON, each with all that is heavy of it. Raises UnknownAsset if some of that is not here."""
    rows = [item_json(item) | {"content": json.loads(scene_text(item.content))} for item in items]
    return json.dumps({"format": FORMAT, "version": VERSION, "items": rows}, ensure_ascii=False, allow_nan=False)


def item_json(item: ShelfItem) -> dict[str, Any]:
    """What is said of an item, without its content."""
    return item.model_dump(mode="json", exclude={"content"}, exclude_defaults=True)


def read_shelf(text: str | bytes) -> tuple[ShelfItem, ...]:
    """The items of a file. All or none: raises InvalidDocument, saying what is wrong and where."""
    if len(text) > LARGEST_TEXT:
        raise InvalidDocument(f"The file is larger than {LARGEST_TEXT // 2**20} MB, the most a shelf may have.")
    values = text.count(b",") if isinstance(text, bytes) else text.count(",")
    if values > MOST_VALUES:
        raise InvalidDocument(f"The shelf holds {values:,} values; {MOST_VALUES:,} are the most.")
    try:
        content = json.loads(text)
    except (ValueError, RecursionError) as error:
        problem = "it is nested too deep" if isinstance(error, RecursionError) else str(error)
        raise InvalidDocument(f"This is not JSON that can be read: {problem[:120]}.") from None
    if not isinstance(content, dict) or content.get("format") != FORMAT:
        raise InvalidDocument("This is no shelf that was exported from Lazzik.")
    if content.get("version") != VERSION:
        raise InvalidDocument(
            f"This shelf is of version {str(content.get('version'))[:20]}; {VERSION} is the one that is known here."
        )
    rows = content.get("items")
    if not isinstance(rows, list) or len(rows) > MOST_ITEMS:
        raise InvalidDocument(f"The shelf's items are no list, or more than {MOST_ITEMS:,}.")
    items = tuple(read_item(row, f"item {place}") for place, row in enumerate(rows, 1))
    keys = [item.key for item in items]
    if len(set(keys)) < len(keys):
        twice = next(key for key in keys if keys.count(key) > 1)
        raise InvalidDocument(f"Two items of the shelf have the key '{twice}'.")
    return items


def read_item(row: Any, where: str) -> ShelfItem:
    """One item. Raises InvalidDocument; `where` says which it is."""
    if not isinstance(row, dict) or not isinstance(row.get("content"), dict):
        raise InvalidDocument(f"The shelf can't be read: {where} has no content.")
    try:
        scene = read_scene(json.dumps(row["content"]))
        return ShelfItem.model_validate(row | {"content": scene})
    except ValidationError as error:
        first = error.errors(include_url=False)[0]
        field = ".".join(str(part) for part in first["loc"])
        raise InvalidDocument(
            f"The shelf can't be read: {where}, {field or 'its content'}: {plain(first['msg'])}."
        ) from None
    except LazzikError as error:
        raise InvalidDocument(f"The shelf can't be read: {where}. {error.message}") from None
