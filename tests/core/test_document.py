"""What kinds say of their own numbers and choices is true: which of them count for nothing, and when."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from functools import cached_property
from itertools import product
from typing import Any

import numpy as np
import pytest

from lazzik.core.channel.layer import Layer, numbers_of
from lazzik.core.deformers import BY_KIND as DEFORMERS
from lazzik.core.deformers import Deformer
from lazzik.core.document import Frozen, Option, counts_under, mark_of
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.surface import surface_of
from lazzik.core.evaluate.values import evaluate
from lazzik.core.layers import BY_KIND as LAYERS
from lazzik.core.scene.scene import Scene
from tests.conftest import edited

READERS = ("formula", "link", "clip", "recipe")
"""Layers that read something else, and have no choices of which their numbers depend."""

TELLING = {
    "octaves": 3.0, "softness": 0.4, "width": 0.3, "gain": 0.3, "bias": 0.4, "lowest": -0.4, "highest": 0.9,
    "knee": 0.2, "rounds": 1.0, "delay": 0.2, "offset": 0.1, "shift": 0.3, "phase": 0.1,
}  # fmt: skip
"""Values with which nothing of a layer is at rest, so that every number has something to change."""


def choices(kind: type[Layer] | type[Deformer]) -> Iterator[dict[str, str]]:
    """Every combination of choices of a kind that something depends on, the others as they are at first."""
    settings = kind.settings()
    told = [quantity.only or {} for quantity in numbers_of(kind).values()]
    ruling = {name for only in told for name in only}
    varied = [values if name in ruling else values[:1] for name, values in settings.items()]
    for values in product(*varied):
        yield dict(zip(settings, values, strict=True))


def moved(kind: str, chosen: Mapping[str, str], numbers: Mapping[str, float]) -> np.ndarray[Any, Any]:
    """What a layer makes of keys and a wave below it, before, between and after them."""
    at = "post/position.y"
    keys = [{"do": "put-key", "address": at, "frame": f, "value": v} for f, v in ((60, 0), (72, 2), (90, 1))]
    scene = edited(
        Scene(name="One"),
        {"do": "add-object", "label": "Wind", "field": {"kind": "wind"}},
        {"do": "add-object", "label": "Post"},
        *keys,
        {"do": "add-layer", "address": at, "kind": "wave"},
        {"do": "add-layer", "address": at, "kind": kind, "settings": dict(chosen)},
        {"do": "change-scene", "last": 180},
    )
    layer = scene.by_id["post"].position.y.layers[-1]  # type: ignore[union-attr]
    for name, value in numbers.items():
        if name in type(layer).model_fields:
            keyed = getattr(layer, name).keys if name == "drawn" else ()
            do = {"do": "put-key", "frame": keyed[0].frame} if keyed else {"do": "set"}
            scene = edited(scene, do | {"address": f"{at}#{layer.id}.{name}", "value": value})
    return np.asarray(evaluate(scene, [at], scene.clock(2))[at])


@pytest.mark.parametrize("kind", [name for name in LAYERS if name not in READERS])
def test_a_number_of_a_layer_is_offered_exactly_where_it_does_something(kind: str) -> None:
    for chosen in choices(LAYERS[kind]):
        before = moved(kind, chosen, TELLING)
        for name, quantity in numbers_of(LAYERS[kind]).items():
            low, high = quantity.useful
            others = [float(round(low + share * (high - low), 2)) for share in (0.37, 0.62)]
            others = [max(quantity.low, float(round(v)) if quantity.whole else v) for v in others]
            changed = any(not np.array_equal(moved(kind, chosen, TELLING | {name: v}), before) for v in others)
            assert changed == counts_under(quantity.only, chosen), (name, chosen)


@pytest.mark.parametrize("kind", list(DEFORMERS))
def test_a_number_of_a_deformer_that_is_not_offered_does_nothing(kind: str) -> None:
    hidden = {name for name, quantity in numbers_of(DEFORMERS[kind]).items() if quantity.only is not None}
    shape = {"kind": "tube", "height": 2, "around": 8, "along": 12}
    scene = edited(
        Scene(name="One"),
        {"do": "add-object", "label": "Post", "shape": shape},
        {"do": "add-deformer", "node": "post", "kind": kind},
    )
    deformer = scene.by_id["post"].deform[-1]
    for chosen in choices(DEFORMERS[kind]):
        whole = edited(
            scene, {"do": "change-deformer", "node": "post", "deformer": deformer.id, "settings": dict(chosen)}
        )
        before = surface(whole)
        for name in hidden:
            if not counts_under(numbers_of(DEFORMERS[kind])[name].only, chosen):
                at = f"post/deform.{deformer.id}.{name}"
                value = 3.0 if numbers_of(DEFORMERS[kind])[name].whole else 0.31
                other = edited(whole, {"do": "set", "address": at, "value": value})
                np.testing.assert_array_equal(surface(other), before, err_msg=f"{name} {chosen}")


def surface(scene: Scene) -> np.ndarray[Any, Any]:
    """Where the points of the post are at a moment."""
    return surface_of(scene, scene.by_id["post"], scene.clock().at(np.array([33.0])), Scope(scene)).points(0)


KINDS: list[type[Frozen]] = [*LAYERS.values(), *DEFORMERS.values()]


@pytest.mark.parametrize("kind", KINDS, ids=lambda kind: kind.__name__)
def test_every_number_and_every_choice_explains_itself(kind: type[Layer] | type[Deformer]) -> None:
    for name, quantity in numbers_of(kind).items():
        assert quantity.help.endswith("."), name
    for name, values in kind.settings().items():
        option = mark_of(kind, name, Option)
        assert option is not None, name
        assert option.help.endswith("."), name
        assert set(option.words) <= set(values), name
        assert option.rest is None or option.rest in values
    for mark in [mark_of(kind, name, Option) for name in kind.settings()] + list(numbers_of(kind).values()):
        for setting, under in ((mark.only if mark else None) or {}).items():
            assert set(under) <= set(kind.settings()[setting])


class Whole(Frozen):
    """Keeps beside its fields what is worked out of them."""

    part: Any = None
    number: float = 0.0

    @cached_property
    def doubled(self) -> float:
        return 2 * self.number


class Meddling:
    """Has the whole keep something while it is written: what another thread may do at any moment."""

    whole: Whole

    def __repr__(self) -> str:
        return f"{self.whole.doubled:g}"


def test_a_part_is_written_while_another_thread_keeps_what_it_worked_out_of_it() -> None:
    part = Meddling()
    part.whole = Whole(part=part, number=2.0)
    assert repr(part.whole) == "Whole(part=4, number=2.0)"
    assert repr(part.whole) == "Whole(part=4, number=2.0)"
