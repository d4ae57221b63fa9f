"""Gradient noise in two and three dimensions, and the curl of three such noises.

After K. Perlin ('Improving noise', SIGGRAPH 2002): within a cell, f the place in it, c its corners,

    n = Σ_c w_c · (g_c · (f − c)),   w_c = Π_k (c_k ? F(f_k) : 1 − F(f_k)),   F(f) = f³(6f² − 15f + 10)

The gradients g are unit vectors from a short table, which row a corner has by a hash of its place: the splitmix64
finaliser (Steele, Lea, Flood, OOPSLA 2014), the same on every machine. A row holds the gradients of three noises ψ, and
the curl that they would have if they were straight, so that

    ∇×ψ = Σ_c ∇w_c × (G_c (f − c)) + w_c · curl G_c

costs one hash a corner (R. Bridson, J. Hourihan, M. Nordenstam, 'Curl-noise for procedural fluid flow', SIGGRAPH 2007).
What stays in a cell for some moments costs it once (tiles.py).
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from lazzik.core.air.tiles import TILE
from lazzik.core.hermite import fade_at
from lazzik.core.kernels import kernel
from lazzik.core.types import Samples

Table = NDArray[np.float64]
Whole = int | np.int64 | np.uint64

Corners2 = tuple[Whole, Whole, Whole, Whole]
Corners = tuple[Whole, Whole, Whole, Whole, Whole, Whole, Whole, Whole]
"""Of each corner of a cell of two or three dimensions, its row of the gradients' tables."""

ROWS = 256
"""Gradients in the tables: what stays at hand of a processor."""

MASK = 2**64 - 1


def _unit(row: int, purpose: int) -> float:
    """A number in [0, 1) for a row of the table."""
    z = (row * 0x9E3779B97F4A7C15 + purpose * 0xD1342543DE82EF95 + 0x632BE59BD9B4E019) & MASK
    z = ((z ^ (z >> 30)) * 0xBF58476D1CE4E5B9) & MASK
    z = ((z ^ (z >> 27)) * 0x94D049BB133111EB) & MASK
    return ((z ^ (z >> 31)) >> 11) * 2.0**-53


def _gradients() -> Table:
    """Three unit vectors a row, even over the sphere, and the curl of the noises that they would be the slopes of.

    Returns
    -------
    (ROWS, 12) array
        Gradients of ψx, ψy and ψz, then ∂yψz − ∂zψy, ∂zψx − ∂xψz, ∂xψy − ∂yψx.
    """
    table = np.empty((ROWS, 12))
    for row in range(ROWS):
        for k in range(3):
            height, turn = 2.0 * _unit(row, 2 * k) - 1.0, 2.0 * math.pi * _unit(row, 2 * k + 1)
            level = math.sqrt(1.0 - height * height)
            table[row, 3 * k : 3 * k + 3] = level * math.cos(turn), level * math.sin(turn), height
    x, y, z = table[:, 0:3], table[:, 3:6], table[:, 6:9]
    table[:, 9], table[:, 10], table[:, 11] = z[:, 1] - y[:, 2], x[:, 2] - z[:, 0], y[:, 0] - x[:, 1]
    return table


GRADIENTS = _gradients()

AROUND = np.array([[math.cos(2 * math.pi * k / ROWS), math.sin(2 * math.pi * k / ROWS)] for k in range(ROWS)])
"""(ROWS, 2) directions in a plane."""


A, B, C, SALT = (
    np.uint64(0x9E3779B97F4A7C15), np.uint64(0xD1342543DE82EF95), np.uint64(0xA0761D6478BD642F),
    np.uint64(0xC2B2AE3D27D4EB4F),
)  # fmt: skip
"""By which the places along the axes, and a pattern's number, are multiplied: their sum is a corner's hash before it is
mixed. Sums are taken apart, so that the eight corners of a cell cost six products."""

MIXED = np.uint64(0xBF58476D1CE4E5B9)
HALF, TOP = np.uint64(32), np.uint64(56)


@kernel("uint64(uint64)")
def row_of(hashed: Whole) -> int:
    """The row of the gradients' tables, one of 256, for the hash of a corner."""
    return ((hashed ^ (hashed >> HALF)) * MIXED) >> TOP  # type: ignore[return-value]


@kernel("int64(int64, int64)")
def wrapped(cell: Whole, wrap: Whole) -> int:
    """A place of the lattice that is closed after so many cells; as it is where that is 0."""
    return cell % wrap if wrap > 0 else cell  # type: ignore[return-value]


