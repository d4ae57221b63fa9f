"""Orientations as unit quaternions: x, y, z, w, as glTF writes them."""

from __future__ import annotations

import math
from collections.abc import Iterable

import numpy as np

from lazzik.core.kernels import kernel
from lazzik.core.trigonometry import rounded_sine_and_cosine
from lazzik.core.types import Matrices, Points, Quaternions, Samples

HALF_RADIANS = math.pi / 360.0
"""Of a degree: half its radians."""

TOGETHER = 512
"""Frames that are turned in one go."""


def orientations(angles: Iterable[float | Samples], order: str, frames: int) -> Quaternions:
    """Unit quaternions of Euler angles in degrees, turned about own axes in the written order.

    Consecutive ones have a dot product ≥ 0, so that stepping from one to the next takes the short way.

    Parameters
    ----------
    angles : three of float or (frames,) array
        Degrees about x, y, z; one number where it stays.

    Returns
    -------
    (frames, 4) array
        x, y, z, w, of unit length.
    """
    out = np.empty((frames, 4))
    x, y, z = (np.ascontiguousarray(angle, dtype=float) for angle in angles)
    first, second, third = ("xyz".index(axis) for axis in order)
    turn_about(x, y, z, first, second, third, out)
    return out


@kernel("void(float64[::1], float64[::1], float64[::1], int64, int64, int64, float64[:, ::1])")
def turn_about(
    about_x: Samples, about_y: Samples, about_z: Samples, first: int, second: int, third: int, out: Quaternions
) -> None:
    """Fill `out` with products of turns about three axes, each with the sign that is nearer to the one before it.

    A turn q about axis a by φ, times a turn about the same axis by 2α: with b and d the next two axes round,

        a' = w·sin α + a·cos α,  b' = b·cos α + d·sin α,  d' = d·cos α - b·sin α,  w' = w·cos α - a·sin α

    Each part of some frames lies in a row of its own, so that several frames are worked out at once; what is written
    down between stays near the processor.

    Parameters
    ----------
    about_x, about_y, about_z : (frames or 1,) arrays
        Degrees.
    first, second, third : int
        Places of the axes, in the order in which they are turned about.
    out : (frames, 4) array
        Filled: x, y, z, w, of unit length.
    """
    angles, frames = (about_x, about_y, about_z), out.shape[0]
    most = min(frames, TOGETHER)
    parts, rows = np.empty((3, most)), np.empty((4, most))
    x, y, z, w = parts[0], parts[1], parts[2], rows[0]
    half, sines, cosines = rows[1], rows[2], rows[3]
    sign, last_x, last_y, last_z, last_w = 1.0, 0.0, 0.0, 0.0, 0.0
    for start in range(0, frames, TOGETHER):
        count = min(TOGETHER, frames - start)
        turns = out[start : start + count]
        parts[:], w[:] = 0.0, 1.0
        for axis in (first, second, third):
            if angles[axis].shape[0] == 1:
                angle = HALF_RADIANS * angles[axis][0]
                if angle == 0.0:  # most turn about one axis alone
                    continue
                sines[:], cosines[:] = rounded_sine_and_cosine(angle)
            else:
                degrees = angles[axis][start : start + count]
                for i in range(count):
                    half[i] = HALF_RADIANS * degrees[i]
                for i in range(count):
                    sines[i], cosines[i] = rounded_sine_and_cosine(half[i])
            a, b, d = parts[axis], parts[(axis + 1) % 3], parts[(axis + 2) % 3]
            for i in range(count):
                s, c = sines[i], cosines[i]
                a[i], b[i], d[i], w[i] = (
                    w[i] * s + a[i] * c, b[i] * c + d[i] * s, d[i] * c - b[i] * s, w[i] * c - a[i] * s,
                )  # fmt: skip
        half[0] = x[0] * last_x + y[0] * last_y + z[0] * last_z + w[0] * last_w
        for i in range(1, count):
            half[i] = x[i] * x[i - 1] + y[i] * y[i - 1] + z[i] * z[i - 1] + w[i] * w[i - 1]
        for i in range(count):
            if half[i] < 0.0:
                sign = -sign
            turns[i, 0], turns[i, 1], turns[i, 2], turns[i, 3] = sign * x[i], sign * y[i], sign * z[i], sign * w[i]
        end = count - 1
        last_x, last_y, last_z, last_w = x[end], y[end], z[end], w[end]


