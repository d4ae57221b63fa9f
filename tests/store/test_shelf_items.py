"""The shelf is kept: what ships stays part of the program, what is kept survives, all or none comes in."""

from __future__ import annotations

from base64 import b64decode
from pathlib import Path

import pytest

from lazzik.core.errors import InvalidEdit
from lazzik.core.scene.edits.shelf_content import content_of
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.shelf_file import MOST_ITEMS
from lazzik.core.scene.shelf_item import ShelfItem
from lazzik.demo.shelf_items import shipped
from lazzik.store.database import Database
from lazzik.store.rows import NotOnShelf
from lazzik.store.shelf_items import ShelfItems, Specimen, digest
from tests.conftest import edited
from tests.core.scene.test_shelf import item

DOT = b64decode("iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg==")
"""A PNG of one pixel."""


def shelf_in(folder: Path) -> ShelfItems:
    return ShelfItems(Database(folder), shipped)


def test_what_is_kept_survives_and_stands_first(tmp_path: Path) -> None:
    shelf = shelf_in(tmp_path)
    kept = shelf.keep(item("object"))
    again = shelf_in(tmp_path)
    assert again.item(kept.key) == kept
    assert [each.key for each in again.items()] == [kept.key, *(each.key for each in shipped())]
    assert shelf.keep(item("object")) == kept  # the very same is there
    assert len(again.items()) == 1 + len(shipped())


def test_another_of_the_same_key_gets_one_of_its_own(tmp_path: Path) -> None:
    shelf = shelf_in(tmp_path)
    first = shelf.keep(item("material"))
    other = shelf.keep(item("material").replaced(label="Rusty"))
    assert (first.key, other.key) == ("material", "material-2")
    assert shelf.keep(shipped()[0].replaced(label="Mine")).key == f"{shipped()[0].key}-2"


def test_what_ships_is_changed_removed_and_put_back(tmp_path: Path) -> None:
    shelf = shelf_in(tmp_path)
    key = shipped()[3].key
    shelf.change(key, label="Mine", tags=("own",))
    assert shelf.item(key).label == "Mine"
    shelf.remove(key)
    with pytest.raises(NotOnShelf, match=f"nothing called '{key}'"):
        shelf.item(key)
    assert shelf.missing == 1
    assert key not in [each.key for each in shelf.items()]
    assert shelf_in(tmp_path).put_back() == 1
    assert (shelf.item(key), shelf.missing) == (shipped()[3], 0)
    own = shelf.keep(item("pose"))
    shelf.remove(own.key)
    assert shelf.missing == 0
    assert shelf.put_back() == 0


def test_a_full_shelf_takes_all_or_none(tmp_path: Path) -> None:
    shelf = shelf_in(tmp_path)
    pose = item("pose")
    many = [pose.replaced(key=f"pose-{k}", label=f"Pose {k}") for k in range(MOST_ITEMS - len(shipped()) + 1)]
    with pytest.raises(InvalidEdit, match="at most 1,000 things"):
        shelf.keep_all(many)
    assert len(shelf.items()) == len(shipped())
    assert len(shelf.keep_all(many[1:])) == len(many) - 1


def test_a_picture_is_of_the_item_as_it_is(tmp_path: Path) -> None:
    shelf = shelf_in(tmp_path)
    kept = shelf.keep(item("clip"))
    assert shelf.specimen(kept.key) is None
    shelf.keep_specimen(kept.key, Specimen(digest(kept), b"<svg/>"))
    assert shelf.specimen(kept.key) == Specimen(digest(kept), b"<svg/>")
    shelf.change(kept.key, label="Another")
    assert shelf.specimen(kept.key) is None


def test_what_is_heavy_of_an_item_lies_in_it(tmp_path: Path) -> None:
    scene = edited(Scene(name="Sheet"), {"do": "add-object", "label": "Sheet", "shape": {"kind": "sheet"}})
    asset = scene.assets.put(DOT)
    scene = edited(scene, {"do": "put-picture", "node": "sheet", "asset": asset})
    shelf = shelf_in(tmp_path)
    content = content_of(scene, "material", "sheet")
    shelf.keep(ShelfItem(key="poster", sort="material", label="Poster", part="sheet", content=content))
    assert shelf_in(tmp_path).item("poster").content.assets.content(asset) == DOT
