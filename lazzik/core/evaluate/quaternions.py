"""Orientations as unit quaternions: x, y, z, w, as glTF writes them."""

from __future__ import annotations

import numpy as np

from lazzik.core.types import Points, Quaternions, Samples


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
    columns = ["xyz".index(axis) for axis in order]
    from scipy.spatial.transform import Rotation as Turn

    q: Quaternions = Turn.from_euler(order.upper(), angles[:, columns], degrees=True).as_quat()
    return short_way(q)


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
