"""The language of formulas: one line of arithmetic, read against a white list and compiled to array operations.

It borrows Python's grammar and nothing else of Python. A text is parsed to a syntax tree; every node of it must be in
the list below, and becomes a small function of whole arrays. No name, attribute, index or call of the text reaches
Python itself.

    numbers · + − * / % ** · comparisons (1 where true, else 0) · a if c else b · names · FUNCTIONS

A text has at most LONGEST characters and a tree of at most MOST_PARTS nodes, DEEPEST deep. Arithmetic is float64
throughout, so a power costs the same whatever its exponent.
"""

from __future__ import annotations

import ast
import math
import operator
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from lazzik.core.document import LARGEST
from lazzik.core.errors import BadFormula
from lazzik.core.hermite import smoothstep
from lazzik.core.layers.octaves import octave_noise
from lazzik.core.types import Samples

LONGEST = 400
MOST_PARTS = 200
DEEPEST = 30

Value = Samples | float
Names = Mapping[str, Value]
Compiled = Callable[[Names], Value]


@dataclass(frozen=True)
class Function:
    """A function of the language."""

    least: int
    most: int
    run: Callable[..., Value]
    help: str


def smooth_noise(x: Value, seed: Value = 0.0) -> Samples:
    """Smooth noise in [−1, 1], one random value to the next in 1: the first octave of a Noise layer as it is.

    Parameters
    ----------
    x, seed : float or (…, frames) array
        Cells; whole numbers.

    Returns
    -------
    (…, frames) array
        −1 to 1.
    """
    places, planted = np.broadcast_arrays(np.atleast_1d(np.asarray(x, dtype=float)), np.asarray(seed, dtype=float))
    position = np.clip(np.nan_to_num(places.ravel()), -1e15, 1e15)
    seeds = np.clip(np.nan_to_num(planted.ravel()), 0, LARGEST)
    out = np.empty(len(position))
    octave_noise(position, 0, 0, np.stack([np.ones(len(position)), np.ones(len(position)), seeds]), out)
    return out.reshape(places.shape)


def _smoothstep(low: Value, high: Value, x: Value) -> Value:
    return smoothstep((x - np.asarray(low)) / (np.asarray(high) - low))


def _extreme(which: Callable[..., Any]) -> Callable[..., Value]:
    def run(*values: Value) -> Value:
        out = values[0]
        for value in values[1:]:
            out = which(out, value)
        return out

    return run


FUNCTIONS: dict[str, Function] = {
    "sin": Function(1, 1, np.sin, "sine of an angle in radians"),
    "cos": Function(1, 1, np.cos, "cosine"),
    "tan": Function(1, 1, np.tan, "tangent"),
    "asin": Function(1, 1, np.arcsin, "the angle with this sine"),
    "acos": Function(1, 1, np.arccos, "the angle with this cosine"),
    "atan": Function(1, 1, np.arctan, "the angle with this tangent"),
    "atan2": Function(2, 2, np.arctan2, "the angle of (y, x)"),
    "sqrt": Function(1, 1, np.sqrt, "square root"),
    "exp": Function(1, 1, np.exp, "e to the power"),
    "log": Function(1, 1, np.log, "natural logarithm"),
    "abs": Function(1, 1, np.abs, "without its sign"),
    "sign": Function(1, 1, np.sign, "−1, 0 or 1"),
    "floor": Function(1, 1, np.floor, "the whole number below"),
    "ceil": Function(1, 1, np.ceil, "the whole number above"),
    "fract": Function(1, 1, lambda x: x - np.floor(x), "what is left of the whole number below"),
    "min": Function(2, 8, _extreme(np.minimum), "the least of its values"),
    "max": Function(2, 8, _extreme(np.maximum), "the greatest of its values"),
    "clamp": Function(3, 3, lambda x, low, high: np.minimum(np.maximum(x, low), high), "x kept between low and high"),
    "mix": Function(3, 3, lambda a, b, u: a + (b - np.asarray(a)) * u, "from a to b as u goes from 0 to 1"),
    "step": Function(2, 2, lambda edge, x: np.where(np.less(x, edge), 0.0, 1.0), "0 before the edge, 1 from it on"),
    "smoothstep": Function(3, 3, _smoothstep, "0 below low, 1 above high, smooth between"),
    "mod": Function(2, 2, np.mod, "what is left of x after whole times y"),
    "noise": Function(1, 2, smooth_noise, "smooth noise in −1 to 1 of (x, seed)"),
}

