"""The document: addresses, typed numbers, text in and out, and all that is refused."""

from __future__ import annotations

import json
import pickle
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from lazzik.core.arithmetic import Measure, read_number
from lazzik.core.channel.channel import as_channel
from lazzik.core.channel.layer import numbers_of
from lazzik.core.document import Quantity
from lazzik.core.errors import BadNumber, InvalidDocument, InvalidEdit, UnknownAddress
from lazzik.core.layers import BY_KIND, KINDS
from lazzik.core.scene.address import Address, find, title, write
from lazzik.core.scene.node import channels_of
from lazzik.core.scene.references import readers
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.serialize import read_scene, scene_text
from tests.conftest import edited, turned
from tests.strategies import channels, numbers

GUST = "beacon-mast/rotation.z#gust.amplitude"


@pytest.mark.parametrize("text", ["a/rotation.z", "a-b/look.color.r", "a/rotation.z#gust", GUST, f"{GUST}#slow.period"])
def test_addresses_are_written_as_they_were_read(text: str) -> None:
    assert str(Address.parse(text)) == text


@pytest.mark.parametrize(
    "text",
    ["", "a", "a/", "/rotation.z", "A/rotation.z", "a/rotation.z#", "a/rotation.z#g#h.x", "a/b.c#x.y.z",
     "a/__class__.x-", "../x/y", "a/rotation.z" + "#g.x" * 9, "a/" + "x" * 5000],
)  # fmt: skip
def test_what_is_no_address_is_refused(text: str) -> None:
    with pytest.raises(UnknownAddress):
        Address.parse(text)


@pytest.mark.parametrize(
    ("address", "sentence"),
    [
        ("nobody/rotation.z", "There is no object 'nobody'"),
        ("beacon/rotation.w", "'Warning beacon' has no number 'rotation.w'"),
        ("beacon/id", "has no number 'id'"),
        ("beacon/model_fields.x", "has no number"),
        ("beacon/rotation.order", "has no number"),
        ("mast/look.glow", "'Mast' has no number"),
        ("beacon-mast/rotation.z#storm.amplitude", "There is no layer 'storm'"),
        ("beacon-mast/rotation.z#gust.character", "A Noise layer has no number 'character'"),
    ],
)
def test_an_address_that_leads_nowhere_says_why(demo: Scene, address: str, sentence: str) -> None:
    with pytest.raises(UnknownAddress, match=sentence):
        find(demo, Address.parse(address))


def test_units_and_names_follow_the_address(demo: Scene) -> None:
    place = find(demo, Address.parse(GUST))
    assert (place.number, place.quantity.unit) == (4.8, "°")
    assert title(demo, Address.parse(GUST)) == "Beacon mast / rotation z / Gust / amplitude"


def test_writing_shares_all_that_it_leaves_alone(demo: Scene) -> None:
    after = write(demo, Address.parse(GUST), lambda channel: channel.replaced(value=2.0))
    changed = [node.id for node in after.nodes if demo.by_id[node.id] is not node]
    assert changed == ["beacon-mast"]
    before, now = demo.by_id["beacon-mast"], after.by_id["beacon-mast"]
    assert now.position is before.position
    assert as_channel(now.rotation.z).layers[1] is as_channel(before.rotation.z).layers[1]


def test_nesting_has_an_end(post: Scene) -> None:
    address, scene = "post/rotation.z", post
    for _ in range(8):
        scene = edited(scene, {"do": "add-layer", "address": address, "kind": "noise"})
        address += "#noise.amplitude"
    with pytest.raises(InvalidEdit, match="nested deeper than 8"):
        edited(scene, {"do": "add-layer", "address": address, "kind": "noise"})
    assert read_scene(scene_text(scene)) == scene


@given(channels(nested=True))
def test_a_scene_survives_its_text(channel: Any) -> None:
    scene = turned(channel)
    assert read_scene(scene_text(scene)) == scene
    assert read_scene(scene_text(scene, indent=1)) == scene


def test_the_demo_scene_survives_its_text(demo: Scene) -> None:
    assert read_scene(scene_text(demo)) == demo


NODE = '{"name": "a", "nodes": [{"id": "p", "label": "P", "rotation": {"z": %s}}]}'