@kernel("void(float64[:, ::1], float64[:, :, ::1])")
def place_by(rows: Points, out: Matrices) -> None:
    """Fill `out` with matrices that scale, turn and move.

    Parameters
    ----------
    rows : (frames, 10) array
        Where to, in metres; x, y, z, w of the turn, of unit length; factors along x, y, z.
    out : (frames, 4, 4) array
        Filled.
    """
    for i in range(rows.shape[0]):
        x, y, z, w = rows[i, 3], rows[i, 4], rows[i, 5], rows[i, 6]
        a, b, c = rows[i, 7], rows[i, 8], rows[i, 9]
        out[i, 0, 0], out[i, 1, 1] = a * (x * x - y * y - z * z + w * w), b * (y * y - x * x - z * z + w * w)
        out[i, 2, 2] = c * (z * z - x * x - y * y + w * w)
        out[i, 0, 1], out[i, 1, 0] = b * 2.0 * (x * y - z * w), a * 2.0 * (x * y + z * w)
        out[i, 0, 2], out[i, 2, 0] = c * 2.0 * (x * z + y * w), a * 2.0 * (x * z - y * w)
        out[i, 1, 2], out[i, 2, 1] = c * 2.0 * (y * z - x * w), b * 2.0 * (y * z + x * w)
        out[i, 0, 3], out[i, 1, 3], out[i, 2, 3] = rows[i, 0], rows[i, 1], rows[i, 2]
        out[i, 3, 0] = out[i, 3, 1] = out[i, 3, 2] = 0.0
        out[i, 3, 3] = 1.0


def quaternions_of(matrices: Points) -> Quaternions:
    """Unit quaternions of turns that are given as matrices.

    Parameters
    ----------
    matrices : (frames, 3, 3) array
        Axes as columns: of unit length, square to each other, right-handed.

    Returns
    -------
    (frames, 4) array
        x, y, z, w, of unit length.
    """
    out = np.empty((len(matrices), 4))
    read_turns(np.ascontiguousarray(matrices), out)
    return out


@kernel("void(float64[:, :, ::1], float64[:, ::1])")
def read_turns(matrices: Points, out: Quaternions) -> None:
    """Fill `out` with the quaternions of turns: first the part that is largest, which the others are divided by
    (S. W. Shepperd, 'Quaternion from rotation matrix', Journal of Guidance and Control 1, 1978).

    Parameters
    ----------
    matrices : (frames, 3, 3) array
        As `quaternions_of` takes them.
    out : (frames, 4) array
        Filled: x, y, z, w, of unit length.
    """
    for f in range(matrices.shape[0]):
        m = matrices[f]
        trace = m[0, 0] + m[1, 1] + m[2, 2]
        i = 0 if m[0, 0] >= m[1, 1] else 1
        i = i if m[i, i] >= m[2, 2] else 2
        j, k = (i + 1) % 3, (i + 2) % 3
        if trace >= m[i, i]:
            out[f, i], out[f, 3] = m[k, j] - m[j, k], 1.0 + trace
            out[f, j], out[f, k] = m[i, k] - m[k, i], m[j, i] - m[i, j]
        else:
            out[f, i], out[f, 3] = 1.0 - trace + 2.0 * m[i, i], m[k, j] - m[j, k]
            out[f, j], out[f, k] = m[j, i] + m[i, j], m[k, i] + m[i, k]
        length = math.sqrt(out[f, 0] ** 2 + out[f, 1] ** 2 + out[f, 2] ** 2 + out[f, 3] ** 2)
        for part in range(4):
            out[f, part] /= length


