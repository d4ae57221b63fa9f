"""The air and what is scattered, as pages and scripts are sent them."""

from __future__ import annotations

from typing import Any

import msgpack
import numpy as np
from fastapi import FastAPI
from starlette.testclient import TestClient

from lazzik.core.evaluate.airflow import air
from lazzik.core.evaluate.copies import copies_of
from lazzik.core.evaluate.leans import leans
from lazzik.core.evaluate.riding import standing
from lazzik.core.evaluate.scope import Scope
from lazzik.core.scene.edits.base import applied
from lazzik.core.scene.edits.numbers import SetNumber
from tests.web.conftest import previewed
from tests.web.test_sheets import edit, edits_in, text

PLANTED: list[dict[str, Any]] = [
    {"do": "remove-object", "node": "grass"},
    {"do": "remove-object", "node": "tuft"},
    {"do": "add-object", "label": "Tuft", "shape": {"kind": "tube", "height": 0.3, "radius": 0.02, "around": 4}},
    {"do": "scatter", "nodes": ["tuft"], "surface": "ridge", "label": "Meadow"},
    {"do": "set", "address": "meadow/scatter.count", "value": 600},
]


def sent(client: TestClient, url: str, **asked: object) -> Any:
    answer = client.get(url, params=asked)  # type: ignore[arg-type]
    assert answer.status_code == 200, answer.text
    return msgpack.unpackb(answer.content)


def steps(told: dict[str, Any], *shape: int) -> Any:
    """Numbers that were sent as small whole ones."""
    return np.frombuffer(told["steps"], "<i2").reshape(shape) * told["worth"]


def test_a_field_laid_open_names_its_wind_and_what_answers(client: TestClient, scene: str) -> None:
    page = text(client, scene, at="ridge-wind/air")
    assert "a moderate breeze from the west (270°)" in page
    assert 'data-answer="lamp-3/rotation.z"' in page
    edit(client, scene, {"do": "set", "address": "ridge-wind/field.speed", "value": -12})
    assert "a strong breeze from the east (90°)" in text(client, scene, at="ridge-wind/air")


def test_gusts_are_those_of_the_air_and_answers_stand_nearest_first(
    client: TestClient, scene: str, app: FastAPI
) -> None:
    content = sent(client, f"{scene}/air", node="ridge-wind")
    document = app.state.store.open(scene.rsplit("/", 1)[1]).scene
    distances = np.frombuffer(content["distances"], "<f4").astype(float)
    speeds = np.frombuffer(content["speeds"], "<f4").reshape(len(distances), -1)
    points = np.array([-9.0, 1.2, 2.5]) + distances[:, None] * np.array([1.0, 0, 0])
    blown = air(points[None], document.clock(), Scope(document))[:, :, 0].T
    np.testing.assert_allclose(speeds, blown, atol=1e-5)
    lanes = content["lanes"]
    assert [lane["distance"] for lane in lanes] == sorted(lane["distance"] for lane in lanes)
    assert len({lane["address"] for lane in lanes}) == len(lanes) > 10


def test_streaks_go_with_the_air_and_are_the_same_in_parts(client: TestClient, scene: str) -> None:
    whole = sent(client, f"{scene}/streaks", **{"from": 0, "to": 120})
    part = sent(client, f"{scene}/streaks", **{"from": 40, "to": 80})
    places, less = (np.frombuffer(c["places"], "<f4").reshape(-1, c["count"], 3) for c in (whole, part))
    np.testing.assert_allclose(less, places[40:91], atol=1e-5)
    born = (np.frombuffer(whole["ages"], "<f4")[None] + np.arange(len(places))[:, None]) % whole["life"] == 0
    steps = np.linalg.norm(np.diff(places, axis=0), axis=2)[~born[1:]]
    assert np.median(steps) * 30 == np.clip(np.median(steps) * 30, 4, 8)  # metres per second, of a wind of six


