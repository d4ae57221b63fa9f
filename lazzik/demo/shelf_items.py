"""What the shelf holds from the first: recipes of numbers and of objects, of our own."""

from __future__ import annotations

from functools import cache

from lazzik.core.scene.edits.shelf_content import content_of
from lazzik.core.scene.object_recipe import ObjectRecipe
from lazzik.core.scene.rest_pose import across, extent
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.shelf_item import ShelfItem
from lazzik.demo.recipes import library
from lazzik.demo.whole import WHOLE, WholeRecipe

LAST = 250

TAGS = {
    "gust_sway": ("wind", "trees"), "lamp_flicker": ("light",), "beacon_pulse": ("light",),
    "hand_held": ("camera",), "idle_float": ("float",), "ring_on_arrival": ("spring",), "lag_behind": ("spring",),
    "elastic_entrance": ("move",), "orbit": ("turn",), "rotor": ("turn", "wind"), "needle": ("turn",),
    "stop_motion": ("look",), "flutter": ("wind", "cloth"), "breathing": ("float",), "breezy_meadow": ("air",),
    "gusty_ridge": ("air",), "lull_before_storm": ("air",), "door_draught": ("air",), "passing_wake": ("air",),
    "snow": ("particles", "weather"), "leaves": ("particles", "trees"), "smoke": ("particles",),
    "spray": ("particles", "water"), "flag": ("cloth", "wind"), "cover": ("cloth", "wind"),
    "curtain": ("cloth", "air"), "drop": ("swarm", "water"), "basin": ("swarm", "water"),
}  # fmt: skip


@cache
def shipped() -> tuple[ShelfItem, ...]:
    """All of it, each under a key that never changes."""
    numbers = Scene(name="Library", last=LAST, recipes=library())
    rows = [
        ShelfItem(
            key=recipe.id.replace("_", "-"), sort="recipe", label=recipe.label, note=recipe.note,
            tags=TAGS[recipe.id], part=recipe.id, content=content_of(numbers, "recipe", recipe.id),
        )
        for recipe in numbers.recipes
    ]  # fmt: skip
    return (*rows, *(_object(whole) for whole in WHOLE))


def _object(whole: WholeRecipe) -> ShelfItem:
    nodes = whole.build()
    scene = Scene(name=whole.label, last=LAST, nodes=tuple(nodes))
    main = scene.node(whole.main)
    recipe = ObjectRecipe(
        id=whole.key, label=whole.label, note=whole.note,
        nodes=(main, *(node for node in nodes if node is not main)),
        size=extent(scene, main).size, across=across(scene, main),
    )  # fmt: skip
    return ShelfItem(
        key=whole.key, sort="object", label=whole.label, note=whole.note, tags=TAGS[whole.key], part=whole.key,
        content=Scene(name=whole.label, last=LAST, object_recipes=(recipe,)),
    )  # fmt: skip
