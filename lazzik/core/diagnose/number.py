"""Why a layer, or a number with all its layers, does not show."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import replace
from typing import Any

import numpy as np

from lazzik.core.channel.channel import Channel
from lazzik.core.channel.layer import Layer
from lazzik.core.clock import Clock
from lazzik.core.diagnose.aim import turned_by_aim
from lazzik.core.diagnose.air import why_breeze
from lazzik.core.diagnose.reason import STILL, UNSEEN, Reason, idle, largest, reason, set_to, unseen
from lazzik.core.diagnose.shape import why_shape
from lazzik.core.evaluate.evaluator import number_on, read
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.strata import Lane, strata
from lazzik.core.layers.breeze import Breeze
from lazzik.core.scene.address import Address, Place, find, find_layer
from lazzik.core.scene.edits.layers import landing
from lazzik.core.scene.node import Node
from lazzik.core.scene.scene import Scene

ROUND = {"ball": "xyz", "tube": "y", "ring": "y", "basin": "y"}
"""Shapes that look the same however they are turned about these axes."""


def why(scene: Scene, address: Address, scope: Scope) -> list[Reason]:
    """The reasons for a layer, or for a number with all its layers; none if it shows. Raises UnknownAddress."""
    place = find(scene, address)
    scope = scope.at(place.home)
    if place.channel.layers:
        place = replace(place, number=place.channel.replaced(layers=scene.counted(place.channel.layers)))
    only = find_layer(scene, address).id if address.layer else None
    layers = [layer for layer in place.channel.layers if only in (None, layer.id)]
    reasons: list[Reason] = []
    if not place.channel.moves and not address.layer and not layers:
        reasons.append(_unmoved(address, place))
    lanes = {lane.layer.id: lane for lane in strata(place.number, scene.clock(), scope).lanes}
    for layer in layers:
        reasons += _of_layer(scene, address.channel, place, lanes[layer.id], scope)
    reasons += _clamped(place, scene, scope)
    if place.node is not None:
        reasons += _of_object(scene, address.channel, place.node, scope)
        if address.channel.path.startswith("rotation.") and not layers and (aimed := turned_by_aim(place.node)):
            reasons = [aimed, *(reason for reason in reasons if reason.code != "unmoved")]
    return reasons


def _clamped(place: Place, scene: Scene, scope: Scope) -> Iterator[Reason]:
    """Where a number would leave its limits."""
    values = np.asarray(number_on(place.number, scene.clock(), Scope(scope.scene, scope.memo, [], home=place.home)))
    low, high, unit = place.quantity.low, place.quantity.high, place.quantity.unit
    for limit, extreme, beyond in ((low, values.min(), values.min() < low), (high, values.max(), values.max() > high)):
        if beyond:
            yield reason("clamped", extreme=float(extreme), limit=limit, unit=unit)


def _unmoved(address: Address, place: Place) -> Reason:
    noise = {"do": "add-layer", "address": str(address.channel), "kind": "noise"}
    return reason("unmoved", noise, keys=len(place.channel.keys))


def _of_layer(scene: Scene, channel: Address, place: Place, lane: Lane, scope: Scope) -> Iterator[Reason]:
    layer, here = lane.layer, f"{channel}#{lane.layer.id}"
    name = layer.label

    def change(**fields: Any) -> dict[str, Any]:
        return {"do": "change-layer", "address": here} | fields

    sheaf = scene.sheaf(layer.sheaf)
    if sheaf is not None and sheaf.muted:
        yield reason("muted", {"do": "change-sheaf", "sheaf": sheaf.id, "muted": False}, name=sheaf.label)
    if find_layer(scene, Address.parse(here)).muted:
        yield _muted(scene, str(channel), layer, change(muted=False))
    elif not layer.muted and layer not in place.channel.sounding:
        yield _silenced(scene, place.channel, channel, name)
    if lane.problem:
        yield reason("problem", text=lane.problem)
        return
    if largest(layer.weight, scene, scope) < STILL:
        mend = [] if isinstance(layer.weight, Channel) else [set_to(f"{here}.weight", 1.0)]
        yield reason("weightless", *mend, name=name)
    if sheaf is not None and largest(sheaf.weight, scene, scope) < STILL:
        mend = [] if isinstance(sheaf.weight, Channel) else [set_to(sheaf.address, 1.0)]
        yield reason("weightless", *mend, name=sheaf.label)
    if _shut(layer, scene):
        window = layer.window
        start = -math.inf if window.start is None else window.start
        end = math.inf if window.end is None else window.end
        opened = change(start=None, end=None, fade_in=0, fade_out=0)
        yield reason("shut", opened, name=name, start=start, end=end, first=scene.first, last=scene.last)
    doing_nothing = list(_idle(scene, place, layer, here, scope))
    yield from doing_nothing
    if isinstance(layer, Breeze):
        yield from why_breeze(scene, place.node, place.home, here, layer, scope)
    below = _below(place.channel, layer, scene, scope)
    if layer.needs == "keys" and len(place.channel.keys) < 2:
        yield reason("no-keys", name=name)
    elif layer.needs == "motion" and np.ptp(below) < STILL:
        yield _nothing_below(place.channel, layer, here)
    elif layer.combine == "multiply" and np.abs(below).max() < STILL:
        yield reason("zero-below", change(combine="add"), name=name)
    elif not doing_nothing:
        yield from _too_little(scene, place, lane, here, channel, scope)


def _silenced(scene: Scene, channel: Channel, address: Address, name: str) -> Reason:
    """Who is soloed instead, a layer or the sheaf that it is in."""
    off: dict[str, dict[str, Any]] = {}
    for other in channel.layers:
        if other.solo and not other.muted:
            sheaf = scene.sheaf(other.sheaf)
            if sheaf is not None and sheaf.solo:
                off[sheaf.label] = {"do": "change-sheaf", "sheaf": sheaf.id, "solo": False}
            else:
                off[other.label] = {"do": "change-layer", "address": f"{address}#{other.id}", "solo": False}
    return reason("silenced", *off.values(), name=name, others=" and ".join(off))


def _muted(scene: Scene, channel: str, layer: Layer, unmute: dict[str, Any]) -> Reason:
    for receipt in reversed(scene.receipts):
        for line in receipt.lines:
            if line.address == channel and layer.id in line.switched_off:
                return reason("baked", {"do": "take-back", "receipt": receipt.id}, name=layer.label)
    return reason("muted", unmute, name=layer.label)


def _idle(scene: Scene, place: Place, layer: Layer, here: str, scope: Scope) -> Iterator[Reason]:
    """Numbers at whose value the kind does nothing."""
    suited = type(layer).suited(landing(scene, place))
    for name, value in type(layer).idle_at.items():
        number = getattr(layer, name)
        if largest(number, scene, scope, value) >= STILL:
            continue
        better = suited.get(name, type(layer).model_fields[name].default)
        fixed = isinstance(better, float | int) and not isinstance(number, Channel)
        yield idle(layer.label, name, value, better, [set_to(f"{here}.{name}", better)] if fixed else [])


def _nothing_below(channel: Channel, layer: Layer, here: str) -> Reason:
    if layer.id == channel.layers[-1].id:
        return reason("nothing-below", name=layer.label)
    return reason(
        "nothing-below", {"do": "move-layer", "address": here, "to": len(channel.layers) - 1}, name=layer.label
    )


def _too_little(scene: Scene, place: Place, lane: Lane, here: str, channel: Address, scope: Scope) -> Iterator[Reason]:
    layer, peak = lane.layer, float(np.abs(lane.contribution).max())
    unit = place.quantity.unit
    if peak < STILL:
        still = [r for r in layer.references() if not r.startswith("recipes/") and _still(r, scene, scope)]
        if still:
            yield reason("reads-still", name=layer.label, source=still[0])
        elif not _shut(layer, scene) and layer in place.channel.sounding:
            yield reason("changes-nothing", name=layer.label)
        return
    if peak < UNSEEN * place.reach:
        name = next((n for n in type(layer).idle_at if not isinstance(getattr(layer, n), Channel)), "")
        larger = float(f"{getattr(layer, name) * place.reach / peak:.2g}") if name else 0.0
        mend = [set_to(f"{here}.{name}", larger)] if name else []
        yield reason("too-little", *mend, name=layer.label, peak=peak, unit=unit, number=name, larger=larger)
    cover = _covered(place.channel, layer, scene, scope)
    if cover is not None:
        off = {"do": "change-layer", "address": f"{channel}#{cover.id}", "combine": "add"}
        yield reason("covered", off, name=layer.label, cover=cover.label)


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
        edits: list[dict[str, Any]] = []
        if moved.layers and node.shape.kind != "ball":
            layers = [layer.model_dump(mode="json") for layer in moved.layers]
            edits = [{"do": "put-layers", "address": f"{node.id}/rotation.z", "layers": layers}]
            edits += [{"do": "remove-layer", "address": f"{address}#{layer.id}"} for layer in moved.layers]
        yield reason("round", *edits, shape=node.shape.kind, axis=axis)
    if way == "light" and node.light is not None and axis != "intensity" and node.light.intensity == 0.0:
        yield reason("dark", set_to(f"{node.id}/light.intensity", 1.0), name=node.label)


def _below(channel: Channel, layer: Layer, scene: Scene, scope: Scope) -> np.ndarray[Any, np.dtype[np.float64]]:
    stack = channel.layers[: [item.id for item in channel.layers].index(layer.id)]
    under = tuple(item for item in stack if not item.muted)
    return strata(channel.replaced(layers=under), scene.clock(), scope).result


def _still(address: str, scene: Scene, scope: Scope) -> bool:
    return float(np.ptp(np.asarray(read(address, scene.clock(), scope)))) < STILL


def _shut(layer: Layer, scene: Scene) -> bool:
    clock: Clock = scene.clock(4)
    return not layer.window.open and float(layer.window.at(clock.frames).max()) < STILL
