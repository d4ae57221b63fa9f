"""Recipes of objects: put on fifty at once and followed by them; and how large a page for review is."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial
from typing import Any

from benchmarks.timing import best
from lazzik.core.formats.base import NamedScene
from lazzik.core.formats.review_page import ReviewPage
from lazzik.core.progress import Progress
from lazzik.core.scene.edits.base import applied
from lazzik.core.scene.edits.every import read_edits
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.serialize import read_scene, scene_text
from lazzik.demo.station import station
from lazzik.library import edit

COUNT, GOAL = 50, 0.3

MEGABYTE = 2**20


def rows() -> Iterator[str]:
    """The yardstick of the first two is reading the outcome from its text."""
    scene, slugs = _row()
    put = read_edits([{"do": "put-object-recipe", "recipe": "post", "nodes": slugs}], scene)
    after = applied(scene, put)
    text = scene_text(after)
    read = best(partial(read_scene, text))
    spent = best(partial(applied, scene, put))
    yield _told(f"put on {COUNT} objects of different sizes", spent, read)
    changed = edit(after, {"do": "set", "address": "post/rotation.z#gust.period", "value": 2.0})
    update = read_edits([{"do": "update-object-recipe", "node": "post", "recipe": "post"}], changed)
    yield _told(f"followed by {COUNT} when it changes", best(partial(applied, changed, update)), read)
    yield from _pages()


def _told(what: str, spent: float, read: float) -> str:
    goal = f"goal {1e3 * GOAL:.0f} ms: {'holds' if spent <= GOAL else 'does not hold'}"
    return f"{what}: {1e3 * spent:.0f} ms, {spent / read:.2f} × reading the outcome ({goal})"


def _row() -> tuple[Scene, list[str]]:
    def post(label: str, size: float, x: float) -> dict[str, Any]:
        shape = {"kind": "tube", "radius": 0.1 * size, "height": 2.0 * size, "along": 12, "base": True}
        return {"do": "add-object", "label": label, "shape": shape, "position": [x, 0, 0]}

    def layer(kind: str, label: str, **fields: float) -> dict[str, Any]:
        return {"kind": kind, "id": label.lower(), "label": label, **fields}

    slugs = [f"pole-{k}" for k in range(COUNT)]
    lamp = {"kind": "ball", "radius": 0.2}
    scene = edit(
        Scene(name="Row"), post("Post", 1.0, 0.0), *(post(f"Pole {k}", 0.5 + k / 20, k + 1.0) for k in range(COUNT)),
        {"do": "add-object", "label": "Lamp", "shape": lamp, "parent": "post", "position": [0, 2, 0]},
        {"do": "put-layers", "address": "post/rotation.z", "layers": [layer("noise", "Gust", amplitude=6.0)]},
        {"do": "put-layers", "address": "post/position.y", "layers": [layer("wave", "Bob", amplitude=0.2)]},
        {"do": "put-layers", "address": "lamp/look.glow", "layers": [layer("noise", "Flicker", amplitude=0.5)]},
        {"do": "add-deformer", "node": "post", "kind": "bend"},
        {"do": "add-deformer", "node": "post", "kind": "undulate"},
        {"do": "save-object-recipe", "node": "post", "label": "Post"},
    )  # fmt: skip
    return scene, slugs


def _pages() -> Iterator[str]:
    calm = station()
    wind = next(node for node in calm.nodes if node.field is not None and node.field.kind == "wind")
    wild = edit(calm, {"do": "set", "address": f"{wind.id}/field.speed", "value": 9})
    one = len(ReviewPage().write(calm))
    both = len(ReviewPage().deliver_all([NamedScene(calm, "Calm"), NamedScene(wild, "Wild")], Progress()).content)
    for what, size, goal in (
        ("a page for review of the demo", one, 3),
        ("a second version in it, all of whose motion differs", both - one, 1),
    ):
        holds = "holds" if size <= goal * MEGABYTE else "does not hold"
        yield f"{what}: {size / MEGABYTE:.2f} MB (goal {goal}: {holds})"
