"""What every part of the document shares: it is a value (frozen, strict, finite), and it describes its numbers."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import Annotated, Any, Literal, Protocol, Self, TypeVar

from pydantic import (
    BaseModel,
    BeforeValidator,
    ConfigDict,
    Field,
    GetCoreSchemaHandler,
    GetJsonSchemaHandler,
    ValidationInfo,
    WithJsonSchema,
)
from pydantic_core import core_schema

from lazzik.core.arithmetic import LONGEST, PLAIN, Measure, read_number

LARGEST = 1e9
"""No number of a document is larger: far beyond any scene, far below where float64 loses a thousandth."""

Finite = Annotated[float, Field(strict=True, ge=-LARGEST, le=LARGEST, allow_inf_nan=False)]
Within = Field(ge=-LARGEST, le=LARGEST, allow_inf_nan=False)

# what may be typed is described as it is: as a number, or as text that says one
_OR_TEXT = WithJsonSchema(
    {"anyOf": [{"type": "number", "minimum": -LARGEST, "maximum": LARGEST}, {"type": "string", "maxLength": LONGEST}]},
    mode="validation",
)

Typed = Annotated[float, BeforeValidator(lambda value: read_number(value)), Within, _OR_TEXT]
"""A number as a person types it: plain, or as arithmetic such as '360/7'."""


class Measures(Protocol):
    """What knows how numbers are measured where edits are read: their validation context."""

    def frames(self) -> Measure:
        """How frames are."""
        ...

    def at(self, address: str) -> Measure:
        """How the number at an address is."""
        ...


def _in_frames(value: Any, info: ValidationInfo) -> float:
    measures: Measures | None = info.context
    return read_number(value, measures.frames() if measures and isinstance(value, str) else Measure("fr"))


def _as_there(value: Any, info: ValidationInfo) -> float:
    measures: Measures | None = info.context
    address = info.data.get("address", "")
    return read_number(value, measures.at(address) if measures and isinstance(value, str) else PLAIN)


InFrames = Annotated[float, BeforeValidator(_in_frames), Within, _OR_TEXT]
"""Typed, a time in frames: '0.5 s' is understood too."""

AsThere = Annotated[float, BeforeValidator(_as_there), Within, _OR_TEXT]
"""Typed, a value of the number that the edit's `address`, which stands before it, leads to: with its unit or plain."""

Slug = Annotated[str, Field(pattern=r"^[a-z0-9]+(-[a-z0-9]+)*$", max_length=64)]
"""What stands in addresses: small letters, digits and single hyphens."""

Name = Annotated[str, Field(pattern=r"^[a-z][a-z0-9_]*$", max_length=32)]
"""What stands in formulas: small letters, digits and underscores, a letter first."""

Label = Annotated[str, Field(min_length=1, max_length=120)]


class Frozen(BaseModel):
    """A part of the document: immutable, refusing fields it does not know."""

    # what checks a kind is built when the first is read: most programs read few of the kinds, and some none at all
    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False, defer_build=True)

    def __getstate__(self) -> dict[Any, Any]:
        """What another process is given: the fields, without what was worked out of them and is kept beside them."""
        state = super().__getstate__()
        return state | {"__dict__": {name: state["__dict__"][name] for name in type(self).model_fields}}

    def __repr_args__(self) -> Iterable[tuple[str | None, Any]]:
        """Fields and values, as pydantic has them. (It walks through `__dict__` itself, which fails once another thread
        keeps there what it worked out of this part.)"""
        fields = type(self).model_fields
        return [(name, value) for name, value in self.__dict__.copy().items() if name in fields and fields[name].repr]

    @cached_property
    def as_json(self) -> str:
        """It as its file has it, written once: what is equal is written alike."""
        return self.model_dump_json()

    def replaced(self, **changes: Any) -> Self:
        """A checked copy with some fields changed. Parts that stay are shared, not copied.

        (Pydantic's own `model_copy` skips the checks and carries cached properties over.)
        """
        fields = {name: getattr(self, name) for name in type(self).model_fields}
        return type(self).model_validate(fields | changes)


