"""Versions over HTTP: what is kept and listed, two states beside each other, and what is taken over."""

from __future__ import annotations

import io
import re
from typing import Any

import msgpack
import numpy as np
import pytest
from fastapi import FastAPI
from PIL import Image
from starlette.testclient import TestClient

from lazzik.core.evaluate.values import evaluate
from lazzik.core.scene.scene import Scene
from lazzik.web.versions.routes import LARGEST_PICTURE, PAGE
from tests.web.conftest import reviewed
from tests.web.test_pages import form
from tests.web.test_sheets import edit, text

MAST = "beacon-mast/rotation.z"
AMPLITUDE = f"nodes/{MAST.replace('.', '/')}/layers/gust/amplitude"


def gust(value: float) -> dict[str, Any]:
    return {"do": "set", "address": f"{MAST}#gust.amplitude", "value": value}


class Room:
    """The versions of one scene."""

    def __init__(self, client: TestClient, scene: str, app: FastAPI) -> None:
        self.client, self.scene, self.store = client, scene, app.state.store

    @property
    def id(self) -> str:
        return self.scene.rsplit("/", 1)[1]

    @property
    def head(self) -> int:
        return int(self.store.head(self.id))

    @property
    def now(self) -> Scene:
        scene: Scene = self.store.open(self.id).scene
        return scene

    def post(self, what: str, status: int = 200, **body: object) -> dict[str, Any]:
        answer = self.client.post(f"{self.scene}/versions{what}", json={"revision": self.head} | body)
        assert answer.status_code == status, answer.text
        content: dict[str, Any] = answer.json()
        return content

    def keep(self, name: str, note: str = "") -> int:
        return int(self.post("", name=name, note=note)["version"])

    def page(self, **asked: object) -> str:
        return text(self.client, f"{self.scene}/versions", **asked)

    def packed(self, what: str, **asked: object) -> dict[str, Any]:
        answer = self.client.get(f"{self.scene}/{what}", params=asked)  # type: ignore[arg-type]
        assert answer.status_code == 200, answer.text
        content: dict[str, Any] = msgpack.unpackb(answer.content)
        return content


@pytest.fixture
def room(client: TestClient, scene: str, app: FastAPI) -> Room:
    return Room(client, scene, app)


def small(size: tuple[int, int] = (168, 90), kind: str = "WEBP") -> bytes:
    out = io.BytesIO()
    Image.new("RGB", size, "#2E6F68").save(out, kind)
    return out.getvalue()


def test_a_scene_without_versions_says_what_to_do_and_compares_with_the_beginning(room: Room) -> None:
    page = room.page()
    assert "None yet. Keep this one" in page
    assert "They are the same" in page
    edit(room.client, room.scene, gust(3))
    page = room.page()
    assert "Gust amplitude 4.8° → 3°" in page
    assert ">The beginning</option>" in page
    assert 'data-a="0" data-b="now" data-on="1"' in page


def test_versions_are_kept_listed_changed_and_removed(room: Room) -> None:
    first = room.keep("  First take ", "as agreed")
    edit(room.client, room.scene, gust(3))
    sheet = text(room.client, f"{room.scene}/versions/keep")
    assert 'value="First take 2"' in sheet
    assert "Gust amplitude 4.8° → 3°, since First take." in sheet
    room.keep("Calmer")
    page = room.page()
    names = re.findall(r'<span class="version-words"><strong>([^<]*)<', page)
    assert names == ["Now", "Calmer", "First take"]
    assert "as agreed" in page
    assert room.post(f"/{first}", name="First", note="") == {"name": "First", "note": ""}
    assert 'value="First"' in text(room.client, f"{room.scene}/versions/{first}/change")
    gone = room.post(f"/{first}/remove")
    assert gone == {"name": "First", "note": "", "revision": 0}
    assert ">First<" not in room.page(a="0")
    assert "no such version" in room.post(f"/{first}/remove", 404)["error"]
    for name in ("", "   ", "N" * 121):
        assert room.post("", 422, name=name)["where"] == "name"


