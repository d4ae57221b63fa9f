"""Random numbers of particles: hashes of (number, seed, purpose), so that none depends on how many there are, or on
the order in which they are worked out."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from lazzik.core.evaluate.copies import chance
from lazzik.core.types import Points, Samples

Ids = NDArray[np.int64]

LIFE, PUSH, TURN, TILT, FACE, ALONG, ACROSS, SIZE, SPIN, AXIS, BEGUN, ABOUT = range(32, 44)
"""Purposes, apart from those of copies."""

TRIES = 64
"""Purposes from here on are those of one try after the other."""


def varied(ids: Ids, seed: int, purpose: int, share: float | Samples) -> Samples:
    """About 1, by a share to both sides.

    Parameters
    ----------
    ids : (n,) array
        Numbers of particles.
    share : float or (n,) array
        From 0 to 1.

    Returns
    -------
    (n,) array
        Times.
    """
    return 1.0 + share * (2.0 * chance(ids, seed, purpose) - 1.0)


def cone(ids: Ids, seed: int, axes: Points, degrees: Samples) -> Points:
    """Ways that are even over a cone about an axis: cos θ even between 1 and that of its half angle.

    Parameters
    ----------
    ids : (n,) array
        Numbers of particles.
    axes : (n, 3) array
        Of length one.
    degrees : (n,) array
        Half the angle of each one's cone.

    Returns
    -------
    (n, 3) array
        Of length one.
    """
    cos = 1.0 - chance(ids, seed, TILT) * (1.0 - np.cos(np.radians(degrees)))
    sin = np.sqrt(np.maximum(0.0, 1.0 - cos * cos))
    turn = 2.0 * np.pi * chance(ids, seed, TURN)
    # two ways across the axis (T. Duff et al., 'Building an orthonormal basis, revisited', JCGT 6, 2017)
    sign = np.where(axes[:, 2] >= 0, 1.0, -1.0)
    a = -1.0 / (sign + axes[:, 2])
    b = axes[:, 0] * axes[:, 1] * a
    first = np.stack([1.0 + sign * axes[:, 0] ** 2 * a, sign * b, -sign * axes[:, 0]], axis=1)
    second = np.stack([b, sign + axes[:, 1] ** 2 * a, -axes[:, 1]], axis=1)
    across = np.cos(turn)[:, None] * first + np.sin(turn)[:, None] * second
    return np.asarray(cos[:, None] * axes + sin[:, None] * across)
