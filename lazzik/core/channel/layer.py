"""What every layer kind shares. What a kind is given by whoever evaluates it stands in inputs.py.

A kind is one file in `layers/`: a subclass of Layer whose fields are its numbers and settings, each with its
Quantity, and a method `signal(inputs)` that returns y, the layer's own motion. Weight, window and the way it joins
what lies below are applied outside, the same for every kind.
"""

from __future__ import annotations

from collections.abc import Callable, Hashable, Iterator
from dataclasses import dataclass
from functools import cache, cached_property
from typing import Annotated, Any, ClassVar, Literal, Protocol, Self

import numpy as np
from pydantic import Field

from lazzik.core.channel.channel import Channel, Number
from lazzik.core.channel.combine import Combine
from lazzik.core.channel.inputs import Inputs, ManyInputs
from lazzik.core.channel.scaling import moved_base, moved_keys, scaled
from lazzik.core.channel.window import Window
from lazzik.core.document import LARGEST, Finite, Frozen, Label, Name, Quantity, Slug, Wording, mark_of
from lazzik.core.types import SampleRows, Samples

Family = Literal["random", "periodic", "spring", "path", "logic"]


SHARE = 0.3
"""How far a layer that multiplies goes from 1 to begin with."""


class Book(Protocol):
    """Whatever knows the scene's recipes by name."""

    def recipe(self, name: str) -> Any:
        """A recipe, or None."""
        ...


