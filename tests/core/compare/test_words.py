"""Differences in the words of the interface."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given

from lazzik.core.compare.paths import address_of, path_of
from lazzik.core.compare.words import in_words, summary
from lazzik.core.scene.address import Address, title
from lazzik.core.scene.differences import differences
from lazzik.core.scene.scene import Scene
from tests.conftest import edited
from tests.core.compare.edits import MAST, STEPS, journeys, scene_after

AMPLITUDE = {"do": "set", "address": f"{MAST}#gust.amplitude", "value": 3}


def told(before: Scene, *steps: dict[str, Any]) -> str:
    after = edited(before, *steps)
    return summary(in_words(differences(before, after), before, after))


@pytest.mark.parametrize(
    ("step", "words"),
    [
        (AMPLITUDE, "Gust amplitude 4.8° → 3°"),
        ({"do": "set", "address": "mast/position.x", "value": 0.5}, "Mast position x 0.3 m → 0.5 m"),
        ({"do": "add-layer", "address": MAST, "kind": "noise", "label": "Shiver"}, "Shiver on Beacon mast added"),
        ({"do": "remove-layer", "address": f"{MAST}#gust"}, "Gust on Beacon mast removed"),
        ({"do": "remove-object", "node": "lamp-3"}, "Lamp 3 removed"),
        ({"do": "duplicate", "node": "sign", "count": 4}, "Sign 2 … 5 added"),
        ({"do": "add-dial", "label": "Storm"}, "dial Storm added"),
        ({"do": "add-mark", "label": "Gust", "frame": 3}, "mark Gust added"),
        ({"do": "change-object", "node": "sign", "visible": False}, "Sign visible yes → no"),
        (
            {"do": "hang", "nodes": ["sign"], "under": "mast", "stay": False},
            "Sign hangs under none → Mast, order changed",
        ),
        ({"do": "change-layer", "address": f"{MAST}#gust", "combine": "subtract"}, "Gust combine add → subtract"),
        (
            {"do": "change-layer", "address": f"{MAST}#gust", "start": 10, "fade_in": 4},
            "Gust window 40 to 215, fades 26 and 34 → 10 to 215, fades 4 and 34",
        ),
        ({"do": "put-key", "address": "sign/rotation.x", "frame": 9, "value": 2}, "Sign rotation x 0° → 1 key, 2°"),
        ({"do": "change-scene", "name": "Gale"}, "name Ridge station → Gale"),
    ],
    ids=lambda value: value if isinstance(value, str) else value["do"],
)
def test_a_step_is_told_as_one_would_say_it(demo: Scene, step: dict[str, Any], words: str) -> None:
    assert told(demo, step) == words


def test_what_is_the_same_in_many_places_is_told_once(demo: Scene) -> None:
    line = told(demo, {"do": "change-scene", "last": 200})
    assert line.startswith("range 0 to 250 → 0 to 200, loop of ")
    assert "layers 250 fr → 200 fr" in line
    assert told(demo, *STEPS[:3], {"do": "add-dial", "label": "A"}, {"do": "add-dial", "label": "B"}) == (
        "Mast position x 0.3 m → 0.5 m, Gust amplitude 4.8° → 5°, dial A added and 1 more"
    )


@given(journeys)
def test_every_difference_says_where_it_is_and_two_things_that_look_different(part: Scene, steps: Any) -> None:
    after = scene_after(part, steps)
    rows = in_words(differences(part, after), part, after)
    for row in rows:
        assert row.was != row.becomes
        assert "@" not in row.title + row.was + row.becomes
    assert len({(row.title, row.was, row.becomes) for row in rows}) == len(rows)


@pytest.mark.parametrize(
    "address",
    ["mast/position.x", MAST, f"{MAST}#gust", f"{MAST}#gust.amplitude", f"{MAST}#gust.amplitude#slow.period",
     "dials/storm", "dials/storm#wave.amplitude", "recipes/gust#wave", "sheaves/gusts", "clips/calm.swing#wave.phase",
     "sign/deform.bend.angle#gust.weight"],
)  # fmt: skip
def test_addresses_and_paths_are_two_ways_of_writing_one_place(address: str) -> None:
    assert address_of(path_of(address)) == address


def test_a_number_is_called_as_the_studio_calls_it(demo: Scene) -> None:
    after = edited(demo, AMPLITUDE)
    (row,) = in_words(differences(demo, after), demo, after)
    assert row.title == title(demo, Address.parse(f"{MAST}#gust.amplitude"))
    assert (row.was, row.becomes, row.holder) == ("4.8°", "3°", "nodes/beacon-mast")
