"""The strips of layers, deformers and shapes: what each control is called, and what stands with it."""

from __future__ import annotations

from collections import Counter

import pytest

from lazzik.core.deformers import BY_KIND as DEFORMERS
from lazzik.core.evaluate.scope import Scope
from lazzik.core.geometry.shapes import SHAPES
from lazzik.core.layers import BY_KIND as LAYERS
from lazzik.core.scene.address import Address
from lazzik.core.scene.scene import Scene
from lazzik.web.shape.view import shape_view
from lazzik.web.stack.view import strata_view
from lazzik.web.ui.controls import MOST_IN_A_ROW, Group, TypedField, grouped
from tests.conftest import edited

AT = "post/position.y"


def controls(groups: tuple[Group, ...]) -> Counter[str]:
    """How often each label stands there."""
    return Counter(control.label for group in groups for control in (*group.shown, *group.folded))


def layered(kind: str, **settings: str) -> tuple[Group, ...]:
    scene = edited(
        Scene(name="One"),
        {"do": "add-object", "label": "Post"},
        {"do": "add-layer", "address": AT, "kind": kind, "settings": settings},
    )
    return strata_view(scene, Address.parse(AT)).lanes[0].groups


def shaped(shape: str, kind: str = "", **changes: object) -> Scene:
    scene = edited(Scene(name="One"), {"do": "add-object", "label": "Post", "shape": {"kind": shape}})
    if kind:
        scene = edited(scene, {"do": "add-deformer", "node": "post", "kind": kind})
        deformer = scene.by_id["post"].deform[0].id
        scene = edited(scene, {"do": "change-deformer", "node": "post", "deformer": deformer} | changes)
    return scene


@pytest.mark.parametrize("kind", [name for name, kind in LAYERS.items() if kind.offered and name != "clip"])
def test_no_two_fields_of_a_layer_share_a_name(kind: str) -> None:
    for setting, values in LAYERS[kind].settings().items() or [("", ("",))]:
        for value in values:
            found = controls(layered(kind, **({setting: value} if setting else {})))
            assert max(found.values()) == 1, found


@pytest.mark.parametrize("mask", ["ball", "gradient", "noise"])
@pytest.mark.parametrize("kind", list(DEFORMERS))
def test_no_two_fields_of_a_deformer_share_a_name(kind: str, mask: str) -> None:
    scene = shaped("tube", kind, mask={"kind": mask}, settings={"fade": "both"})
    found = controls(shape_view(scene, scene.by_id["post"], "", Scope(scene)).rows[0].groups)
    assert max(found.values()) == 1, found


@pytest.mark.parametrize("shape", [s.model_fields["kind"].annotation.__args__[0] for s in SHAPES if s.title != "Mesh"])  # type: ignore[union-attr]
def test_the_fields_of_a_shape_have_names_of_their_own_and_explain_themselves(shape: str) -> None:
    scene = shaped(shape)
    groups = shape_view(scene, scene.by_id["post"], "", Scope(scene)).groups
    assert max(controls(groups).values()) == 1
    for group in groups:
        for control in (*group.shown, *group.folded):
            if control.what in ("select", "field"):
                assert control.help.endswith("."), control.label  # type: ignore[union-attr]


def test_what_is_at_rest_is_folded_and_what_stirs_opens_the_fold() -> None:
    does = layered("noise")[0]
    assert [control.label for control in does.folded] == ["bias", "gain", "offset", "side"]
    assert not does.open
    assert layered("noise", side="above")[0].open


def test_a_number_that_does_nothing_is_not_offered() -> None:
    assert "pulse width" not in controls(layered("wave", shape="sine"))
    assert "pulse width" in controls(layered("wave", shape="pulse"))
    assert "cut below" not in controls(layered("travel"))


def entry(place: int, group: str = "does", rest: str | None = None) -> TypedField:
    return TypedField(id=f"e{place}", label=f"e{place}", help="", value="", data={}, group=group, rest=rest)


def test_many_controls_stand_in_two_rows() -> None:
    few = grouped("k", [entry(n) for n in range(MOST_IN_A_ROW)])
    assert few[0].columns == MOST_IN_A_ROW
    many = grouped("k", [entry(n) for n in range(MOST_IN_A_ROW + 1)])
    assert many[0].columns == 5


def test_groups_stand_in_one_order_and_say_what_they_fold() -> None:
    turned = [entry(1, "where", ""), entry(2, "time")]
    first, second = grouped("k", turned)
    assert (first.title, second.title) == ("In time", "Where it acts")
    assert second.more == "e1"


def heights(group: Group) -> list[float]:
    """How high the drawing of a heading goes, from its middle, upward positive."""
    return [7.0 - float(pair.split()[1]) for pair in group.drawing[1:].split("L")]


@pytest.mark.parametrize("kind", [name for name, kind in LAYERS.items() if kind.offered and not kind.wordings()])
def test_every_layer_is_drawn_beside_its_numbers(kind: str) -> None:
    assert max(map(abs, heights(layered(kind)[0]))) == pytest.approx(7.0, abs=0.1)


def test_the_drawing_shows_the_side_to_which_a_layer_moves_and_the_form_of_a_beat() -> None:
    assert min(heights(layered("noise", side="above")[0])) >= -0.1
    assert max(heights(layered("noise", side="below")[0])) <= 0.1
    square = heights(layered("wave", shape="square")[0])
    assert sum(abs(abs(height) - 7.0) < 0.2 for height in square) > 0.9 * len(square)
