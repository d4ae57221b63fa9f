"""Formula: a line of arithmetic of time, of what lies below, and of the scene's dials.

y = the formula's value; its language stands in expression.py
"""

from __future__ import annotations

import re
from collections.abc import Callable
from functools import cached_property
from typing import Annotated, Any, ClassVar, Literal, Self

import numpy as np
from pydantic import Field, field_validator

from lazzik.core.channel.combine import Combine
from lazzik.core.channel.layer import Family, Inputs, Landing, Layer
from lazzik.core.document import Wording
from lazzik.core.errors import BadFormula, UnknownAddress
from lazzik.core.layers.expression import LONGEST, NAMES, Expression, read_expression
from lazzik.core.types import Samples


class Formula(Layer):
    """A line of arithmetic."""

    family: ClassVar[Family] = "logic"
    title: ClassVar[str] = "Formula"
    summary: ClassVar[str] = "A line of arithmetic of time, dials and what lies below: whatever no other kind does."
    below: ClassVar[Literal["ignored", "moves", "carried", "values"]] = "values"

    kind: Literal["formula"]
    combine: Combine = "replace"
    text: Annotated[
        str, Field(max_length=LONGEST), Wording("formula", "Arithmetic of t, frame, x, the dials and functions.")
    ] = "x"

    @field_validator("text")
    @classmethod
    def _readable(cls, text: str) -> str:
        try:
            read_expression(text)
        except BadFormula as error:
            raise ValueError(error.message) from None
        return text

    @cached_property
    def expression(self) -> Expression:
        """The formula as it was read."""
        return read_expression(self.text)

    def scaled(self, factor: float) -> Self:
        """Its value is, over x as it was."""
        inside = re.sub(r"\bx\b", f"(x / {factor!r})", self.text)
        return self.replaced(text=f"{factor!r} * ({inside})")

    @cached_property
    def dials(self) -> frozenset[str]:
        """Names of the dials that it reads."""
        return self.expression.names - set(NAMES)

    def references(self) -> frozenset[str]:
        """The dials."""
        return frozenset(f"dials/{name}" for name in self.dials)

    def readdressed(self, change: Callable[[str], str]) -> Self:
        """The names of the dials, all at once: one may be given another one's name."""
        named = {name: change(f"dials/{name}").removeprefix("dials/") for name in self.dials}
        if all(name == new for name, new in named.items()):
            return self
        text = re.sub(r"(?<![\w.])[a-z_][a-z0-9_]*", lambda found: named.get(found[0], found[0]), self.text)
        return self.replaced(text=text)

    def signal(self, inputs: Inputs) -> Samples:
        """(frames,) the formula's value. Raises BadFormula where it is not finite, UnknownAddress for a lost dial."""
        clock = inputs.clock
        names: dict[str, float | Samples] = {"t": clock.elapsed / clock.fps, "frame": clock.frames}
        if "x" in self.expression.names:
            names["x"] = inputs.below()
        for name in self.dials:
            try:
                names[name] = inputs.other(f"dials/{name}", clock)
            except UnknownAddress:
                raise BadFormula(f"'{self.label}' reads '{name}', and there is no dial of that name") from None
        y = np.asarray(self.expression.on(names), dtype=float)
        if y.ndim == 0:
            y = np.full(len(clock.frames), y)
        finite = np.isfinite(y)
        if not finite.all():
            frame = float(clock.frames[int(np.argmin(finite))])
            raise BadFormula(f"'{self.label}' has no finite value at frame {frame:.6g}")
        return y

    @classmethod
    def suited(cls, landing: Landing) -> dict[str, Any]:
        """A swing that is well seen, to begin from."""
        return {"text": f"x + {landing.reach:g} * sin(tau * t / 2)"}
