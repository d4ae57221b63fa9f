"""What is shown: the number that was asked for, and those chosen beside it."""

from __future__ import annotations

from lazzik.core.errors import LazzikError
from lazzik.core.evaluate.liveliest import liveliest
from lazzik.core.scene.address import Address, find, find_layer
from lazzik.core.scene.scene import Scene

MOST_CHOSEN = 1000


def chosen(scene: Scene, at: str | None) -> Address | None:
    """The address that a page was asked to show; one that leads nowhere any more falls back to what is left of it."""
    if not at:
        return liveliest(scene)
    address = Address.parse(at)
    for fallback in (address, address.channel, Address(address.node, address.path)):
        try:
            find(scene, fallback)
            if fallback.layer:
                find_layer(scene, fallback)
        except LazzikError:
            continue
        return fallback
    return liveliest(scene)


def chosen_also(
    scene: Scene, texts: tuple[str, ...], primary: Address | None
) -> tuple[tuple[Address, ...], tuple[str, ...]]:
    """The numbers chosen beside the first one that are there, each once; and what objects are called that are there but
    have no such number."""
    found: dict[str, Address] = {}
    without: dict[str, str] = {}
    for text in texts[:MOST_CHOSEN]:
        try:
            address = Address.parse(text).channel
            find(scene, address)
        except LazzikError:
            node = text.partition("/")[0]
            if node in scene.by_id:
                without[node] = scene.called[node]
            continue
        if primary is None or str(address) != str(primary.channel):
            found[str(address)] = address
    return tuple(found.values()), tuple(without.values())