@dataclass(frozen=True)
class Landing:
    """Where a new layer lands, so that its first numbers can suit the place."""

    unit: str
    reach: float
    """A change of the channel that is well seen, in its own unit."""
    first: int
    """The scene's first frame."""
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
    ends: ClassVar[tuple[str, str] | None] = None
    """The two numbers that it goes between, where they can be swapped."""
    idle_at: ClassVar[dict[str, float]] = {}
    """Numbers at whose value the kind does nothing, whatever else is set."""
    needs: ClassVar[Literal["", "motion", "keys", "air"]] = ""
    """What has to lie below, or to move about it, before the kind can do anything."""
    below: ClassVar[Literal["ignored", "moves", "carried", "values"]] = "ignored"
    """What of all that lies below its motion answers to: nothing; how it moves, wherever it is; the same moved along
    with it; or the very values."""
    feel: ClassVar[tuple[str, str] | None] = None
    """The two numbers that together carry it from calm to nervous: how long, or how quick, and how far."""
    own_frames: ClassVar[frozenset[str]] = frozenset()
    """Numbers whose keys stand on a clock of their own, not on the scene's frames."""
    together: ClassVar[bool] = False
    """Whether many layers of the kind can be worked out at once, by `signals`."""
    in_common: ClassVar[tuple[str, ...]] = ()
    """Numbers that must be the same for that: those that say at which moments others are asked for."""
    elsewhen: ClassVar[bool] = False
    """Whether it asks for what lies below at other moments than its own."""
    offered: ClassVar[bool] = True
    """Whether it can be chosen by itself; False for what is made from something else."""

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
    fit: bool = False
    """Whether it follows the scene's range when that changes: its loop, or whatever else `fitted` says."""
    sheaf: Name | None = None
    """The sheaf that it is in, whose window and loop then stand for its own."""

    def signal(self, inputs: Inputs) -> Samples:
        """The layer's own motion y, before weight and window.

        Returns
        -------
        (frames,) array
            In the channel's unit, or as a factor where the layer multiplies.
        """
        raise NotImplementedError

    def signals(self, inputs: ManyInputs) -> SampleRows:
        """The motions of many layers at once that share all with this one but their numbers, which can't change.

        Returns
        -------
        (layers, frames) array
            As `signal` gives each.
        """
        raise NotImplementedError

    @cached_property
    def form(self) -> tuple[Hashable, ...] | None:
        """What layers share whose motions can be worked out at once: all but their numbers; None if this one can't."""
        if not self.together or not self.window.open or self.driven():
            return None
        return (type(self), self.combine, self.loop, *self.kept_alike())

    def driven(self) -> bool:
        """Whether a number that counts can change."""
        return any(isinstance(number, Channel) for number in self.stored())

    def kept_alike(self) -> Iterator[Hashable]:
        """What `form` tells of the kind's own fields: its settings, and the numbers that are to be the same."""
        return (getattr(self, name) for name in _alike(type(self)))

    @property
    def reads_others(self) -> bool:
        """Whether the layer reads more of the scene than what lies below it."""
        return bool(self.references()) or type(self).needs == "air"

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

    @classmethod
    def wordings(cls) -> dict[str, Wording]:
        """The kind's texts: field -> what may be written there."""
        return {name: w for name in cls.model_fields if (w := mark_of(cls, name, Wording)) is not None}

    @classmethod
    def fits(cls) -> bool:
        """Whether the kind can follow the scene's range."""
        return cls.loops

    def fitted(self, first: float, last: float) -> Self:
        """The layer as long as the scene's range, if it follows that; itself if it is so already."""
        return self.replaced(loop=last - first) if self.fit and self.loop != last - first else self

    def moved_in_time(self, frames: float, fps: float, loop: float | None) -> Self:
        """The layer whose motion comes so many frames later: its moments, its shift and the keys of its numbers. `loop`
        is the one that counts for it."""
        changes: dict[str, Any] = {}
        for name, quantity in numbers_of(type(self)).items():
            number = getattr(self, name)
            if name == "shift":
                number = moved_base(number, frames / fps)
            elif quantity.moment:
                number = moved_base(number, frames)
            number = number if name in type(self).own_frames else moved_keys(number, frames)
            if number is not getattr(self, name):
                changes[name] = number
        return self.replaced(**changes) if changes else self

    def note(self, inputs: Inputs) -> str:
        """The rate that the layer really has, where that is constant or a loop made something of it, for the person to
        read ('own' is the unit of the number below it); '' if there is nothing to say."""
        return ""

    @property
    def later(self) -> float | None:
        """Seconds by which what the layer reads elsewhere comes later; None if that changes over time."""
        return 0.0

    def references(self) -> frozenset[str]:
        """Addresses that the layer itself reads, beside what its numbers read."""
        return frozenset()

    def readdressed(self, change: Callable[[str], str]) -> Self:
        """The layer with a change made to each address that it reads itself; itself if none of them changed."""
        changed: dict[str, Any] = {}
        for name in type(self).model_fields:
            wording = mark_of(type(self), name, Wording)
            if wording is not None and wording.what != "formula" and (text := getattr(self, name)):
                changed |= {name: new} if (new := change(text)) != text else {}
        return self.replaced(**changed) if changed else self

    def numbers(self, book: Book) -> dict[str, tuple[float | Channel, Quantity]]:
        """Every number that can be changed on the layer, in order, as (number, quantity)."""
        return {name: (getattr(self, name), quantity) for name, quantity in numbers_of(type(self)).items()}

    def stored(self) -> Iterator[float | Channel]:
        """Every number that the layer itself holds."""
        return (getattr(self, name) for name in numbers_of(type(self)))

    @property
    def stored_count(self) -> int:
        """How many these are."""
        return len(numbers_of(type(self)))

    def with_number(self, name: str, number: float | Channel) -> Self:
        """The layer with one of its numbers in place of the present one."""
        return self.replaced(**{name: number})

    def scaled(self, factor: float) -> Self:
        """The layer with all that is measured in the unit of the number below it made so many times as large: its
        motion is, over what lies below made as large."""
        own = {
            name: scaled(getattr(self, name), factor if quantity.low < 0 else abs(factor))
            for name, quantity in numbers_of(type(self)).items()
            if quantity.unit.startswith("own")
        }
        return self.replaced(**own) if own else self

    def factor_about(self, landing: Landing) -> dict[str, Any]:
        """Field values with which its motion is a factor about 1, for joining by multiply."""
        return {}

    def joined_by(self, combine: Combine, landing: Landing) -> Self:
        """The layer joining another way: a motion about nothing becomes a factor about 1, and the other way round."""
        was, becomes = self.combine == "multiply", combine == "multiply"
        about = self.factor_about(landing)
        suits: dict[str, Any] = {}
        if becomes and not was and not all(getattr(self, name) == value for name, value in about.items()):
            suits = about
        elif was and not becomes and getattr(self, "offset", None) == about.get("offset", about):
            suits = {"offset": 0.0} | {n: v for n, v in type(self).suited(landing).items() if n in about}
        return self.replaced(combine=combine, **suits)

    def with_each_number(self, change: Callable[[float | Channel], float | Channel]) -> Self:
        """The layer with a change made to every number it holds; itself if none of them changed."""
        changed = {
            name: new for name in numbers_of(type(self)) if (new := change(old := getattr(self, name))) is not old
        }
        return self.replaced(**changed) if changed else self


@cache
def numbers_of(model: type[Frozen]) -> dict[str, Quantity]:
    """The numbers that a part of the document declares, in the order of its file, each with its Quantity."""
    return {name: q for name in model.model_fields if (q := mark_of(model, name, Quantity)) is not None}


@cache
def _alike(kind: type[Layer]) -> tuple[str, ...]:
    """The fields of a kind's own in which layers of one form are the same."""
    shared, numbers = Layer.model_fields, numbers_of(kind)
    return (*(name for name in kind.model_fields if name not in shared and name not in numbers), *kind.in_common)


def clamp(value: float | Samples, quantity: Quantity) -> float | Samples:
    """A number kept within its hard limits: a driven one may try to leave them, and so may a lone key.

    Parameters
    ----------
    value : float or (frames,) array
        In the quantity's unit, no larger than a document's numbers.

    Returns
    -------
    float or (frames,) array
        As it was given, within `low` and `high`.
    """
    if isinstance(value, float | int):
        return min(max(float(value), quantity.low), quantity.high)
    if quantity.low <= -LARGEST and quantity.high >= LARGEST:
        return value
    return np.minimum(np.maximum(value, quantity.low), quantity.high)
