"""What is shown: the number that was asked for, and those chosen beside it."""

from __future__ import annotations

import numpy as np

from lazzik.core.clock import Clock
from lazzik.core.errors import LazzikError
from lazzik.core.evaluate.evaluator import number_on
from lazzik.core.evaluate.scope import Scope
from lazzik.core.scene.address import Address, find, find_layer
from lazzik.core.scene.scene import Scene

MOST_CHOSEN = 1000

MOST_COMPARED = 200
"""Numbers among which the one that moves most is looked for."""

MOMENTS = 24
"""Of the range at which they are looked at."""


def chosen(scene: Scene, at: str | None) -> Address | None:
    """The address that a page was asked to show; one that leads nowhere any more falls back to what is left of it."""
    if not at:
        return first_choice(scene)
    address = Address.parse(at)
    for fallback in (address, address.channel, Address(address.node, address.path)):
        try:
            find(scene, fallback)
            if fallback.layer:
                find_layer(scene, fallback)
        except LazzikError:
            continue
        return fallback
    return first_choice(scene)


def chosen_also(scene: Scene, texts: tuple[str, ...], primary: Address | None) -> tuple[Address, ...]:
    """The numbers chosen beside the first one that are still there, each once."""
    found: dict[str, Address] = {}
    for text in texts[:MOST_CHOSEN]:
        try:
            address = Address.parse(text).channel
            find(scene, address)
        except LazzikError:
            continue
        if primary is None or str(address) != str(primary.channel):
            found[str(address)] = address
    return tuple(found.values())


def first_choice(scene: Scene) -> Address | None:
    """What is open when nothing was chosen: the number that moves most for its kind, else the first object turned
    about z."""
    moving = [(node, path) for node in scene.nodes if node.visible for path, _ in node.moving][:MOST_COMPARED]
    if not moving:
        shapes = [node for node in scene.nodes if node.shape] or list(scene.nodes)
        return Address(shapes[0].id, "rotation.z") if shapes else None
    addresses = [Address(node.id, path) for node, path in moving]
    clock = scene.clock().at(np.linspace(scene.first, scene.last, MOMENTS))
    scope = Scope(scene)
    return max(addresses, key=lambda address: _reach(scene, address, clock, scope))


def _reach(scene: Scene, address: Address, clock: Clock, scope: Scope) -> float:
    """How far a number moves, as a part of what is far for its kind; nothing for one that can't be worked out."""
    place = find(scene, address)
    try:
        values = np.atleast_1d(number_on(place.number, clock, scope))
    except LazzikError:
        return 0.0
    return float(np.ptp(values)) / max(place.reach, 1e-9)
