"""What scripts are told by the server: the types of facts and edits, and the geometry that they share with core."""

from __future__ import annotations

import json
import re
import subprocess
from html import unescape
from itertools import permutations
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from fastapi.testclient import TestClient
from pydantic import TypeAdapter
from scipy.spatial.transform import Rotation as Turn

from lazzik.core.deformers.placement import frames_of
from lazzik.core.geometry.quaternions import orientations
from lazzik.core.types import Points
from lazzik.web.studio.facts import Facts
from tools.script_types import FILE, script_types, type_of

SCRIPTS = Path(__file__).parents[1] / "scripts"


def test_the_types_of_facts_and_edits_are_those_of_the_schemas() -> None:
    assert FILE.read_text() == script_types(), "run python -m tools.script_types"


@pytest.mark.parametrize(
    ("schema", "text"),
    [
        ({"type": "integer"}, "number"),
        ({"anyOf": [{"type": "number"}, {"type": "null"}]}, "number | null"),
        ({"enum": ["x", "y"]}, '"x" | "y"'),
        ({"type": "array", "items": {"anyOf": [{"type": "number"}, {"type": "string"}]}}, "(number | string)[]"),
        ({"type": "array", "prefixItems": [{"type": "number"}, {"type": "boolean"}]}, "[number, boolean]"),
        ({"type": "object", "additionalProperties": {"$ref": "#/$defs/Key"}}, "Record<string, Key>"),
        ({}, "unknown"),
    ],
)
def test_a_schema_becomes_a_type(schema: dict[str, Any], text: str) -> None:
    assert type_of(schema) == text


def test_a_field_with_a_default_may_be_left_out_but_not_the_one_that_tells_the_edit() -> None:
    schema = {
        "type": "object",
        "required": ["address"],
        "properties": {
            "do": {"const": "set", "default": "set"},
            "address": {"type": "string"},
            "by": {"type": "number", "default": 0},
        },
    }
    assert type_of(schema) == '{\n  do: "set";\n  address: string;\n  by?: number;\n}'
    assert "by: number" in type_of(schema, whole=True)


@pytest.mark.parametrize("at", ["", "beacon-mast/rotation.z", "cloth/shape"])
def test_what_a_page_is_told_is_what_its_type_says(client: TestClient, scene: str, at: str) -> None:
    page = client.get(scene, params={"at": at}).text
    found = re.search(r'id="facts"[^>]*>(.*?)</script>', page, re.DOTALL)
    assert found
    facts = TypeAdapter(Facts).validate_json(unescape(found[1]))
    assert facts["at"].startswith(at.split("/")[0])
    assert bool(facts["shape"]) == at.endswith("shape")


def _turned(order: str, angles: Points) -> Points:
    return np.asarray(Turn.from_quat(orientations(angles, order, 1)).as_matrix()[0])


def test_handles_stand_where_the_core_has_a_deformer_and_turn_about_the_axes_that_it_turns_about() -> None:
    random = np.random.default_rng(4)
    placements: list[dict[str, Any]] = [
        {"place": list(random.uniform(-2, 2, 3)), "turn": list(random.uniform(-170, 170, 3)), "axis": axis}
        for axis in ("x", "y", "z")
        for _ in range(5)
    ]
    turns, expected = [], []
    for order in ("".join(each) for each in permutations("xyz")):
        angles = random.uniform(-70, 70, 3)
        above = Turn.random(random_state=random).as_matrix()
        turns.append({"order": order, "above": _padded(above), "own": _padded(above @ _turned(order, angles))})
        expected.append([_axis(above, order, angles, i) for i in range(3)])
    cases = json.dumps({"placements": placements, "turns": turns})
    answer = subprocess.run(
        ["node", "geometry.mjs"], input=cases, capture_output=True, text=True, check=True, cwd=SCRIPTS
    )
    found = json.loads(answer.stdout)
    for case, matrix in zip(placements, found["placements"], strict=True):
        turn = orientations(case["turn"], "xyz", 1)
        frame = frames_of(np.array([case["place"]]), turn, case["axis"])[0]
        inside = random.uniform(-1, 1, 3)
        want = inside @ frame[:3] + frame[3]
        np.testing.assert_allclose((np.reshape(matrix, (4, 4)) @ [*inside, 1])[:3], want, atol=1e-12)
    np.testing.assert_allclose(found["turns"], expected, atol=1e-6)


def _padded(turn: Points) -> list[float]:
    out = np.eye(4)
    out[:3, :3] = turn
    return list(out.ravel())


def _axis(above: Points, order: str, angles: Points, i: int) -> Points:
    """The axis that the object turns about when an angle grows a little: read off two orientations of the core."""
    small = 1e-4
    more = angles + small * np.eye(3)[i]
    step = above @ _turned(order, more) @ _turned(order, angles).T @ above.T
    axis: Points = Turn.from_matrix(step).as_rotvec(degrees=True) / small
    return axis
