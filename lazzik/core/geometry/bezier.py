"""Points of Bézier curves: how letters and drawings become polylines."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray


def flattened(controls: NDArray[np.float64], pieces: int) -> NDArray[np.float64]:
    """Points of a curve at equal steps of its parameter, its end left out.

    A curve of degree n is the sum of C(n, k) tᵏ (1 − t)ⁿ⁻ᵏ Pₖ over its n + 1 control points; a line is one of degree 1.

    Parameters
    ----------
    controls : (n + 1, 2) array
        In any unit.

    Returns
    -------
    (pieces, 2) array
        In the same unit, the curve's beginning first.

    References
    ----------
    G. Farin, 'Curves and surfaces for CAGD', 5th edition, 2002, chapter 5.
    """
    t = np.arange(pieces)[:, None] / pieces
    n = len(controls) - 1
    k = np.arange(n + 1)
    weights = np.array([math.comb(n, i) for i in range(n + 1)]) * t**k * (1 - t) ** (n - k)
    out: NDArray[np.float64] = weights @ controls
    return out
