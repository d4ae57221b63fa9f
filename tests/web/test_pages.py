"""Pages as the server draws them."""

from __future__ import annotations

import json
import re
from typing import Any

import pytest
from fastapi import FastAPI
from starlette.testclient import TestClient

from lazzik.core.channel.channel import Channel
from lazzik.core.channel.layer import numbers_of
from lazzik.core.document import Option, counts_under, mark_of
from lazzik.core.layers import BY_KIND
from lazzik.core.layers.turn import Turn
from lazzik.core.scene.node import Node, Rotation
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.serialize import scene_text
from lazzik.web.ui.sparkline import line, spark
from tests.web.conftest import over, reviewed

MAST = "beacon-mast/rotation.z"


def form(**more: str) -> dict[str, str]:
    tolerances = {"tolerance-metres": "0.002", "tolerance-degrees": "0.1", "tolerance-factors": "0.002"}
    base = {"revision": "0", "first": "0", "last": "250", "method": "fitted", "channel": MAST, "every": "4"}
    return base | tolerances | {"tolerance-other": "0.005"} | more


def test_scenes_begin_empty_with_a_way_on(app: FastAPI, client: TestClient, scene: str) -> None:
    assert "Ridge station" in client.get("/scenes").text
    assert client.post(f"{scene}/remove").status_code == 303
    assert "None yet" in client.get("/scenes").text
    assert client.post("/scenes/demo").status_code == 303
    page = client.get("/scenes").text
    card = re.search(r'hx-get="([^"]+)"', page)
    assert card is not None
    assert "50 of 92 objects move · 8.37 s · meets itself" in " ".join(client.get(card[1]).text.split())
    page = client.get("/scenes").text
    assert ("hx-get" in page, "8.37 s" in page) == (False, True)


def test_a_new_scene_has_something_to_move(client: TestClient, app: FastAPI) -> None:
    where = client.post("/scenes", data={"name": "Mine"}).headers["location"]
    page = client.get(where).text
    assert "<title>Mine · Lazzik</title>" in page
    assert "No layers yet" in page
    assert client.post("/scenes", data={"name": "x" * 200}).status_code == 422


def test_how_many_move_is_told_in_short_where_they_are_many(client: TestClient) -> None:
    turns = Channel(layers=(Turn(kind="turn", id="turn", label="Turn"),))
    nodes = tuple(Node(id=f"n{n}", label=f"N {n}", rotation=Rotation(y=turns)) for n in range(1200))
    for count, words in ((1200, "Moving 1.2k"), (999, "Moving 999")):
        file = {"file": ("scene.json", scene_text(Scene(name="Many", nodes=nodes[:count])))}
        page = client.get(client.post("/scenes/open", files=file).headers["location"]).text
        assert words in page
        assert f'title="{count:,} objects move"' in page


def test_the_studio_shows_every_number_of_every_kind(client: TestClient, scene: str) -> None:
    """Made from what the kinds say of themselves: a new kind has its knobs without a line of markup."""
    for name, kind in ((name, kind) for name, kind in BY_KIND.items() if kind.offered):
        edit = {"do": "add-layer", "address": "mast/rotation.y", "kind": name, "label": f"Probe {name}"}
        revision = client.get(scene).text.split('data-revision="')[1].split('"')[0]
        assert client.post(f"{scene}/edits", json={"revision": int(revision), "edits": [edit]}).status_code == 200
        page = client.get(scene, params={"at": f"mast/rotation.y#probe-{name}"}).text
        at_first = {setting: kind.model_fields[setting].default for setting in kind.settings()}
        for number, quantity in numbers_of(kind).items():
            offered = counts_under(quantity.only, at_first)
            assert (f'data-address="mast/rotation.y#probe-{name}.{number}"' in page) == offered
        for setting in kind.settings():
            option = mark_of(kind, setting, Option)
            assert (f'data-into="settings.{setting}"' in page) == counts_under(
                option.only if option else None, at_first
            )
        assert f'data-add="{name}"' in page


def test_what_can_be_added_is_sent_once_and_not_with_every_choice(client: TestClient, scene: str) -> None:
    page = client.get(scene).text
    panels = client.get(f"{scene}/panels", params={"at": "beacon-mast/rotation.z"}).text
    assert page.count('data-add="noise"') == page.count('data-add-deformer="bend"') == 1
    assert "data-add" not in panels.replace("data-address", "")


@pytest.mark.parametrize("at", ["nobody/rotation.z", "beacon-mast/rotation.z#gone.period", "mast/look.glow"])
def test_an_address_that_is_gone_falls_back_to_what_is_left(client: TestClient, scene: str, at: str) -> None:
    assert client.get(scene, params={"at": at}).status_code == 200


def test_an_address_that_is_none_is_refused(client: TestClient, scene: str) -> None:
    page = client.get(scene, params={"at": "<x>"}, headers={"accept": "text/html"})
    assert page.status_code == 422
    assert "is not an address" in page.text


def test_only_what_moves_is_listed_when_asked(client: TestClient, scene: str) -> None:
    rows = re.findall(r'id="row-([a-z0-9-]+)"', client.get(scene, params={"moving": "true", "at": MAST}).text)
    assert "beacon-mast" in rows
    assert "ridge" not in rows
    assert len(rows) == 50
    assert {"cloth", "pool"} <= set(rows), "what only its surface moves is among them"