@kernel("UniTuple(uint64, 4)(int64, int64, int64, int64)")
def corners_2(i: Whole, j: Whole, wrap: Whole, salt: Whole) -> Corners2:
    """The rows of AROUND for the corners of a cell of two dimensions, the first axis fastest."""
    x0 = np.uint64(wrapped(i, wrap)) * A + np.uint64(salt) * SALT
    x1 = np.uint64(wrapped(i + 1, wrap)) * A + np.uint64(salt) * SALT
    y0 = np.uint64(j) * B
    y1 = y0 + B
    return row_of(x0 + y0), row_of(x1 + y0), row_of(x0 + y1), row_of(x1 + y1)


@kernel("float64(UniTuple(uint64, 4), float64, float64)", inlined=True)
def noise_2_within(at: Corners2, u: float, v: float) -> float:
    """Noise of two dimensions at a place within a cell."""
    fu, fv = fade_at(u), fade_at(v)
    gu, gv, u1, v1 = 1.0 - fu, 1.0 - fv, u - 1.0, v - 1.0
    total: float = gu * gv * (AROUND[at[0], 0] * u + AROUND[at[0], 1] * v)
    total += fu * gv * (AROUND[at[1], 0] * u1 + AROUND[at[1], 1] * v)
    total += gu * fv * (AROUND[at[2], 0] * u + AROUND[at[2], 1] * v1)
    total += fu * fv * (AROUND[at[3], 0] * u1 + AROUND[at[3], 1] * v1)
    return total


@kernel("float64(float64, float64, int64, int64)")
def noise_2(a: float, b: float, wrap: Whole, salt: Whole) -> float:
    """Noise of two dimensions, |n| ≤ 1/√2; closed along the first after `wrap` cells."""
    i, j = np.int64(math.floor(a)), np.int64(math.floor(b))
    return noise_2_within(corners_2(i, j, wrap, salt), a - i, b - j)


@kernel("void(UniTuple(uint64, 4), float64, float64, float64[::1], float64[::1], int64)")
def _noise_2_within(at: Corners2, i: float, j: float, places: Samples, out: Samples, count: Whole) -> None:
    """Noise of two dimensions at the first `count` places, all within one cell: several at a time.

    Parameters
    ----------
    places, out : arrays
        As of `noise_2_over_time`, from one of its moments on.
    """
    for m in range(count):
        out[m] = noise_2_within(at, places[m] - i, places[m + TILE] - j)


@kernel("void(float64[::1], int64[::1], int64, float64[::1], int64)")
def noise_2_over_time(places: Samples, salts: NDArray[np.int64], wrap: Whole, out: Samples, count: Whole) -> None:
    """Noise of two dimensions at where something is at moments that follow each other, as `add_swirls`.

    Parameters
    ----------
    places : (2 · TILE,) array
        Cells along the first axis at each moment, then along the second.
    salts : (TILE,) array
        The pattern at each moment.
    out : (TILE,) array
        Filled.
    count : int
        How many moments there are, at most TILE.
    """
    first = 0
    while first < count:
        i, j, salt = np.floor(places[first]), np.floor(places[first + TILE]), salts[first]
        end = first + 1
        while end < count and salts[end] == salt and np.floor(places[end]) == i and np.floor(places[end + TILE]) == j:
            end += 1
        at = corners_2(np.int64(i), np.int64(j), wrap, salt)
        _noise_2_within(at, i, j, places[first:], out[first:], end - first)
        first = end


@kernel("float64(float64, float64, float64, int64, int64)")
def noise_3(a: float, b: float, c: float, wrap: Whole, salt: Whole) -> float:
    """Noise of three dimensions, closed along the last after `wrap` cells."""
    i, j, k = np.int64(math.floor(a)), np.int64(math.floor(b)), np.int64(math.floor(c))
    u, v, w = a - i, b - j, c - k
    fu, fv, fw = fade_at(u), fade_at(v), fade_at(w)
    total = 0.0
    for corner in range(8):
        x, y, z = corner & 1, (corner >> 1) & 1, corner >> 2
        hashed = np.uint64(i + x) * A + np.uint64(j + y) * B + np.uint64(wrapped(k + z, wrap)) * C
        row = row_of(hashed + np.uint64(salt) * SALT)
        weight = (fu if x else 1.0 - fu) * (fv if y else 1.0 - fv) * (fw if z else 1.0 - fw)
        total += weight * (GRADIENTS[row, 0] * (u - x) + GRADIENTS[row, 1] * (v - y) + GRADIENTS[row, 2] * (w - z))
    return total


