"""The velocity of eddies at points (see eddies.py): octaves of ∇×ψ, of two patterns that turn into one another.

Over many moments what happens at one point is worked out in one go (tiles.py); of few, each point by itself. Both give
the same bits.
"""

from __future__ import annotations

import math

import numpy as np

from lazzik.core.air.field import PLACE, Rows
from lazzik.core.air.tiles import MANY, TILE, acting, columns_of, product, see_over_time, seen
from lazzik.core.air.turbulence import Whole, add_swirls, curl, potential
from lazzik.core.kernels import kernel
from lazzik.core.types import PointBlock, Samples

STRENGTH, CELLS, AXES, WAY, WRAP = PLACE, PLACE + 1, PLACE + 2, PLACE + 11, PLACE + 14
"""Columns behind PLACE: metres per second of ∇×ψ of 1, cells per metre, the axes of the lattice as rows (9), cells that
it has drifted along each (3), cells after which it is closed along the first; 0 if it is not."""

OCTAVES, ROUGHNESS, SEED, PATTERNS, CHANGE = WRAP + 1, WRAP + 2, WRAP + 3, WRAP + 4, WRAP + 6
"""Columns behind those: as the numbers of Eddies, the two patterns (2), and how far it is from one to the other."""

COLUMNS = CHANGE + 1

Triple = tuple[float, float, float]

MOST_OCTAVES = 16
"""Numbers of patterns that one of them takes up."""

ASIDE = 0.37
"""Cells by which the lattice of each octave lies aside of the one before, so that their corners do not meet."""


@kernel("UniTuple(float64, 3)(float64, float64, float64, float64, float64, int64, int64, boolean)")
def summed(
    a: float, b: float, c: float, octaves: float, roughness: float, wrap: Whole, salt: Whole, itself: bool
) -> tuple[float, float, float]:
    """∇×ψ of all octaves at a place of the lattice, or ψ itself."""
    x = y = z = 0.0
    share, frequency = 1.0, 1
    for j in range(math.ceil(octaves)):
        k = share * min(1.0, octaves - j)
        aside = ASIDE * j
        p, q, r = a * frequency, b * frequency + aside, c * frequency + aside
        if itself:
            k /= frequency
            u, v, w = potential(p, q, r, wrap * frequency, salt + j)
        else:
            u, v, w = curl(p, q, r, wrap * frequency, salt + j)
        x, y, z = x + k * u, y + k * v, z + k * w
        share *= roughness
        frequency *= 2
    return x, y, z


@kernel("UniTuple(float64, 2)(float64)")
def shares_of(s: float) -> tuple[float, float]:
    """How much each of two patterns counts on the way s from one to the other."""
    blend = 1.0 / math.sqrt((1.0 - s) * (1.0 - s) + s * s)
    return (1.0 - s) * blend, s * blend


@kernel("UniTuple(float64, 3)(float64, float64, float64, float64[::1], int64, boolean)", inlined=True)
def blended(a: float, b: float, c: float, columns: Samples, m: int, itself: bool) -> Triple:
    """∇×ψ at a place of the lattice, or ψ itself, of both patterns at a moment of a tile.

    Parameters
    ----------
    columns : (COLUMNS · TILE,) array
        Of a tile.
    """
    octaves, roughness = columns[m + OCTAVES * TILE], columns[m + ROUGHNESS * TILE]
    wrap, s = np.int64(columns[m + WRAP * TILE]), columns[m + CHANGE * TILE]
    x, y, z = summed(a, b, c, octaves, roughness, wrap, salt_of(columns, m, 0), itself)
    if s > 0.0:
        u, v, w = summed(a, b, c, octaves, roughness, wrap, salt_of(columns, m, 1), itself)
        near, far = shares_of(s)
        x, y, z = near * x + far * u, near * y + far * v, near * z + far * w
    return x, y, z


@kernel("int64(float64[::1], int64, int64)", inlined=True)
def salt_of(columns: Samples, m: int, which: int) -> int:
    """The number of the first octave of one of two patterns at a moment of a tile.

    Parameters
    ----------
    columns : (COLUMNS · TILE,) array
        Of a tile.
    """
    seed = np.int64(columns[m + SEED * TILE]) * 1_000_003
    return (seed + np.int64(columns[m + (PATTERNS + which) * TILE])) * MOST_OCTAVES  # type: ignore[return-value]