HOSTILE = [
    ("", "not JSON"),
    ("[]", "should be an object"),
    ("null", "should be an object"),
    ('{"name": 3}', "at name"),
    ('{"name": ""}', "at name"),
    ('{"name": "a", "surprise": 1}', "surprise"),
    ('{"name": "a", "version": 3}', "version"),
    ('{"name": "a", "format": "other"}', "format"),
    ('{"name": "a", "fps": 0}', "at fps"),
    ('{"name": "a", "fps": "30"}', "at fps"),
    ('{"name": "a", "fps": NaN}', "at fps"),
    ('{"name": "a", "fps": 1e999}', "at fps"),
    ('{"name": "a", "first": 9, "last": 3}', "range must end after it begins"),
    ('{"name": "a", "last": 900000}', "at most 20000 frames"),
    ('{"name": "a", "nodes": [{"id": "X y", "label": "x"}]}', "nodes.0.id"),
    ('{"name": "a", "nodes": [{"id": "x", "label": "x"}, {"id": "x", "label": "y"}]}', "share the id 'x'"),
    ('{"name": "a", "nodes": [{"id": "x", "label": "x", "parent": "y"}]}', "'y', which is not there"),
    ('{"name": "a", "nodes": [{"id": "x", "label": "x", "parent": "x"}]}', "under itself"),
    (NODE % '"fast"', "nodes.0.rotation.z"),
    (NODE % "true", "nodes.0.rotation.z"),
    (NODE % "1e12", "nodes.0.rotation.z"),
    (NODE % '{"layers": [{"kind": "storm", "id": "a", "label": "a"}]}', "nodes.0.rotation.z.layers.0"),
    (NODE % '{"layers": [{"kind": "noise", "id": "a", "label": "a", "period": 0}]}', "must be at least 0.001"),
    (NODE % '{"layers": [{"kind": "noise", "id": "a", "label": "a", "seed": 0.5}]}', "whole number"),
    (NODE % '{"keys": [{"frame": 3, "value": 1}, {"frame": 3, "value": 2}]}', "keys must rise in time"),
    ("[" * 100_000, "recursion limit"),
    ('{"name":' * 100_000, "recursion limit"),
    (b"\xff\xfe\x00", "not JSON"),
    (
        '{"name": "a", "nodes": [' + ",".join(f'{{"id": "n{i}", "label": "n"}}' for i in range(10_001)) + "]}",
        "at nodes",
    ),
]


@pytest.mark.parametrize(("text", "part"), HOSTILE, ids=[str(text)[:40] for text, _ in HOSTILE])
def test_what_is_no_scene_is_refused_with_a_sentence(text: str | bytes, part: str) -> None:
    with pytest.raises(InvalidDocument) as caught:
        read_scene(text)
    assert part in caught.value.message
    assert "function-" not in caught.value.message


def test_a_deeply_nested_stack_is_refused(post: Scene) -> None:
    number: Any = 1.0
    for _ in range(9):
        number = {"layers": [{"kind": "noise", "id": "a", "label": "a", "amplitude": number}]}
    with pytest.raises(InvalidDocument, match="nested deeper"):
        read_scene(NODE % json.dumps(number))


def test_a_text_beyond_the_limit_is_refused_unread() -> None:
    with pytest.raises(InvalidDocument, match="larger than 64 MB"):
        read_scene(b" " * (64 * 2**20 + 1))


@pytest.mark.parametrize(
    ("text", "value"),
    [("12", 12), (" -0.5 ", -0.5), ("360/7", 360 / 7), ("2*(3+1)", 8), ("−3", -3), ("1,5", 1.5), ("+4", 4), (7, 7),
     ("1e3", 1000), ("0,125", 0.125), ("1,25 + 0,5", 1.75), ("7 % 4", 3), ("+".join(["1"] * 60), 60), ("2×3", 6)],
)  # fmt: skip
def test_typed_numbers(text: Any, value: float) -> None:
    assert read_number(text) == pytest.approx(value)


@pytest.mark.parametrize(
    "text",
    ["", "  ", "abc", "1/0", "2**9", "9" * 400, "(" * 70, "__import__('os')", "a.b", "x[0]", "1 if 1 else 2", "True",
     "1,000", "12,500.5", "1,000,000", "1.000,5", "0x10", "00x10", "1_000", "1j", "2 Hz", "3 m", "1 000", "50 % %",
     None, True, [], float("nan"), float("inf"), 10**400, "1e999", "1e308*10", "0x", "1;2", "lambda: 1"],
)  # fmt: skip
def test_what_is_no_number_is_refused(text: Any) -> None:
    with pytest.raises(BadNumber):
        read_number(text)


