"""The language of formulas: what it computes, what it says of mistakes, and what hostile texts can't do."""

from __future__ import annotations

import math
import time
import tracemalloc
from collections.abc import Callable
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from lazzik.core.channel.channel import Channel
from lazzik.core.clock import Clock
from lazzik.core.errors import BadFormula
from lazzik.core.evaluate.evaluator import number_on
from lazzik.core.layers.expression import EXAMPLES, FUNCTIONS, NAMES, read_expression
from lazzik.core.layers.formula import Formula
from lazzik.core.layers.noise import REACH, SOFT, Noise, reach_of
from tests.conftest import edited, turned

X = np.linspace(-3, 3, 25)


def value(text: str, **names: Any) -> np.ndarray:
    given_names = {"t": np.zeros(25), "frame": np.zeros(25), "x": X} | names
    return np.broadcast_to(np.asarray(read_expression(text).on(given_names), dtype=float), 25)


FORMULAS: dict[str, Callable[[Any], Any]] = {
    "1 + 2 * 3 - 4 / 8": lambda x: 6.5 + 0 * x,
    "-x ** 2": lambda x: -(x**2),
    "2 ** -1 ** 2": lambda x: 0.5 + 0 * x,
    "x % 2": lambda x: np.array([v - 2 * math.floor(v / 2) for v in x]),
    "x × 2 − 1 ÷ 4": lambda x: 2 * x - 0.25,
    "(x > 1) + (x <= -1) * 2": lambda x: np.array([float(v > 1) + 2 * float(v <= -1) for v in x]),
    "-1 < x < 1": lambda x: np.array([float(-1 < v < 1) for v in x]),
    "x != 0": lambda x: np.array([float(v != 0) for v in x]),
    "5 if x > 0 else x": lambda x: np.array([5 if v > 0 else v for v in x]),
    "sin(x) * cos(x) + tan(x / 4)": lambda x: np.array([math.sin(v) * math.cos(v) + math.tan(v / 4) for v in x]),
    "asin(x / 4) + acos(x / 4)": lambda x: np.full_like(x, math.pi / 2),
    "atan(x) - atan2(x, 1)": lambda x: 0 * x,
    "sqrt(abs(x)) ** 2": np.abs,
    "log(exp(x))": lambda x: x,
    "sign(x)": np.sign,
    "floor(x) + ceil(x)": lambda x: np.array([math.floor(v) + math.ceil(v) for v in x]),
    "fract(x)": lambda x: np.array([v - math.floor(v) for v in x]),
    "min(x, 1, 2) + max(x, -1)": lambda x: np.array([min(v, 1) + max(v, -1) for v in x]),
    "clamp(x, -1, 2)": lambda x: np.clip(x, -1, 2),
    "mix(10, 20, x)": lambda x: 10 + 10 * x,
    "step(1, x)": lambda x: np.array([0.0 if v < 1 else 1.0 for v in x]),
    "smoothstep(0, 2, x)": lambda x: np.array([(u := min(max(v / 2, 0), 1)) * u * (3 - 2 * u) for v in x]),
    "mod(x, 3)": lambda x: np.array([v - 3 * math.floor(v / 3) for v in x]),
    "pi + tau": lambda x: np.full_like(x, 3 * math.pi),
}


@pytest.mark.parametrize("text", FORMULAS)
def test_formulas_are_what_they_say(text: str) -> None:
    np.testing.assert_allclose(value(text), FORMULAS[text](X), atol=1e-12)


def test_every_function_is_tried_and_explained() -> None:
    tried = " ".join(FORMULAS) + " noise("
    assert [name for name in FUNCTIONS if f"{name}(" not in tried] == []
    assert all(function.help for function in FUNCTIONS.values())
    for text, _ in EXAMPLES:
        assert read_expression(text).names <= set(NAMES)


def test_noise_in_a_formula_is_that_of_the_layer() -> None:
    clock = Clock.over(30, 0, 90)
    layer = Noise(kind="noise", id="n", label="n", amplitude=1.0, period=0.5, seed=7.0)
    formula = Formula(kind="formula", id="f", label="f", text="noise(t / 0.5, 7)")
    low, high = reach_of(REACH[0], 1.0, 0.5)
    a, b = (np.asarray(number_on(Channel(layers=(item,)), clock)) for item in (layer, formula))
    mapped = (2 * b - high - low) / (high - low)
    inside = np.abs(mapped) <= SOFT
    assert 0.5 < inside.mean() < 1
    np.testing.assert_allclose(a[inside], mapped[inside], atol=1e-12)


MISTAKES = {
    "": ("empty", 1),
    "x +": ("can't be read", None),
    "x + y2)": ("can't be read", 7),
    "x + sin": ("'sin' is a function", 5),
    "2 * cosine(x)": ("no function 'cosine'", 5),
    "atan2(x)": ("atan2 takes 2 values, 1 given", 1),
    "min(x)": ("min takes 2 to 8 values", 1),
    "x ^ 2": ("write ** for a power", 1),
    "x and 1": ("'and' and 'or' are not understood", 1),
    "t.real": ("is not understood", 1),
    "x[0]": ("is not understood", 1),
    "é + __import__": ("is no name", 1),
    "1e999 + x": ("too large", 1),
    "x if t": ("can't be read", None),
    "sin(x=1)": ("is not understood", 1),
    "ä × x + 'a'": ("is no name", 1),
    "x + 'tea'": ("is not understood", 5),
    "x\n+1": ("one line", 1),
    "True + x": ("is not understood", 1),
    "+".join(["x"] * 150): ("more than 200 parts", 1),
    "x" * 401: ("at most 400 characters", 401),
}  # fmt: skip


