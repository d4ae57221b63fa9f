"""A number moved, or made so many times larger with all that rides on it: the one place where that is done.

Scaled by f, a channel that gave x(t) gives f·x(t): its constant, its keys with the slopes they were given, and each
layer as the kind says of itself (`Layer.scaled`); a layer that multiplies is a factor already and stays.
"""

from __future__ import annotations

from typing import overload

from lazzik.core.channel.channel import Channel
from lazzik.core.channel.key_ops import scaled as scaled_key


def scaled_base(channel: Channel, factor: float) -> Channel:
    """The channel with its constant and its keys so many times as large, its layers as they are."""
    keys = tuple(scaled_key(key, 0.0, 0.0, 1.0, factor) for key in channel.keys)
    return channel.replaced(value=channel.value * factor, keys=keys)


@overload
def moved_base(number: Channel, by: float) -> Channel: ...
@overload
def moved_base(number: float | Channel, by: float) -> float | Channel: ...
def moved_base(number: float | Channel, by: float) -> float | Channel:
    """The number with so much added to its constant and its keys, its layers as they are."""
    if not isinstance(number, Channel):
        return number + by
    if by == 0.0:
        return number
    keys = tuple(key.replaced(value=key.value + by) for key in number.keys)
    return number.replaced(value=number.value + by, keys=keys)


def moved_keys(number: float | Channel, frames: float) -> float | Channel:
    """The number whose keys come so many frames later, and with them those of its layers' numbers."""
    if frames == 0.0 or not isinstance(number, Channel):
        return number
    keys = tuple(key.replaced(frame=key.frame + frames) for key in number.keys)
    layers = tuple(layer.with_each_number(lambda own: moved_keys(own, frames)) for layer in number.layers)
    return number.replaced(keys=keys, layers=layers)


def moved(number: float | Channel, by: float) -> float | Channel | None:
    """The number with so much added at every moment; None where a layer does not go along with its base."""
    if by == 0.0:
        return number
    if not isinstance(number, Channel):
        return number + by
    goes_along = all(
        (layer.combine in ("add", "subtract") and layer.below in ("ignored", "moves"))
        or (layer.combine == "replace" and layer.below == "carried")
        for layer in number.layers
    )
    return moved_base(number, by) if goes_along else None


def scaled(number: float | Channel, factor: float) -> float | Channel:
    """The number so many times as large at every moment."""
    if factor == 1.0:
        return number
    if not isinstance(number, Channel):
        return number * factor
    layers = tuple(layer if layer.combine == "multiply" else layer.scaled(factor) for layer in number.layers)
    return scaled_base(number, factor).replaced(layers=layers)
