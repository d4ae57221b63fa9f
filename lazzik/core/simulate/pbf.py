"""Position-based fluids: particles that are pushed apart until nowhere is denser than at rest.

M. Macklin, M. Müller, 'Position based fluids', ACM Transactions on Graphics 32 (4), 2013. With the kernel W of support
h = REACH·d for a spacing d, the density in times of that at rest, and the constraint that it must not pass 1, are

    ρᵢ = Σⱼ d³W(|xᵢ − xⱼ|)/ρ₀ + Σ_walls F(s),      Cᵢ = max(ρᵢ − 1, 0)

ρ₀ is the sum of a cubic lattice of spacing d, so that what is filled begins at rest. Each sweep takes

    λᵢ = −ω·Cᵢ / (Σₖ|∇ₖCᵢ|² + ε),      Δxᵢ = Σⱼ (λᵢ + λⱼ)·∇W

for all at once (Jacobi); as both ends of a pair act, ω < 1 keeps it from shivering.

W is Wendland's C2 kernel, 21/(2πh³)·(1 − q)⁴(4q + 1), which forms no clumps (W. Dehnen, H. Aly, 'Improving convergence
in smoothed particle hydrodynamics simulations without pairing instability', MNRAS 425, 2012); its gradient is
−20σ/h²·(1 − q)³·(xᵢ − xⱼ), without a division. A wall at a distance s counts as if the space beyond it were full: F(s)
is the share of W that lies there.

Neighbours even out their speeds (J. Monaghan, 'SPH without a tensile instability', 2000, there 'XSPH') by the share
1 − e^(−νt), each counting by |∇W|/|xᵢ − xⱼ|, whose sum over all is 1. They draw each other together by
−γ·Σⱼ∇W/|Σ∇W| of a plane surface (after M. Becker, M. Teschner, 'Weakly compressible SPH for free surface flows', 2007):
so γ is the acceleration there. Pairs act on both ends alike, so neither changes the momentum.
"""

from __future__ import annotations

import numpy as np
from numpy.polynomial import Polynomial
from numpy.typing import NDArray

from lazzik.core.kernels import kernel
from lazzik.core.types import Points, Samples

Ints = NDArray[np.int64]

REACH = 2.0
"""The support of the kernel in spacings."""

OMEGA = 0.75
"""How much of a step that would do for each alone is taken where all step at once."""

EPSILON = 1e-6
"""Keeps the step of one that has no neighbours finite."""

LEAP = 0.4
"""Spacings that one is moved in a sweep at most."""

_q = Polynomial([0.0, 1.0])
_wendland = 21.0 / (2.0 * np.pi) * (1.0 - _q) ** 4 * (4.0 * _q + 1.0)


def _beyond() -> tuple[Samples, Samples]:
    """The coefficients of F(s) = 2π∫ W(r)·r·(r − s) dr from s to 1, and of its slope, for the support 1."""
    rising = (_wendland * _q).integ()
    slope = 2.0 * np.pi * (rising - rising(1.0))
    share = slope.integ()
    return np.asarray((share - share(1.0)).coef, dtype=float), np.asarray(slope.coef, dtype=float)


WALL, WALL_SLOPE = _beyond()

OPEN = -float(WALL_SLOPE[0])
"""|Σ∇W| at a plane surface of what is full, in times of 1/h: as much as a wall there would count for."""

EVEN = 4.0 * np.pi * float((20.0 * 21.0 / (2.0 * np.pi) * (1.0 - _q) ** 3 * _q**2).integ()(1.0))
"""Σⱼ|∇W|/|xᵢ − xⱼ| in what is full, in times of 1/h²: 4π∫ 20σ(1 − r)³·r² dr."""


