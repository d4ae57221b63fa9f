"""Why a layer does not show: the reasons in words, each with the edit that mends it where one can."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np

from lazzik.core.channel.channel import Channel
from lazzik.core.channel.layer import Layer
from lazzik.core.clock import Clock
from lazzik.core.evaluate.evaluator import Lane, number_on, read, strata
from lazzik.core.evaluate.reason import STILL, UNSEEN, Reason, largest, set_to, unseen
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.why_shape import why_shape
from lazzik.core.scene.address import Address, Place, find, find_layer
from lazzik.core.scene.edits.layers import landing
from lazzik.core.scene.node import Node
from lazzik.core.scene.scene import Scene

ROUND = {"ball": "xyz", "tube": "y", "ring": "y"}
"""Shapes that look the same however they are turned about these axes."""


def why(scene: Scene, address: Address, scope: Scope) -> list[Reason]:
    """The reasons for a layer, or for a number with all its layers; none if it shows. Raises UnknownAddress."""
    place = find(scene, address)
    layers = [find_layer(scene, address)] if address.layer else list(place.channel.layers)
    reasons: list[Reason] = []
    if not place.channel.moves and not address.layer and not layers:
        reasons.append(_unmoved(address, place))
    lanes = {lane.layer.id: lane for lane in strata(place.number, scene.clock(), scope).lanes}
    for layer in layers:
        reasons += _of_layer(scene, address.channel, place, lanes[layer.id], scope)
    reasons += _clamped(place, scene, scope)
    if place.node is not None:
        reasons += _of_object(scene, address.channel, place.node, scope)
    return reasons


def _clamped(place: Place, scene: Scene, scope: Scope) -> Iterator[Reason]:
    """Where a number would leave its limits."""
    values = np.asarray(number_on(place.number, scene.clock(), Scope(scope.scene, scope.memo, [])))
    low, high, unit = place.quantity.low, place.quantity.high, place.quantity.unit
    for limit, extreme, beyond in ((low, values.min(), values.min() < low), (high, values.max(), values.max() > high)):
        if beyond:
            yield Reason(f"It would go to {extreme:.3g}{unit}, and is kept at {limit:g}{unit}, its limit.")


def _unmoved(address: Address, place: Place) -> Reason:
    keys = len(place.channel.keys)
    text = "It has no layers" + (" and no keys." if keys == 0 else ", and one key alone makes no motion.")
    return Reason(text, "Add noise", ({"do": "add-layer", "address": str(address.channel), "kind": "noise"},))


def _of_layer(scene: Scene, channel: Address, place: Place, lane: Lane, scope: Scope) -> Iterator[Reason]:
    layer, here = lane.layer, f"{channel}#{lane.layer.id}"
    name = layer.label

    def change(**fields: Any) -> tuple[dict[str, Any], ...]:
        return ({"do": "change-layer", "address": here} | fields,)

    if layer.muted:
        yield _muted(scene, str(channel), layer, change(muted=False))
    elif layer not in place.channel.sounding:
        others = [other for other in place.channel.layers if other.solo and not other.muted]
        off: tuple[dict[str, Any], ...] = tuple(
            {"do": "change-layer", "address": f"{channel}#{other.id}", "solo": False} for other in others
        )
        soloed = " and ".join(other.label for other in others)
        yield Reason(f"{soloed} is soloed, which silences {name}.", "End the solo", off)
    if lane.problem:
        yield Reason(f"{lane.problem}.")
        return
    if largest(layer.weight, scene, scope) < STILL:
        mend = ("Set the weight to 1", set_to(f"{here}.weight", 1.0)) if not isinstance(layer.weight, Channel) else ()
        yield Reason(f"The weight of {name} is 0.", *mend)
    if _shut(layer, scene):
        window = layer.window
        span = f"{_frame(window.start, 'the beginning')} to {_frame(window.end, 'the end')}"
        yield Reason(
            f"The window of {name} runs from {span}, outside the range {scene.first} to {scene.last}.",
            "Open the window",
            change(start=None, end=None, fade_in=0, fade_out=0),
        )
    idle = list(_idle(scene, place, layer, here, scope))
    yield from idle
    below = _below(place.channel, layer, scene, scope)
    if layer.needs == "keys" and len(place.channel.keys) < 2:
        yield Reason(f"{name} repeats what is keyed, and the base has fewer than two keys.")
    elif layer.needs == "motion" and np.ptp(below) < STILL:
        yield _nothing_below(place.channel, layer, here)
    elif layer.combine == "multiply" and np.abs(below).max() < STILL:
        yield Reason(
            f"{name} multiplies what lies below, and that is 0 throughout.", "Let it add", change(combine="add")
        )
    elif not idle:
        yield from _too_little(scene, place, lane, here, channel, scope)


def _muted(scene: Scene, channel: str, layer: Layer, unmute: tuple[dict[str, Any], ...]) -> Reason:
    for receipt in reversed(scene.receipts):
        for line in receipt.lines:
            if line.address == channel and layer.id in line.switched_off:
                taken = ({"do": "take-back", "receipt": receipt.id},)
                return Reason(f"{layer.label} was switched off when it was baked to keys.", "Take the bake back", taken)
    return Reason(f"{layer.label} is muted.", "Unmute", unmute)


def _idle(scene: Scene, place: Place, layer: Layer, here: str, scope: Scope) -> Iterator[Reason]:
    """Numbers at whose value the kind does nothing."""
    suited = type(layer).suited(landing(scene, place))
    for name, value in type(layer).idle_at.items():
        number = getattr(layer, name)
        if largest(number, scene, scope, value) >= STILL:
            continue
        text = f"The {name.replace('_', ' ')} of {layer.label} is {value:g}."
        better = suited.get(name, type(layer).model_fields[name].default)
        fixed = isinstance(better, float | int) and not isinstance(number, Channel)
        yield Reason(text, f"Set it to {better:g}", set_to(f"{here}.{name}", better)) if fixed else Reason(text)


def _nothing_below(channel: Channel, layer: Layer, here: str) -> Reason:
    text = f"{layer.label} answers to motion, and nothing below it moves."
    if layer.id != channel.layers[-1].id:
        top = ({"do": "move-layer", "address": here, "to": len(channel.layers) - 1},)
        return Reason(text, "Move it to the top", top)
    return Reason(f"{text} Key the base, or put a layer that moves below it.")


def _too_little(scene: Scene, place: Place, lane: Lane, here: str, channel: Address, scope: Scope) -> Iterator[Reason]:
    layer, peak = lane.layer, float(np.abs(lane.contribution).max())
    unit = place.quantity.unit
    if peak < STILL:
        still = [r for r in layer.references() if not r.startswith("recipes/") and _still(r, scene, scope)]
        if still:
            yield Reason(f"What {layer.label} reads, {still[0]}, does not change, and gives what is there already.")
        elif not _shut(layer, scene) and layer in place.channel.sounding:
            yield Reason(f"{layer.label} changes nothing here: what lies below is already as it would make it.")
        return
    if peak < UNSEEN * place.reach:
        text = f"{layer.label} moves the number by at most {peak:.2g}{unit}, too little to be seen."
        name = next((n for n in type(layer).idle_at if not isinstance(getattr(layer, n), Channel)), None)
        if name is None:
            yield Reason(text)
        else:
            larger = float(f"{getattr(layer, name) * place.reach / peak:.2g}")
            yield Reason(text, f"Set its {name} to {larger:g}", set_to(f"{here}.{name}", larger))
    cover = _covered(place.channel, layer, scene, scope)
    if cover is not None:
        off = ({"do": "change-layer", "address": f"{channel}#{cover.id}", "combine": "add"},)
        yield Reason(f"{cover.label} lies above and takes the place of {layer.label}.", f"Let {cover.label} add", off)


def _covered(channel: Channel, layer: Layer, scene: Scene, scope: Scope) -> Layer | None:
    """The first layer above under which nothing of this one is left."""
    if layer not in channel.sounding:
        return None
    without = tuple(other for other in channel.layers if other.id != layer.id)
    place = channel.layers.index(layer)
    for top in range(place + 1, len(channel.layers)):
        if channel.layers[top] not in channel.sounding:
            continue
        both = strata(channel.replaced(layers=channel.layers[: top + 1]), scene.clock(), scope).result
        bare = strata(channel.replaced(layers=without[:top]), scene.clock(), scope).result
        if np.abs(both - bare).max() < STILL:
            return channel.layers[top]
    return None


def _of_object(scene: Scene, address: Address, node: Node, scope: Scope) -> Iterator[Reason]:
    part, _, rest = address.path.partition(".")
    if part == "deform":
        yield from why_shape(scene, node, rest.partition(".")[0], scope)
        return
    yield from unseen(scene, node)
    way, _, axis = address.path.partition(".")
    leaf = not any(other.parent == node.id for other in scene.nodes)
    if way == "rotation" and node.shape is not None and leaf and axis in ROUND.get(node.shape.kind, ""):
        moved = find(scene, address).channel
        if moved.layers and node.shape.kind != "ball":
            layers = [layer.model_dump(mode="json") for layer in moved.layers]
            edits: tuple[dict[str, Any], ...] = (
                {"do": "put-layers", "address": f"{node.id}/rotation.z", "layers": layers},
                *({"do": "remove-layer", "address": f"{address}#{layer.id}"} for layer in moved.layers),
            )
            yield Reason(
                f"A {node.shape.kind} looks the same however it is turned about {axis}.", "Turn it about z", edits
            )
        else:
            yield Reason(f"A {node.shape.kind} looks the same however it is turned about {axis}.")
    if way == "light" and node.light is not None and axis != "intensity" and node.light.intensity == 0.0:
        yield Reason(f"{node.label} is dark.", "Set its intensity to 1", set_to(f"{node.id}/light.intensity", 1.0))


def _below(channel: Channel, layer: Layer, scene: Scene, scope: Scope) -> np.ndarray[Any, np.dtype[np.float64]]:
    stack = channel.layers[: [item.id for item in channel.layers].index(layer.id)]
    under = tuple(item for item in stack if not item.muted)
    return strata(channel.replaced(layers=under), scene.clock(), scope).result


def _still(address: str, scene: Scene, scope: Scope) -> bool:
    return float(np.ptp(np.asarray(read(address, scene.clock(), scope)))) < STILL


def _shut(layer: Layer, scene: Scene) -> bool:
    clock: Clock = scene.clock(4)
    return not layer.window.open and float(layer.window.at(clock.frames).max()) < STILL


def _frame(value: float | None, otherwise: str) -> str:
    return otherwise if value is None else f"{value:g}"
