"""Orientations as unit quaternions: x, y, z, w, as glTF writes them."""

from __future__ import annotations

import math

import numpy as np

from lazzik.core.kernels import kernel
from lazzik.core.types import Matrices, Points, Quaternions, Samples


def orientations(angles: Points, order: str) -> Quaternions:
    """Unit quaternions of Euler angles in degrees, turned about own axes in the written order.

    Consecutive ones have a dot product ≥ 0, so that stepping from one to the next takes the short way.

    Parameters
    ----------
    angles : (frames, 3) array
        Degrees about x, y, z.

    Returns
    -------
    (frames, 4) array
        x, y, z, w, of unit length.
    """
    out = np.empty((len(angles), 4))
    first, second, third = ("xyz".index(axis) for axis in order)
    turn_about(np.ascontiguousarray(angles), first, second, third, out)
    return out


@kernel("void(float64[:, ::1], int64, int64, int64, float64[:, ::1])")
def turn_about(angles: Points, first: int, second: int, third: int, out: Quaternions) -> None:
    """Fill `out` with products of turns about three axes, each with the sign that is nearer to the one before it.

    Parameters
    ----------
    angles : (frames, 3) array
        Degrees about x, y, z.
    first, second, third : int
        Places of the axes, in the order in which they are turned about.
    out : (frames, 4) array
        Filled: x, y, z, w, of unit length.
    """
    half = math.pi / 360.0
    for i in range(angles.shape[0]):
        x, y, z, w = 0.0, 0.0, 0.0, 1.0
        for axis in (first, second, third):
            if angles[i, axis] == 0.0:  # most turn about one axis alone
                continue
            s, c = math.sin(half * angles[i, axis]), math.cos(half * angles[i, axis])
            if axis == 0:
                x, y, z, w = w * s + x * c, y * c + z * s, z * c - y * s, w * c - x * s
            elif axis == 1:
                x, y, z, w = x * c - z * s, w * s + y * c, z * c + x * s, w * c - y * s
            else:
                x, y, z, w = x * c + y * s, y * c - x * s, w * s + z * c, w * c - z * s
        sign = 1.0
        if i > 0 and x * out[i - 1, 0] + y * out[i - 1, 1] + z * out[i - 1, 2] + w * out[i - 1, 3] < 0.0:
            sign = -1.0
        out[i, 0], out[i, 1], out[i, 2], out[i, 3] = sign * x, sign * y, sign * z, sign * w


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
