"""The sheets over the studio, the recipes page, choosing several, and what the scripts get for them."""

from __future__ import annotations

import html
import json
import re
from typing import Any

import msgpack
import numpy as np
import pytest
from fastapi import FastAPI
from starlette.testclient import TestClient

from tests.web.conftest import previewed

MAST = "beacon-mast/rotation.z"
LAMPS = [f"lamp-{k}/rotation.z" for k in range(1, 4)]


def text(client: TestClient, url: str, **asked: object) -> str:
    """A page, each stretch of white space as one blank, as a browser sees it."""
    answer = client.get(url, params=asked)  # type: ignore[arg-type]
    assert answer.status_code == 200, answer.text
    return " ".join(answer.text.split())


def edits_in(page: str) -> list[list[dict[str, Any]]]:
    """What the buttons of a page stand for."""
    return [json.loads(html.unescape(found)) for found in re.findall(r'data-(?:edits|put)="([^"]*)"', page)]


def edit(client: TestClient, scene: str, *edits: dict[str, Any]) -> None:
    revision = int(client.get(scene).text.split('data-revision="')[1].split('"')[0])
    answer = client.post(f"{scene}/edits", json={"revision": revision, "edits": list(edits)})
    assert answer.status_code == 200, answer.text


def test_why_says_nothing_keeps_it_or_offers_what_mends(client: TestClient, scene: str) -> None:
    assert "Nothing keeps it from showing" in text(client, f"{scene}/why", at="sock/rotation.y")
    edit(client, scene, {"do": "set", "address": "sock/rotation.y#veer.weight", "value": 0})
    page = text(client, f"{scene}/why", at="sock/rotation.y#veer")
    assert "The weight of Veer is 0." in page
    (mend,) = edits_in(page)
    edit(client, scene, *mend)
    assert "Nothing keeps it from showing" in text(client, f"{scene}/why", at="sock/rotation.y")


def test_a_seed_sheet_has_a_dozen_curves_and_more(client: TestClient, scene: str) -> None:
    page = text(client, f"{scene}/seeds", at=f"{MAST}#gust")
    assert [edits[0]["value"] for edits in edits_in(page)] == list(range(12))
    curves = re.findall(r' d="(M[^"]+)"', page)
    assert len(set(curves)) == 12
    page = text(client, f"{scene}/seeds", at=f"{MAST}#gust", first=108)
    assert page.count('aria-current="true"') == 1  # 116 is the one in use
    assert "111" in page
    assert "no seed" in client.get(f"{scene}/seeds", params={"at": f"{MAST}#ring-on-arrival"}).text
    edit(client, scene, {"do": "put-key", "address": f"{MAST}#gust.seed", "frame": 0, "value": 3})
    assert client.get(f"{scene}/seeds", params={"at": f"{MAST}#gust"}).status_code == 422


def test_the_seam_sheet_lists_what_is_apart(client: TestClient, scene: str) -> None:
    assert "Every number that moves meets itself" in text(client, f"{scene}/seams")
    edit(client, scene, {"do": "loop", "addresses": ["sock"]})
    page = text(client, f"{scene}/seams")
    assert re.findall(r'data-go="([^"]+)"', page) == ["sock/rotation.y"]
    assert edits_in(page) == [[{"do": "loop", "fit": True}]]


def test_the_stagger_sheet_knows_who_has_the_layer(client: TestClient, scene: str) -> None:
    asked = {"at": f"{LAMPS[0]}#nod", "also": [*LAMPS[1:], "sock/rotation.y"]}
    page = text(client, f"{scene}/stagger", **asked)
    assert json.loads(html.unescape(re.search(r'data-members="([^"]*)"', page).group(1))) == LAMPS  # type: ignore[union-attr]
    assert "1 chosen without it is left out" in page
    assert re.findall(r'<option\s+value="([a-z]+)"', page)[:2] == ["shift", "seed"]
    spreads = json.loads(html.unescape(re.search(r'data-spreads="([^"]*)"', page).group(1)))  # type: ignore[union-attr]
    assert (spreads["seed"], spreads["phase"], "shift" in spreads) == ("step", "cycle", False)


def test_copied_layers_say_what_they_were_measured_in(client: TestClient, scene: str) -> None:
    one = client.get(f"{scene}/layers", params={"at": f"{MAST}#gust"}).json()
    assert (one["unit"], one["reach"], one["label"], len(one["layers"])) == ("°", 8.0, "Gust", 1)
    whole = client.get(f"{scene}/layers", params={"at": MAST}).json()
    assert [layer["id"] for layer in whole["layers"]] == ["gust", "tremble", "ring-on-arrival"]
    edit(
        client,
        scene,
        {"do": "put-layers", "address": "mast/rotation.x", **{k: whole[k] for k in ("layers", "unit", "reach")}},
    )
    assert "lane-ring-on-arrival" in text(client, scene, at="mast/rotation.x")


