"""Seeds and formulas tried on a number, nothing stored."""

from __future__ import annotations

import numpy as np
import pytest

from lazzik.core.errors import BadFormula, InvalidEdit
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.trials import with_formula, with_seeds
from lazzik.core.evaluate.values import evaluate
from lazzik.core.scene.address import Address
from lazzik.core.scene.edits.base import applied
from lazzik.core.scene.node import Node
from lazzik.core.scene.scene import Scene
from tests.conftest import edited

POST = "post/rotation.z"


@pytest.fixture
def scene() -> Scene:
    plain = Scene(name="S", last=60, nodes=(Node(id="post", label="Post"),))
    return edited(plain, {"do": "add-layer", "address": POST, "kind": "noise"},
                  {"do": "add-layer", "address": POST, "kind": "formula"})  # fmt: skip


def test_seeds_are_what_setting_them_gives(scene: Scene) -> None:
    rows = with_seeds(scene, Address.parse(f"{POST}#noise"), range(3, 6), Scope(scene))
    assert [edit.describe(scene) for edit, _ in rows] == [edit.describe(scene) for edit, _ in rows[:1]] * 3
    for seed, (edit, values) in enumerate(rows, 3):
        by_hand = edited(scene, {"do": "set", "address": f"{POST}#noise.seed", "value": seed})
        assert applied(scene, [edit]) == by_hand
        np.testing.assert_array_equal(values, evaluate(by_hand, [POST], by_hand.clock())[POST])
    assert np.ptp([values for _, values in rows], axis=0).max() > 0.5


def test_seeds_that_are_none_or_move_are_refused(scene: Scene) -> None:
    with pytest.raises(InvalidEdit, match="has no seed"):
        with_seeds(scene, Address.parse(f"{POST}#formula"), range(3), Scope(scene))
    keyed = edited(scene, {"do": "put-key", "address": f"{POST}#noise.seed", "frame": 0, "value": 1})
    with pytest.raises(InvalidEdit, match="keyed or driven"):
        with_seeds(keyed, Address.parse(f"{POST}#noise"), range(3), Scope(keyed))


def test_a_formula_is_tried_on_what_lies_below_it(scene: Scene) -> None:
    over = edited(scene, {"do": "add-layer", "address": POST, "kind": "noise"})
    at = Address.parse(f"{POST}#formula")
    below = evaluate(edited(scene, {"do": "remove-layer", "address": f"{POST}#formula"}), [POST], scene.clock())[POST]
    times = np.arange(61) / scene.fps
    formula = edited(over, {"do": "change-layer", "address": f"{POST}#formula", "combine": "replace"})
    np.testing.assert_allclose(with_formula(formula, at, "x * 2 + t", Scope(formula)), below * 2 + times, atol=1e-9)
    with pytest.raises(BadFormula, match=r"no name 'wind'.*column 5"):
        with_formula(scene, at, "t + wind", Scope(scene))
    with pytest.raises(BadFormula):
        with_formula(scene, at, "t +", Scope(scene))
