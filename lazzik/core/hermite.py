"""The cubic Hermite (two values and two slopes); smoothstep, which it is between 0 and 1 with level ends; and the
quintic fade, which has no bend there either."""

from __future__ import annotations

import numpy as np

from lazzik.core.kernels import kernel
from lazzik.core.types import Samples


@kernel("float64(float64, float64, float64, float64, float64, float64)")
def hermite_at(u: float, span: float, v0: float, m0: float, v1: float, m1: float) -> float:
    """The cubic Hermite at u in [0, 1] over a span; slopes per unit of the span's measure."""
    rest = 1.0 - u
    return (
        (1.0 + 2.0 * u) * rest * rest * v0
        + u * rest * rest * span * m0
        + u * u * (3.0 - 2.0 * u) * v1
        - u * u * rest * span * m1
    )


@kernel("float64(float64)")
def smoothstep_at(u: float) -> float:
    """3u² − 2u³ for u in [0, 1]."""
    return u * u * (3.0 - 2.0 * u)


def smoothstep(u: Samples) -> Samples:
    """3u² − 2u³ of an array, clamped to [0, 1].

    Parameters
    ----------
    u : array of any shape

    Returns
    -------
    array of the same shape
        0 to 1.
    """
    u = np.clip(u, 0.0, 1.0)
    return u * u * (3.0 - 2.0 * u)


@kernel("float64(float64)")
def fade_at(f: float) -> float:
    """6f⁵ − 15f⁴ + 10f³ for f in [0, 1] (K. Perlin, 'Improving noise', SIGGRAPH 2002)."""
    return f * f * f * (f * (f * 6.0 - 15.0) + 10.0)


def fade(f: Samples) -> Samples:
    """6f⁵ − 15f⁴ + 10f³ of an array within [0, 1].

    Parameters
    ----------
    f : array of any shape

    Returns
    -------
    array of the same shape
        0 to 1.
    """
    return f * f * f * (f * (f * 6.0 - 15.0) + 10.0)
