"""Dials: named numbers of the scene that many parameters can read."""

from __future__ import annotations

from functools import cached_property
from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from lazzik.core.document import Finite, Frozen, Label, Name, Quantity
from lazzik.core.layers import Number  # with its layers resolved

Unit = Literal["", "×", "°", "m", "s", "Hz", "fr", "°/s", "m/s"]

TAKEN = frozenset({"t", "frame", "x", "pi", "tau"})
"""What formulas call their own."""


class Dial(Frozen):
    """One dial. `low` and `high` are what its slider spans; it may be typed, keyed and driven beyond."""

    id: Name
    label: Label
    value: Number = 1.0
    unit: Unit = "×"
    low: Finite = 0.0
    high: Finite = 2.0
    note: Annotated[str, Field(max_length=400)] = ""

    @model_validator(mode="after")
    def _sensible(self) -> Self:
        if self.high <= self.low:
            raise ValueError(f"the dial '{self.label}' must span from a lower to a higher value")
        if self.id in TAKEN:
            raise ValueError(f"formulas use the name '{self.id}' for something else")
        return self

    @cached_property
    def quantity(self) -> Quantity:
        """How the dial is shown."""
        step = float(f"{(self.high - self.low) / 200:.1g}")
        return Quantity(self.unit, self.note or f"The dial {self.label}.", (self.low, self.high), step)
