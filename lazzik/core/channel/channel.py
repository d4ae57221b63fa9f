"""A channel: one number that can change over time. Its base is a constant or keys; layers ride on it."""

from __future__ import annotations

from array import array
from collections.abc import Hashable
from functools import cached_property
from typing import TYPE_CHECKING, Annotated, Any, Self

import numpy as np
from pydantic import Field, GetCoreSchemaHandler, model_validator
from pydantic_core import core_schema

from lazzik.core.channel.keys import SAME_FRAME, Beyond, Curve, Key, curve_through
from lazzik.core.clock import Clock
from lazzik.core.document import LARGEST, Finite, Frozen
from lazzik.core.types import Samples

if TYPE_CHECKING:
    from lazzik.core.channel.layer import Layer as AnyLayer

MOST_KEYS = 200_000
MOST_LAYERS = 200


class Channel(Frozen):
    """Base and layers of one number. `value` is the base while there are no keys."""

    value: Finite = 0.0
    keys: Annotated[tuple[Key, ...], Field(max_length=MOST_KEYS)] = ()
    layers: Annotated[tuple[AnyLayer, ...], Field(max_length=MOST_LAYERS)] = ()
    """Lowest first."""
    before: Beyond = "hold"
    after: Beyond = "hold"
    """What the base does before its first key and after its last."""

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        for a, b in zip(self.keys, self.keys[1:], strict=False):
            if b.frame - a.frame < SAME_FRAME:
                raise ValueError(f"keys must rise in time: {b.frame:g} follows {a.frame:g}")
        ids = [layer.id for layer in self.layers]
        if len(set(ids)) < len(ids):
            raise ValueError("two layers of one channel share an id")
        return self

    def curve(self, fps: float) -> Curve:
        """The curve through the keys, kept for the next call (there must be keys)."""
        kept: tuple[float, Curve] | None = self.__dict__.get("_curve")
        if kept is None or kept[0] != fps:
            kept = self.__dict__["_curve"] = (fps, curve_through(self.keys, fps, self.before, self.after))
        return kept[1]

    def base(self, clock: Clock) -> Samples:
        """What the layers ride on: the constant, or the curve through the keys.

        Returns
        -------
        (frames,) array
            In the channel's unit.
        """
        if self.keys:
            return self.curve(clock.fps).at(clock.frames, clock.fps)
        return np.full(len(clock.frames), self.value)

    def layer(self, layer_id: str) -> AnyLayer | None:
        """The layer with this id, if the stack has it."""
        return next((layer for layer in self.layers if layer.id == layer_id), None)

    @cached_property
    def sounding(self) -> tuple[AnyLayer, ...]:
        """The layers that count, lowest first, for what they say themselves."""
        return sounding(self.layers)

    @cached_property
    def forms(self) -> tuple[Hashable, ...]:
        """Of the lowest layers that count, as many as can be worked out beside those of other channels, what they share
        with these: all but their constant numbers. None where what lies above asks for them at other moments."""
        layers = self.sounding
        count = next((place for place, layer in enumerate(layers) if layer.form is None), len(layers))
        if any(layer.sheaf is not None for layer in self.layers) or any(layer.elsewhen for layer in layers[count:]):
            return ()
        return tuple(layer.form for layer in layers[:count])

    @cached_property
    def constants(self) -> bytes:
        """The numbers of the layers that `forms` tells of, lowest first, as float64. (Not as an array: parts of the
        document are compared with what is kept beside their fields.)"""
        layers = self.sounding[: len(self.forms)]
        return array("d", [base_value(number) for layer in layers for number in layer.stored()]).tobytes()

    @cached_property
    def moves(self) -> bool:
        """Whether the number can differ from one frame to another."""
        return (
            len(self.keys) > 1 or bool(self.sounding) or (bool(self.keys) and "straight" in (self.before, self.after))
        )


def sounding(layers: tuple[AnyLayer, ...]) -> tuple[AnyLayer, ...]:
    """The layers of a stack that count, lowest first: those soloed if any is, otherwise those not muted."""
    soloed = tuple(layer for layer in layers if layer.solo and not layer.muted)
    return soloed or tuple(layer for layer in layers if not layer.muted)


def _tag(value: object) -> str:
    return "layered" if isinstance(value, dict | Channel) else "constant"


class _PlainOrLayered:
    """How a number of the document is checked: what `Annotated[Finite, …] | Annotated[Channel, …]` would say, in the
    validator's own terms. There are hundreds of such fields, and pydantic would work it out anew for each."""

    def __get_pydantic_core_schema__(self, source: Any, handler: GetCoreSchemaHandler) -> core_schema.CoreSchema:
        constant = core_schema.float_schema(strict=True, ge=-LARGEST, le=LARGEST, allow_inf_nan=False)
        choices = {"constant": constant, "layered": handler.generate_schema(Channel)}
        return core_schema.tagged_union_schema(choices, discriminator=_tag)


Number = Annotated[float | Channel, _PlainOrLayered()]
"""Every number of the document: plain, or a channel whose layers have numbers of their own, to any depth."""


def as_channel(number: float | Channel) -> Channel:
    """The same number with room for keys and layers."""
    return number if isinstance(number, Channel) else Channel(value=number)


def simplest(channel: Channel) -> float | Channel:
    """A plain number where nothing but a constant is left."""
    return channel if channel.keys or channel.layers else channel.value


def base_value(number: float | Channel) -> float:
    """A number's constant, or its first key's value: what it is at rest."""
    if not isinstance(number, Channel):
        return number
    return number.keys[0].value if number.keys else number.value