PERIOD, TIME, TURN, METRES = Measure("s", 24, inverse=True), Measure("fr", 24), Measure("°"), Measure("m")


@pytest.mark.parametrize(
    ("text", "measure", "value"),
    [
        *[(text, PERIOD, 0.5) for text in ("2 Hz", "120 rpm", "12 fr", "0.5", "500 ms")],
        *[(text, TIME, 12) for text in ("0.5 s", "12 fr", "12", "250*2 ms")],
        *[(text, TURN, 90) for text in ("1/4 turns", "90 deg", "90°", "45 + 45")],
        *[(text, METRES, 0.3) for text in ("30 cm", "(2+1)*10 cm", "300mm", "0,3 m", "0.3")],
        ("0.5 s", Measure("Hz"), 2), ("50 %", Measure(""), 0.5), ("50%", Measure("×"), 0.5),
        ("70 % 40", Measure("×"), 30), ("3 rpm", Measure("°/s"), 18), ("5 km/h", Measure("m/s"), 5 / 3.6),
        ("90 °", Measure("cyc"), 0.25), ("007 + 00.5", Measure(""), 7.5), ("1e-03", Measure(""), 0.001),
    ],
)  # fmt: skip
def test_typed_numbers_with_units(text: str, measure: Measure, value: float) -> None:
    assert read_number(text, measure) == pytest.approx(value)


@pytest.mark.parametrize(
    ("text", "measure", "said"),
    [
        ("1,000", Measure(), "could be 1000 or 1.000"),
        ("1,234,567", Measure(), "without a mark for thousands"),
        ("3 m", TURN, "this number is in °; it may be written in °, deg, turn"),
        ("2 Hz", METRES, "this number is in m; it may be written in m, km, cm, mm"),
        ("2 Hz", Measure("s"), "in s, ms, min"),
        ("5 parsecs", Measure(), "this number has no unit"),
    ],
)
def test_what_is_ambiguous_is_refused_with_the_reason(text: str, measure: Measure, said: str) -> None:
    with pytest.raises(BadNumber, match=said):
        read_number(text, measure)


def test_edits_read_numbers_in_the_unit_of_the_place(post: Scene) -> None:
    here = "post/rotation.z#noise"
    scene = edited(post, {"do": "add-layer", "address": "post/rotation.z", "kind": "noise"})
    scene = edited(
        scene,
        {"do": "set", "address": f"{here}.period", "value": "2 Hz"},
        {"do": "set", "address": f"{here}.amplitude", "value": "1/4 turn"},
        {"do": "change-layer", "address": here, "start": "0.5 s", "end": "2 s", "fade_in": "6 fr"},
        {"do": "put-key", "address": "post/position.x", "frame": "1.5 s", "value": "30 cm"},
    )
    layer: Any = as_channel(scene.by_id["post"].rotation.z).layers[0]
    assert (layer.period, layer.amplitude) == (0.5, 90.0)
    assert (layer.window.start, layer.window.end, layer.window.fade_in) == (15.0, 60.0, 6.0)
    (key,) = scene.by_id["post"].position.x.keys  # type: ignore[union-attr]
    assert (key.frame, key.value) == (45.0, 0.3)
    with pytest.raises(InvalidEdit, match="this number is in °"):
        edited(scene, {"do": "set", "address": f"{here}.amplitude", "value": "3 m"})


@given(st.text(max_size=90))
def test_any_text_is_a_number_or_refused(text: str) -> None:
    try:
        value = read_number(text)
    except BadNumber:
        return
    assert abs(value) < float("inf")


@given(numbers(-1e6, 1e6))
def test_a_number_reads_as_itself(value: float) -> None:
    assert read_number(str(value)) == value


def test_kinds_describe_themselves() -> None:
    for name, kind in BY_KIND.items():
        assert kind.title, name
        assert kind.summary.endswith("."), name
        assert "signal" in vars(kind), name
        for number, quantity in numbers_of(kind).items():
            assert quantity.help.endswith("."), f"{name}.{number}"
            assert quantity.low <= quantity.useful[0] < quantity.useful[1] <= quantity.high, f"{name}.{number}"
    assert len(BY_KIND) == len(KINDS)


