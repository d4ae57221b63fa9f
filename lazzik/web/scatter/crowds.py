"""The copies of a scatter as the stage is told of them: where they stand, how they lean, and a few for a drag."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from lazzik.core.clock import Clock
from lazzik.core.evaluate.copies import Copies, copies_of
from lazzik.core.evaluate.leans import answers_air, leans
from lazzik.core.evaluate.riding import ridden, rides
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.shapes import shapes_over_time
from lazzik.core.evaluate.variants import kinds_of, parts_of
from lazzik.core.scene.node import Node
from lazzik.core.scene.scatter import Scatter
from lazzik.core.scene.scene import Scene
from lazzik.web.scatter.facts import scatter_facts, told_alike
from lazzik.web.ui.encode import floats

STEPS = 32767.0
"""Leans are sent as so many parts of the largest of their answer."""

LAID = 2000
"""Copies that are seen while where they stand is dragged."""

LEANING = 32_000
"""Leans that a drag works out: of so many copies as that gives over the range."""

FEWEST, MOST = 24, 192
"""Copies that answer while a number is dragged, at least and at most; the others lean as their nearest one does."""


def laid_of(
    scene: Scene, owner: Node, scatter: Scatter, found: Copies, scope: Scope, most: int | None = None
) -> dict[str, Any]:
    """Where copies stand, the shapes that each is made of, and which are drawn where no more than `most` can be."""
    groups = [_group(scene, owner, found, *kind, scope) for kind in kinds_of(scene, scatter)]
    return {
        "node": owner.id, "count": len(found), "first": scene.first, "ids": _whole(found.ids),
        "places": floats(found.places), "turns": floats(found.turns), "sizes": floats(found.sizes), "groups": groups,
        "shown": None if most is None or most >= len(found) else _whole(evenly(len(found), most)),
    }  # fmt: skip


def _group(scene: Scene, owner: Node, found: Copies, place: int, variant: int | None, scope: Scope) -> dict[str, Any]:
    """The copies of one source in one shift of time, by their places in the answer."""
    parts = parts_of(scene, owner, place, variant or 0, scene.clock(), scope)
    told = [
        {"node": part.node.id, "matrices": floats(np.swapaxes(part.matrices, 1, 2)),
         "shaped": shapes_over_time(scene, part.node)}
        for part in parts
    ]  # fmt: skip
    return {"copies": _whole(found.of(place, variant)), "variant": variant or 0, "parts": told}


def leans_of(scene: Scene, owner: Node, found: Copies, clock: Clock, scope: Scope) -> dict[str, Any]:
    """How copies lean over the moments of a clock, and where their surface carries them, if it moves."""
    assert owner.scatter is not None
    angles = np.zeros((len(clock.frames), len(found), 2), dtype=np.float32)
    if answers_air(scene, owner.scatter):
        for part, block in leans(scene, owner, found, clock, scope):
            angles[:, part] = block
    told = {"moments": len(clock.frames), "leans": _steps(angles)}
    if len(found) and rides(scene, owner):
        away, tilts = np.empty((2, len(clock.frames), len(found), 3), dtype=np.float32)
        for row, (places, turns) in enumerate(ridden(scene, owner, found, clock, scope)):
            away[row] = places - found.places
            tilts[row] = turns[:, :3] * np.where(turns[:, 3:] < 0, -1.0, 1.0)
        told |= {"away": _steps(away), "tilts": _steps(tilts)}
    return told


def _steps(values: NDArray[np.float32]) -> dict[str, Any]:
    """Numbers as small whole ones, and what one of them is worth."""
    worth = (float(np.abs(values).max(initial=0.0)) or 1.0) / STEPS
    return {"worth": worth, "steps": np.round(values / worth).astype("<i2")}


def crowds_between(before: Scene, after: Scene, scope: Scope) -> list[dict[str, Any]]:
    """Of each scatter that an edit would change: its first copies, where they would stand elsewhere, and how a thinned
    choice of them would lean over the range."""
    if told_alike(before, after):
        return []
    was = {fact["node"]: fact for fact in scatter_facts(before)}
    changed = [fact for fact in scatter_facts(after) if fact != was.get(fact["node"])]
    crowds = []
    for fact in changed:
        owner = after.node(fact["node"])
        assert owner.scatter is not None
        found = copies_of(after, owner, scope)
        told: dict[str, Any] = {"node": owner.id}
        if fact["node"] not in was or fact["laid"] != was[fact["node"]]["laid"]:
            found = found.only(np.arange(min(LAID, len(found))))
            told["laid"] = laid_of(after, owner, owner.scatter, found, scope)
        if fact["leans"]:
            few = found.only(evenly(len(found), max(FEWEST, min(MOST, LEANING // after.frames // len(changed)))))
            lean = leans_of(after, owner, few, after.clock(), scope)
            told["lean"] = {"from": after.first, "to": after.last, "ids": _whole(few.ids)} | lean
        crowds.append(told)
    return crowds


def evenly(count: int, most: int) -> NDArray[np.int64]:
    """At most so many places among `count`, evenly."""
    return np.unique(np.linspace(0, count - 1, min(count, most)).astype(np.int64))


def _whole(numbers: NDArray[np.int64]) -> NDArray[np.int32]:
    return numbers.astype("<i4")