@kernel("void(float64[::1], float64[::1], int64, boolean, float64[::1])")
def blend_over_time(places: Samples, columns: Samples, count: int, itself: bool, out: Samples) -> None:
    """As `blended`, at where something is at the moments of a tile.

    Parameters
    ----------
    places : (3 · TILE,) array
        Cells.
    columns : (COLUMNS · TILE,) array
        Of a tile.
    out : (3 · TILE,) array
        Filled.
    """
    finer, another = np.empty(3 * TILE), np.empty(3 * TILE)
    salts, weights, shares = np.empty(TILE, np.int64), np.empty(TILE), np.empty(TILE)
    wrap, octaves, changing = np.int64(columns[WRAP * TILE]), 0, False
    for m in range(count):
        octaves = max(octaves, math.ceil(columns[m + OCTAVES * TILE]))
        changing = changing or columns[m + CHANGE * TILE] > 0.0
    for which in range(2 if changing else 1):
        into = another if which else out
        into[:] = 0.0
        shares[:] = 1.0
        for m in range(count):
            salts[m] = salt_of(columns, m, which)
        frequency = 1
        for j in range(octaves):
            aside = ASIDE * j
            for m in range(count):
                finer[m] = places[m] * frequency
                finer[m + TILE] = places[m + TILE] * frequency + aside
                finer[m + 2 * TILE] = places[m + 2 * TILE] * frequency + aside
            for m in range(count):
                weights[m] = shares[m] * min(1.0, max(0.0, columns[m + OCTAVES * TILE] - j))
                shares[m] *= columns[m + ROUGHNESS * TILE]
                if itself:
                    weights[m] /= frequency
            add_swirls(finer, salts, weights, wrap * frequency, itself, into, count)
            for m in range(count):
                salts[m] += 1
            frequency *= 2
    if changing:
        for m in range(count):
            near, far = shares_of(columns[m + CHANGE * TILE])
            for k in range(3):
                out[m + k * TILE] = near * out[m + k * TILE] + far * another[m + k * TILE]


@kernel("UniTuple(float64, 3)(float64[::1], int64, float64, float64, float64)", inlined=True)
def turned(columns: Samples, m: int, x: float, y: float, z: float) -> Triple:
    """Metres along the axes of the lattice.

    Parameters
    ----------
    columns : (COLUMNS · TILE,) array
        Of a tile.
    """
    return (
        product(columns, m + AXES * TILE, TILE, x, y, z),
        product(columns, m + (AXES + 3) * TILE, TILE, x, y, z),
        product(columns, m + (AXES + 6) * TILE, TILE, x, y, z),
    )


@kernel("UniTuple(float64, 3)(float64[::1], int64, float64, float64, float64)", inlined=True)
def in_cells(columns: Samples, m: int, a: float, b: float, c: float) -> Triple:
    """The place of the lattice, as it has drifted, so many metres along its axes.

    Parameters
    ----------
    columns : (COLUMNS · TILE,) array
        Of a tile.
    """
    per = columns[m + CELLS * TILE]
    return (
        a * per - columns[m + WAY * TILE],
        b * per - columns[m + (WAY + 1) * TILE],
        c * per - columns[m + (WAY + 2) * TILE],
    )


@kernel("UniTuple(float64, 3)(float64[::1], int64, float64, float64, float64)", inlined=True)
def velocity(columns: Samples, m: int, u: float, v: float, w: float) -> Triple:
    """Metres per second along the scene's axes, for the curl along those of the lattice.

    Parameters
    ----------
    columns : (COLUMNS · TILE,) array
        Of a tile.
    """
    strength = columns[m + STRENGTH * TILE]
    return (
        strength * product(columns, m + AXES * TILE, 3 * TILE, u, v, w),
        strength * product(columns, m + (AXES + 1) * TILE, 3 * TILE, u, v, w),
        strength * product(columns, m + (AXES + 2) * TILE, 3 * TILE, u, v, w),
    )