CONSTANTS: dict[str, float] = {"pi": math.pi, "tau": math.tau}

NAMES: dict[str, str] = {
    "t": "seconds since the scene's first frame",
    "frame": "the frame",
    "x": "what lies below",
    "pi": "half a turn in radians",
    "tau": "a whole turn in radians",
}

EXAMPLES: tuple[tuple[str, str], ...] = (
    ("x + 5 * sin(tau * t / 2)", "a swing of 5 every 2 seconds on top of what lies below"),
    ("x * (1 + 0.3 * noise(t * 2, 7))", "what lies below, a little stronger and weaker"),
    ("8 * exp(-t) * cos(tau * 1.5 * t)", "a ringing that dies"),
    ("x if frame < 60 else x + 10 * smoothstep(60, 90, frame)", "a lift from frame 60 to 90"),
    ("abs(sin(pi * t)) ** 3 * 12", "short beats once a second"),
)

ADDED: dict[type[ast.operator], Callable[..., Value]] = {
    ast.Add: operator.add,
    ast.Sub: operator.sub,
    ast.Mult: operator.mul,
    ast.Div: np.true_divide,
    ast.Mod: np.mod,
    ast.Pow: np.float_power,
}

COMPARED: dict[type[ast.cmpop], Callable[..., Any]] = {
    ast.Lt: np.less, ast.LtE: np.less_equal, ast.Gt: np.greater, ast.GtE: np.greater_equal,
    ast.Eq: np.equal, ast.NotEq: np.not_equal,
}  # fmt: skip


@dataclass(frozen=True)
class Expression:
    """A formula that was read."""

    text: str
    names: frozenset[str]
    """What it uses beside its own constants: t, frame, x and dials."""
    run: Compiled

    def on(self, names: Names) -> Value:
        """Its value where names have these values; what is undefined comes out as nan or inf."""
        with np.errstate(all="ignore"):
            return self.run(names)


def read_expression(text: str) -> Expression:
    """Read a formula. Raises BadFormula with a sentence and, where there is one, the column."""
    if len(text) > LONGEST:
        raise BadFormula(f"A formula may have at most {LONGEST} characters; this one has {len(text)}", LONGEST + 1)
    if not text.strip():
        raise BadFormula("The formula is empty; x alone lets through what lies below", 1)
    plain = text.replace("−", "-").replace("×", "*").replace("·", "*").replace("÷", "/").replace("\t", " ")
    lead = len(plain) - len(plain.lstrip(" "))
    plain = plain.lstrip(" ")
    if "\n" in plain or "\r" in plain or "\0" in plain:
        raise BadFormula("A formula is one line", 1)
    try:
        tree = ast.parse(plain, mode="eval")
    except SyntaxError as error:
        column = min(max(error.offset or 1, 1), len(plain)) + lead
        raise BadFormula(f"This can't be read from '{_near(text, column)}' on", column) from None
    except (ValueError, RecursionError, MemoryError):
        raise BadFormula("This can't be read as a formula", 1) from None
    reader = _Parser(plain, lead)
    if not reader.within(tree.body):
        raise BadFormula(f"The formula has more than {MOST_PARTS} parts; split it over two layers", 1)
    run = reader.made(tree.body, 0)
    return Expression(text, frozenset(reader.used), run)


def _near(text: str, column: int) -> str:
    return text[column - 1 : column + 11].strip() or text[-8:].strip()