def test_the_air_at_a_place_is_a_table(client: TestClient, scene: str) -> None:
    page = text(client, f"{scene}/air-here", x=2, y=1, z=0, frame=30)
    assert page.count("<tr") == 4  # a head, two fields, and both together
    assert "Ridge wind" in page
    assert client.get(f"{scene}/air-here", params={"x": "nan", "y": 0, "z": 0, "frame": 0}).status_code == 422


def test_what_may_stand_in_the_wind_is_offered_once(client: TestClient, scene: str) -> None:
    page = text(client, f"{scene}/stand-form")
    assert 'value="sign"' in page
    assert 'value="lamp-1"' not in page  # it does already
    edit(client, scene, {"do": "stand-in-wind", "nodes": ["sign"]})
    assert 'value="sign"' not in text(client, f"{scene}/stand-form")


def test_copies_and_their_leans_are_those_of_the_document(client: TestClient, scene: str, app: FastAPI) -> None:
    edit(client, scene, *PLANTED)
    document = app.state.store.open(scene.rsplit("/", 1)[1]).scene
    node, scope = document.by_id["meadow"], Scope(document)
    found = copies_of(document, node, scope)
    content = sent(client, f"{scene}/copies", node="meadow")
    np.testing.assert_allclose(np.frombuffer(content["places"], "<f4").reshape(-1, 3), found.places, atol=1e-5)
    (group,) = content["groups"]
    assert len(np.frombuffer(group["copies"], "<i4")) == content["count"] == 600
    assert [part["node"] for part in group["parts"]] == ["tuft"]
    leaning = sent(client, f"{scene}/leans", node="meadow", **{"from": 10, "to": 14, "per": 2})
    angles = steps(leaning["leans"], 9, 600, 2)
    clock = document.clock().at(np.arange(10, 14.5, 0.5))
    expected = np.concatenate([block for _, block in leans(document, node, found, clock, scope)], axis=1)
    np.testing.assert_allclose(angles, expected, atol=leaning["leans"]["worth"])
    assert "600 of Tuft over Ridge" in text(client, scene, at="meadow/copies")


def test_copies_on_a_surface_that_is_deformed_are_sent_where_it_carries_them(
    client: TestClient, scene: str, app: FastAPI
) -> None:
    edit(client, scene, *PLANTED)
    (still,) = client.get(f"{scene}/scatters").json()["scatters"]
    edit(client, scene, {"do": "add-deformer", "node": "ridge", "kind": "ripple"})
    (carried,) = client.get(f"{scene}/scatters").json()["scatters"]
    assert (carried["laid"], carried["leans"] != still["leans"]) == (still["laid"], True)
    content = sent(client, f"{scene}/leans", node="meadow", **{"from": 30, "to": 31})
    document = app.state.store.open(scene.rsplit("/", 1)[1]).scene
    node, scope = document.by_id["meadow"], Scope(document)
    found = copies_of(document, node, scope)
    clock = document.clock().at(np.array([30.0, 31.0]))
    places = np.array([row for _, row, _ in standing(document, node, found, clock, scope)])
    np.testing.assert_allclose(steps(content["away"], 2, 600, 3), places - found.places, atol=content["away"]["worth"])
    assert np.abs(places - found.places).max() > 0.01
    assert "tilts" in content


