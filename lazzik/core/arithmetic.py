"""Reading a typed number: '12', '-0.5', '360/7', '2*(3+1)'. Nothing else is understood, nothing is executed."""

from __future__ import annotations

import ast
import math
import operator
from collections.abc import Callable
from typing import Any

from lazzik.core.errors import BadNumber

LONGEST = 80
"""Characters; a longer text is no number that somebody typed."""

OPERATORS: dict[type[ast.operator], Callable[[float, float], float]] = {
    ast.Add: operator.add,
    ast.Sub: operator.sub,
    ast.Mult: operator.mul,
    ast.Div: operator.truediv,
}


def read_number(text: Any) -> float:
    """The value of a typed number or of plain arithmetic with + − * / and brackets.

    Raises BadNumber, saying what could not be read.

    >>> read_number("360/8")
    45.0
    >>> read_number(" 2,5 ")
    2.5
    """
    if isinstance(text, int | float) and not isinstance(text, bool):
        value = float(text)
        if not math.isfinite(value):
            raise BadNumber("A number must be finite.")
        return value
    if not isinstance(text, str):
        raise BadNumber("A number was expected.")
    shown = text if len(text) <= LONGEST else text[:LONGEST] + "…"
    if not text.strip():
        raise BadNumber("The field is empty: type a number, or arithmetic such as 360/7.")
    if len(text) > LONGEST:
        raise BadNumber(f"'{shown}' is too long for a number.")
    plain = text.strip().replace("−", "-").replace("×", "*").replace(",", ".")
    try:
        value = _value(ast.parse(plain, mode="eval").body)
    except ZeroDivisionError:
        raise BadNumber(f"'{shown}' divides by zero.") from None
    except (SyntaxError, ValueError, RecursionError, MemoryError, OverflowError):
        raise BadNumber(f"'{shown}' is not a number; type one, or arithmetic such as 360/7.") from None
    if not math.isfinite(value):
        raise BadNumber(f"'{shown}' is not a finite number.")
    return value


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
