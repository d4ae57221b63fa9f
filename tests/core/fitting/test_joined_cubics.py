"""Normal equations of joined cubics, and their solution, against dense matrices over another library's cubics."""

from __future__ import annotations

import numpy as np
import pytest
from numpy.typing import NDArray
from scipy.interpolate import CubicHermiteSpline

from lazzik.core.fitting.joined_cubics import arriving, eliminate, gather, joined

Row = NDArray[np.float64]
KEYS = np.array([3, 8, 14, 31, 36, 60])
COUNT = len(KEYS)


def basis() -> Row:
    """(samples, unknowns) what each value and slope in turn, key by key, adds to the curve, but for the last sample."""
    unit = np.eye(2 * COUNT)
    return np.asarray(CubicHermiteSpline(KEYS, unit[:, ::2], unit[:, 1::2], axis=1)(np.arange(KEYS[0], KEYS[-1])).T)


def gathered(seed: int) -> tuple[Row, Row, Row, Row, Row]:
    """Weights and two right sides of the samples, the blocks of the matrix, and its two right sides."""
    rng = np.random.default_rng(seed)
    weights, one, two = rng.uniform(0.1, 2.0, (3, KEYS[-1] - KEYS[0]))
    blocks, rights = np.empty((COUNT, 7)), np.empty((COUNT, 4))
    gather(KEYS, 0, COUNT - 1, weights, one, two, blocks, rights)
    return weights, one, two, blocks, rights


def test_the_normal_equations_are_those_of_the_curve() -> None:
    weights, one, two, blocks, rights = gathered(1)
    a = basis()
    matrix = a.T @ (weights[:, None] * a)
    for k, (vv, vm, mm, *before) in enumerate(blocks):
        own = matrix[2 * k : 2 * k + 2, 2 * k : 2 * k + 2]
        assert np.allclose(own, [[vv, vm], [vm, mm]], rtol=1e-11, atol=1e-12)
        if k > 0:
            assert np.allclose(matrix[2 * k : 2 * k + 2, 2 * k - 2 : 2 * k].ravel(), before, rtol=1e-11, atol=1e-12)
    assert np.allclose(rights[:, :2].ravel(), a.T @ one, rtol=1e-11, atol=1e-12)
    assert np.allclose(rights[:, 2:].ravel(), a.T @ two, rtol=1e-11, atol=1e-12)


@pytest.mark.parametrize("hold_first", [False, True])
@pytest.mark.parametrize("hold_last", [False, True])
def test_they_are_solved_with_zero_for_what_is_held(hold_first: bool, hold_last: bool) -> None:
    weights, one, two, blocks, rights = gathered(2)
    a = basis()
    held = [0, 2 * COUNT - 2, *([1] if hold_first else []), *([2 * COUNT - 1] if hold_last else [])]
    free = [i for i in range(2 * COUNT) if i not in held]
    part = a[:, free]
    answers = np.zeros((2, 2 * COUNT))
    answers[:, free] = np.linalg.solve(part.T @ (weights[:, None] * part), part.T @ np.stack([one, two], axis=1)).T
    squared, crossed = eliminate(blocks, rights, hold_first, hold_last)
    assert np.allclose(rights[:, :2].ravel(), answers[0], rtol=1e-8, atol=1e-9)
    assert np.allclose(rights[:, 2:].ravel(), answers[1], rtol=1e-8, atol=1e-9)
    assert (rights.reshape(COUNT, 2, 2).transpose(1, 0, 2).reshape(2, -1)[:, held] == 0.0).all()
    assert squared == pytest.approx(answers[0] @ (a.T @ one), rel=1e-9)
    assert crossed == pytest.approx(answers[1] @ (a.T @ one), rel=1e-9)


def test_the_curve_and_what_a_slope_adds_to_it_are_those_of_the_basis() -> None:
    values, slopes = np.random.default_rng(3).normal(size=(2, COUNT))
    out = np.empty(KEYS[-1] - KEYS[0])
    joined(KEYS, 0, COUNT - 1, values, slopes, out)
    curve = CubicHermiteSpline(KEYS, values, slopes)(np.arange(KEYS[0], KEYS[-1]))
    assert np.allclose(out, curve, rtol=1e-12, atol=1e-12)
    weights = np.random.default_rng(4).normal(size=22)
    added = CubicHermiteSpline([0, 22], [0.0, 0.0], [0.0, 1.0])(np.arange(22))
    assert arriving(weights) == pytest.approx(weights @ added, rel=1e-11)
