"""Orientations that point: the geometry of aim, over arrays.

An object at p with the own axis a aims at q. Its direction is d = q − p, taken into the space of the object above it,
where a linear map leaves what points at a place pointing there, however that space is turned, sized or sheared.

    about all axes   A·a = d/|d|, and A·b lies in the half-plane of d and up, b being the own axis that goes upward
    about one axis   A = B·R_n(φ): the base orientation B turned about its own axis n until a lies in the half-plane
                     of n and d

Up is the scene's Y. Within POLE degrees of it no direction is upward by itself: there up goes over, by a smoothstep,
to the scene's Z (to −Z toward the nadir), as for one who looked along −Z before and raised the eyes. That every
direction has its up without a leap is not to be had on a sphere (L. E. J. Brouwer, 1912); with this choice the
one leap lies 4.1° behind each pole.

    orientation = slerp(B, A, weight) · B⁻¹ · Q

B is the orientation by the bases of the rotation's numbers, Q by their values: B⁻¹·Q is what its layers add, and comes
on top. At weight 0 that is Q exactly. Slerp after K. Shoemake, 'Animating rotation with quaternion curves', SIGGRAPH
1985; the short way round.
"""

from __future__ import annotations

import numpy as np

from lazzik.core.geometry.quaternions import dot, product, quaternions_of, rotated, slerp
from lazzik.core.scene.aim import Axis, axis_vector
from lazzik.core.types import Points, Quaternions, Samples

POLE = 5.0
"""Degrees from straight up or down within which up goes over to another axis."""

NEAR = 1e-3
"""Metres within which a target gives no direction."""

LEVEL = 1e-9
"""Length below which the part of up that is square to a direction counts as none."""


def upward(directions: Points) -> Points:
    """What is up for each direction, in the scene.

    Parameters
    ----------
    directions : (frames, 3) array
        In the scene; of any length but 0.

    Returns
    -------
    (frames, 3) array
        Y, or near a pole what it goes over to; never along the direction but at the one leap.
    """
    x, y, z = directions.T
    from_pole = np.degrees(np.arctan2(np.hypot(x, z), np.abs(y)))
    share = np.clip(1.0 - from_pole / POLE, 0.0, 1.0)
    share = share * share * (3.0 - 2.0 * share)
    out: Points = np.zeros_like(directions)
    out[:, 1] = 1.0 - share
    out[:, 2] = share * np.where(y < 0, -1.0, 1.0)
    return out


def facing(directions: Points, up: Points, spare: Points, axis: Axis) -> Quaternions:
    """Orientations whose own axis points along directions, with another own axis upward: y, or z if y points.

    Parameters
    ----------
    directions, up, spare : (frames, 3) arrays
        In one space, of any length but 0; `spare` stands for up where that lies along the direction.

    Returns
    -------
    (frames, 4) array
        x, y, z, w, of unit length.
    """
    a = axis_vector(axis)
    b = axis_vector("z" if axis[-1] == "y" else "y")
    f = _unit(directions)
    u = _square(_unit(up), f)
    level = np.linalg.norm(u, axis=1) < LEVEL
    u[level] = _square(spare[level], f[level])
    u = _unit(u)
    axes = np.stack([f, u, np.cross(f, u)], axis=2) @ np.stack([a, b, np.cross(a, b)])
    return quaternions_of(axes)


def turned_about(base: Quaternions, axis: Axis, angles: Samples) -> Quaternions:
    """Orientations turned about an own axis.

    Parameters
    ----------
    base : (frames, 4) array
        x, y, z, w, of unit length.
    angles : (frames,) array
        Degrees.

    Returns
    -------
    (frames, 4) array
        x, y, z, w, of unit length.
    """
    half = np.radians(angles) / 2
    turn = np.concatenate([np.sin(half)[:, None] * axis_vector(axis), np.cos(half)[:, None]], axis=1)
    return product(base, turn)


def facing_about(base: Quaternions, directions: Points, axis: Axis, about: Axis) -> Quaternions:
    """The base turned about one own axis until another one lies in the half-plane of that axis and the direction.

    Parameters
    ----------
    base : (frames, 4) array
        x, y, z, w, of unit length.
    directions : (frames, 3) array
        In the base's space; not along the axis that it turns about.

    Returns
    -------
    (frames, 4) array
        x, y, z, w, of unit length.
    """
    n, v = rotated(base, axis_vector(about)), rotated(base, axis_vector(axis))
    angles = np.degrees(np.arctan2(dot(n, np.cross(v, directions)), dot(v, directions)))
    return turned_about(base, about, angles[:, 0])


def on_top(base: Quaternions, aimed: Quaternions, weight: float | Samples, own: Quaternions) -> Quaternions:
    """slerp(base, aimed, weight) · base⁻¹ · own: turned toward the aim, with what the rotation's layers add on top.

    Parameters
    ----------
    base, aimed, own : (frames, 4) arrays
        x, y, z, w, of unit length.
    weight : float or (frames,) array
        Shares.

    Returns
    -------
    (frames, 4) array
        x, y, z, w, of unit length.
    """
    back = base * np.array([-1.0, -1.0, -1.0, 1.0])
    out = product(product(slerp(base, aimed, weight), back), own)
    return np.asarray(out / np.linalg.norm(out, axis=1, keepdims=True))


def _unit(vectors: Points) -> Points:
    return np.asarray(vectors / np.linalg.norm(vectors, axis=1, keepdims=True))


def _square(vectors: Points, to: Points) -> Points:
    """The part of vectors that is square to unit vectors."""
    return np.asarray(vectors - dot(vectors, to) * to)