def lattice_density(spacing: float = 1.0 / REACH) -> float:
    """ρ₀ before it is divided by: the sum of d³W over a cubic lattice, in times of the support."""
    reach = np.arange(-int(1.0 / spacing), int(1.0 / spacing) + 1) * spacing
    away = np.sqrt(reach[:, None, None] ** 2 + reach[None, :, None] ** 2 + reach[None, None, :] ** 2).ravel()
    return float(np.sum(_wendland(away[away < 1.0]))) * spacing**3


AT_REST = lattice_density()

CELL_BITS = 21
"""Bits of a cell's number along each axis."""

MIDDLE = 1 << (CELL_BITS - 1)


def keys_of(places: Points, cell: float) -> Ints:
    """The cell that each place lies in, as one number: cells that follow each other along z do so.

    Parameters
    ----------
    places : (n, 3) array
        Metres.

    Returns
    -------
    (n,) array
    """
    steps = np.clip(np.floor(places / cell), 1 - MIDDLE, MIDDLE - 2).astype(np.int64) + MIDDLE
    keys: Ints = (steps[:, 0] << 2 * CELL_BITS) | (steps[:, 1] << CELL_BITS) | steps[:, 2]
    return keys


@kernel("int64(int64[::1], float64[:, ::1], float64, int64[::1], int64[::1])")
def find_pairs(keys: Ints, places: Points, reach: float, starts: Ints, others: Ints) -> int:
    """All pairs nearer than `reach`, each once, as far as there is room for them; how many that are.

    Sorted by cells as wide as the reach, those beside one are its own cell and the next, and three cells of each of
    four rows: where a row begins only goes on from one particle to the next.

    Parameters
    ----------
    keys : (n,) array
        The cells, ascending.
    places : (n, 3) array
        Metres.
    starts : (n + 1,) array
        Filled: where the pairs of each begin.
    others : (room,) array
        Filled: the other end of each.
    """
    n, room, found = len(keys), len(others), 0
    rows = np.array([(1 << 21), (1 << 42) - (1 << 21), 1 << 42, (1 << 42) + (1 << 21)])
    heads = np.zeros(4, dtype=np.int64)
    within = reach * reach
    for a in range(n):
        starts[a] = found
        if found == room:
            continue
        x, y, z = places[a, 0], places[a, 1], places[a, 2]
        for row in range(-1, 4):
            if row < 0:
                b, last = a + 1, keys[a] + 1
            else:
                first = keys[a] + rows[row] - 1
                b, last = heads[row], first + 2
                while b < n and keys[b] < first:
                    b += 1
                heads[row] = b
            while b < n and keys[b] <= last and found < room:
                dx, dy, dz = x - places[b, 0], y - places[b, 1], z - places[b, 2]
                if dx * dx + dy * dy + dz * dz < within:
                    others[found] = b
                    found += 1
                b += 1
    starts[n] = found
    return found


@kernel(
    "void(float64[:, ::1], int64[::1], int64[::1], float64, float64, float64[::1], float64[:, ::1], float64[::1],"
    " float64[::1])"
)
def sum_densities(
    places: Points, starts: Ints, others: Ints, support: float, scale: float, densities: Samples, gradients: Points,
    squares: Samples, slopes: Samples,
) -> None:  # fmt: skip
    """Densities and how they change.

    Parameters
    ----------
    places : (n, 3) array
        Metres.
    starts, others : (n + 1,), (pairs,) arrays
        As `find_pairs` fills them.
    scale : float
        d³·21/(2πh³)/ρ₀.
    densities : (n,) array
        Filled, in times of that at rest.
    gradients : (n, 3) array
        Filled with Σ∇W, 1/m.
    squares : (n,) array
        Filled with Σ|∇W|², 1/m².
    slopes : (pairs,) array
        Filled with ∇W in times of xᵢ − xⱼ, 1/m².
    """
    n, per = len(places), 1.0 / support
    steep = -20.0 * scale * per * per
    for a in range(n):
        densities[a] = scale
        squares[a] = 0.0
        gradients[a, 0] = gradients[a, 1] = gradients[a, 2] = 0.0
    for a in range(n):
        x, y, z = places[a, 0], places[a, 1], places[a, 2]
        dense, gx, gy, gz, square = 0.0, 0.0, 0.0, 0.0, 0.0
        for m in range(starts[a], starts[a + 1]):
            b = others[m]
            dx, dy, dz = x - places[b, 0], y - places[b, 1], z - places[b, 2]
            away = dx * dx + dy * dy + dz * dz
            u = max(1.0 - np.sqrt(away) * per, 0.0)
            cube = u * u * u
            w = scale * cube * u * (5.0 - 4.0 * u)
            slope = steep * cube
            slopes[m] = slope
            dense += w
            densities[b] += w
            gx += slope * dx
            gy += slope * dy
            gz += slope * dz
            gradients[b, 0] -= slope * dx
            gradients[b, 1] -= slope * dy
            gradients[b, 2] -= slope * dz
            square += slope * slope * away
            squares[b] += slope * slope * away
        densities[a] += dense
        squares[a] += square
        gradients[a, 0] += gx
        gradients[a, 1] += gy
        gradients[a, 2] += gz


