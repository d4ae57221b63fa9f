"""What every layer kind shares, and the small protocol between a kind and whoever evaluates it.

A kind is one file in `layers/`: a subclass of Layer whose fields are its numbers and settings, each with its
Quantity, and a method `signal(inputs)` that returns y, the layer's own motion. Weight, window and the way it joins
what lies below are applied outside, the same for every kind.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from typing import Annotated, Any, ClassVar, Literal, Protocol

import numpy as np
from pydantic import Field

from lazzik.core.channel.channel import Number
from lazzik.core.channel.combine import Combine
from lazzik.core.channel.window import Window
from lazzik.core.clock import Clock
from lazzik.core.document import Finite, Frozen, Label, Quantity, Slug, quantity_of
from lazzik.core.types import Samples

Family = Literal["random", "periodic", "spring", "path", "logic"]


class Inputs(Protocol):
    """What a layer is given: the clock, its own numbers and what lies below, each at any moments it likes."""

    @property
    def clock(self) -> Clock:
        """The moments asked for."""
        ...

    def number(self, name: str, clock: Clock | None = None) -> float | Samples:
        """One of the layer's own numbers: a float if constant, otherwise (frames,) on the clock (the given one
        or the asked-for one)."""
        ...

    def below(self, clock: Clock | None = None) -> Samples:
        """(frames,) what lies below the layer."""
        ...

    def base(self, clock: Clock) -> Samples:
        """(frames,) the channel's base alone."""
        ...

    @property
    def stretch(self) -> tuple[float, float] | None:
        """First and last frame of the base's keys; None if there are fewer than two."""
        ...


@dataclass(frozen=True)
class Landing:
    """Where a new layer lands, so that its first numbers can suit the place."""

    unit: str
    reach: float
    """A change of the channel that is well seen, in its own unit."""
    frames: int
    """Length of the scene's range."""
    fps: float


class Layer(Frozen):
    """One procedural motion on a channel."""

    family: ClassVar[Family]
    title: ClassVar[str]
    summary: ClassVar[str]
    """One line on when to use it."""
    loops: ClassVar[bool] = False
    """Whether the kind heeds `loop`."""

    kind: str
    id: Slug
    label: Label
    muted: bool = False
    solo: bool = False
    combine: Combine = "add"
    window: Window = Window()
    weight: Annotated[
        Number,
        Quantity(help="How much of the layer counts; beyond 1 exaggerates.", useful=(0, 1.5), low=-100, high=100),
    ] = 1.0
    loop: Annotated[Finite, Field(gt=0)] | None = None
    """Frames after which the motion repeats; None is endless."""

    def signal(self, inputs: Inputs) -> Samples:
        """(frames,) the layer's own motion y, before weight and window."""
        raise NotImplementedError

    @classmethod
    def suited(cls, landing: Landing) -> dict[str, Any]:
        """Field values with which a new layer visibly moves the number it lands on."""
        return {}

    @classmethod
    def settings(cls) -> dict[str, tuple[str, ...]]:
        """The kind's own choices that are no numbers: field -> what may be chosen."""
        own = set(cls.model_fields) - set(Layer.model_fields)
        return {
            name: field.annotation.__args__  # type: ignore[union-attr]
            for name, field in cls.model_fields.items()
            if name in own and getattr(field.annotation, "__origin__", None) is Literal
        }

    def note(self, fps: float) -> str:
        """What a loop made of the layer's rate, for the person to read; '' if there is nothing to say."""
        return ""


@cache
def numbers_of(model: type[Frozen]) -> dict[str, Quantity]:
    """The numbers that a part of the document declares, in the order of its file, each with its Quantity."""
    return {name: q for name in model.model_fields if (q := quantity_of(model, name)) is not None}


def held(value: float | Samples, quantity: Quantity) -> float | Samples:
    """A number kept within its hard limits: a driven one may try to leave them, and so may a lone key."""
    if isinstance(value, float | int):
        return min(max(float(value), quantity.low), quantity.high)
    return np.clip(value, quantity.low, quantity.high)


def table(inputs: Inputs, *names: str) -> Samples:
    """(names, 1) or (names, frames): some of a layer's numbers as one array, one column if all are constant.

    A kernel takes them so with one argument, and pays for a column a frame only where something is driven.
    """
    values = [inputs.number(name) for name in names]
    width = max((len(v) for v in values if not isinstance(v, float | int)), default=1)
    out = np.empty((len(values), width))
    for row, value in zip(out, values, strict=True):
        row[:] = value
    return out
