"""Where numbers may jump: at step keys and at edges of windows without a fade, their own or those of what they read.

Motion of a kind that steps by itself (a square wave, held steps) is not among them.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator

import numpy as np

from lazzik.core.channel.channel import Channel
from lazzik.core.channel.layer import Layer
from lazzik.core.errors import UnknownAddress
from lazzik.core.evaluate.scope import Scope
from lazzik.core.types import Samples


def jumps_of(numbers: Iterable[float | Channel], first: float, last: float, fps: float, scope: Scope) -> Samples:
    """The frames from `first` to `last` at which one of the numbers may jump, ascending.

    Returns
    -------
    (jumps,) array
        Frames, ascending.
    """
    channels = (number for number in numbers if isinstance(number, Channel))
    found = [frames for number in channels for frames in _jumps(number, first, last, fps, scope)]
    every = np.unique(np.concatenate(found)) if found else np.empty(0)
    return every[(every >= first) & (every <= last)]


def _jumps(number: float | Channel, first: float, last: float, fps: float, scope: Scope) -> Iterator[Samples]:
    if not isinstance(number, Channel):
        return
    if len(number.keys) > 1:
        yield number.curve(fps).jumps(first, last)
    for layer in scope.sounding(number):
        if edges := layer.window.jumps:
            yield np.array(edges)
        sheaf = scope.scene.sheaf(layer.sheaf) if scope.scene else None
        if sheaf is not None:
            yield from _jumps(sheaf.weight, first, last, fps, scope)
        for own in layer.stored():
            if isinstance(own, Channel):
                yield from _jumps(own, first, last, fps, scope)
        for address in layer.references():
            yield from _read(layer, address, first, last, fps, scope)


def _read(layer: Layer, address: str, first: float, last: float, fps: float, scope: Scope) -> Iterator[Samples]:
    """The jumps of another number, as the layer that reads it sees them."""
    late = layer.later
    try:
        if address.startswith("recipes/"):
            yield from _jumps(scope.recipe(address.removeprefix("recipes/")).stack, first, last, fps, scope)
        elif late is not None:
            shift = late * fps
            for frames in _jumps(scope.place(address).number, first - shift, last - shift, fps, scope):
                yield frames + shift
    except UnknownAddress:
        return  # said where the layer is evaluated
