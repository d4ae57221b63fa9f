"""Copied deformers: put on many at once, sized to each."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from lazzik.core.errors import InvalidEdit
from lazzik.core.scene.scene import Scene
from tests.conftest import edited
from tests.core.scene.test_object_recipes import points_of, put, tube


def shaped() -> tuple[Scene, list[dict[str, Any]]]:
    scene = edited(
        Scene(name="Row", last=30), tube("Small"), tube("Large", 2.0, x=3.0), tube("Other", x=6.0),
        {"do": "add-object", "label": "Bystander"},
        {"do": "add-deformer", "node": "small", "kind": "bend"},
        {"do": "add-deformer", "node": "small", "kind": "undulate"},
        {"do": "add-deformer", "node": "other", "kind": "twist"},
        {"do": "set", "address": "small/deform.bend.angle", "value": 30},
        put("small/deform.bend.angle", "Gust", amplitude=9.0),
    )  # fmt: skip
    return scene, [item.model_dump(mode="json") for item in scene.by_id["small"].deform]


def test_on_many_at_once_each_is_deformed_in_its_own_size() -> None:
    scene, rows = shaped()
    paste = {"do": "put-deformers", "nodes": ["large", "other"], "deformers": rows, "size": 2.0}
    after = edited(scene, paste)
    expected = 2.0 * points_of(scene, "small") + np.array([3.0, 0, 0])
    np.testing.assert_allclose(points_of(after, "large"), expected, atol=1e-9)
    assert [item.id for item in after.by_id["other"].deform] == ["twist", "bend", "undulate"]
    instead = edited(scene, paste | {"how": "instead"})
    np.testing.assert_allclose(
        points_of(instead, "other"), points_of(scene, "small") + np.array([6.0, 0, 0]), atol=1e-9
    )
    again = edited(after, paste)
    assert [item.id for item in again.by_id["large"].deform] == ["bend", "undulate", "bend_2", "undulate_2"]


def test_what_has_no_shape_is_left_alone_and_nothing_is_half_done() -> None:
    scene, rows = shaped()
    with pytest.raises(InvalidEdit, match="Bystander has no shape"):
        edited(scene, {"do": "put-deformers", "nodes": ["large", "bystander"], "deformers": rows})