def test_formulas_are_checked_as_they_are_typed(client: TestClient, scene: str) -> None:
    def check(line: str) -> dict[str, Any]:
        body = {"text": line, "at": "float/position.y#swell"}
        told: dict[str, Any] = client.post(f"{scene}/formula", json=body).json()
        return told

    assert check("3 + 0 * x") == {"ok": True, "low": "3", "high": "3"}
    assert (check("x +")["ok"], check("x + wobble")["column"]) == (False, 5)
    assert "There is no name 'wobble'" in check("x + wobble")["error"]
    assert "no finite value at frame 12" in check("1 / (frame - 12)")["error"]
    assert check("x * swell")["ok"] is True
    page = text(client, f"{scene}/formula-help")
    assert "smoothstep" in page
    assert "the dial Swell" in page


def test_the_forms_of_dials_and_recipes(client: TestClient, scene: str) -> None:
    assert "New dial" in text(client, f"{scene}/dial-form")
    page = text(client, f"{scene}/dial-form", dial="swell")
    assert 'value="Swell"' in page
    assert edits_in(page) == [[{"do": "remove-dial", "dial": "swell"}]]
    assert client.get(f"{scene}/dial-form", params={"dial": "none"}).status_code == 422
    form = text(client, f"{scene}/recipe-form", at=f"{MAST}#gust")
    assert 'value="gust.amplitude" checked' in form
    assert 'value="gust.bias">' in form


def test_the_recipes_page_puts_one_of_the_scene_on_a_number(client: TestClient, scene: str) -> None:
    page = text(client, f"{scene}/recipes", at="mast/rotation.y")
    assert "Shade 1 / look glow" in page  # where the scene's own recipe is used
    put = next(edits for edits in edits_in(page) if edits[-1]["do"] == "use-recipe")
    assert put == [{"do": "use-recipe", "address": "mast/rotation.y", "recipe": "lamp_flicker"}]
    edit(client, scene, *put)
    studio = text(client, scene, at="mast/rotation.y")
    assert 'data-address="mast/rotation.y#lamp-flicker.amplitude"' in studio
    assert "?at=recipes/lamp_flicker" in studio
    own = text(client, scene, at="recipes/lamp_flicker#flicker")
    assert 'data-expose="flicker.amplitude" aria-pressed="true"' in own


def test_several_numbers_are_chosen_drawn_and_marked(client: TestClient, scene: str) -> None:
    page = text(client, scene, at=LAMPS[0], also=[*LAMPS[1:], LAMPS[0], "nobody/rotation.z", "<x>"])
    assert "<strong>3 numbers</strong>" in page
    assert page.count(" also") >= 2
    content = msgpack.unpackb(client.get(f"{scene}/curves", params={"address": LAMPS[0], "also": LAMPS[1:]}).content)
    beside = content["strata"]["also"]
    assert [row["title"] for row in beside] == ["Lamp 2 / rotation z", "Lamp 3 / rotation z"]
    assert len(np.frombuffer(beside[0]["result"], "<f4")) == 1001


def test_a_dragged_dial_moves_all_that_read_it_and_nothing_else(client: TestClient, scene: str, app: FastAPI) -> None:
    client.get(f"{scene}/motion")
    before = app.state.memo.computed
    body = {"revision": 0, "edits": [{"do": "set", "address": "dials/swell", "value": 0.2}], "at": "dials/swell"}
    content = previewed(client, scene, body)
    moved = set(content["motion"])
    assert "float" in moved
    assert not {"beacon-mast", "dish", "camera", "aerial", "lamp-1"} & moved
    assert app.state.memo.computed == before  # what passes is not kept


def test_strata_of_dials_recipes_and_weights_open(client: TestClient, scene: str) -> None:
    for at in ("dials/swell", "recipes/lamp_flicker", "recipes/lamp_flicker#flicker.bias", f"{MAST}#gust.weight",
               "rotor/rotation.y#spin.rate#lull.amplitude", "shade-1/look.glow#lamp-flicker.seed", "camera/camera.view",
               "sun/light.intensity", "ridge/look.roughness"):  # fmt: skip
        page = text(client, scene, at=at)
        assert f'id="lanes" data-address="{at}"' in page
        assert client.get(f"{scene}/curves", params={"address": at}).status_code == 200


def test_a_problem_of_a_layer_is_shown_where_it_is_and_the_rest_still_moves(client: TestClient, scene: str) -> None:
    edit(client, scene, {"do": "change-layer", "address": "float/position.y#swell",
                         "settings": {"text": "x + 1 / (frame - 30)"}})  # fmt: skip
    content = msgpack.unpackb(client.get(f"{scene}/curves", params={"address": "float/position.y"}).content)
    assert content["strata"]["problems"] == {"swell": "'Swell' has no finite value at frame 30"}
    assert client.get(f"{scene}/motion").status_code == 200
    edit(client, scene, {"do": "change-scene", "last": 40})
    refused = client.get(f"{scene}/deliver/gltf")
    assert refused.status_code == 422
    assert "no finite value at frame 30" in refused.text


@pytest.mark.parametrize(
    ("what", "asked"),
    [("why", {"at": "nobody/x"}), ("seeds", {"at": MAST}), ("stagger", {"at": MAST}), ("layers", {"at": "<x>"}),
     ("recipe-form", {"at": "nobody/x"}), ("curves", {"address": "dials/none"})],
)  # fmt: skip
def test_what_is_not_there_is_said(client: TestClient, scene: str, what: str, asked: dict[str, str]) -> None:
    answer = client.get(f"{scene}/{what}", params=asked)
    assert answer.status_code == 422
    assert answer.json()["error"]
