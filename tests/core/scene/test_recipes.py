"""Recipes: a saved stack in use, what follows it, what a use has of its own, and the library."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from lazzik.core.channel.channel import Channel
from lazzik.core.channel.keys import Key
from lazzik.core.errors import InvalidEdit, UnknownAddress
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.strata import strata
from lazzik.core.evaluate.values import evaluate
from lazzik.core.scene.address import Address, find
from lazzik.core.scene.edits.stacks import used_recipes
from lazzik.core.scene.node import Node, Position, Rotation
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.serialize import read_scene, scene_text
from lazzik.demo.recipes import library
from tests.conftest import edited

A, B = "a/rotation.z", "b/rotation.z"
MOVE = (Key(frame=0, value=1), Key(frame=50, value=9))
STOP = (Key(frame=0, value=1, go="linear"), Key(frame=50, value=9))


@pytest.fixture
def scene() -> Scene:
    """Two objects; the first has a stack of three layers over keys."""
    plain = Scene(
        name="Two", last=120,
        nodes=(Node(id="a", label="A", rotation=Rotation(z=Channel(keys=MOVE))), Node(id="b", label="B"),
               Node(id="c", label="C", position=Position(y=4.0))),
    )  # fmt: skip
    return edited(
        plain,
        {"do": "add-layer", "address": A, "kind": "noise", "label": "Gust"},
        {"do": "add-layer", "address": f"{A}#gust.period", "kind": "wave", "label": "Slow"},
        {"do": "set", "address": f"{A}#gust.period#slow.amplitude", "value": 0.2},
        {"do": "add-layer", "address": A, "kind": "settle", "label": "Ring"},
        {"do": "add-layer", "address": A, "kind": "repeat", "label": "Again"},
        {"do": "move-layer", "address": f"{A}#again", "to": 0},
    )


@pytest.fixture
def saved(scene: Scene) -> Scene:
    expose = [{"target": "gust.amplitude"}, {"target": "gust.period#slow.amplitude", "label": "Breathing"}]
    return edited(scene, {"do": "save-recipe", "address": A, "label": "Ridge gust", "expose": expose})


def values(scene: Scene, address: str = A) -> Any:
    return evaluate(scene, [address], scene.clock())[address]


def test_a_stack_moves_the_same_once_it_is_a_recipe(scene: Scene, saved: Scene) -> None:
    np.testing.assert_allclose(values(saved), values(scene), atol=1e-9)
    (use,) = find(saved, Address.parse(A)).channel.layers
    assert (use.kind, use.label, use.recipe, use.size) == ("recipe", "Ridge gust", "ridge_gust", 1)  # type: ignore[attr-defined]
    assert read_scene(scene_text(saved)) == saved


def test_every_use_follows_the_recipe_and_keeps_what_it_has_of_its_own(saved: Scene) -> None:
    used = edited(saved, {"do": "use-recipe", "address": B, "recipe": "ridge_gust"})
    used = edited(used, {"do": "set", "address": f"{B}#ridge-gust.amplitude", "value": 2})
    quiet = edited(used, {"do": "set", "address": "recipes/ridge_gust#gust.amplitude", "value": 0},
                   {"do": "change-layer", "address": "recipes/ridge_gust#ring", "muted": True})  # fmt: skip
    assert np.abs(values(quiet, B)).max() > 0.5
    curve = Channel(keys=MOVE).curve(30)
    np.testing.assert_allclose(values(quiet, A)[:50], curve.at(np.arange(50.0), 30), atol=1e-9)
    back = edited(quiet, {"do": "follow-recipe", "address": f"{B}#ridge-gust", "number": "amplitude"})
    np.testing.assert_allclose(values(back, B), 0, atol=1e-9)


def test_exposed_numbers_are_shown_keyed_and_driven_like_any_other(saved: Scene) -> None:
    place = find(saved, Address.parse(f"{A}#ridge-gust.amplitude"))
    assert (place.quantity.unit, place.quantity.useful, place.number) == ("°", (0.0, 32.0), 8.0)
    names = list(find(saved, Address.parse(A)).channel.layers[0].numbers(saved))
    assert names == ["amplitude", "amplitude_2", "weight", "size"]
    driven = edited(
        saved,
        {"do": "put-key", "address": f"{A}#ridge-gust.amplitude", "frame": 0, "value": 0},
        {"do": "put-key", "address": f"{A}#ridge-gust.amplitude", "frame": 120, "value": 20},
        {"do": "add-layer", "address": f"{A}#ridge-gust.amplitude_2", "kind": "noise"},
    )
    assert np.abs(values(driven) - values(saved)).max() > 2
    assert read_scene(scene_text(driven)) == driven


def test_a_use_is_sized_for_where_it_lands(saved: Scene) -> None:
    lifted = edited(saved, {"do": "use-recipe", "address": "c/position.y", "recipe": "ridge_gust"})
    size = find(lifted, Address.parse("c/position.y#ridge-gust.size")).number
    assert size == pytest.approx(0.15 / 8, rel=0.01)
    motion = values(lifted, "c/position.y") - 4
    assert 0.02 < np.abs(motion).max() < 0.5
    double = edited(lifted, {"do": "set", "address": "c/position.y#ridge-gust.size", "value": 2 * float(size)})  # type: ignore[arg-type]
    np.testing.assert_allclose(values(double, "c/position.y") - 4, 2 * motion, atol=1e-9)


def test_size_zero_leaves_nothing_and_never_divides_by_it(saved: Scene) -> None:
    gone = edited(saved, {"do": "set", "address": f"{A}#ridge-gust.size", "value": 0})
    assert np.all(np.isfinite(values(gone)))


def test_exposing_more_and_less(saved: Scene) -> None:
    more = edited(saved, {"do": "expose", "recipe": "ridge_gust", "target": "ring.damping"})
    assert [item.label for item in more.recipes[0].exposed] == ["Gust amplitude", "Breathing", "Ring damping"]
    own = edited(more, {"do": "set", "address": f"{A}#ridge-gust.damping", "value": 0.9})
    less = edited(own, {"do": "expose", "recipe": "ridge_gust", "target": "ring.damping", "on": False})
    assert np.abs(values(own) - values(more)).max() > 0.01
    np.testing.assert_allclose(values(less), values(more), atol=1e-12)  # what is no longer exposed follows
    with pytest.raises(UnknownAddress):
        edited(saved, {"do": "expose", "recipe": "ridge_gust", "target": "gone.damping"})
    with pytest.raises(InvalidEdit, match="not a whole layer"):
        edited(saved, {"do": "expose", "recipe": "ridge_gust", "target": "ring"})


def test_a_layer_taken_out_of_the_recipe_takes_its_exposed_numbers_along(saved: Scene) -> None:
    own = edited(saved, {"do": "set", "address": f"{A}#ridge-gust.amplitude", "value": 3},
                 {"do": "remove-layer", "address": "recipes/ridge_gust#gust"})  # fmt: skip
    assert list(find(own, Address.parse(A)).channel.layers[0].numbers(own)) == ["weight", "size"]
    assert np.all(np.isfinite(values(own)))


def test_recipes_in_recipes_and_no_circle(saved: Scene) -> None:
    outer = edited(saved, {"do": "save-recipe", "address": A, "label": "Outer", "expose": []})
    np.testing.assert_allclose(values(outer), values(saved), atol=1e-9)
    with pytest.raises(InvalidEdit, match="would read itself"):
        edited(outer, {"do": "use-recipe", "address": "recipes/ridge_gust", "recipe": "outer"})


def test_recipes_in_use_stay_and_others_go(saved: Scene) -> None:
    with pytest.raises(InvalidEdit, match="used on a/rotation"):
        edited(saved, {"do": "remove-recipe", "recipe": "ridge_gust"})
    free = edited(
        saved, {"do": "remove-layer", "address": f"{A}#ridge-gust"}, {"do": "remove-recipe", "recipe": "ridge_gust"}
    )
    assert free.recipes == ()
    renamed = edited(saved, {"do": "change-recipe", "recipe": "ridge_gust", "label": "Squall", "note": "Hard."})
    assert (renamed.recipes[0].label, renamed.recipes[0].note) == ("Squall", "Hard.")


@pytest.mark.parametrize(
    "edit",
    [
        {"do": "use-recipe", "address": B, "recipe": "none"},
        {"do": "change-recipe", "recipe": "none", "label": "X"},
        {"do": "expose", "recipe": "none", "target": "gust.amplitude"},
        {"do": "set", "address": "recipes/none#gust.amplitude", "value": 1},
        {"do": "save-recipe", "address": B, "label": "Empty"},
        {"do": "add-layer", "address": B, "kind": "recipe"},
        {"do": "follow-recipe", "address": "recipes/ridge_gust#gust", "number": "amplitude"},
    ],
)
def test_what_can_not_be_is_said(saved: Scene, edit: dict[str, Any]) -> None:
    with pytest.raises((InvalidEdit, UnknownAddress)) as told:
        edited(saved, edit)
    assert len(told.value.message) > 20


def test_the_library_holds_a_dozen_that_move_and_say_when_to_use_them() -> None:
    assert len(library()) >= 12
    for recipe in library():
        scene = Scene(
            name="Shelf",
            last=250,
            recipes=(recipe,),
            nodes=(Node(id="a", label="A", rotation=Rotation(z=Channel(keys=STOP))),),
        )
        used = edited(scene, {"do": "use-recipe", "address": A, "recipe": recipe.id})
        laid = strata(find(used, Address.parse(A)).number, used.clock(), Scope(used))
        reach = float(np.abs(laid.lanes[0].contribution).max())
        assert reach > 0.02 * 8, recipe.id
        assert recipe.note
        assert recipe.exposed
        layer = find(used, Address.parse(A)).channel.layers[0]
        assert {item.name for item in recipe.exposed} <= set(layer.numbers(used))


@pytest.mark.parametrize("kinds", [("noise",), ("settle",), ("noise", "wave")])
def test_a_window_stays_in_sight_on_the_number_that_is_saved(kinds: tuple[str, ...]) -> None:
    keys = ({"do": "put-key", "address": A, "frame": f, "value": v} for f, v in ((0, 1), (50, 9)))
    scene = edited(
        Scene(name="One", last=120, nodes=(Node(id="a", label="A"),)),
        *keys,
        *({"do": "add-layer", "address": A, "kind": kind} for kind in kinds),
        *({"do": "change-layer", "address": f"{A}#{kind}", "start": 30, "end": 90, "fade_in": 20} for kind in kinds),
    )
    saved = edited(scene, {"do": "save-recipe", "address": A, "label": "Gust"})
    (use,) = find(saved, Address.parse(A)).channel.layers
    assert (use.window.start, use.window.end, use.window.fade_in) == (30, 90, 20)
    assert all(layer.window.open for layer in saved.recipes[0].stack.layers)
    np.testing.assert_allclose(values(saved), values(scene), atol=1e-9)


def test_windows_that_differ_or_come_to_another_thing_stay_inside(scene: Scene) -> None:
    scene = edited(scene, {"do": "change-layer", "address": f"{A}#ring", "start": 30})
    saved = edited(scene, {"do": "save-recipe", "address": A, "label": "Gust"})
    (use,) = find(saved, Address.parse(A)).channel.layers
    assert use.window.open
    np.testing.assert_allclose(values(saved), values(scene), atol=1e-9)


def copied(scene: Scene, address: str) -> dict[str, Any]:
    layers = find(scene, Address.parse(address)).channel.layers
    recipes = used_recipes(scene, layers)
    return {
        "do": "put-layers", "address": B, "layers": [layer.model_dump(mode="json") for layer in layers],
        "recipes": [recipe.model_dump(mode="json") for recipe in recipes],
    }  # fmt: skip


def test_a_lane_takes_its_recipe_along_into_another_scene(saved: Scene) -> None:
    over = edited(saved, {"do": "save-recipe", "address": A, "label": "Whole"})  # a recipe of a recipe
    elsewhere = Scene(name="Other", last=120, nodes=(Node(id="b", label="B", rotation=Rotation(z=Channel(keys=MOVE))),))
    there = edited(elsewhere, copied(over, A))
    assert [recipe.id for recipe in there.recipes] == ["ridge_gust", "whole"]
    np.testing.assert_allclose(values(there, B), values(over), atol=1e-9)
    again = edited(there, copied(over, A))
    assert again.recipes == there.recipes


def test_a_recipe_whose_name_is_taken_comes_under_another(saved: Scene) -> None:
    other = Scene(name="Other", last=120, nodes=(Node(id="b", label="B", rotation=Rotation(z=Channel(keys=MOVE))),))
    other = edited(
        other,
        {"do": "add-layer", "address": B, "kind": "wave"},
        {"do": "save-recipe", "address": B, "label": "Ridge gust"},
        {"do": "remove-layer", "address": f"{B}#ridge-gust"},
    )
    own = other.recipes[0]
    there = edited(other, copied(saved, A))
    assert there.recipes[0] == own
    assert len(there.recipes) == 2
    np.testing.assert_allclose(values(there, B), values(saved), atol=1e-9)
