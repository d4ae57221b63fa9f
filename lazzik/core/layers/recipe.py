"""Recipes: a stack saved under a name, with a few of its numbers exposed; and the layer kind that uses one.

    y = size · S(x / size),   S the recipe's stack over what lies below, x

The stack stays in the scene once, so changing it changes every use. A use holds only what it has of its own: the
exposed numbers that were changed on it.
"""

from __future__ import annotations

from collections.abc import Callable, Hashable, Iterator
from typing import Annotated, Any, ClassVar, Literal, Self

from pydantic import Field, model_validator

from lazzik.core.channel.channel import Channel, Number, as_channel, simplest
from lazzik.core.channel.combine import Combine
from lazzik.core.channel.inputs import Inputs, ManyInputs
from lazzik.core.channel.layer import Book, Family, Layer, numbers_of
from lazzik.core.channel.scaling import scaled
from lazzik.core.document import LARGEST, Finite, Frozen, Label, Name, Quantity
from lazzik.core.errors import UnknownAddress
from lazzik.core.types import SampleRows, Samples

MOST_EXPOSED = 24

Way = tuple[tuple[str, str], ...]
"""(layer, number) pairs from a stack to a number in it."""


class Exposed(Frozen):
    """A number of a recipe's stack that each use may have its own value of."""

    name: Name
    label: Label
    target: Annotated[str, Field(max_length=400)]
    """Its way from the stack: 'gust.amplitude', or deeper 'gust.amplitude#slow.period'."""
    unit: str = ""
    help: str = ""
    useful: tuple[Finite, Finite] = (0.0, 1.0)
    step: Finite = 0.01
    low: Finite = -LARGEST
    high: Finite = LARGEST

    @property
    def way(self) -> Way:
        """The target, taken apart."""
        return tuple((layer, number) for layer, _, number in (part.partition(".") for part in self.target.split("#")))

    @property
    def quantity(self) -> Quantity:
        """How the number is shown, as where it comes from."""
        return Quantity(self.unit, self.help, self.useful, self.step, self.low, self.high)


class Recipe(Frozen):
    """A saved stack. `unit` and `reach` are those of the number that it was made on."""

    id: Name
    label: Label
    note: Annotated[str, Field(max_length=400)] = ""
    unit: str = ""
    reach: Annotated[Finite, Field(gt=0)] = 1.0
    stack: Channel
    exposed: Annotated[tuple[Exposed, ...], Field(max_length=MOST_EXPOSED)] = ()

    @model_validator(mode="after")
    def _told_apart(self) -> Self:
        names = [item.name for item in self.exposed]
        if len(set(names)) < len(names):
            raise ValueError("two exposed numbers of one recipe share a name")
        return self


class Override(Frozen):
    """An exposed number that a use has of its own."""

    name: Name
    value: Number