@kernel("UniTuple(float64, 3)(float64[::1], int64, UniTuple(float64, 3), UniTuple(float64, 3), float64, float64)")
def at_edge(columns: Samples, m: int, here: Triple, psi: Triple, slope: float, away: float) -> Triple:
    """What the edge of its reach adds to the curl, ∇reach × ψ, so many metres along the axes of the lattice.

    Parameters
    ----------
    columns : (COLUMNS · TILE,) array
        Of a tile.
    """
    (a, b, c), (x, y, z) = here, psi
    k = slope / (columns[m + CELLS * TILE] * away)
    return k * (b * z - c * y), k * (c * x - a * z), k * (a * y - b * x)


@kernel("void(float64[:, :, ::1], float64[::1], int64, int64, float64[:, :, ::1])")
def stir_over_time(points: PointBlock, columns: Samples, first: int, count: int, out: PointBlock) -> None:
    """As `stir`, at the moments of a tile, one point after the other.

    Parameters
    ----------
    points, out : arrays
        As of `stir`.
    columns : (COLUMNS · TILE,) array
        Of a tile.
    """
    metres, within = np.empty(3 * TILE), np.empty(3 * TILE)
    places, curls, psi = np.empty(3 * TILE), np.empty(3 * TILE), np.empty(3 * TILE)
    for n in range(out.shape[1]):
        if not see_over_time(points, first, n, count, columns, metres, within):
            continue
        for m in range(count):
            a, b, c = turned(columns, m, metres[m], metres[m + TILE], metres[m + 2 * TILE])
            places[m], places[m + TILE], places[m + 2 * TILE] = in_cells(columns, m, a, b, c)
        blend_over_time(places, columns, count, False, curls)
        edge = False
        for m in range(count):
            edge = edge or within[m + TILE] != 0.0
        if edge:
            blend_over_time(places, columns, count, True, psi)
        for m in range(count):
            share, slope = within[m], within[m + TILE]
            u, v, w = share * curls[m], share * curls[m + TILE], share * curls[m + 2 * TILE]
            if slope != 0.0:
                here = turned(columns, m, metres[m], metres[m + TILE], metres[m + 2 * TILE])
                swirl = psi[m], psi[m + TILE], psi[m + 2 * TILE]
                x, y, z = at_edge(columns, m, here, swirl, slope, within[m + 2 * TILE])
                u, v, w = u + x, v + y, w + z
            x, y, z = velocity(columns, m, u, v, w)
            out[first + m, n, 0] += x
            out[first + m, n, 1] += y
            out[first + m, n, 2] += z


@kernel("void(float64[:, :, ::1], float64[::1], int64, int64, float64[:, :, ::1])")
def stir_each(points: PointBlock, columns: Samples, first: int, count: int, out: PointBlock) -> None:
    """As `stir`, at the few moments of a tile, one after the other.

    Parameters
    ----------
    points, out : arrays
        As of `stir`.
    columns : (COLUMNS · TILE,) array
        Of a tile.
    """
    for m in range(count):
        frame = first + m if points.shape[0] > 1 else 0
        for n in range(out.shape[1]):
            x, y, z = seen(points, frame, n, columns, m)
            share, slope, away = acting(columns, m, x, y, z)
            if share == 0.0:
                continue
            a, b, c = turned(columns, m, x, y, z)
            p, q, r = in_cells(columns, m, a, b, c)
            u, v, w = blended(p, q, r, columns, m, False)
            u, v, w = share * u, share * v, share * w
            if slope != 0.0:
                x, y, z = at_edge(columns, m, (a, b, c), blended(p, q, r, columns, m, True), slope, away)
                u, v, w = u + x, v + y, w + z
            x, y, z = velocity(columns, m, u, v, w)
            out[first + m, n, 0] += x
            out[first + m, n, 1] += y
            out[first + m, n, 2] += z


@kernel("void(float64[:, :, ::1], float64[:, ::1], float64[:, :, ::1])")
def stir(points: PointBlock, rows: Rows, out: PointBlock) -> None:
    """Add the velocity of eddies to `out`.

    Parameters
    ----------
    points : (frames or 1, n, 3) array
        Metres, in the scene.
    rows : (frames, COLUMNS) array
        As `Eddies.rows` gives them.
    out : (frames, n, 3) array
        Metres per second; added to.
    """
    frames = out.shape[0]
    for first in range(0, frames, TILE):
        count = min(TILE, frames - first)
        columns = columns_of(rows, first, count)
        if frames >= MANY:
            stir_over_time(points, columns, first, count, out)
        else:
            stir_each(points, columns, first, count, out)