@kernel("UniTuple(float64, 3)(uint64, float64, float64, float64)", inlined=True)
def straight(row: Whole, x: float, y: float, z: float) -> tuple[float, float, float]:
    """The three noises that the gradients of a corner alone would make, so far from it."""
    return (
        GRADIENTS[row, 0] * x + GRADIENTS[row, 1] * y + GRADIENTS[row, 2] * z,
        GRADIENTS[row, 3] * x + GRADIENTS[row, 4] * y + GRADIENTS[row, 5] * z,
        GRADIENTS[row, 6] * x + GRADIENTS[row, 7] * y + GRADIENTS[row, 8] * z,
    )


@kernel(
    "UniTuple(float64, 3)(uint64, float64, float64, float64, float64, float64, float64, float64, float64, float64,"
    " float64)",
    inlined=True,
)
def with_corner(
    row: Whole, x: float, y: float, z: float, weight: float, along: float, up: float, across: float,
    cx: float, cy: float, cz: float,
) -> tuple[float, float, float]:  # fmt: skip
    """A curl with what a corner adds to it: its weight, the slopes of that, and how far the place is from it."""
    px, py, pz = straight(row, x, y, z)
    return (
        cx + up * pz - across * py + weight * GRADIENTS[row, 9],
        cy + across * px - along * pz + weight * GRADIENTS[row, 10],
        cz + along * py - up * px + weight * GRADIENTS[row, 11],
    )


@kernel("UniTuple(uint64, 8)(int64, int64, int64, int64, int64)")
def corners(i: Whole, j: Whole, k: Whole, wrap: Whole, salt: Whole) -> Corners:
    """The rows of the gradients' tables for the corners of a cell, the first axis fastest; closed along that after
    `wrap` cells."""
    x0 = np.uint64(wrapped(i, wrap)) * A + np.uint64(salt) * SALT
    x1 = np.uint64(wrapped(i + 1, wrap)) * A + np.uint64(salt) * SALT
    y0, z0 = np.uint64(j) * B, np.uint64(k) * C
    y1, z1 = y0 + B, z0 + C
    return (
        row_of(x0 + y0 + z0), row_of(x1 + y0 + z0), row_of(x0 + y1 + z0), row_of(x1 + y1 + z0),
        row_of(x0 + y0 + z1), row_of(x1 + y0 + z1), row_of(x0 + y1 + z1), row_of(x1 + y1 + z1),
    )  # fmt: skip


@kernel("UniTuple(float64, 3)(UniTuple(uint64, 8), float64, float64, float64)", inlined=True)
def curl_within(at: Corners, u: float, v: float, w: float) -> tuple[float, float, float]:
    """∇×ψ at a place within a cell. The corners are written out: this is where the time of the air goes."""
    fu, fv, fw = fade_at(u), fade_at(v), fade_at(w)
    gu, gv, gw = 1.0 - fu, 1.0 - fv, 1.0 - fw
    su, sv, sw = 30.0 * (u * (1.0 - u)) ** 2, 30.0 * (v * (1.0 - v)) ** 2, 30.0 * (w * (1.0 - w)) ** 2
    u1, v1, w1 = u - 1.0, v - 1.0, w - 1.0
    gg, fg, gf, ff = gv * gw, fv * gw, gv * fw, fv * fw
    vg, vf, wg, wf = sv * gw, sv * fw, sw * gv, sw * fv
    x = y = z = 0.0
    x, y, z = with_corner(at[0], u, v, w, gu * gg, -su * gg, -gu * vg, -gu * wg, x, y, z)
    x, y, z = with_corner(at[1], u1, v, w, fu * gg, su * gg, -fu * vg, -fu * wg, x, y, z)
    x, y, z = with_corner(at[2], u, v1, w, gu * fg, -su * fg, gu * vg, -gu * wf, x, y, z)
    x, y, z = with_corner(at[3], u1, v1, w, fu * fg, su * fg, fu * vg, -fu * wf, x, y, z)
    x, y, z = with_corner(at[4], u, v, w1, gu * gf, -su * gf, -gu * vf, gu * wg, x, y, z)
    x, y, z = with_corner(at[5], u1, v, w1, fu * gf, su * gf, -fu * vf, fu * wg, x, y, z)
    x, y, z = with_corner(at[6], u, v1, w1, gu * ff, -su * ff, gu * vf, gu * wf, x, y, z)
    x, y, z = with_corner(at[7], u1, v1, w1, fu * ff, su * ff, fu * vf, fu * wf, x, y, z)
    return x, y, z


