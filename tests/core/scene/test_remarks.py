"""Remarks from a page for review become marks, or are refused with a sentence."""

from __future__ import annotations

import json
from typing import Any

import pytest

from lazzik.core.errors import InvalidDocument
from lazzik.core.scene.edits.base import applied
from lazzik.core.scene.remarks import LARGEST, marks_of, read_remarks
from lazzik.core.scene.scene import Scene

FILE: dict[str, Any] = {
    "format": "lazzik-remarks", "version": 1, "scene": "Station", "by": "Ada",
    "remarks": [
        {"frame": 35, "text": "Too eager here.", "of": "Wild"}, {"frame": 80, "text": "Good.", "of": "Station"},
    ],
}  # fmt: skip


def test_each_remark_is_a_mark_that_says_whose_and_about_what() -> None:
    scene = applied(Scene(name="Station"), list(marks_of(read_remarks(json.dumps(FILE)))))
    assert [(mark.frame, mark.label, mark.remark) for mark in scene.marks] == [
        (35, "Remark by Ada", "Too eager here. (Wild)"), (80, "Remark by Ada 2", "Good."),
    ]  # fmt: skip
    unsigned = {name: value for name, value in FILE.items() if name != "by"}
    assert marks_of(read_remarks(json.dumps(unsigned)))[0].label == "Remark"


@pytest.mark.parametrize(
    ("change", "said"),
    [
        ({"format": "lazzik-scene"}, "no file of remarks"),
        ({"version": 2}, "no file of remarks"),
        ({"remarks": [{"frame": 1.5, "text": "x"}]}, "at remarks.0.frame"),
        ({"remarks": [{"frame": 1, "text": ""}]}, "at remarks.0.text"),
        ({"remarks": [{"frame": 1, "text": "x" * 3000}]}, "at remarks.0.text"),
        ({"remarks": [{"frame": 10**9, "text": "x"}]}, "at remarks.0.frame"),
        ({"script": "x"}, "at script"),
    ],
)
def test_a_damaged_file_is_refused_with_a_sentence(change: dict[str, Any], said: str) -> None:
    with pytest.raises(InvalidDocument, match=said):
        read_remarks(json.dumps(FILE | change))


@pytest.mark.parametrize("text", ["", "[]", "{", "x" * (LARGEST + 1)], ids=["empty", "list", "cut", "large"])
def test_what_is_no_file_of_remarks_is_said_to_be_none(text: str) -> None:
    with pytest.raises(InvalidDocument):
        read_remarks(text)