@kernel(
    "void(float64[:, ::1], int64[::1], float64[:, :, ::1], float64[:, ::1], float64, float64[::1], float64[::1],"
    " float64[::1], float64[:, ::1], float64[:, ::1])"
)
def add_walls(
    places: Points, counts: Ints, normals: NDArray[np.float64], offsets: Samples, support: float, wall: Samples,
    slope: Samples, densities: Samples, gradients: Points, pushes: Points,
) -> None:  # fmt: skip
    """Add what the space beyond walls counts for, as if it were full.

    Parameters
    ----------
    places : (n, 3) array
        Metres.
    counts : (n,) array
        Walls near each.
    normals : (n, walls, 3) array
        Of length one, away from the wall.
    offsets : (n, walls) array
        Metres: where along the normal the wall is.
    wall, slope : arrays
        Coefficients of F and of its slope.
    densities : (n,) array
        Added to.
    gradients, pushes : (n, 3) arrays
        Added to; filled with the walls' part of the gradient alone.
    """
    for a in range(len(places)):
        pushes[a, 0] = pushes[a, 1] = pushes[a, 2] = 0.0
        for c in range(counts[a]):
            away = (
                normals[a, c, 0] * places[a, 0] + normals[a, c, 1] * places[a, 1] + normals[a, c, 2] * places[a, 2]
                - offsets[a, c]
            )  # fmt: skip
            s = min(max(away / support, 0.0), 1.0)
            share, steep = 0.0, 0.0
            for k in range(len(wall) - 1, -1, -1):
                share = share * s + wall[k]
            for k in range(len(slope) - 1, -1, -1):
                steep = steep * s + slope[k]
            densities[a] += share
            for k in range(3):
                pushes[a, k] += normals[a, c, k] * steep / support
        for k in range(3):
            gradients[a, k] += pushes[a, k]


