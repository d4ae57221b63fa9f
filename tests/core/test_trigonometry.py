"""Sine and cosine of our own beside those of the C library, which are worked out otherwise and in longer numbers."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
import pytest

from lazzik.core.trigonometry import rounded_sine_and_cosine, sine_and_cosine


@pytest.mark.parametrize("function", [sine_and_cosine, rounded_sine_and_cosine])
@pytest.mark.parametrize("reach", [1e-3, 1.0, 100.0, 1e4, 1e6])
def test_both_are_right_to_the_last_place(reach: float, function: Callable[[float], tuple[float, float]]) -> None:
    angles = np.random.default_rng(int(reach)).uniform(-reach, reach, 20_000)
    found = np.array([function(angle) for angle in angles])
    exact = np.stack([np.sin(angles.astype(np.longdouble)), np.cos(angles.astype(np.longdouble))], 1)
    assert np.abs(found - exact).max() < 3e-16


def test_rounded_at_each_step_it_has_the_bits_of_plain_python() -> None:
    angles = np.random.default_rng(3).uniform(-30.0, 30.0, 2_000)
    plain = [rounded_sine_and_cosine.py_func(angle) for angle in angles]  # type: ignore[attr-defined]
    np.testing.assert_array_equal([rounded_sine_and_cosine(angle) for angle in angles], plain)
    assert not np.array_equal([sine_and_cosine(angle) for angle in angles], plain)


def test_quarter_turns_and_nothing_are_exact_and_both_lie_on_the_circle() -> None:
    assert sine_and_cosine(0.0) == (0.0, 1.0)
    for quarter in range(-8, 9):
        sine, cosine = sine_and_cosine(quarter * math.pi / 2)
        assert sine == pytest.approx(math.sin(quarter * math.pi / 2), abs=1e-15)
        assert cosine == pytest.approx(math.cos(quarter * math.pi / 2), abs=1e-15)
    for angle in np.linspace(-20.0, 20.0, 999):
        sine, cosine = sine_and_cosine(angle)
        assert math.hypot(sine, cosine) == pytest.approx(1.0, abs=3e-16)
        assert sine_and_cosine(-angle) == (-sine, cosine)


def test_far_on_it_is_off_by_no_more_than_the_angle_itself_is_worth() -> None:
    for angle in (1e7 + 0.3, -1e9, 123_456_789_012.5):
        sine, cosine = sine_and_cosine(angle)
        assert sine == pytest.approx(math.sin(angle), abs=2 * math.ulp(angle))
        assert cosine == pytest.approx(math.cos(angle), abs=2 * math.ulp(angle))


def test_no_angle_has_no_sine() -> None:
    assert all(math.isnan(value) for angle in (math.inf, math.nan) for value in sine_and_cosine(angle))