@kernel("UniTuple(float64, 3)(float64, float64, float64, int64, int64)")
def curl(a: float, b: float, c: float, wrap: Whole, salt: Whole) -> tuple[float, float, float]:
    """∇×ψ at a place of the lattice, closed along its first axis after `wrap` cells."""
    i, j, k = np.int64(math.floor(a)), np.int64(math.floor(b)), np.int64(math.floor(c))
    return curl_within(corners(i, j, k, wrap, salt), a - i, b - j, c - k)


@kernel("UniTuple(float64, 3)(UniTuple(uint64, 8), float64, float64, float64)", inlined=True)
def potential_within(at: Corners, u: float, v: float, w: float) -> tuple[float, float, float]:
    """ψ at a place within a cell."""
    fu, fv, fw = fade_at(u), fade_at(v), fade_at(w)
    px = py = pz = 0.0
    for corner in range(8):
        x, y, z = corner & 1, (corner >> 1) & 1, corner >> 2
        ax, ay, az = straight(at[corner], u - x, v - y, w - z)
        weight = (fu if x else 1.0 - fu) * (fv if y else 1.0 - fv) * (fw if z else 1.0 - fw)
        px, py, pz = px + weight * ax, py + weight * ay, pz + weight * az
    return px, py, pz


@kernel("UniTuple(float64, 3)(float64, float64, float64, int64, int64)")
def potential(a: float, b: float, c: float, wrap: Whole, salt: Whole) -> tuple[float, float, float]:
    """ψ itself, where `curl` gives its curl."""
    i, j, k = np.int64(math.floor(a)), np.int64(math.floor(b)), np.int64(math.floor(c))
    return potential_within(corners(i, j, k, wrap, salt), a - i, b - j, c - k)


@kernel("void(UniTuple(uint64, 8), float64, float64, float64, float64[::1], float64[::1], float64[::1], int64)")
def _potentials_within(
    at: Corners, i: float, j: float, k: float, places: Samples, weights: Samples, out: Samples, count: Whole
) -> None:
    """As `_curls_within`, of ψ itself.

    Parameters
    ----------
    places, weights, out : arrays
        As of `add_swirls`, from one of its moments on.
    """
    for m in range(count):
        x, y, z = potential_within(at, places[m] - i, places[m + TILE] - j, places[m + 2 * TILE] - k)
        out[m] += weights[m] * x
        out[m + TILE] += weights[m] * y
        out[m + 2 * TILE] += weights[m] * z


@kernel("void(UniTuple(uint64, 8), float64, float64, float64, float64[::1], float64[::1], float64[::1], int64)")
def _curls_within(
    at: Corners, i: float, j: float, k: float, places: Samples, weights: Samples, out: Samples, count: Whole
) -> None:
    """Add ∇×ψ at the first `count` places, all within one cell, to `out`: several at a time.

    Parameters
    ----------
    places, weights, out : arrays
        As of `add_swirls`, from one of its moments on.
    """
    for m in range(count):
        x, y, z = curl_within(at, places[m] - i, places[m + TILE] - j, places[m + 2 * TILE] - k)
        out[m] += weights[m] * x
        out[m + TILE] += weights[m] * y
        out[m + 2 * TILE] += weights[m] * z


@kernel("void(float64[::1], int64[::1], float64[::1], int64, boolean, float64[::1], int64)")
def add_swirls(
    places: Samples, salts: NDArray[np.int64], weights: Samples, wrap: Whole, itself: bool, out: Samples, count: Whole
) -> None:
    """Add ∇×ψ to `out`, or ψ itself, at where something is at moments that follow each other: it stays in a cell for a
    while, whose corners are looked up once.

    Parameters
    ----------
    places : (3 · TILE,) array
        Cells along the first axis at each moment, then along the second, then along the third.
    salts : (TILE,) array
        The pattern at each moment.
    weights : (TILE,) array
        How much it counts.
    out : (3 · TILE,) array
        As `places`; added to.
    count : int
        How many moments there are, at most TILE.
    """
    first = 0
    while first < count:
        i, j, k = np.floor(places[first]), np.floor(places[first + TILE]), np.floor(places[first + 2 * TILE])
        end = first + 1
        while (
            end < count
            and salts[end] == salts[first]
            and np.floor(places[end]) == i
            and np.floor(places[end + TILE]) == j
            and np.floor(places[end + 2 * TILE]) == k
        ):
            end += 1
        at = corners(np.int64(i), np.int64(j), np.int64(k), wrap, salts[first])
        if itself:
            _potentials_within(at, i, j, k, places[first:], weights[first:], out[first:], end - first)
        else:
            _curls_within(at, i, j, k, places[first:], weights[first:], out[first:], end - first)
        first = end