class Use(Layer):
    """A recipe in use."""

    family: ClassVar[Family] = "logic"
    title: ClassVar[str] = "Recipe"
    summary: ClassVar[str] = "A saved stack in one lane, with the numbers that it exposes."
    below: ClassVar[Literal["ignored", "moves", "carried", "values"]] = "values"
    offered: ClassVar[bool] = False
    idle_at: ClassVar[dict[str, float]] = {"size": 0.0}
    elsewhen: ClassVar[bool] = True
    together: ClassVar[bool] = True

    kind: Literal["recipe"]
    combine: Combine = "replace"
    recipe: Name
    size: Annotated[Number, Quantity("×", "How large the recipe's motion is here.", (0, 3), 0.01, low=0)] = 1.0
    overrides: tuple[Override, ...] = ()

    def signal(self, inputs: Inputs) -> Samples:
        """(frames,) what the recipe makes of what lies below."""
        return inputs.through(self.stack_of(inputs.recipe(self.recipe)), inputs.number("size"))

    def signals(self, inputs: ManyInputs) -> SampleRows:
        """(layers, frames) what the recipe makes of what lies below each."""
        recipe = inputs.recipe(self.recipe)
        stacks = [use.stack_of(recipe) for use in inputs.layers if isinstance(use, Use)]
        return inputs.through(stacks, inputs.number("size"))

    def kept_alike(self) -> Iterator[Hashable]:
        """The recipe, and which of its numbers a use has of its own."""
        return iter((self.recipe, *(override.name for override in self.overrides)))

    def scaled(self, factor: float) -> Self:
        """Its size is."""
        return self.replaced(size=scaled(self.size, abs(factor)))

    def references(self) -> frozenset[str]:
        """The recipe."""
        return frozenset({f"recipes/{self.recipe}"})

    def readdressed(self, change: Callable[[str], str]) -> Self:
        """The recipe's name."""
        name = change(f"recipes/{self.recipe}").removeprefix("recipes/")
        return self if name == self.recipe else self.replaced(recipe=name)

    def numbers(self, book: Book) -> dict[str, tuple[float | Channel, Quantity]]:
        """The exposed numbers, then the layer's own."""
        recipe: Recipe | None = book.recipe(self.recipe)
        own = {override.name: override.value for override in self.overrides}
        exposed: dict[str, tuple[float | Channel, Quantity]] = {}
        for item in recipe.exposed if recipe else ():
            number = number_at(recipe.stack, item.way) if recipe else None
            if number is not None:
                exposed[item.name] = (own.get(item.name, number), item.quantity)
        return exposed | super().numbers(book)

    def stored(self) -> Iterator[float | Channel]:
        """The layer's own numbers and its overrides."""
        yield from super().stored()
        yield from (override.value for override in self.overrides)

    @property
    def stored_count(self) -> int:
        """How many these are."""
        return super().stored_count + len(self.overrides)

    def with_number(self, name: str, number: float | Channel) -> Self:
        """An exposed number becomes an override."""
        if name in numbers_of(type(self)):
            return super().with_number(name, number)
        others = tuple(override for override in self.overrides if override.name != name)
        return self.replaced(overrides=(*others, Override(name=name, value=number)))

    def with_each_number(self, change: Callable[[float | Channel], float | Channel]) -> Self:
        """Overrides included."""
        changed = super().with_each_number(change)
        overrides = tuple(
            old if (new := change(old.value)) is old.value else old.replaced(value=new) for old in changed.overrides
        )
        same = all(a is b for a, b in zip(overrides, changed.overrides, strict=True))
        return changed if same else changed.replaced(overrides=overrides)

    def stack_of(self, recipe: Recipe) -> Channel:
        """The recipe's stack with this use's own numbers in it, kept for the next call."""
        kept: tuple[Recipe, Channel] | None = self.__dict__.get("_stack")
        if kept is None or kept[0] is not recipe:
            stack = recipe.stack
            ways = {item.name: item.way for item in recipe.exposed}
            for override in self.overrides:
                if override.name in ways and number_at(stack, ways[override.name]) is not None:
                    stack = with_number_at(stack, ways[override.name], override.value)
            kept = self.__dict__["_stack"] = (recipe, stack)
        return kept[1]


def number_at(stack: Channel, way: Way) -> float | Channel | None:
    """The number that a way leads to; None if a part of it is gone."""
    number: float | Channel = stack
    for layer_id, name in way:
        layer = as_channel(number).layer(layer_id)
        if layer is None or name not in numbers_of(type(layer)):
            return None
        number = getattr(layer, name)
    return number


def with_number_at(stack: Channel, way: Way, number: float | Channel) -> Channel:
    """The stack with the number that a way leads to in place of the present one."""
    if not way:
        return as_channel(number)
    (layer_id, name), *rest = way
    layer = stack.layer(layer_id)
    if layer is None:
        raise UnknownAddress(f"There is no layer '{layer_id}' in the recipe's stack")
    inner = with_number_at(as_channel(getattr(layer, name)), tuple(rest), number)
    written = layer.with_number(name, simplest(inner))
    return stack.replaced(layers=tuple(written if item.id == layer_id else item for item in stack.layers))


def exposing(name: str, label: str, target: str, quantity: Quantity) -> dict[str, Any]:
    """The fields of an exposed number as it is shown where it stands now."""
    return {
        "name": name, "label": label, "target": target, "unit": quantity.unit, "help": quantity.help,
        "useful": quantity.useful, "step": quantity.step,
        "low": max(quantity.low, -LARGEST), "high": min(quantity.high, LARGEST),
    }  # fmt: skip
