"""Formula: a line of arithmetic of time, of what lies below, and of the scene's dials.

y = the formula's value; its language stands in expression.py
"""

from __future__ import annotations

import re
from collections.abc import Callable
from functools import cached_property
from typing import Annotated, Any, ClassVar, Literal, Self

import numpy as np
from numpy.typing import NDArray
from pydantic import Field, field_validator

from lazzik.core.channel.combine import Combine
from lazzik.core.channel.inputs import Inputs, ManyInputs
from lazzik.core.channel.layer import Family, Landing, Layer
from lazzik.core.clock import Clock
from lazzik.core.document import Wording
from lazzik.core.errors import BadFormula, UnknownAddress
from lazzik.core.layers.expression import LONGEST, NAMES, Expression, read_expression
from lazzik.core.types import SampleRows, Samples


class Formula(Layer):
    """A line of arithmetic."""

    family: ClassVar[Family] = "logic"
    title: ClassVar[str] = "Formula"
    summary: ClassVar[str] = "A line of arithmetic of time, dials and what lies below: whatever no other kind does."
    below: ClassVar[Literal["ignored", "moves", "carried", "values"]] = "values"

    together: ClassVar[bool] = True

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

    @property
    def _reads_below(self) -> bool:
        return "x" in self.expression.names

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
        x = inputs.below() if self._reads_below else 0.0
        y = self._value(clock, x, lambda dial: inputs.other(dial, clock))
        return np.full(len(clock.frames), y) if y.ndim == 0 else y

    def signals(self, inputs: ManyInputs) -> SampleRows:
        """(layers, frames) the value over what lies below each."""
        x = inputs.below() if self._reads_below else 0.0
        y = self._value(inputs.clock, x, inputs.other)
        return np.broadcast_to(y, (len(inputs.layers), len(inputs.clock.frames)))

    def _value(
        self, clock: Clock, x: float | NDArray[np.float64], dial: Callable[[str], float | Samples]
    ) -> NDArray[np.float64]:
        """The formula's value.

        Parameters
        ----------
        x : float or (…, frames) array
            What lies below, if that is read.
        dial : gives the number at an address.

        Returns
        -------
        (), (frames,) or (…, frames) array
            As what it reads.
        """
        names: dict[str, float | NDArray[np.float64]] = {
            "t": clock.elapsed / clock.fps, "frame": clock.frames, "x": x,
        }  # fmt: skip
        for name in self.dials:
            try:
                names[name] = dial(f"dials/{name}")
            except UnknownAddress:
                raise BadFormula(f"'{self.label}' reads '{name}', and there is no dial of that name") from None
        y = np.asarray(self.expression.on(names), dtype=float)
        finite = np.isfinite(y)
        if not finite.all():
            frame = float(clock.frames[int(np.argmin(finite)) % len(clock.frames)])
            raise BadFormula(f"'{self.label}' has no finite value at frame {frame:.6g}")
        return y

    @classmethod
    def suited(cls, landing: Landing) -> dict[str, Any]:
        """A swing that is well seen, to begin from."""
        return {"text": f"x + {landing.reach:g} * sin(tau * t / 2)"}
