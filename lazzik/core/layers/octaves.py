"""Octaves of gradient noise in one dimension: the values of the lattice, and their weighted mean (see noise.py)."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from lazzik.core.hermite import fade_at
from lazzik.core.kernels import kernel
from lazzik.core.types import SampleRows, Samples

Whole = int | np.int64

EDGE = 1e-9
"""Cells: a position this little short of a cell's edge counts as on it, so that rounding can't hold a step back."""

BLOCK = 4096
"""Frames that are worked out before the next: six columns of them are 192 KiB, which a core's cache holds."""


@kernel("float64(int64, int64, int64)")
def lattice(cell: Whole, seed: Whole, octave: Whole) -> float:
    """A value in [−1, 1] for a cell: the splitmix64 finaliser of a weighted sum of the three whole numbers."""
    z = (
        np.uint64(cell) * np.uint64(0x9E3779B97F4A7C15)
        + np.uint64(seed) * np.uint64(0xD1342543DE82EF95)
        + np.uint64(octave) * np.uint64(0xA0761D6478BD642F)
        + np.uint64(0x632BE59BD9B4E019)
    )
    z = (z ^ (z >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
    z = (z ^ (z >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
    z = z ^ (z >> np.uint64(31))
    return float(z >> np.uint64(11)) * (2.0 / 9007199254740991.0) - 1.0


@kernel("void(float64[::1], int64, float64[::1], float64[::1], float64[::1])")
def _places(position: Samples, frequency: int, cell: Samples, near: Samples, far: Samples) -> None:
    """In which cells of one octave positions lie, and how much the gradients at both sides of these count there.

    Parameters
    ----------
    position : (frames,) array
        Cells of the first octave.
    cell, near, far : (frames,) arrays
        Filled: whole numbers; (1 − F(f))·f and F(f)·(f − 1).
    """
    times = float(frequency)
    for i in range(position.shape[0]):
        u = position[i] * times
        whole = np.floor(u + EDGE)
        f = u - whole
        share = fade_at(f)
        cell[i], near[i], far[i] = whole, (1.0 - share) * f, share * (f - 1.0)


@kernel("void(float64[::1], int64, int64, float64[::1], float64[::1], float64[::1])")
def _sides(cell: Samples, wrap: int, octave: int, seeds: Samples, low: Samples, high: Samples) -> None:
    """The lattice at both sides of cells. It is worked out once for all in a row that are the same, and each side once
    for the two cells that it lies between.

    Parameters
    ----------
    cell : (frames,) array
        Whole numbers.
    seeds : (1 or frames,) array
        Whole numbers, once they are rounded down.
    low, high : (frames,) arrays
        Filled, −1 to 1.
    """
    driven = seeds.shape[0] > 1
    seed, known = np.int64(math.floor(seeds[0])), np.nan
    here = after = 0.0
    for i in range(cell.shape[0]):
        planted = np.int64(math.floor(seeds[i])) if driven else seed
        if cell[i] != known or planted != seed:
            left, right = np.int64(cell[i]), np.int64(cell[i]) + 1
            if wrap > 0:
                left, right = left % wrap, right % wrap
            here = after if cell[i] == known + 1.0 and planted == seed else lattice(left, planted, octave)
            after = lattice(right, planted, octave)
            known, seed = cell[i], planted
        low[i], high[i] = here, after


@kernel("void(int64, float64[::1], float64[::1], float64[::1], float64[::1], float64[::1])")
def _octave(character: int, near: Samples, far: Samples, low: Samples, high: Samples, out: Samples) -> None:
    """Noise between the lattice values at both sides of a cell. `character` is a place in CHARACTERS.

    Parameters
    ----------
    near, far : (frames,) arrays
        As of `_places`.
    low, high : (frames,) arrays
        As of `_sides`.
    out : (frames,) array
        Filled, −1 to 1.
    """
    if character >= 3:
        out[:] = low
        return
    for i in range(out.shape[0]):
        out[i] = 2.0 * (near[i] * low[i] + far[i] * high[i])
    if character == 1:
        for i in range(out.shape[0]):
            out[i] = 2.0 * abs(out[i]) - 1.0
    elif character == 2:
        for i in range(out.shape[0]):
            out[i] = 1.0 - 2.0 * abs(out[i])


@kernel("void(float64[::1], int64, int64, float64[:, :, ::1], float64[:, ::1])")
def octaves_at(position: Samples, wrap: int, character: int, numbers: NDArray[np.float64], out: SampleRows) -> None:
    """As `octave_noise`, of several that are read at the same positions, and of frames so few that all that is written
    down between stays near the processor.

    Each octave is worked out for all positions before the next: in loops of one thing each, which a compiler lays out
    several at a time. Where the positions lie in their cells is found once for all rows.

    Parameters
    ----------
    position : (frames,) array
        Cells.
    numbers : (rows, 3 or more, 1 or frames) array
        Octaves, roughness, seed, and what is not read.
    out : (rows, frames) array
        Filled, −1 to 1.
    """
    rows, count, width = out.shape[0], out.shape[1], numbers.shape[2]
    driven = width > 1
    weight, weights, share = np.ones((rows, width)), np.zeros((rows, width)), np.empty(width)
    cell, near, far = np.empty(count), np.empty(count), np.empty(count)
    low, high, one = np.empty(count), np.empty(count), np.empty(count)
    most = 0.0
    for row in range(rows):
        for k in range(width):
            most = max(most, numbers[row, 0, k])
    out[:] = 0.0
    frequency = 1
    for j in range(math.ceil(most)):
        _places(position, frequency, cell, near, far)
        for row in range(rows):
            counts = False
            for k in range(width):
                share[k] = weight[row, k] * min(1.0, max(0.0, numbers[row, 0, k] - j))
                weights[row, k] += share[k]
                weight[row, k] *= numbers[row, 1, k]
                counts = counts or share[k] != 0.0
            if not counts:
                continue
            _sides(cell, wrap * frequency, j, numbers[row, 2], low, high)
            _octave(character, near, far, low, high, one)
            sums = out[row]
            if driven:
                for i in range(count):
                    sums[i] += share[i] * one[i]
            else:
                here = share[0]
                for i in range(count):
                    sums[i] += here * one[i]
        if character != 4:
            frequency *= 2
    for row in range(rows):
        sums, whole = out[row], weights[row]
        for i in range(count):
            sums[i] = min(1.0, max(-1.0, sums[i] / whole[i if driven else 0]))


@kernel("float64[:, ::1](float64[:, ::1], int64, int64)")
def between(numbers: Samples, first: int, end: int) -> Samples:
    """Numbers that frames from `first` to before `end` read.

    Parameters
    ----------
    numbers : (n, 1 or frames) array
        The same for all frames, or each its own.

    Returns
    -------
    (n, 1 or end − first) array
    """
    return numbers if numbers.shape[1] == 1 else np.ascontiguousarray(numbers[:, first:end])


@kernel("void(float64[::1], int64, int64, float64[:, ::1], float64[::1])")
def octave_noise(position: Samples, wrap: int, character: int, numbers: Samples, out: Samples) -> None:
    """Fill `out` with a weighted mean of octaves, in [−1, 1], at `position` (cells). `wrap` > 0 closes the lattice
    after so many cells. `character` is a place in CHARACTERS.

    Parameters
    ----------
    position : (frames,) array
        Cells.
    numbers : (3, 1 or frames) array
        Octaves, roughness, seed.
    out : (frames,) array
        Filled, −1 to 1.
    """
    for first in range(0, position.shape[0], BLOCK):
        end = min(first + BLOCK, position.shape[0])
        some = between(numbers, first, end)
        octaves_at(
            position[first:end],
            wrap,
            character,
            some.reshape((1, some.shape[0], some.shape[1])),
            out[first:end].reshape((1, end - first)),
        )