@kernel("void(float64[:, :, ::1], float64, float64[:, :, ::1])")
def invert_axes(matrices: Matrices, flat: float, out: Points) -> None:
    """Fill `out` with what takes directions back out of spaces: the inverses of their axes, by cofactors.

    Parameters
    ----------
    matrices : (frames, 4, 4) array
        From the space to another; where it lies does not matter.
    flat : float
        Volume of a unit cube below which a space has no directions.
    out : (frames, 3, 3) array
        Filled; nothing where it has none.
    """
    for f in range(matrices.shape[0]):
        m = matrices[f]
        for i in range(3):
            j, k = (i + 1) % 3, (i + 2) % 3
            for a in range(3):
                b, c = (a + 1) % 3, (a + 2) % 3
                out[f, i, a] = m[b, j] * m[c, k] - m[b, k] * m[c, j]
        volume = m[0, 0] * out[f, 0, 0] + m[1, 0] * out[f, 0, 1] + m[2, 0] * out[f, 0, 2]
        share = 1.0 / volume if abs(volume) >= flat else 0.0
        for i in range(3):
            for a in range(3):
                out[f, i, a] *= share


def short_way(q: Quaternions) -> Quaternions:
    """The same orientations with signs such that consecutive dot products are ≥ 0.

    Parameters
    ----------
    q : (frames, 4) array
        x, y, z, w, of unit length.

    Returns
    -------
    (frames, 4) array
        The same orientations.
    """
    flips = np.einsum("ij,ij->i", q[1:], q[:-1]) < 0
    signs: Samples = np.where(np.concatenate(([0], np.cumsum(flips))) % 2, -1.0, 1.0)
    out: Quaternions = q * signs[:, None]
    return out


def slerp(a: Quaternions, b: Quaternions, share: float | Samples) -> Quaternions:
    """Part of the short way from a to b at constant speed.

    Parameters
    ----------
    a, b : (frames, 4) arrays
        x, y, z, w, of unit length.
    share : float or (frames,) array
        From 0 to 1.

    Returns
    -------
    (frames, 4) array
        x, y, z, w, of unit length.
    """
    cosine = dot(a, b)
    b = np.where(cosine < 0, -b, b)
    angle = np.arctan2(np.linalg.norm(b - a * np.abs(cosine), axis=1, keepdims=True), np.abs(cosine))
    s = np.broadcast_to(np.asarray(share, dtype=float), len(a))[:, None]
    sine = np.sin(angle)
    flat = sine < 1e-9
    safe = np.where(flat, 1.0, sine)
    return np.where(flat, a + s * (b - a), (np.sin((1 - s) * angle) * a + np.sin(s * angle) * b) / safe)


def product(p: Quaternions, q: Quaternions) -> Quaternions:
    """Hamilton's product: first q, then p.

    Parameters
    ----------
    p, q : (frames, 4) arrays
        x, y, z, w.

    Returns
    -------
    (frames, 4) array
        x, y, z, w.
    """
    a, b, u, v = p[:, 3:], q[:, 3:], p[:, :3], q[:, :3]
    return np.concatenate([a * v + b * u + np.cross(u, v), a * b - dot(u, v)], axis=1)


def rotated(q: Quaternions, vector: Samples) -> Points:
    """A vector turned by each orientation.

    Parameters
    ----------
    q : (frames, 4) array
        x, y, z, w, of unit length.
    vector : (3,) array
        Of any length.

    Returns
    -------
    (frames, 3) array
        Of the same length.
    """
    across = 2 * np.cross(q[:, :3], vector)
    return np.asarray(vector + q[:, 3:] * across + np.cross(q[:, :3], across))


def dot(a: Points, b: Points) -> Samples:
    """Scalar products, row by row.

    Parameters
    ----------
    a, b : (frames, n) arrays
        Any unit.

    Returns
    -------
    (frames, 1) array
        One for each row.
    """
    products: Samples = np.einsum("ij,ij->i", a, b)[:, None]
    return products
