"""The curve through keys: glTF's spline, Fritsch and Carlson's slopes, ends and steps."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError
from scipy.interpolate import CubicHermiteSpline

from lazzik.core.channel.channel import Channel
from lazzik.core.channel.keys import Key, automatic_slopes, curve_through
from tests.strategies import numbers


def at(curve_keys: tuple[Key, ...], *frames: float, fps: float = 25) -> list[float]:
    values: list[float] = curve_through(curve_keys, fps).at(np.array(frames), fps).tolist()
    return values


@given(st.lists(st.tuples(numbers(-10, 10), numbers(-40, 40)), min_size=2, max_size=7), numbers(1, 60))
def test_cubics_are_hermite_splines_with_slopes_a_second(points: list[tuple[float, float]], fps: float) -> None:
    frames = np.cumsum(np.linspace(1, 9, len(points)))
    made = tuple(
        Key(frame=float(f), value=v, slope_in=m, slope_out=m) for f, (v, m) in zip(frames, points, strict=True)
    )
    x = np.linspace(frames[0], frames[-1], 101)
    expected = CubicHermiteSpline(frames / fps, [v for v, _ in points], [m for _, m in points])(x / fps)
    np.testing.assert_allclose(curve_through(made, fps).at(x, fps), expected, atol=1e-9)


def test_steps_lines_and_ends() -> None:
    made = (
        Key(frame=10, value=1, go="step"),
        Key(frame=20, value=5, go="linear"),
        Key(frame=30, value=7, slope_in=3, slope_out=3),
    )
    assert at(made, 0, 10, 19.999, 20, 25, 30, 99) == [1, 1, 1, 5, 6, 7, 7]


@given(st.lists(numbers(-20, 20), min_size=2, max_size=9))
def test_automatic_slopes_never_overshoot(values: list[float]) -> None:
    made = tuple(Key(frame=float(3 * i), value=v) for i, v in enumerate(values))
    for i, (a, b) in enumerate(pairwise(values)):
        between = at(made, *np.linspace(3 * i, 3 * i + 3, 31))
        assert min(between) >= min(a, b) - 1e-9
        assert max(between) <= max(a, b) + 1e-9


def test_automatic_slopes_are_fritsch_and_carlsons() -> None:
    """A hand-worked row: an extreme, a flat stretch, and a pair beyond the circle of radius 3."""
    slopes = automatic_slopes(np.array([0.0, 1, 2, 3, 4]), np.array([0.0, 10, 10.5, 10.5, 4]))
    assert slopes[2] == slopes[3] == 0  # beside the flat stretch
    rise = 0.5
    a, b = 5.25 / rise, 0.0  # three-point slope at 1 over the second stretch's rise
    assert slopes[1] == pytest.approx(3 / np.hypot(a, b) * 5.25)


def test_keys_out_of_order_are_refused() -> None:
    with pytest.raises(ValidationError, match="keys must rise in time: 5 follows 9"):
        Channel(keys=(Key(frame=9, value=0), Key(frame=5, value=0)))