Group = Literal["does", "time", "where", "mask", "wind", "look"]
"""What a number or a choice is about: what the kind does, when, where it acts, how a mask spares places, how it answers
the air, and how it looks."""

Only = Mapping[str, tuple[str, ...]]
"""Choices of a kind, each with those of its values under which something counts."""


@dataclass(frozen=True)
class Quantity:
    """How a number is shown, limited and explained. It stands beside the field that it describes, and pydantic asks
    it to check constants and to write itself into the JSON schema."""

    unit: str = ""
    """'m', '°', 's', 'Hz', 'fr', '×' or ''; 'own' is the unit of the channel that a layer sits on, and then
    `useful` and `step` are multiples of a change that is well seen there."""
    help: str = ""
    useful: tuple[float, float] = (0.0, 1.0)
    """The range that a slider spans. Values beyond it may be typed."""
    step: float = 0.01
    low: float = -LARGEST
    high: float = LARGEST
    """Hard limits. A constant beyond them is refused, a driven value is held at them."""
    whole: bool = False
    moment: bool = False
    """Of frames: whether it is a frame of the scene, rather than a length."""
    open_at: float | None = None
    """A value that means no limit at all, and is shown as none."""
    label: str = ""
    """What it is called where it is shown; the field's own name if nothing is said."""
    group: Group = "does"
    rest: float | None = None
    """A value at which the number adds nothing to the kind, so that it need not be seen; None if there is none."""
    only: Only | None = None
    """Choices of the same kind under which the number does anything at all; None: under all."""

    def checked(self, value: float) -> str | None:
        """What is wrong with a constant, as the end of a sentence; None if it may stand."""
        if value < self.low:
            return f"must be at least {self.low:g}"
        if value > self.high:
            return f"must be at most {self.high:g}"
        if self.whole and value != round(value):
            return "must be a whole number"
        return None

    def __get_pydantic_core_schema__(self, source: Any, handler: GetCoreSchemaHandler) -> core_schema.CoreSchema:
        def check(value: Any) -> Any:
            if isinstance(value, float) and (problem := self.checked(value)):
                raise ValueError(f"{value:g} {problem}")
            return value

        return core_schema.no_info_after_validator_function(check, handler(source))

    def __get_pydantic_json_schema__(
        self, schema: core_schema.CoreSchema, handler: GetJsonSchemaHandler
    ) -> dict[str, Any]:
        described = {
            "description": self.help,
            "unit": self.unit,
            "usefulRange": list(self.useful),
            "step": self.step,
        }
        limits = {"low": self.low, "high": self.high} if self.low > -LARGEST or self.high < LARGEST else {}
        return {**handler(schema), **described, **limits}


@dataclass(frozen=True)
class Option:
    """What a choice is, standing beside the field as Quantity does beside a number."""

    help: str
    label: str = ""
    """What it is called where it is shown; the field's own name if nothing is said."""
    words: Mapping[str, str] = field(default_factory=dict)
    """What its values are called, where their own names would not tell."""
    group: Group = "does"
    rest: str | None = None
    """A value at which the choice adds nothing; None if there is none."""
    only: Only | None = None
    """Other choices of the same kind under which this one does anything at all; None: under all."""


def counts_under(only: Only | None, chosen: Mapping[str, Any]) -> bool:
    """Whether something that counts under some choices alone does so under these."""
    return only is None or all(chosen[name] in values for name, values in only.items())


@dataclass(frozen=True)
class Wording:
    """What a text of a layer is, standing beside the field as Quantity does beside a number."""

    what: Literal["address", "clip", "formula"]
    help: str = ""


Mark = TypeVar("Mark")


def mark_of(model: type[Frozen], field: str, mark: type[Mark]) -> Mark | None:
    """The Quantity, Option or Wording that a field was declared with, or None if it has none."""
    return next((m for m in model.model_fields[field].metadata if isinstance(m, mark)), None)


def option_of(model: type[Frozen], field: str) -> Option:
    """The Option that a choice was declared with; an empty one if it has none."""
    return mark_of(model, field, Option) or Option("")
