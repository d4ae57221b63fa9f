"""Two scenes that were read apart, made to share whatever is the same in both.

A part that is the same object in both needs no look to know that it does not differ, and its motion that is known in
one scene is known in the other.
"""

from __future__ import annotations

from typing import Any

from lazzik.core.document import Frozen
from lazzik.core.scene.scene import Scene


def sharing(scene: Scene, other: Scene) -> Scene:
    """A scene whose parts that another one has too are that one's."""
    shared = _shared(scene, other)
    assert isinstance(shared, Scene)
    return shared if shared is scene or shared is other else shared.with_assets(scene.assets)


def _shared(part: Any, other: Any) -> Any:
    if part is other or type(part) is not type(other):
        return part
    if isinstance(part, Frozen):
        if part == other:
            return other
        fields = {name: _shared(getattr(part, name), getattr(other, name)) for name in type(part).model_fields}
        # all of it was checked when it was read
        return type(part).model_construct(**fields)
    if isinstance(part, tuple):
        if part == other:
            return other
        return tuple(_shared(row, known) for row, known in _pairs(part, other))
    return part


def _pairs(rows: tuple[Any, ...], others: tuple[Any, ...]) -> list[tuple[Any, Any]]:
    """Each part of a row with the one of the same id, or in the same place."""
    by_id = {getattr(row, "id", None): row for row in others}
    return [
        (
            row,
            by_id.get(slug)
            if (slug := getattr(row, "id", None)) is not None
            else others[i]
            if i < len(others)
            else None,
        )
        for i, row in enumerate(rows)
    ]
