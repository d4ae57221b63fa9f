"""Formats as the page shows them: each as it describes itself."""

from __future__ import annotations

from pydantic import BaseModel

from lazzik.core.document import Quantity, mark_of
from lazzik.core.formats.registry import Format


class FormatChoice(BaseModel):
    """One choice of a format, as the page shows it."""

    name: str
    label: str
    words: tuple[str, ...] = ()
    value: str
    unit: str = ""
    help: str = ""


def format_choices(kind: type[Format]) -> list[FormatChoice]:
    """The choices that a format offers, with their defaults."""
    words = kind.choices()
    out = []
    for name, entry in kind.model_fields.items():
        quantity = mark_of(kind, name, Quantity)
        unit, said = (quantity.unit, quantity.help) if quantity else ("", "")
        label = (quantity.label if quantity else "") or name
        value = str(entry.default)
        out.append(FormatChoice(name=name, label=label, words=words.get(name, ()), value=value, unit=unit, help=said))
    return out