def test_every_number_of_an_object_has_a_quantity(demo: Scene) -> None:
    found = {path: quantity for node in demo.nodes for path, _, quantity in channels_of(node)}
    assert {
        "position.x",
        "rotation.z",
        "scale.y",
        "look.color.g",
        "look.glow",
        "light.intensity",
        "camera.view",
    } <= set(found)
    assert all(isinstance(quantity, Quantity) and quantity.help for quantity in found.values())


def test_the_schema_tells_units_and_help() -> None:
    schema = Scene.model_json_schema()
    period = schema["$defs"]["Noise"]["properties"]["period"]
    assert period["unit"] == "s"
    assert period["low"] == 0.001
    assert "Longer is calmer" in period["description"]


def test_another_process_is_given_the_document_and_nothing_that_was_worked_out_of_it(demo: Scene) -> None:
    assert demo.by_id
    list(readers(demo))
    sent = pickle.loads(pickle.dumps(demo))
    assert sent == demo
    assert "by_id" not in sent.__dict__
    assert all("_node_reads" not in node.__dict__ for node in sent.nodes)


def test_objects_are_found_by_id_and_an_edit_makes_no_table_of_them_anew(demo: Scene) -> None:
    other = demo.nodes[3].replaced(label="Other")
    edit = demo.with_node(other)
    assert dict(edit.by_id) == {node.id: node for node in edit.nodes}
    assert (edit.by_id[other.id], demo.by_id[other.id]) == (other, demo.nodes[3])
    assert (len(edit.by_id), "nobody" in edit.by_id, edit.by_id.get("nobody")) == (len(demo.nodes), False, None)
    with pytest.raises(KeyError):
        edit.by_id["nobody"]
    assert edit.places is demo.places


def test_what_an_edit_changed_is_known_and_otherwise_looked_for(demo: Scene) -> None:
    changed = [demo.nodes[place].replaced(label=f"Other {place}") for place in (7, 2)]
    edit = demo.with_nodes([*changed, demo.nodes[5]])
    assert edit.others(demo) == [changed[1], changed[0]]
    twice = edit.with_node(demo.nodes[2])
    assert twice.others(edit) == [demo.nodes[2]]
    assert twice.others(demo) == [changed[0]]
    fewer = demo.replaced(nodes=demo.nodes[:-1])
    assert (fewer.others(demo), edit.replaced(name="Renamed").others(demo)) == ([], [changed[1], changed[0]])


def test_a_document_of_more_values_than_a_scene_may_have_is_refused_unread() -> None:
    with pytest.raises(InvalidDocument, match="2,000,000 values"):
        read_scene('{"nodes": [' + "0," * 2_000_000 + "0]}")


def test_what_objects_are_called_is_worked_out_again_only_where_one_is_renamed_or_hung_elsewhere(demo: Scene) -> None:
    assert demo.called["lamp-3"] == "Lamp 3"
    moved = edited(demo, {"do": "set", "address": "lamp-3/position.x", "value": 2})
    assert moved.called is demo.called
    assert moved.by_id == {node.id: node for node in moved.nodes}
    renamed = edited(moved, {"do": "change-object", "node": "lamp-3", "label": "Sign"})
    assert (renamed.called["lamp-3"], renamed.called["sign"]) != ("Lamp 3", "Sign")
    for scene in (moved, renamed):
        assert scene.called == scene.replaced(name="Another").called


def test_what_carries_others_is_looked_for_again_only_where_one_that_does_changes(demo: Scene) -> None:
    def carrying(scene: Scene) -> list[str]:
        parts = ("scatter", "emitter", "cloth", "swarm")
        return [node.id for node in scene.nodes if any(getattr(node, part) is not None for part in parts)]

    assert [node.id for node in demo.carrying] == carrying(demo) != []
    moved = edited(demo, {"do": "set", "address": "lamp-3/position.x", "value": 2})
    assert moved.carrying is demo.carrying
    first = demo.carrying[0].id
    hidden = edited(demo, {"do": "change-object", "node": first, "visible": False})
    assert not hidden.carrying[0].visible
    bare = edited(demo, {"do": "remove-object", "node": first})
    assert [node.id for node in bare.carrying] == carrying(bare) == carrying(demo)[1:]
    assert [demo.tree[demo.tree_places[node.id]][0] for node in demo.nodes] == list(demo.nodes)