def test_numbers_of_layers_have_strata_of_their_own(client: TestClient, scene: str) -> None:
    page = client.get(scene, params={"at": f"{MAST}#gust.amplitude"}).text
    assert "Gust / amplitude" in page
    assert f'href="?at={MAST}"' in page.replace("%2F", "/")


def test_a_bake_is_reviewed_placed_and_taken_back(client: TestClient, scene: str, app: FastAPI) -> None:
    job, review = reviewed(client, scene, form())
    keys = int(re.search(r"<strong>(\d+) keys</strong> on 1 channel,", review).group(1))  # type: ignore[union-attr]
    assert 20 < keys < 120
    curves = client.get(f"{scene}/bake/reviews/{job}/0").text
    assert f"{scene}/bake/reviews/{job}/0" in review
    assert curves.count('class="bead"') == keys
    assert client.get(f"{scene}/bake/reviews/{job}/1").status_code == 422
    assert app.state.store.open(scene.split("/")[-1]).revision == 0
    assert client.post(f"{scene}/bake", data={"review": job}).status_code == 303
    page = client.get(f"{scene}/bake").text
    assert f"<strong>{keys} keys</strong> on 1 channel." in page
    assert "fitted within 0.1°." in page
    placed = client.get(f"{scene}/bake/bake-1/curves/0").text
    assert re.findall(' d="([^"]+)"', placed) == re.findall(' d="([^"]+)"', curves)
    assert "The source is as it was." in client.get(f"{scene}/bake/bake-1/source").text
    before = app.state.store.at(scene.split("/")[-1], 0)
    assert client.post(f"{scene}/bake/bake-1/take-back", data={"revision": "1"}).status_code == 303
    assert app.state.store.open(scene.split("/")[-1]).scene == before


@pytest.mark.parametrize(
    ("more", "part"),
    [
        ({"last": "0"}, "must end after it begins"),
        ({"last": "soon"}, "is not a number"),
        ({"first": "1.5"}, "whole number of frames"),
        ({"tolerance-degrees": "0"}, "must lie above zero"),
        ({"tolerance-metres": ""}, "The field is empty"),
        ({"method": "every", "every": "9000"}, "does not fit the range"),
        ({"method": "magic"}, "no way to bake"),
    ],
)
def test_a_mistake_in_the_bake_form_is_refused_at_once(
    client: TestClient, scene: str, more: dict[str, str], part: str
) -> None:
    review = client.post(f"{scene}/bake/review", data=form(**more))
    assert review.status_code == 422
    assert part in review.json()["error"]


@pytest.mark.parametrize(
    ("channel", "part"),
    [("nobody/rotation.z", "There is no object"), ("", "is not an address"), ([], "Nothing is chosen to bake")],
)
def test_a_bake_that_fails_says_why_and_can_not_be_placed(
    client: TestClient, scene: str, channel: Any, part: str
) -> None:
    job = client.post(f"{scene}/bake/review", data=form() | {"channel": channel}).json()
    news = over(client, job)
    assert (news["state"], part in news["said"]) == ("failed", True)
    assert client.post(f"{scene}/bake", data={"review": job["id"]}).status_code == 422


def test_a_bake_of_another_state_or_scene_is_refused(client: TestClient, scene: str) -> None:
    job, _ = reviewed(client, scene, form())
    again = client.post(f"{scene}/bake/bake-1/again", data={"review": job})
    assert (again.status_code, "no receipt 'bake-1'" in again.json()["error"]) == (422, True)
    other = client.post("/scenes", data={"name": "Other"}).headers["location"].split("?")[0]
    assert "no review of a bake in this scene" in client.post(f"{other}/bake", data={"review": job}).json()["error"]
    edit = {"do": "change-scene", "name": "Renamed"}
    client.post(f"{scene}/edits", json={"revision": 0, "edits": [edit]})
    assert client.post(f"{scene}/bake", data={"review": job}).status_code == 409
    assert client.post(f"{scene}/bake", data={"review": "x"}).status_code == 404
    assert client.post(f"{scene}/bake", data={}).status_code == 404


def test_a_large_bake_tells_how_far_it_is_and_is_stopped(client: TestClient, scene: str) -> None:
    page = client.get(f"{scene}/bake").text
    channels = re.findall(r'name="channel" value="([^"]+)"', page)
    assert len(channels) > 40
    job = client.post(f"{scene}/bake/review", data=form() | {"channel": channels * 4}).json()
    with client.stream("GET", f"/jobs/{job['id']}/events") as events:
        told = (json.loads(line[6:]) for line in events.iter_lines() if line.startswith("data: "))
        first = next(news for news in told if news["share"] > 0)
        assert " / " in first["said"]
        client.post(f"/jobs/{job['id']}/stop")
        assert list(told)[-1]["state"] == "stopped"
    assert client.post(f"{scene}/bake", data={"review": job["id"]}).status_code == 422


def test_small_curves_fill_their_box() -> None:
    import numpy as np

    assert line(np.array([0.0, 2, 1]), 10, 4, 0, 2) == "M0.0 4.0L5.0 0.0L10.0 2.0"
    assert line(np.array([3.0, 3.0]), 10, 4, 3, 3) == "M0.0 2.0L10.0 2.0"
    assert spark(np.sin(np.arange(500.0)), 56, 14).count("L") == 47


def test_numbers_of_a_shape_that_move_stand_in_metres_in_the_tree(client: TestClient, scene: str) -> None:
    page = client.get(scene, params={"at": "cloth/shape"}).text
    assert 'data-unit="m"' in page
    assert "own</span>" not in page
    assert 'data-unit="own"' not in page
