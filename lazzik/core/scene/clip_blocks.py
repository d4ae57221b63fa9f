"""Blocks of clips: sheaves of nothing but clips that play, which pass into each other where they overlap.

Of two blocks that lie on a number together, the one that begins later fades in over their overlap, on top of the other:

    y = (1 − w)·earlier + w·later,   w the later one's window, smoothstep over the overlap

so both ends of the overlap are the one and the other to the bit.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from itertools import combinations
from math import inf

from lazzik.core.channel.channel import Channel
from lazzik.core.channel.layer import Layer
from lazzik.core.layers.clip import Play
from lazzik.core.scene.address import Address, find, find_layer, write_all
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.sheaf import Sheaf
from lazzik.core.scene.visit import all_members


@dataclass(frozen=True)
class Block:
    """A sheaf of clips, and the numbers that it lies on."""

    sheaf: Sheaf
    channels: frozenset[str]

    @property
    def start(self) -> float:
        """Its first frame."""
        return -inf if self.sheaf.window.start is None else self.sheaf.window.start

    @property
    def end(self) -> float:
        """Its last frame."""
        return inf if self.sheaf.window.end is None else self.sheaf.window.end


def blocks(scene: Scene) -> list[Block]:
    """All blocks of clips, by where they begin."""
    found = []
    for name, addresses in all_members(scene).items():
        sheaf = scene.sheaf(name)
        places = [Address.parse(text) for text in addresses]
        if sheaf is not None and all(isinstance(find_layer(scene, place), Play) for place in places):
            found.append(Block(sheaf, frozenset(str(place.channel) for place in places)))
    return sorted(found, key=lambda block: block.start)


def crossfaded(before: Scene, after: Scene) -> Scene:
    """A scene whose blocks of clips pass into each other where they overlap; where they did so before and do no longer,
    they begin at once again."""
    overlapped = set(_overlaps(blocks(before)))
    found = blocks(after)
    overlaps = _overlaps(found)
    for block in found:
        fade = overlaps.get(block.sheaf.id, 0.0 if block.sheaf.id in overlapped else block.sheaf.window.fade_in)
        if fade != block.sheaf.window.fade_in:
            window = block.sheaf.window.replaced(fade_in=fade)
            after = after.with_part(block.sheaf.replaced(window=window))
    order = {block.sheaf.id: place for place, block in enumerate(found)}
    shared = {channel for a, b in combinations(found, 2) for channel in a.channels & b.channels}
    return _stacked(after, sorted(shared), order) if shared else after


def _overlaps(found: Iterable[Block]) -> dict[str, float]:
    """Frames that a block shares with one that began earlier on the same numbers, by sheaf."""
    overlaps: dict[str, float] = {}
    for earlier, later in combinations(found, 2):
        shared = min(earlier.end, later.end) - later.start
        if earlier.channels & later.channels and earlier.start < later.start and 0 < shared < inf:
            overlaps[later.sheaf.id] = max(shared, overlaps.get(later.sheaf.id, 0.0))
    return overlaps


def _stacked(scene: Scene, channels: Iterable[str], order: dict[str, int]) -> Scene:
    """The scene whose blocks lie on each other in the order in which they begin; other layers stay where they are."""
    changes = []
    for text in channels:
        address = Address.parse(text)
        layers = find(scene, address).channel.layers
        if (rows := tuple(_sorted(layers, order))) != layers:
            changes.append((address, _with(rows)))
    return write_all(scene, changes) if changes else scene


def _sorted(layers: tuple[Layer, ...], order: dict[str, int]) -> Iterator[Layer]:
    """Layers with those of blocks in the order of these, in the places that they have among themselves."""
    own = iter(sorted((layer for layer in layers if layer.sheaf in order), key=lambda layer: order[layer.sheaf or ""]))
    for layer in layers:
        yield next(own) if layer.sheaf in order else layer


def _with(layers: tuple[Layer, ...]) -> Callable[[Channel], Channel]:
    def changed(channel: Channel) -> Channel:
        return channel.replaced(layers=layers)

    return changed