def test_a_drag_shows_how_a_few_copies_would_lean_and_where_the_first_ones_would_stand(
    client: TestClient, scene: str, app: FastAPI
) -> None:
    edit(client, scene, *PLANTED, {"do": "set", "address": "meadow/scatter.count", "value": 5000})
    windy = {"do": "set", "address": "ridge-wind/field.speed", "value": 13}
    content = previewed(client, scene, {"revision": 1, "edits": [windy], "field": "ridge-wind"})
    (crowd,) = content["crowds"]
    assert "laid" not in crowd
    few = np.frombuffer(crowd["lean"]["ids"], "<i4")
    assert 24 <= len(few) <= 192
    document = applied(
        app.state.store.open(scene.rsplit("/", 1)[1]).scene, [SetNumber(address="ridge-wind/field.speed", value=13)]
    )
    node, scope = document.by_id["meadow"], Scope(document)
    found = copies_of(document, node, scope)
    angles = steps(crowd["lean"]["leans"], -1, len(few), 2)
    whole = np.concatenate([block for _, block in leans(document, node, found, document.clock(), scope)], axis=1)
    expected = whole[:, np.isin(found.ids, few)]
    np.testing.assert_allclose(angles, expected, atol=crowd["lean"]["leans"]["worth"])
    # the gusts of the open field, coarser than they are when it is let go
    fine = sent(client, f"{scene}/air", node="ridge-wind")
    assert len(content["gusts"]["distances"]) < len(fine["distances"])
    assert len(content["gusts"]["lanes"]) == len(fine["lanes"])
    # where they stand: the first ones, as they would stand
    denser = {"do": "set", "address": "meadow/scatter.size", "value": 2}
    (crowd,) = previewed(client, scene, {"revision": 1, "edits": [denser]})["crowds"]
    ids, sizes = np.frombuffer(crowd["laid"]["ids"], "<i4"), np.frombuffer(crowd["laid"]["sizes"], "<f4")
    assert len(ids) == 2000
    np.testing.assert_allclose(sizes, 2 * found.sizes[:2000], rtol=1e-6)
    # what has nothing to do with them leaves them alone
    aside = {"do": "set", "address": "needle/position.x", "value": 1}
    assert previewed(client, scene, {"revision": 1, "edits": [aside]})["crowds"] == []


def test_scatters_are_fetched_anew_only_when_they_differ(client: TestClient, scene: str) -> None:
    edit(client, scene, *PLANTED)
    (first,) = client.get(f"{scene}/scatters").json()["scatters"]
    edit(client, scene, {"do": "set", "address": "needle/position.x", "value": 1})
    assert client.get(f"{scene}/scatters").json()["scatters"] == [first]
    edit(client, scene, {"do": "set", "address": "ridge-wind/field.speed", "value": 3})
    (windier,) = client.get(f"{scene}/scatters").json()["scatters"]
    assert (windier["laid"], windier["leans"] != first["leans"]) == (first["laid"], True)
    edit(client, scene, {"do": "set", "address": "meadow/scatter.seed", "value": 3})
    assert client.get(f"{scene}/scatters").json()["scatters"][0]["laid"] != first["laid"]


def test_a_copy_is_made_real_as_one_step(client: TestClient, scene: str) -> None:
    edit(client, scene, *PLANTED)
    answer = client.post(f"{scene}/make-real", json={"revision": 1, "node": "meadow", "copies": [5]})
    assert answer.status_code == 200, answer.text
    assert answer.json()["added"] == ["tuft-5"]
    assert "599 of Tuft over Ridge · 1 taken away" in text(client, scene, at="meadow/copies")
    refused = client.post(f"{scene}/make-real", json={"revision": 2, "node": "meadow", "copies": [5]})
    assert refused.status_code == 422
    assert "has no copy 5" in refused.text


def test_where_objects_may_be_scattered(client: TestClient, scene: str) -> None:
    page = text(client, f"{scene}/scatter-form", node="rock-b")
    assert [each[0].get("over") for each in edits_in(page)][:4] == ["row", "grid", "ring", "volume"]
    assert any(each[0].get("surface") == "ridge" for each in edits_in(page))


def test_why_tells_of_the_air(client: TestClient, scene: str) -> None:
    edit(client, scene, {"do": "change-field", "node": "ridge-wind", "muted": True})
    page = text(client, f"{scene}/why", at="ridge-wind/air")
    assert "Ridge wind is muted." in page
    assert "Ridge wind is muted." in text(client, f"{scene}/why", at="lamp-1/rotation.z#breeze")
    edit(client, scene, *edits_in(page)[0], {"do": "set", "address": "ridge-wind/field.speed", "value": 60})
    page = text(client, f"{scene}/why", at="ridge-wind/air")
    assert "The speed of Ridge wind is 60m/s, beyond its usual 0 to 20m/s" in page
    edit(client, scene, *edits_in(page)[0])
    assert "Nothing keeps it from showing" in text(client, f"{scene}/why", at="ridge-wind/air")