def test_one_goes_back_to_a_version_or_a_step_as_one_step(room: Room) -> None:
    calm = room.keep("Calm")
    before = room.now
    edit(room.client, room.scene, gust(9))
    assert room.post(f"/{calm}/back")["undo"] == "back to Calm"
    assert room.now == before
    assert "already" in room.post(f"/{calm}/back", 422)["error"]
    assert room.post("/steps/1")["undo"] == "back to step 1"
    assert room.now.by_id["beacon-mast"] != before.by_id["beacon-mast"]
    assert room.post(f"/{calm}/back", 409, revision=0)["head"] == 3
    assert "no step 99" in room.post("/steps/99", 404)["error"]
    listed = text(room.client, f"{room.scene}/versions/steps")
    assert re.findall(r'<span class="num">(\d+)</span>', listed) == ["3", "2", "1", "0"]
    assert "<strong>Calm</strong>" in listed
    assert text(room.client, f"{room.scene}/versions/steps", below=2).count("step-words") == 2


def test_something_is_tried_and_returned_from_or_kept(room: Room) -> None:
    begun = room.post("/try", name="Wilder")
    assert begun["version"]
    assert "Wilder" in room.page()
    edit(room.client, room.scene, gust(20))
    assert "'Wilder' is being tried" in room.post("/try", 422, name="Other")["error"]
    assert "“Wilder” is being tried" in text(room.client, f"{room.scene}/versions/try")
    assert "Trying <strong>Wilder</strong>" in text(room.client, room.scene)
    back = room.post("/return")
    assert (back["undo"], back["of"]) == ("return from Wilder", 1)
    assert "Nothing is being tried" in room.post("/return", 409)["error"]
    room.post("/try", name="Calm")
    assert room.post("/stay")["version"]
    assert "Trying" not in text(room.client, room.scene)


def test_pictures_of_versions_are_bounded(room: Room) -> None:
    kept = room.keep("A")
    url = f"{room.scene}/versions/{kept}/picture"
    assert room.client.get(url).status_code == 404
    assert room.client.put(url, params={"of": 0}, content=small()).status_code == 204
    shown = room.client.get(url)
    assert (shown.headers["content-type"], shown.content) == ("image/webp", small())
    assert f'src="{url}"' in room.page(a="0")
    for content, said in (
        (b"none", "no picture"),
        (b"x" * (LARGEST_PICTURE + 1), "at most"),
        (small((1300, 9)), "dots"),
    ):
        refused = room.client.put(url, params={"of": 0}, content=content)
        assert refused.status_code == 422
        assert said in refused.json()["error"]


def test_all_that_differs_is_listed_and_some_of_it_taken_over(room: Room) -> None:
    calm = room.keep("Calm")
    edit(
        room.client, room.scene, gust(9), {"do": "remove-object", "node": "lamps"}, {"do": "change-scene", "last": 200}
    )
    page = room.page(a=f"v{calm}")
    assert re.search(r"<summary>loop of \d+ layers</summary>.*?250 fr</td><td class=.num second.>200 fr", page)
    assert re.search(
        r"rotation z / Gust / amplitude</button></td> <td class=.num first.>4.8°</td><td class=.num second.>9°", page
    )
    asked: dict[str, Any] = {"of": f"v{calm}", "keys": [AMPLITUDE, "nodes/shade-3"]}
    along = room.post("/along", **asked)["along"]
    assert along == ["Lamp row: — → there", "Lamp 3: — → there"]
    before = room.now
    taken = room.post("/take", **asked)
    assert taken["notes"] == along
    assert taken["undo"] == "take over Gust amplitude 9° → 4.8° and 1 more from Calm"
    assert {"lamps", "lamp-3", "shade-3"} <= set(room.now.by_id)
    assert room.now.last == 200
    assert room.store.undo(room.id, room.head).scene == before
    assert "Nothing differs at 'nodes/none'" in room.post("/take", 422, of="0", keys=["nodes/none"])["error"]
    assert room.post("/take", 422, of="0", keys=[])["where"] == "keys"
    assert room.post("/take", 409, revision=0, **asked)["head"] == room.head


