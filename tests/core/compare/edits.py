"""Steps of every sort that are made on the demo scene, and scenes that some of them lead to."""

from __future__ import annotations

from typing import Any

from hypothesis import strategies as st

from lazzik.core.errors import LazzikError
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.visit import without_empty_sheaves
from tests.conftest import edited

MAST = "beacon-mast/rotation.z"

STEPS: list[dict[str, Any]] = [
    {"do": "set", "address": f"{MAST}#gust.amplitude", "value": 3},
    {"do": "set", "address": f"{MAST}#gust.amplitude", "value": 5},
    {"do": "set", "address": "mast/position.x", "value": 0.5},
    {"do": "set", "address": "sign/rotation.x", "value": 12},
    {"do": "put-key", "address": "sign/rotation.x", "frame": 20, "value": 3},
    {"do": "put-key", "address": "mast/position.x", "frame": 40, "value": 1},
    {"do": "add-layer", "address": MAST, "kind": "noise", "label": "Shiver"},
    {"do": "add-layer", "address": MAST, "kind": "wave"},
    {"do": "add-layer", "address": "sign/rotation.x", "kind": "wave", "label": "Sway"},
    {"do": "add-layer", "address": f"{MAST}#gust.amplitude", "kind": "wave", "label": "Swell"},
    {"do": "add-layer", "address": "sign/rotation.z", "kind": "link", "settings": {"source": MAST}},
    {"do": "move-layer", "address": f"{MAST}#gust", "to": 1},
    {"do": "remove-layer", "address": f"{MAST}#gust"},
    {"do": "change-layer", "address": f"{MAST}#gust", "label": "Squall", "muted": True},
    {"do": "remove-object", "node": "lamp-3"},
    {"do": "remove-object", "node": "board"},
    {"do": "change-object", "node": "sign", "label": "Board", "visible": False},
    {"do": "add-object", "label": "Crate", "shape": {"kind": "box"}},
    {"do": "group", "nodes": ["lamp-1", "lamp-2"], "label": "Two lamps"},
    {"do": "hang", "nodes": ["lamp-4"], "under": "mast"},
    {"do": "duplicate", "node": "sign", "count": 2},
    {"do": "add-dial", "label": "Storm", "value": 2},
    {"do": "add-layer", "address": "sign/rotation.y", "kind": "formula", "settings": {"text": "storm * sin(t)"}},
    {"do": "save-recipe", "address": MAST, "label": "Mast sway", "in_place": False},
    {"do": "use-recipe", "recipe": "mast_sway", "address": "sign/rotation.z"},
    {"do": "gather-sheaf", "addresses": [f"{MAST}#gust", f"{MAST}#tremble"], "label": "Gusts"},
    {"do": "add-mark", "frame": 30, "label": "Gust begins"},
    {"do": "change-mark", "mark": "gust-begins", "frame": 40, "remark": "Later, please."},
    {"do": "add-deformer", "node": "sign", "kind": "bend"},
    {"do": "add-deformer", "node": "sign", "kind": "twist"},
    {"do": "change-scene", "first": 10, "last": 300},
    {"do": "change-scene", "name": "Another", "fps": 24},
    {"do": "change-scene", "fps": 25, "keep": "seconds"},
    {"do": "aim", "nodes": ["sign"], "target": "lamp-5"},
    {"do": "save-pose", "label": "Calm", "addresses": [MAST, "mast/position.x"], "frame": 0},
]
"""Each by itself, or after others: some lead nowhere then."""


KEPT = ("mast", "beacon-mast", "crossbar", "sign", "sign-arm", "board", "lamps", "lamp-", "shade-", "crate")


def part_of_the_demo(scene: Scene) -> Scene:
    """The objects of the demo scene that the steps are about: less to check after each."""
    nodes = tuple(node for node in scene.nodes if node.id.startswith(KEPT))
    there = {node.id for node in nodes}
    nodes = tuple(node if node.parent in there else node.replaced(parent=None) for node in nodes)
    return without_empty_sheaves(scene.replaced(nodes=nodes))


def scene_after(scene: Scene, steps: list[dict[str, Any]]) -> Scene:
    """A scene after those of some steps that can be made."""
    for step in steps:
        try:
            scene = edited(scene, step)
        except LazzikError:
            continue
    return scene


journeys = st.lists(st.sampled_from(STEPS), min_size=1, max_size=7, unique_by=id)