@kernel(
    "void(float64[:, ::1], int64[::1], int64[::1], float64[::1], float64[::1], float64[:, ::1], float64[::1],"
    " float64[:, ::1], float64, float64[::1], float64[:, ::1])"
)
def push_apart(
    places: Points, starts: Ints, others: Ints, slopes: Samples, densities: Samples, gradients: Points,
    squares: Samples, pushes: Points, spacing: float, shares: Samples, moves: Points,
) -> None:  # fmt: skip
    """One sweep: move all by λ, none further than LEAP spacings.

    Parameters
    ----------
    places : (n, 3) array
        Metres; changed.
    starts, others, slopes, densities, gradients, squares : arrays
        As `find_pairs` and `sum_densities` fill them.
    pushes : (n, 3) array
        The walls' part of the gradients.
    shares : (n,) array
        Filled with λ, m².
    moves : (n, 3) array
        Filled: metres.
    """
    n, most = len(places), LEAP * spacing
    for a in range(n):
        over = densities[a] - 1.0
        flat = gradients[a, 0] ** 2 + gradients[a, 1] ** 2 + gradients[a, 2] ** 2
        shares[a] = -OMEGA * over / (squares[a] + flat + EPSILON / (spacing * spacing)) if over > 0.0 else 0.0
        for k in range(3):
            moves[a, k] = shares[a] * pushes[a, k]
    for a in range(n):
        mine = shares[a]
        x, y, z = places[a, 0], places[a, 1], places[a, 2]
        mx, my, mz = 0.0, 0.0, 0.0
        for m in range(starts[a], starts[a + 1]):
            b = others[m]
            both = (mine + shares[b]) * slopes[m]
            dx, dy, dz = both * (x - places[b, 0]), both * (y - places[b, 1]), both * (z - places[b, 2])
            mx += dx
            my += dy
            mz += dz
            moves[b, 0] -= dx
            moves[b, 1] -= dy
            moves[b, 2] -= dz
        moves[a, 0] += mx
        moves[a, 1] += my
        moves[a, 2] += mz
    for a in range(n):
        far = np.sqrt(moves[a, 0] ** 2 + moves[a, 1] ** 2 + moves[a, 2] ** 2)
        share = 1.0 if far <= most else most / far
        for k in range(3):
            places[a, k] += share * moves[a, k]


@kernel("void(float64[:, ::1], int64[::1], float64[:, :, ::1], float64[:, ::1], float64, float64)")
def keep_off(
    places: Points, counts: Ints, normals: NDArray[np.float64], offsets: Samples, radius: float, most: float
) -> None:
    """Push particles off the walls near them, one wall after the other.

    Parameters
    ----------
    places : (n, 3) array
        Metres; changed.
    counts, normals, offsets : (n,), (n, walls, 3), (n, walls) arrays
        The walls, as in `add_walls`.
    radius : float
        Metres that it stays away from one.
    most : float
        Metres that it is pushed at most.
    """
    for a in range(len(places)):
        for c in range(counts[a]):
            short = radius + offsets[a, c]
            for k in range(3):
                short -= normals[a, c, k] * places[a, k]
            if short > 0.0:
                for k in range(3):
                    places[a, k] += min(short, most) * normals[a, c, k]


@kernel(
    "void(float64[:, ::1], int64[::1], int64[::1], float64[::1], float64, float64[:, ::1], float64, float64,"
    " float64[:, ::1])"
)
def act_on_each_other(
    speeds: Points, starts: Ints, others: Ints, slopes: Samples, even: float, gradients: Points, together: float,
    most: float, after: Points,
) -> None:  # fmt: skip
    """Speeds after neighbours have evened them out and drawn each other together.

    Parameters
    ----------
    speeds : (n, 3) array
        Metres per second.
    starts, others, slopes : arrays
        As `find_pairs` and `sum_densities` fill them.
    even : float
        The share 1 − e^(−νt), over what −slopes sum up to in what is full: m².
    gradients : (n, 3) array
        Σ∇W over the pairs, 1/m.
    together : float
        γt over what |Σ∇W| is at a plane surface: m²/s.
    most : float
        Metres per second that are added by the latter at most.
    after : (n, 3) array
        Filled.
    """
    n = len(speeds)
    after[:, :] = speeds
    if together > 0.0:
        for a in range(n):
            far = together * np.sqrt(gradients[a, 0] ** 2 + gradients[a, 1] ** 2 + gradients[a, 2] ** 2)
            share = together if far <= most else together * most / far
            for k in range(3):
                after[a, k] += share * gradients[a, k]
    if even > 0.0:
        for a in range(n):
            x, y, z = speeds[a, 0], speeds[a, 1], speeds[a, 2]
            ex, ey, ez = 0.0, 0.0, 0.0
            for m in range(starts[a], starts[a + 1]):
                b = others[m]
                w = -even * slopes[m]
                dx, dy, dz = w * (speeds[b, 0] - x), w * (speeds[b, 1] - y), w * (speeds[b, 2] - z)
                ex += dx
                ey += dy
                ez += dz
                after[b, 0] -= dx
                after[b, 1] -= dy
                after[b, 2] -= dz
            after[a, 0] += ex
            after[a, 1] += ey
            after[a, 2] += ez


