"""Marks: named frames of the ruler."""

from __future__ import annotations

import pytest

from lazzik.core.errors import LazzikError
from lazzik.core.scene.mark import COLORS
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.serialize import read_scene, scene_text
from tests.conftest import edited

GUST = {"do": "add-mark", "frame": 30, "label": "Gust begins", "color": "ochre", "remark": "Softer, please."}


def test_a_mark_has_a_frame_a_name_a_colour_and_a_remark(post: Scene) -> None:
    scene = edited(post, GUST, {"do": "add-mark", "frame": "2 s"}, {"do": "add-mark", "frame": 7.4})
    assert [(mark.id, mark.label, mark.frame, mark.color, mark.remark) for mark in scene.marks] == [
        ("gust-begins", "Gust begins", 30, "ochre", "Softer, please."),
        ("mark", "Mark", 60, "brick", ""),
        ("mark-2", "Mark 2", 7, "brick", ""),
    ]
    assert read_scene(scene_text(scene)) == scene
    assert len(COLORS) == 6


def test_it_is_changed_field_by_field_and_taken_away(post: Scene) -> None:
    scene = edited(post, GUST, {"do": "change-mark", "mark": "gust-begins", "frame": 44, "remark": ""})
    (mark,) = scene.marks
    assert (mark.frame, mark.label, mark.remark) == (44, "Gust begins", "")
    scene = edited(scene, {"do": "add-mark", "frame": 1}, {"do": "change-mark", "mark": "mark", "label": "Gust begins"})
    assert [mark.label for mark in scene.marks] == ["Gust begins", "Gust begins 2"]
    assert edited(scene, {"do": "remove-mark", "mark": "mark"}).marks == (mark,)


@pytest.mark.parametrize(
    ("edit", "sentence"),
    [
        ({"do": "change-mark", "mark": "none", "frame": 3}, "There is no mark 'none'"),
        ({"do": "remove-mark", "mark": "none"}, "There is no mark 'none'"),
        ({"do": "add-mark", "frame": 1e8}, "No scene has a frame 1e\\+08"),
        ({"do": "add-mark", "frame": 3, "color": "pink"}, "color"),
        ({"do": "add-mark", "frame": 3, "label": ""}, "label"),
    ],
)
def test_what_no_mark_can_be_is_refused(post: Scene, edit: dict[str, object], sentence: str) -> None:
    with pytest.raises(LazzikError, match=sentence):
        edited(post, edit)


def test_another_rate_leaves_marks_where_they_are_in_time(post: Scene) -> None:
    faster = edited(post, GUST, {"do": "change-scene", "fps": 60, "keep": "seconds"})
    assert faster.marks[0].frame == 60
    assert edited(post, GUST, {"do": "change-scene", "fps": 60}).marks[0].frame == 30
