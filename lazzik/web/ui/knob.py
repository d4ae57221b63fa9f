"""A number as a field of its own: what the macro `knob` draws."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, ClassVar

if TYPE_CHECKING:
    from lazzik.core.document import Quantity


@dataclass(frozen=True, kw_only=True)
class Knob:
    """A number beside the curve that it bends."""

    what: ClassVar[str] = "number"
    address: str
    name: str
    label: str
    value: str
    quantity: Quantity
    keyed: bool
    driven: bool
    follows: Mapping[str, Any] | None = None
    """Where it has left a recipe's value: the edit by which it follows again."""
    target: str = ""
    """In a recipe's stack: its way from there, by which it can be exposed."""
    exposed: bool = False

    about: str = ""
    """The group that it stands in, where its quantity does not say it."""

    @property
    def group(self) -> str:
        """What it is about."""
        return self.about or self.quantity.group

    @property
    def folds(self) -> bool:
        """Whether it need not be seen at rest."""
        return self.quantity.rest is not None

    @property
    def resting(self) -> bool:
        """Whether it adds nothing."""
        return not self.driven and not self.keyed and float(self.value) == self.quantity.rest

    @property
    def open(self) -> bool:
        """Whether it stands at the value that means no limit."""
        return self.quantity.open_at is not None and not self.driven and float(self.value) == self.quantity.open_at


def shown(value: float) -> str:
    """A number as a field shows it."""
    text = f"{value:.6g}"
    return "0" if text == "-0" else text
