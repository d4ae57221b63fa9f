"""Colours as screens code them, and as light adds up (IEC 61966-2-1)."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike

from lazzik.core.types import Samples


def linear(coded: ArrayLike) -> Samples:
    """Linear light from sRGB codes, both 0 to 1.

    Parameters
    ----------
    coded : (n,) array-like
        0 to 1.

    Returns
    -------
    (n,) array
        0 to 1.

    References
    ----------
    IEC 61966-2-1, 'Colour management: default RGB colour space: sRGB', 1999.
    """
    code = np.clip(np.asarray(coded, dtype=np.float64), 0, 1)
    out: Samples = np.where(code <= 0.04045, code / 12.92, ((code + 0.055) / 1.055) ** 2.4)
    return out


def coded(light: ArrayLike) -> Samples:
    """SRGB codes from linear light, both 0 to 1.

    Parameters
    ----------
    light : (n,) array-like
        0 to 1.

    Returns
    -------
    (n,) array
        0 to 1.

    References
    ----------
    IEC 61966-2-1, 'Colour management: default RGB colour space: sRGB', 1999.
    """
    value = np.clip(np.asarray(light, dtype=np.float64), 0, 1)
    out: Samples = np.where(value <= 0.0031308, value * 12.92, 1.055 * value ** (1 / 2.4) - 0.055)
    return out
