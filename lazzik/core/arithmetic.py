"""Reading a typed number: '12', '-0.5', '360/7', '2*(3+1)', and with a unit '2 Hz', '0.5 s', '50 %'.

Nothing else is understood, nothing is executed. What could mean two things is refused, and said why.
"""

from __future__ import annotations

import ast
import math
import operator
import re
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from typing import Any

from lazzik.core.errors import BadNumber

LONGEST = 400
"""Characters; a longer text is no number that somebody typed."""

OPERATORS: dict[type[ast.operator], Callable[[float, float], float]] = {
    ast.Add: operator.add,
    ast.Sub: operator.sub,
    ast.Mult: operator.mul,
    ast.Div: operator.truediv,
    ast.Mod: operator.mod,
}

PARTS = re.compile(r"(?:\d+(?:\.\d*)?|\.\d+)(?:[eE][+-]?\d+)?|[-+*/%()]|\s+")
"""What plain arithmetic is made of."""

LEADING_ZEROS = re.compile(r"(?<![\d.])0+(?=\d)")
"""The noughts of 007, which Python refuses."""

UNIT = re.compile(r"(?<=[\d.)\s])([A-Za-z°µ×]+(?:/[A-Za-z]+)?|%)$")
"""A unit at the end of a text."""

SCALES: dict[str, dict[str, float]] = {
    "m": {"m": 1.0, "km": 1000.0, "cm": 0.01, "mm": 0.001},
    "m/s": {"m/s": 1.0, "km/h": 1 / 3.6, "cm/s": 0.01, "mm/s": 0.001},
    "s": {"s": 1.0, "ms": 0.001, "min": 60.0},
    "Hz": {"Hz": 1.0, "rpm": 1 / 60},
    "°": {"°": 1.0, "deg": 1.0, "turn": 360.0, "turns": 360.0, "rad": 180 / math.pi},
    "°/s": {"°/s": 1.0, "deg/s": 1.0, "turn/s": 360.0, "turns/s": 360.0, "rpm": 6.0, "rad/s": 180 / math.pi},
    "fr": {"fr": 1.0},
    "cyc": {"cyc": 1.0, "turn": 1.0, "turns": 1.0, "°": 1 / 360, "deg": 1 / 360, "%": 0.01},
    "×": {"×": 1.0, "x": 1.0, "%": 0.01},
    "": {"%": 0.01},
}
"""By the unit that a number has: those it may be written in, and how many of the former each is."""


@dataclass(frozen=True)
class Measure:
    """What a typed number is measured in."""

    unit: str = ""
    """As in Quantity."""
    fps: float | None = None
    """Frames in a second, so that time may be written in either; None where they are not known."""
    inverse: bool = False
    """Whether it is never nothing, so that a period may be written as a frequency, and the other way round."""

    def factors(self) -> dict[str, Callable[[float], float]]:
        """What turns a value in each unit that may be written into the number's own."""
        found: dict[str, Callable[[float], float]] = {
            name: partial(operator.mul, by) for name, by in SCALES.get(self.unit, {}).items()
        }
        fps = self.fps
        if self.unit == "s":
            if fps:
                found["fr"] = lambda value: value / fps
            if self.inverse:
                found |= {"Hz": lambda value: 1 / value, "rpm": lambda value: 60 / value}
        elif self.unit == "Hz":
            found |= {"s": lambda value: 1 / value, "ms": lambda value: 1000 / value}
            if fps:
                found["fr"] = lambda value: fps / value
        elif self.unit == "fr" and fps:
            found |= {"s": lambda value: value * fps, "ms": lambda value: value * fps / 1000}
        return found


PLAIN = Measure()


def read_number(text: Any, measure: Measure = PLAIN) -> float:
    """The value of a typed number or of plain arithmetic with + − * / % and brackets, with a unit at its end by choice.

    % between numbers is the remainder, at the end per cent. Raises BadNumber, saying what could not be read.

    >>> read_number("360/8")
    45.0
    >>> read_number(" 2,5 ")
    2.5
    >>> read_number("2 Hz", Measure("s", inverse=True))
    0.5
    """
    if isinstance(text, int | float) and not isinstance(text, bool):
        try:
            value = float(text)
        except OverflowError:
            value = math.inf
        if not math.isfinite(value):
            raise BadNumber("A number must be finite.")
        return value
    if not isinstance(text, str):
        raise BadNumber("A number was expected.")
    shown = text if len(text) <= LONGEST else text[:80] + "…"
    if not text.strip():
        raise BadNumber("The field is empty: type a number, or arithmetic such as 360/7.")
    if len(text) > LONGEST:
        raise BadNumber(f"'{shown}' is too long for a number.")
    written, convert = _unit_of(text.strip(), shown, measure)
    plain = _plain(written, shown)
    try:
        value = convert(_value(ast.parse(plain, mode="eval").body))
    except ZeroDivisionError:
        raise BadNumber(f"'{shown}' divides by zero.") from None
    except (SyntaxError, ValueError, RecursionError, MemoryError, OverflowError):
        raise BadNumber(f"'{shown}' is not a number; type one, or arithmetic such as 360/7.") from None
    if not math.isfinite(value):
        raise BadNumber(f"'{shown}' is not a finite number.")
    return value


def _unit_of(text: str, shown: str, measure: Measure) -> tuple[str, Callable[[float], float]]:
    """The text without a unit at its end, and what turns its value into the number's own unit."""
    found = UNIT.search(text)
    rest = text[: found.start()].rstrip() if found else ""
    if found is None or not any(c.isdigit() for c in rest) or any(c.isalpha() for c in rest if c not in "eE"):
        return text, lambda value: value  # no number with a unit: said where it is read
    factors = measure.factors()
    name = found.group(1)
    if name not in factors:
        known = ", ".join(factors)
        of = f"this number is in {measure.unit}" if measure.unit else "this number has no unit"
        also = f"; it may be written in {known}" if known else ""
        raise BadNumber(f"'{shown}' can't be read in '{name}': {of}{also}.")
    return rest, factors[name]


def _plain(text: str, shown: str) -> str:
    """The text as Python writes arithmetic. Raises BadNumber for what could be read in two ways, or in none."""
    plain = text.replace("−", "-").replace("×", "*").replace("·", "*").replace("÷", "/")
    for number in re.findall(r"[\d.,]*,[\d.,]*", plain):
        whole, _, part = number.partition(",")
        if "," in part or "." in number:
            raise BadNumber(f"'{shown}' has more than one decimal mark; write 1234.5 without a mark for thousands.")
        if len(part) == 3 and whole.strip("0"):
            raise BadNumber(
                f"'{shown}' could be {whole}{part} or {whole}.{part}: write {whole}{part}, or a point: {whole}.{part}."
            )
    plain = plain.replace(",", ".")
    if "".join(PARTS.findall(plain)) != plain:
        raise BadNumber(f"'{shown}' is not a number; type one, or arithmetic such as 360/7.")
    return LEADING_ZEROS.sub("", plain).strip()


def _value(node: ast.expr) -> float:
    match node:
        case ast.Constant(value=int() | float() as number) if not isinstance(number, bool):
            return float(number)
        case ast.UnaryOp(op=ast.USub(), operand=operand):
            return -_value(operand)
        case ast.UnaryOp(op=ast.UAdd(), operand=operand):
            return _value(operand)
        case ast.BinOp(left=left, op=op, right=right) if type(op) in OPERATORS:
            return OPERATORS[type(op)](_value(left), _value(right))
    raise ValueError