def test_what_is_too_much_to_be_listed_is_taken_over_by_object(room: Room, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("lazzik.web.versions.view.MOST_ROWS", 1)
    calm = room.keep("Calm")
    moved = [{"do": "set", "address": f"sign/position.{axis}", "value": 9} for axis in "xyz"]
    edit(room.client, room.scene, gust(9), *moved)
    page = room.page(a=f"v{calm}")
    assert "4 differences" in page
    assert "Sign: 3 more" in page
    assert "rotation z / Gust / amplitude" in page
    room.post("/take", of=f"v{calm}", keys=["nodes/sign"])
    assert room.now.by_id["sign"] == room.store.at(room.id, 0).by_id["sign"]


def test_only_what_differs_is_sent_of_the_other_state(room: Room, demo: Scene) -> None:
    calm = room.keep("Calm")
    edit(room.client, room.scene, gust(9))
    other = room.packed("motion", of=f"v{calm}", beside="now")
    moved = {"beacon-mast", "guy-plate-1", "guy-plate-2", "guy-plate-3"}
    assert moved <= set(other["motion"]) <= moved | {"crossbar", "ribbon", "beacon", "collar", "ladder"}
    whole = room.packed("motion", of=f"v{calm}")
    for slug in moved:
        assert other["motion"][slug] == whole["motion"][slug]
    assert len(whole["motion"]) == len(demo.nodes)
    assert room.client.get(f"{room.scene}/rest.glb", params={"of": f"v{calm}"}).content[:4] == b"glTF"


def test_curves_of_both_and_their_difference(room: Room, demo: Scene) -> None:
    calm = room.keep("Calm")
    edit(room.client, room.scene, gust(9))
    content = room.packed("versions/curves", a=f"v{calm}", b="now", address=f"{MAST}#gust.amplitude")
    assert content["title"] == "Beacon mast / rotation z / Gust / amplitude"
    content = room.packed("versions/curves", a=f"v{calm}", b="now", address=MAST)
    before, after, apart = (np.frombuffer(content[name], "<f4") for name in ("before", "after", "difference"))
    per = content["perFrame"]
    np.testing.assert_allclose(before[::per], evaluate(demo, [MAST], demo.clock())[MAST], atol=1e-4)
    np.testing.assert_allclose(apart, after - before, atol=1e-4)
    assert content["most"] == pytest.approx(np.abs(apart).max(), abs=1e-4)
    gone = room.packed("versions/curves", a=f"v{calm}", b="now", address=f"{MAST}#ring-on-arrival.frequency")
    assert gone["most"] == 0
    refused = room.client.get(
        f"{room.scene}/versions/curves", params={"a": "0", "b": "now", "address": "none/rotation.z"}
    )
    assert (refused.status_code, "either of them" in refused.json()["error"]) == (422, True)


def test_two_rates_are_seen_in_step(room: Room) -> None:
    kept = room.keep("Thirty")
    edit(room.client, room.scene, {"do": "change-scene", "fps": 15, "keep": "seconds"})
    other = room.packed("motion", of=f"v{kept}", beside="now")
    whole = room.packed("motion", of=f"v{kept}")
    one = np.frombuffer(other["motion"]["rotor"]["orientation"], "<f4").reshape(-1, 4)
    all_of_it = np.frombuffer(whole["motion"]["rotor"]["orientation"], "<f4").reshape(-1, 4)
    assert len(one) == room.now.frames
    np.testing.assert_allclose(one, all_of_it[::2][: len(one)], atol=1e-5)
    (points,) = room.packed("points", of=f"v{kept}", beside="now", node="pool", **{"from": 3, "to": 3})["surfaces"]
    (there,) = room.packed("points", of=f"v{kept}", node="pool", **{"from": 6, "to": 6})["surfaces"]
    assert points["points"] == there["points"]


def test_before_and_after_a_bake(room: Room) -> None:
    before = room.now
    review, _ = reviewed(room.client, room.scene, form())
    assert room.client.post(f"{room.scene}/bake", data={"review": review}).status_code == 303
    receipt = room.now.receipts[0].id
    assert f"versions?a=unbaked.{receipt}&amp;at={MAST}" in text(room.client, f"{room.scene}/bake")
    assert "Before the bake" in room.page(a=f"unbaked.{receipt}", at=MAST)
    content = room.packed("versions/curves", a=f"unbaked.{receipt}", b="now", address=MAST)
    values = np.frombuffer(content["before"], "<f4")
    was = evaluate(before, [MAST], before.clock())[MAST]
    np.testing.assert_allclose(values[:: content["perFrame"]], was, atol=1e-4)
    assert content["most"] > 0


def test_two_recipes_on_one_number(room: Room) -> None:
    sheet = text(room.client, f"{room.scene}/versions/recipes", at=MAST)
    words = re.findall(rf'value="(shelf\.[\w-]+@{MAST})"', sheet)
    assert len(set(words)) > 5
    one, other = list(dict.fromkeys(words))[:2]
    page = room.page(a=one, b=other, at=MAST)
    assert "What differs can be taken over into now" in page
    content = room.packed("versions/curves", a=one, b=other, address=MAST)
    assert content["most"] > 0.01
    head = room.head
    room.post("/take", of=one, keys=["nodes/beacon-mast/rotation/z"], whole=True)
    assert room.head == head + 1
    assert [recipe.id for recipe in room.now.recipes] == ["lamp_flicker", "gust_sway"]


def test_what_one_kept_on_the_shelf_is_compared_in_another_scene(room: Room) -> None:
    def kept(part: str) -> None:
        answer = room.client.post(f"{room.scene}/keep", json={"sort": "recipe", "part": part, "label": "Mast sway"})
        assert answer.json() == {"key": "mast-sway"}

    def offered(scene: str, at: str) -> list[str]:
        return re.findall(
            r'value="((?:recipe|shelf)\.mast.sway@.+?)"', text(room.client, f"{scene}/versions/recipes", at=at)
        )

    save = {"do": "save-recipe", "address": MAST, "label": "Mast sway", "in_place": False}
    edit(room.client, room.scene, save)
    kept("mast_sway")
    assert set(offered(room.scene, MAST)) == {f"recipe.mast_sway@{MAST}"}  # what the scene has is offered once
    other = room.client.post("/scenes", data={"start": "mast"}).headers["location"].split("?")[0]
    word = "shelf.mast-sway@mast/rotation.z"
    assert set(offered(other, "mast/rotation.z")) == {word}

    def seen() -> bytes:
        asked = {"a": word, "b": "now", "address": "mast/rotation.z"}
        answer = room.client.get(f"{other}/versions/curves", params=asked)
        assert answer.status_code == 200, answer.text
        before: bytes = msgpack.unpackb(answer.content)["before"]
        return before

    first = seen()
    assert room.client.post("/shelf/mast-sway/remove").status_code == 200
    edit(room.client, room.scene, gust(9.0))
    edit(room.client, room.scene, save)
    kept("mast_sway_2")  # another one under the same name
    assert seen() != first


@pytest.mark.parametrize(
    ("word", "status", "said"),
    [
        ("v99", 404, "no such version"),
        ("99", 404, "no step 99"),
        ("yesterday", 422, "no state of this scene"),
        ("unbaked.none", 422, "no receipt 'none'"),
        (f"recipe.none@{MAST}", 422, "no recipe 'none'"),
        ("recipe.gust", 422, "no state of this scene"),
        (f"shelf.none@{MAST}", 404, "nothing called 'none' on the shelf"),
        (f"shelf.snow@{MAST}", 422, "no recipe of a number"),
        ("v" + "9" * 12, 422, "no state of this scene"),
    ],
)
def test_a_word_that_is_no_state_is_refused_with_a_sentence(room: Room, word: str, status: int, said: str) -> None:
    for url, asked in (("versions", {"a": word}), ("motion", {"of": word}), ("rest.glb", {"of": word})):
        refused = room.client.get(f"{room.scene}/{url}", params=asked)
        assert refused.status_code == status, url
        assert said in refused.json()["error"]


def test_long_lists_come_page_by_page(room: Room) -> None:
    for n in range(PAGE + 3):
        room.keep(f"Version {n}")
    page = room.page(a="0")
    assert page.count('class="version-words"') == PAGE + 1
    below = re.findall(r"older\?below=(\d+)", page)
    older = text(room.client, f"{room.scene}/versions/older", below=below[0])
    assert re.findall(r"<strong>([^<]*)</strong>", older) == ["Version 2", "Version 1", "Version 0"]


def test_marks_have_a_sheet(room: Room) -> None:
    assert 'value="Mark"' in text(room.client, f"{room.scene}/mark", frame=30)
    edit(
        room.client, room.scene, {"do": "add-mark", "frame": 30, "label": "Gust", "color": "lake", "remark": "Softer."}
    )
    for asked in ({"frame": 30}, {"mark": "gust"}):
        sheet = text(room.client, f"{room.scene}/mark", **asked)
        assert 'value="Gust"' in sheet
        assert "Softer." in sheet
        assert re.search(r'value="lake" checked', sheet)
    assert "no mark 'none'" in room.client.get(f"{room.scene}/mark", params={"mark": "none"}).json()["error"]
