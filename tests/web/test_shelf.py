"""The shelf and recipes of objects over HTTP: seen, kept, taken, exported, imported, refused."""

from __future__ import annotations

import json
from typing import Any

import pytest
from fastapi import FastAPI
from starlette.testclient import TestClient

from lazzik.core.scene.scene import Scene
from lazzik.core.scene.shelf_file import read_shelf
from lazzik.demo.shelf_items import shipped
from tests.web.test_sheets import edit, edits_in, text

SAVE: dict[str, Any] = {
    "do": "save-object-recipe", "node": "lamp-1", "label": "Lamp post", "note": "Thin posts.",
    "expose": [{"address": "lamp-1/rotation.z#breeze.gain", "label": "Breeze gain"}],
}  # fmt: skip


def head(app: FastAPI, scene: str) -> int:
    return int(app.state.store.head(scene.rpartition("/")[2]))


def now(app: FastAPI, scene: str) -> Scene:
    here: Scene = app.state.store.open(scene.rpartition("/")[2]).scene
    return here


def take(client: TestClient, app: FastAPI, scene: str, **asked: Any) -> Any:
    answer = client.post(f"{scene}/take", json={"revision": head(app, scene), **asked})
    assert answer.status_code == 200, answer.text
    return answer.json()


def begun(client: TestClient, start: str) -> str:
    answer = client.post("/scenes", data={"start": start})
    return answer.headers["location"].split("?")[0]


def test_the_page_shows_all_that_ships_and_pictures_move(client: TestClient) -> None:
    page = text(client, "/shelf")
    for item in shipped():
        assert f'id="shelf-{item.key}"' in page
    answer = client.get("/shelf/gust-sway/picture")
    assert answer.headers["content-type"].startswith("image/svg+xml")
    assert b"<animate" in answer.content
    assert b"<polyline" in answer.content
    assert client.get("/shelf/gust-sway/picture").content == answer.content
    assert client.get("/shelf/nothing/picture").status_code == 404


def test_a_card_asks_for_its_picture_until_that_is_drawn(client: TestClient) -> None:
    asks = 'hx-get="/shelf/gust-sway/specimen"'
    assert asks in text(client, "/shelf")
    shown = text(client, "/shelf/gust-sway/specimen").strip()
    assert shown.startswith('<img class="specimen" src="/shelf/gust-sway/picture?of=')
    page = text(client, "/shelf")
    assert asks not in page
    assert shown in page
    assert client.get("/shelf/nothing/specimen").status_code == 404


def test_a_part_of_a_scene_goes_on_the_shelf_and_into_another(client: TestClient, scene: str, app: FastAPI) -> None:
    edit(client, scene, SAVE)
    assert 'value="Lamp post"' in text(client, f"{scene}/keep-form", sort="object", part="lamp_post")
    asked = {"sort": "object", "part": "lamp_post", "label": "Lamp post", "tags": ["lamps", "wind"]}
    assert client.post(f"{scene}/keep", json=asked).json() == {"key": "lamp-post"}
    other = begun(client, "mast")
    page = text(client, f"{other}/recipes", at="mast/rotation.z")
    assert "Put on Mast" in page
    assert '<span class="tag">lamps</span>' in page
    landed = take(client, app, other, item="lamp-post", on=["mast"])
    assert landed["revision"] == head(app, other)
    here = now(app, other)
    assert here.by_id["mast"].uses[0].recipe == "lamp_post"
    assert [recipe.id for recipe in here.recipes] == ["lamp_flicker"]  # what the shade of it uses
    assert "Lamp post" in text(client, other, at="mast/recipe")


def test_what_can_not_be_kept_or_taken_is_said(client: TestClient, scene: str, app: FastAPI) -> None:
    for asked, said in (
        ({"sort": "object", "part": "gone", "label": "x"}, "no object 'gone'"),
        ({"sort": "tree", "part": "gone", "label": "x"}, "sort"),
        ({"sort": "material", "part": "mast", "label": "x"}, "Mast has no look of its own"),
        ({"sort": "material", "part": "mast", "label": ""}, "label"),
        ({"sort": "material", "part": "mast", "label": "x", "tags": ["a, b"]}, "tags"),
    ):
        answer = client.post(f"{scene}/keep", json=asked)
        assert (answer.status_code, said in answer.text) == (422, True), answer.text
    before = head(app, scene)
    for asked, status, said in (
        ({"item": "gone"}, 404, "nothing called 'gone'"),
        ({"item": "gust-sway", "on": ["nobody/rotation.z"]}, 422, "no object 'nobody'"),
        ({"item": "smoke", "on": ["nobody"]}, 422, "no object 'nobody'"),
    ):  # fmt: skip
        answer = client.post(f"{scene}/take", json={"revision": before, **asked})
        assert (answer.status_code, said in answer.text) == (status, True), answer.text
    assert head(app, scene) == before