class _Parser:
    """Turns the nodes of one tree into functions of arrays, refusing what is not in the list."""

    def __init__(self, plain: str, lead: int) -> None:
        self.bytes = plain.encode()
        self.lead = lead
        self.used: set[str] = set()

    def within(self, node: ast.expr) -> bool:
        """Whether the tree is small enough. Walked without recursion: it may be deep."""
        return sum(isinstance(part, ast.expr) for part in ast.walk(node)) <= MOST_PARTS

    def column(self, node: ast.expr) -> int:
        """Where a node begins, counted in characters from 1."""
        return len(self.bytes[: node.col_offset].decode(errors="ignore")) + 1 + self.lead

    def refuse(self, sentence: str, node: ast.expr) -> BadFormula:
        """An error at a node."""
        return BadFormula(sentence, self.column(node))

    def made(self, node: ast.expr, depth: int) -> Compiled:
        """The function of a node."""
        if depth > DEEPEST:
            raise self.refuse(f"Brackets and operations are nested deeper than {DEEPEST}", node)
        match node:
            case ast.Constant(value=int() | float() as number) if not isinstance(number, bool):
                return self.constant(number, node)
            case ast.Name(id=name):
                return self.name(name, node)
            case ast.UnaryOp(op=ast.USub(), operand=operand):
                inner = self.made(operand, depth + 1)
                return lambda names: -inner(names)
            case ast.UnaryOp(op=ast.UAdd(), operand=operand):
                return self.made(operand, depth + 1)
            case ast.BinOp(op=op) if type(op) in ADDED:
                return self.chained(node, depth)
            case ast.Compare(left=left, ops=ops, comparators=others) if all(type(op) in COMPARED for op in ops):
                return self.compared([left, *others], [COMPARED[type(op)] for op in ops], depth)
            case ast.IfExp(test=test, body=body, orelse=orelse):
                c, a, b = (self.made(part, depth + 1) for part in (test, body, orelse))
                return lambda names: np.where(np.not_equal(c(names), 0), a(names), b(names))
            case ast.Call(func=ast.Name(id=name), args=given, keywords=[]):
                return self.called(name, given, node, depth)
            case ast.BinOp(op=ast.BitXor()):
                raise self.refuse("'^' is not understood; write ** for a power", node)
            case ast.BoolOp():
                raise self.refuse("'and' and 'or' are not understood; multiply or add comparisons", node)
        raise self.refuse(f"'{_near(self.bytes.decode(), self.column(node) - self.lead)}' is not understood here", node)

    def chained(self, node: ast.BinOp, depth: int) -> Compiled:
        """Operations in a row, a + b − c …: the tree leans to the left, and is no deeper for it."""
        row: list[ast.BinOp] = []
        first: ast.expr = node
        while isinstance(first, ast.BinOp) and type(first.op) in ADDED:
            row.append(first)
            first = first.left
        start = self.made(first, depth + 1)
        steps = [(ADDED[type(part.op)], self.made(part.right, depth + 1)) for part in reversed(row)]

        def run(names: Names) -> Value:
            out = start(names)
            for operate, operand in steps:
                out = operate(out, operand(names))
            return out

        return run

    def constant(self, number: float, node: ast.expr) -> Compiled:
        """A number of the text."""
        try:
            value = float(number)
        except OverflowError:
            value = math.inf
        if not math.isfinite(value):
            raise self.refuse("This number is too large", node)
        return lambda names: value

    def name(self, name: str, node: ast.expr) -> Compiled:
        """A constant, or a name that gets its value later."""
        if name in CONSTANTS:
            value = CONSTANTS[name]
            return lambda names: value
        if name in FUNCTIONS:
            raise self.refuse(f"'{name}' is a function; give it values in brackets: {name}(…)", node)
        if not name.isascii() or name.startswith("_") or len(name) > 32:
            raise self.refuse(f"'{name[:32]}' is no name of a formula", node)
        self.used.add(name)
        return lambda names: names[name]

    def compared(self, parts: list[ast.expr], tests: list[Callable[..., Any]], depth: int) -> Compiled:
        """A chain of comparisons: 1 where all hold."""
        values = [self.made(part, depth + 1) for part in parts]

        def run(names: Names) -> Value:
            now = [value(names) for value in values]
            out: Value = 1.0
            for test, a, b in zip(tests, now, now[1:], strict=False):
                out = out * np.where(test(a, b), 1.0, 0.0)
            return out

        return run

    def called(self, name: str, given: list[ast.expr], node: ast.expr, depth: int) -> Compiled:
        """A function of the language."""
        function = FUNCTIONS.get(name)
        if function is None:
            raise self.refuse(f"There is no function '{name[:32]}'", node)
        if not function.least <= len(given) <= function.most:
            wanted = f"{function.least}" if function.least == function.most else f"{function.least} to {function.most}"
            raise self.refuse(f"{name} takes {wanted} value{'' if wanted == '1' else 's'}, {len(given)} given", node)
        values = [self.made(part, depth + 1) for part in given]
        return lambda names: function.run(*(value(names) for value in values))
