"""Values and slopes of given keys, and which way keys should go, against linear programming over another library's
cubics."""

from __future__ import annotations

import numpy as np
import pytest
from numpy.typing import NDArray
from scipy.interpolate import CubicHermiteSpline
from scipy.optimize import linprog

from lazzik.core.fitting.chebyshev import solve, solve_with_pulls

Row = NDArray[np.float64]
Keys = NDArray[np.int64]


def walk(seed: int) -> tuple[Row, Keys]:
    """A random walk, smoothed, and keys here and there."""
    rng = np.random.default_rng(seed)
    y = np.convolve(np.cumsum(rng.normal(size=160)), np.hanning(11) / np.hanning(11).sum(), "valid")
    inner = np.sort(rng.choice(np.arange(4, len(y) - 8, 4), size=int(rng.integers(2, 8)), replace=False))
    return y, np.concatenate([[0], inner, [len(y) - 1]])


def smallest_error(y: Row, keys: Keys, held: bool) -> float:
    """Of all values and slopes, the ends with the samples' values, and level if they are held."""
    rows, count = np.arange(len(y)), len(keys)
    unit = np.eye(2 * count)
    basis = np.stack([CubicHermiteSpline(keys, one[:count], one[count:])(rows) for one in unit], axis=1)
    above = np.hstack([basis, -np.ones((len(y), 1))])
    below = np.hstack([-basis, -np.ones((len(y), 1))])
    bounds: list[tuple[float | None, float | None]] = [(None, None)] * (2 * count) + [(0, None)]
    bounds[0], bounds[count - 1] = (y[0], y[0]), (y[-1], y[-1])
    if held:
        bounds[count] = bounds[2 * count - 1] = (0.0, 0.0)
    aim = np.append(np.zeros(2 * count), 1.0)
    solved = linprog(aim, np.concatenate([above, below]), np.concatenate([y, -y]), bounds=bounds)
    return float(solved.fun)


@pytest.mark.parametrize("held", [False, True])
@pytest.mark.parametrize("seed", range(10))
def test_what_any_values_and_slopes_can_meet_is_met(seed: int, held: bool) -> None:
    y, keys = walk(seed)
    least = smallest_error(y, keys, held)
    values, slopes = y[keys], np.zeros(len(keys))
    worst = solve(y, keys, 0, len(keys) - 1, values, slopes, held, held, 1.002 * least)
    assert worst <= 1.002 * least
    off = np.abs(CubicHermiteSpline(keys, values, slopes)(np.arange(len(y))) - y)
    assert off.max() == pytest.approx(worst, rel=1e-9)
    assert values[0] == y[0]
    assert values[-1] == y[-1]
    if held:
        assert slopes[0] == slopes[-1] == 0.0
    # and what none can is not, with something near it in their place
    worst = solve(y, keys, 0, len(keys) - 1, values, slopes, held, held, 0.998 * least)
    assert least * (1 - 1e-9) <= worst <= 2.0 * least


@pytest.mark.parametrize("scale", [1e-6, 1.0, 1e6])
def test_keys_on_neighbouring_samples_leave_slopes_open_and_break_nothing(scale: float) -> None:
    y, _ = walk(4)
    y, keys = scale * y, np.array([0, 1, 2, 3, 40, 41, 42, 90, len(y) - 1])
    least = scale * smallest_error(y / scale, keys, False)
    values, slopes = y[keys], np.zeros(len(keys))
    assert solve(y, keys, 0, len(keys) - 1, values, slopes, False, False, 1.002 * least) <= 1.002 * least
    assert np.isfinite(slopes).all()
    assert np.abs(CubicHermiteSpline(keys, values, slopes)(np.arange(len(y))) - y).max() <= 1.002001 * least


@pytest.mark.parametrize("seed", range(10))
def test_it_is_told_how_the_error_changes_as_a_key_comes_later(seed: int) -> None:
    """By how much it is larger and smaller where the key is a sample later and earlier; it may have a corner there."""
    x = np.arange(300)
    y = np.sin(x / 21 + seed) + 0.7 * np.sin(x / 34 + 2.0 * seed)
    keys = np.array([0, 52, 104, 140, 188, 244, 299]) + np.array(
        [0, *np.random.default_rng(seed).integers(-9, 9, 5), 0]
    )
    pulls = told(y, keys, 0.99, 1e-4)
    assert pulls[0] == pulls[-1] == 0.0
    assert pulls.any()
    near = 0.05 * np.abs(pulls).max()
    for j in range(1, len(keys) - 1):
        step = (np.arange(len(keys)) == j).astype(np.int64)
        here, later, earlier = (smallest_error(y, moved, False) for moved in (keys, keys + step, keys - step))
        low, high = sorted((later - here, here - earlier))
        assert low - near <= pulls[j] <= high + near


def test_nothing_is_told_where_there_is_no_hope() -> None:
    assert not told(*walk(3), 0.4, 1.0).any()


def told(y: Row, keys: Keys, part: float, close: float) -> Row:
    """What is told of a tolerance that is a part of the smallest error."""
    values, slopes, pulls = y[keys], np.zeros(len(keys)), np.zeros(len(keys))
    tolerance = part * smallest_error(y, keys, False)
    solve_with_pulls(y, keys, 0, len(keys) - 1, values, slopes, False, False, tolerance, 2.0, close, pulls)
    return pulls
