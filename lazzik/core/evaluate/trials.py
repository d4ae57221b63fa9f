"""What a number would be with another seed, or another formula, of one of its layers. Nothing of the scene changes."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from lazzik.core.channel.layer import numbers_of
from lazzik.core.errors import BadFormula, InvalidEdit
from lazzik.core.evaluate.evaluator import number_at, number_on
from lazzik.core.evaluate.scope import Scope
from lazzik.core.layers.expression import NAMES, read_expression
from lazzik.core.layers.formula import Formula
from lazzik.core.scene.address import Address, find, find_at, find_layer
from lazzik.core.scene.edits.base import Edit, applied
from lazzik.core.scene.edits.numbers import SetNumber
from lazzik.core.scene.scene import Scene
from lazzik.core.types import Samples


def with_seeds(scene: Scene, at: Address, seeds: Iterable[int], scope: Scope) -> list[tuple[Edit, Samples]]:
    """For each seed of a layer the edit that sets it, and (frames,) the number as it would be then.

    Returns
    -------
    list of (Edit, (frames,) array)
        In the number's unit.

    Raises
    ------
    UnknownAddress
        If there is no such layer.
    InvalidEdit
        If the layer has no seed, or one that is keyed or driven.
    """
    layer = find_layer(scene, at)
    if "seed" not in numbers_of(type(layer)):
        raise InvalidEdit(f"A {layer.title} layer has no seed", str(at))
    now = find_at(scene, f"{at}.seed").channel
    if now.keys or now.layers:
        raise InvalidEdit("The seed is keyed or driven; open its own strata to change it", str(at))
    rows: list[tuple[Edit, Samples]] = []
    for seed in seeds:
        edit = SetNumber(address=f"{at}.seed", value=float(seed))
        after = applied(scene, [edit])
        values = number_at(find(after, at), after.clock(), Scope(after, scope.memo, []))
        rows.append((edit, np.atleast_1d(values)))
    return rows


def with_formula(scene: Scene, at: Address, text: str, scope: Scope) -> Samples:
    """What a stack gives up to a formula layer that has this text.

    Returns
    -------
    (frames,) array
        In the channel's unit.

    Raises
    ------
    UnknownAddress
        If there is no such layer.
    BadFormula
        If the text is none, saying in which column something is wrong.
    """
    layer = find_layer(scene, at)
    expression = read_expression(text)
    missing = sorted(name for name in expression.names - set(NAMES) if scene.dial(name) is None)
    if missing:
        column = text.find(missing[0]) + 1
        raise BadFormula(f"There is no name '{missing[0]}'; names are t, frame, x, pi, tau and the dials", column)
    trial = layer.replaced(text=text) if isinstance(layer, Formula) else layer
    there = find(scene, at)
    channel = there.channel
    place = [item.id for item in channel.layers].index(layer.id)
    stack = channel.replaced(layers=(*channel.layers[:place], trial))
    return np.atleast_1d(number_on(stack, scene.clock(), scope.at(there.home)))