@pytest.mark.parametrize("text", MISTAKES)
def test_a_mistake_is_said_with_its_column(text: str) -> None:
    sentence, column = MISTAKES[text]
    with pytest.raises(BadFormula) as told:
        read_expression(text)
    assert sentence in told.value.message
    assert told.value.column == column if column else told.value.column >= 1


def test_a_value_that_is_not_finite_names_its_frame() -> None:
    formula = Formula(kind="formula", id="f", label="Split", text="1 / (frame - 40)")
    with pytest.raises(BadFormula, match="'Split' has no finite value at frame 40"):
        number_on(Channel(layers=(formula,)), Clock.over(30, 0, 90))


def test_a_layer_holds_only_formulas_that_can_be_read() -> None:
    with pytest.raises(ValidationError, match="no function 'open'"):
        Formula(kind="formula", id="f", label="f", text="open(1)")
    scene = edited(turned(3.0), {"do": "add-layer", "address": "post/rotation.z", "kind": "formula"})
    assert scene.by_id["post"].rotation.z.layers[0].text == "x + 8 * sin(tau * t / 2)"  # type: ignore[union-attr]


WORDS = ["__import__('os').system('true')", "().__class__.__bases__[0].__subclasses__()", "open('/etc/passwd').read()",
         "exec('1')", "eval('1')", "globals()", "locals()", "vars()", "dir()", "getattr(x, 'dtype')", "x.__class__",
         "x.tofile('/tmp/out')", "(lambda: 1)()", "[x for x in (1,2)]", "{1: 2}", "{1, 2}", "(x, t)", "[x]", "f'{x}'",
         "'a' * 999999999", "b'a'", "1j", "...", "None", "True", "not x", "~x", "x @ x", "x // 2", "x << 9", "x | 1",
         "x & 1", "x is x", "x in x", "(y := 3)", "await x", "yield", "yield x", "lambda: x", "print(x)", "input()",
         "breakpoint()", "help()", "type(x)", "object()", "sin.__globals__", "sin(*[x])", "sin(**{})", "x[0:1]",
         "x[...]",
         "*x", "min(*x)", "min(x, key=abs)", "import os", "x = 1", "x; t", "del x", "pass", "return x", "assert x",
         "raise x", "class A: pass", "def f(): pass", "for i in x: i", "while x: x", "with x: x", "try: x", "@x",
         "__builtins__", "__name__", "__debug__", "_", "__", "os", "np", "numpy", "self", "names", "run",
         "math.pi"]  # fmt: skip

HOSTILE = [
    *WORDS,
    *(f"sin({word})" for word in WORDS),
    *(f"1 + {word} * 2" for word in WORDS),
    "(" * 150 + "x" + ")" * 150, "-" * 390 + "x", "((((" * 90, "x" + "**x" * 120, "9" * 399, "9**" * 130 + "9",
    "1e308 ** 1e308", "sin(" * 60 + "x" + ")" * 60, "x if x else " * 30 + "x", "\0", "x\0", "\ud800", "x\u2028+1",
    "﷽" * 90,
    "ｅｖａｌ(1)", "𝓮𝔁𝓮𝓬(1)", "x" + " " * 380 + "!", "#", "x # comment", "\\", "'", '"', '"""',
    "'''" * 9, "`x`", "$x", "?",
    "0x" + "f" * 390, "1_000", "0b2", "08", "1.2.3", "..", "1..", "e9", "1e", "min(" + "x," * 190 + "x)",
    "noise(1e300, 1e300)", "noise(x, -1)", "noise(log(-1))", "floor(1e300 ** 2)", "mod(x, 0)", "x % 0", "x / 0",
    "0 ** -1",
    "<script>alert(1)</script>", "{{ x }}", "{% x %}", "../../etc/passwd", "'; drop table scene; --", "%s%n%x",
]  # fmt: skip


def test_hostile_texts_reach_nothing_and_cost_nothing() -> None:
    assert len(HOSTILE) >= 200
    clock = Clock.over(30, 0, 250, per_frame=4)
    read = 0
    for text in HOSTILE:
        tracemalloc.start()
        began = time.process_time()
        try:
            formula = Formula(kind="formula", id="f", label="f", text=text)
            out = number_on(Channel(layers=(formula,)), clock)
            assert np.all(np.isfinite(out))
            read += 1
        except (BadFormula, ValidationError):
            pass
        spent, (_, peak) = time.process_time() - began, tracemalloc.get_traced_memory()
        tracemalloc.stop()
        assert spent < 0.05 * SLOW, text
        assert peak < 50 * 2**20, text
    assert read < 20  # the few that are arithmetic after all


SLOW = 4
"""The tracing of memory makes everything several times slower than it is."""


ALPHABET = st.sampled_from(
    [*"xt0129.+-*/%()<>=!, _'\"[]{}:;#@\\é−×", *FUNCTIONS, *NAMES, " if ", " else ", "**", "lambda"]
)


@given(st.lists(ALPHABET, max_size=60).map("".join) | st.text(max_size=120))
def test_any_text_is_read_or_refused_with_a_column(text: str) -> None:
    try:
        expression = read_expression(text)
    except BadFormula as error:
        column = error.column
    else:
        column, names = 1, dict.fromkeys(expression.names, X)
        assert np.broadcast_to(np.asarray(expression.on(names), dtype=float), 25).shape == (25,)
    assert 0 <= column <= 401


def test_a_sum_of_sixty_terms_is_no_deep_nesting() -> None:
    text = " + ".join(f"x * {n}" for n in range(1, 61))
    np.testing.assert_allclose(value(text[:400].rsplit(" + ", 1)[0]), X * sum(range(1, 1 + text[:400].count("+"))))
    np.testing.assert_allclose(value(" - ".join(["x"] * 60)), X * (1 - 59))
    np.testing.assert_allclose(value("+".join(["x"] * 60)), 60 * X)