def test_it_is_exported_and_comes_back_all_or_none(client: TestClient, scene: str) -> None:
    client.post(f"{scene}/keep", json={"sort": "material", "part": "lamp-1", "label": "Mast paint"})
    whole = client.get("/shelf/file")
    assert whole.headers["content-disposition"] == 'attachment; filename="shelf.json"'
    items = read_shelf(whole.content)
    assert [item.key for item in items] == ["mast-paint", *(item.key for item in shipped())]
    one = client.get("/shelf/file", params={"key": "mast-paint"})
    assert [item.label for item in read_shelf(one.content)] == ["Mast paint"]
    client.post("/shelf/mast-paint/remove")
    back = client.post("/shelf/file", files={"file": ("shelf.json", whole.content)})
    assert back.json() == {"items": len(items), "new": 1}
    broken = json.loads(whole.content)
    broken["items"][0]["key"] = "fresh"
    broken["items"][5]["content"]["fps"] = -1
    refused = client.post("/shelf/file", files={"file": ("shelf.json", json.dumps(broken))})
    assert refused.status_code == 422
    assert "item 6" in refused.json()["error"]
    assert 'id="shelf-fresh"' not in text(client, "/shelf")


def test_names_and_tags_are_changed_and_what_ships_is_put_back(client: TestClient) -> None:
    assert client.post("/shelf/orbit", json={"label": "Round and round", "tags": ["mine"]}).json() == {"key": "orbit"}
    page = text(client, "/shelf")
    assert "Round and round" in page
    assert 'data-tag="mine"' in page
    assert client.post("/shelf/orbit", json={"label": ""}).status_code == 422
    assert client.post("/shelf/gone", json={"label": "x"}).status_code == 404
    client.post("/shelf/orbit/remove")
    assert 'id="shelf-orbit"' not in text(client, "/shelf")
    assert "Put back 1" in " ".join(text(client, "/shelf").split())
    assert client.post("/shelf/put-back").json() == {"items": 1}
    assert "Round and round" not in text(client, "/shelf")


@pytest.mark.parametrize("key", ["smoke", "flag", "basin", "gust-sway"])
def test_what_ships_is_put_to_use_in_one_step(client: TestClient, key: str, app: FastAPI) -> None:
    scene = begun(client, "mast")
    before = now(app, scene)
    on = [f"{before.nodes[0].id}/rotation.z"] if key == "gust-sway" else []
    landed = take(client, app, scene, item=key, on=on)
    assert (len(now(app, scene).nodes) > len(before.nodes)) == (key != "gust-sway")
    assert bool(landed.get("added")) == (key != "gust-sway")
    assert client.post(f"{scene}/undo", json={"revision": landed["revision"]}).status_code == 200
    assert now(app, scene) == before


def test_an_objects_recipe_is_laid_open_with_what_is_its_own(client: TestClient, scene: str) -> None:
    edit(client, scene, SAVE, {"do": "put-object-recipe", "recipe": "lamp_post", "nodes": ["mast"]})
    assert "Nothing: it is as the recipe makes it." in text(client, scene, at="lamp-1/recipe")
    page = text(client, scene, at="mast/recipe")
    gain = "mast/rotation.z#breeze.gain"
    assert f'data-address="{gain}"' in page
    assert "also on Lamp 1" in page
    edit(client, scene, {"do": "set", "address": gain, "value": 3})
    follows = [{"do": "follow-object-recipe", "node": "mast", "recipe": "lamp_post", "addresses": [gain]}]
    assert follows in edits_in(text(client, scene, at="mast/recipe"))
    edit(client, scene, *follows)
    assert follows not in edits_in(text(client, scene, at="mast/recipe"))
    assert "Put a recipe on 2 objects" in text(client, f"{scene}/put-recipe-form", node=["lamp-2", "lamp-3"])
    assert 'value="lamp-1/rotation.z#breeze.gain"' in text(client, f"{scene}/exposed-form", recipe="lamp_post")
    assert client.get(f"{scene}/exposed-form", params={"recipe": "gone"}).status_code == 422


def test_the_sheet_that_adds_offers_the_shelfs_objects(client: TestClient, scene: str) -> None:
    page = text(client, f"{scene}/object-form", at="mast/shape")
    for item in shipped():
        assert (f">{item.label}</button>" in page) == (item.sort == "object")
