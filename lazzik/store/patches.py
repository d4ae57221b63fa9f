"""The difference between two scenes as a JSON patch (RFC 6902), found by identity.

An edit shares all that it leaves alone, so whatever is the same object in both scenes is passed over unread: the cost
of a patch is that of what changed, not of the scene. Fields at their default are absent from the JSON form, so a field
that returns to it is removed, and one that leaves it is added.
"""

from __future__ import annotations

import json
from itertools import compress
from operator import is_not
from typing import Any

from lazzik.core.document import Frozen
from lazzik.core.geometry.assets import AssetStore
from lazzik.core.scene.form import VERSION
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.serialize import read_scene

Operation = dict[str, Any]


def patch_between(old: Scene, new: Scene) -> list[Operation]:
    """Operations that turn `scene_json(old)` into `scene_json(new)`."""
    operations: list[Operation] = []
    _fields(old, new, "", operations)
    if len(old.nodes) == len(new.nodes):
        for place in new.places_since(old):
            _value(old.nodes[place], new.nodes[place], f"/nodes/{place}", operations)
    return operations


def patched(
    document: dict[str, Any], patches: list[str], version: int = VERSION, assets: AssetStore | None = None
) -> Scene:
    """The scene that a snapshot of a version of the document becomes by patches, each a JSON text, in order."""
    return read_scene(json.dumps(replayed(document, patches) | {"version": version}), assets, stored=True)


def replayed(document: dict[str, Any], patches: list[str]) -> dict[str, Any]:
    """A document after patches, each a JSON text, in order. It is changed in place."""
    import jsonpatch

    for text in patches:
        document = jsonpatch.apply_patch(document, json.loads(text), in_place=True)
    return document


def _fields(old: Frozen, new: Frozen, path: str, operations: list[Operation]) -> None:
    for name, field in type(new).model_fields.items():
        a, b = getattr(old, name), getattr(new, name)
        if a is b or (name == "nodes" and isinstance(new, Scene) and len(a) == len(b)):  # those are told one by one
            continue
        here = f"{path}/{name}"
        default = field.get_default(call_default_factory=True)
        was, becomes = a != default, b != default
        if not becomes:
            if was:
                operations.append({"op": "remove", "path": here})
        elif not was:
            operations.append({"op": "add", "path": here, "value": _plain(b)})
        else:
            _value(a, b, here, operations)


def _value(old: Any, new: Any, path: str, operations: list[Operation]) -> None:
    if old is new:
        return
    if isinstance(old, Frozen) and type(old) is type(new):
        _fields(old, new, path, operations)
    elif isinstance(old, tuple) and isinstance(new, tuple):
        _rows(old, new, path, operations)
    elif old != new or type(old) is not type(new):
        operations.append({"op": "replace", "path": path, "value": _plain(new)})


def _rows(old: tuple[Any, ...], new: tuple[Any, ...], path: str, operations: list[Operation]) -> None:
    """As many rows as before change one by one. Otherwise rows that stayed at either end are left, and those between
    are taken out and put in."""
    if len(old) == len(new):
        for i in compress(range(len(old)), map(is_not, old, new)):
            _value(old[i], new[i], f"{path}/{i}", operations)
        return
    head = 0
    while head < min(len(old), len(new)) and old[head] is new[head]:
        head += 1
    tail = 0
    while tail < min(len(old), len(new)) - head and old[-1 - tail] is new[-1 - tail]:
        tail += 1
    operations.extend({"op": "remove", "path": f"{path}/{head}"} for _ in range(len(old) - head - tail))
    put = enumerate(new[head : len(new) - tail], head)
    operations.extend({"op": "add", "path": f"{path}/{i}", "value": _plain(row)} for i, row in put)


def _plain(value: Any) -> Any:
    """A part of the document as JSON values."""
    if isinstance(value, Frozen):
        return value.model_dump(mode="json", exclude_defaults=True)
    if isinstance(value, tuple):
        return [_plain(row) for row in value]
    return value