@kernel(
    "void(float64[:, ::1], float64[:, ::1], float64[:, ::1], float64, boolean, float64, int64[::1],"
    " float64[:, :, ::1], float64[:, ::1], float64[:, ::1], float64, float64, float64[:, ::1])"
)
def take_along(
    air: Points, gradients: Points, places: Points, gone: float, surface: bool, open_gradient: float, counts: Ints,
    normals: NDArray[np.float64], offsets: Samples, carried: Points, radius: float, stays: float, speeds: Points,
) -> None:  # fmt: skip
    """What the air and walls that are touched do to speeds.

    Parameters
    ----------
    air : (n, 3) array
        Metres per second.
    gradients : (n, 3) array
        Σ∇W: how far one is on the surface, being `open_gradient` at a plane one.
    gone : float
        The share 1 − e^(−t/τ) by which speeds become that of the air.
    surface : bool
        Whether only what is on the surface is taken along.
    places : (n, 3) array
        Metres.
    counts, normals, offsets : (n,), (n, walls, 3), (n, walls) arrays
        The walls, as in `add_walls`.
    carried : (n, 3) array
        Metres per second that the nearest wall has.
    radius : float
        Metres from a wall at which one touches it, and a bit.
    stays : float
        The share of the speed along a wall that is kept.
    speeds : (n, 3) array
        Metres per second; changed.
    """
    for a in range(len(places)):
        share = gone
        if surface:
            steep = np.sqrt(gradients[a, 0] ** 2 + gradients[a, 1] ** 2 + gradients[a, 2] ** 2)
            share *= min(steep / open_gradient, 1.0)
        for k in range(3):
            speeds[a, k] += share * (air[a, k] - speeds[a, k])
        if stays < 1.0 and counts[a] > 0:
            away, into = -offsets[a, 0], 0.0
            for k in range(3):
                away += normals[a, 0, k] * places[a, k]
                into += normals[a, 0, k] * (speeds[a, k] - carried[a, k])
            if away < radius:
                for k in range(3):
                    along = speeds[a, k] - carried[a, k] - into * normals[a, 0, k]
                    speeds[a, k] = carried[a, k] + into * normals[a, 0, k] + stays * along


@kernel("void(float64[:, ::1], float64[:, ::1], float64, float64, float64[:, ::1])")
def set_out(places: Points, speeds: Points, fall: float, seconds: float, to: Points) -> None:
    """Where particles come by their speeds alone.

    Parameters
    ----------
    places, speeds : (n, 3) arrays
        Metres, metres per second.
    fall : float
        What gravity adds along y, in metres per second.
    to : (n, 3) array
        Filled: metres.
    """
    for a in range(len(places)):
        for k in range(3):
            to[a, k] = places[a, k] + seconds * (speeds[a, k] + (fall if k == 1 else 0.0))


@kernel("void(float64[:, ::1], float64[:, ::1], float64, float64, float64, float64[:, ::1])")
def speeds_of(places: Points, to: Points, seconds: float, farthest: float, fastest: float, speeds: Points) -> None:
    """The speeds that have taken particles from one place to another; none is beyond the bounds, or no number.

    Parameters
    ----------
    places, to : (n, 3) arrays
        Metres; the latter changed where it is too far.
    speeds : (n, 3) array
        Filled: metres per second.
    """
    for a in range(len(places)):
        for k in range(3):
            if not abs(to[a, k]) < farthest:  # not less: so of NaN too
                to[a, k] = min(max(places[a, k], -farthest), farthest)
            speeds[a, k] = min(max((to[a, k] - places[a, k]) / seconds, -fastest), fastest)
