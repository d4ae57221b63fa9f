"""Motion read over HTTP: tables and numbers of the scene are read, takes differ, what can't be read is refused."""

from __future__ import annotations

import html
import json
import re
from typing import Any

import pytest
from fastapi import FastAPI
from starlette.testclient import TestClient

from lazzik.core.scene.shelf_file import read_shelf
from lazzik.demo.measured import measured_mast

MAST = {"file": ("mast.csv", measured_mast().encode(), "text/csv")}


def words_of(page: str) -> str:
    """What is read on a page, each stretch of white space as one blank."""
    return " ".join(html.unescape(re.sub(r"<[^>]*>", " ", page)).split())


def found(client: TestClient, scene: str, files: Any = None, **asked: Any) -> str:
    answer = client.post(f"{scene}/reading", data={"fps": "30", "unit": "°", **asked}, files=files)
    assert answer.status_code == 200, answer.text
    return answer.text


def edits_of(page: str) -> list[dict[str, Any]]:
    return [json.loads(html.unescape(each))[0] for each in re.findall(r'data-edits="([^"]*)"', page)]


def stack_of(edit: dict[str, Any]) -> dict[str, Any]:
    stack: dict[str, Any] = edit["item"]["content"]["recipes"][0]["stack"]
    return stack


def test_the_page_knows_the_numbers_that_were_chosen(client: TestClient, scene: str) -> None:
    page = client.get(f"{scene}/reading?at=lamp-1/rotation.z%23breeze&also=lamp-2/rotation.z").text
    assert page.count('name="on"') == 2
    assert "Read 2 numbers as they move" in words_of(page)
    assert 'name="on"' not in client.get(f"{scene}/reading?at=nothing/there").text


def test_a_table_is_read_and_its_recipe_lands_on_a_number(client: TestClient, scene: str, app: FastAPI) -> None:
    page = found(client, scene, MAST, on="lamp-1/rotation.z")
    words = words_of(page)
    assert "They share a swing of 2.439 Hz." in words
    assert "The swings repeat best after 123 frames" in words
    assert words.count("ringing after them: 1.3") == 3
    top, middle, foot = edits_of(page)
    assert [layer["kind"] for layer in stack_of(top)["layers"]] == ["settle", "wave", "noise"]
    assert [each["on"] for each in (top, middle, foot)] == [["lamp-1/rotation.z"]] * 3
    revision = app.state.store.head(scene.rpartition("/")[2])
    landed = client.post(f"{scene}/edits", json={"revision": revision, "edits": [top]})
    assert landed.status_code == 200, landed.text
    now = app.state.store.open(scene.rpartition("/")[2]).scene
    assert "top" in [recipe.label for recipe in now.recipes]
    assert client.get(f"{scene}?at=lamp-1/rotation.z").status_code == 200


def test_takes_differ_and_go_round_if_asked(client: TestClient, scene: str) -> None:
    asked = {"column": "top", "on": "lamp-1/rotation.z"}
    measured, kind, calmer, other, around = (
        stack_of(edits_of(found(client, scene, MAST, **asked, **more))[0])
        for more in ({}, {"take": "kind"}, {"take": "calmer"}, {"take": "kind", "seed": "2"}, {"around": "true"})
    )
    assert len(measured["keys"]) == 6
    assert "keys" not in kind or not kind["keys"]
    waves = [stack["layers"][1] for stack in (measured, kind, calmer, other)]
    assert waves[2]["amplitude"] < waves[1]["amplitude"] == waves[0]["amplitude"]
    assert len({wave["phase"] for wave in waves[::3] + waves[1:2]}) == 3
    assert {layer["loop"] for layer in around["layers"]} == {123}


def test_a_recipe_is_a_file_that_the_shelf_takes_in(client: TestClient, scene: str) -> None:
    page = found(client, scene, MAST, column="foot")
    (edit,) = edits_of(page)
    assert (edit["on"], edit["use"]) == ([], False)
    (file,) = re.findall(r'data-file="([^"]*)"', page)
    content = html.unescape(file)
    (item,) = read_shelf(content)
    assert (item.label, item.tags) == ("foot", ("read",))
    answer = client.post("/shelf/file", files={"file": ("recipe.json", content.encode())})
    assert answer.json() == {"items": 1, "new": 1}


def test_what_a_number_does_in_the_scene_is_read_at_the_scenes_own_rate(client: TestClient, scene: str) -> None:
    page = found(client, scene, on=["lamp-1/rotation.z", "lamp-2/rotation.z"], fps="99")
    first, second = edits_of(page)
    assert [first["on"], second["on"]] == [["lamp-1/rotation.z"], ["lamp-2/rotation.z"]]
    assert "at 30 a second" in words_of(page)


@pytest.mark.parametrize(
    ("files", "asked", "said"),
    [
        (None, {}, "There is nothing to read yet"),
        ({"file": ("a.csv", b"frame,a\n1,2\n2,3\n")}, {}, "A curve is read from 64"),
        ({"file": ("a.csv", b"\xff\xfe\x00bad")}, {}, "This is no table"),
        ({"file": ("a.csv", b"x,y\n1,2\n")}, {}, "one of them 'frame'"),
        (MAST, {"column": "gone"}, "no column 'gone'"),
        (MAST, {"fps": "0"}, "fps"),
        (None, {"on": "nothing/there"}, "nothing"),
    ],
    ids=["nothing", "short", "binary", "no frame", "no column", "no rate", "no number"],
)
def test_what_can_not_be_read_is_refused_with_a_sentence(
    client: TestClient, scene: str, files: Any, asked: dict[str, str], said: str
) -> None:
    answer = client.post(f"{scene}/reading", data={"fps": "30", **asked}, files=files)
    assert 400 <= answer.status_code < 500
    assert said in answer.json()["error"]
