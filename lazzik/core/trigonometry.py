"""Sine and cosine together, without a branch, so that a compiler can work out several points at once.

The angle is brought within an eighth of a turn of a quarter turn, x = j·π/2 + r with |r| ≤ π/4, by three parts of π/2
of which the products with j are exact up to a million (W. J. Cody and W. Waite, 1980). There the series of both, to
r¹⁵ and r¹⁶, are left off by less than half of a last place. Which of the two is which, and with what sign, is told by
j modulo 4.
"""

from __future__ import annotations

import math

import numpy as np

from lazzik.core.kernels import kernel, rounded

QUARTERS = 2.0 / math.pi
"""Quarter turns of a radian."""

FIRST, SECOND, THIRD = 1.5707963267341256, 6.077100506303966e-11, 2.0222662487959506e-21
"""π/2 in parts of 33 bits, so that each times a whole number is exact, and what is left."""

S3, S5, S7, S9, S11, S13, S15 = ((-1.0) ** n / math.factorial(2 * n + 1) for n in range(1, 8))
C4, C6, C8, C10, C12, C14, C16 = ((-1.0) ** n / math.factorial(2 * n) for n in range(2, 9))
"""Of the two series."""


@kernel("UniTuple(float64, 2)(float64)", fuse=True)
def sine_and_cosine(x: float) -> tuple[float, float]:
    """sin x and cos x, within 1e-15 up to a million radians; farther on within what the last place of x is worth."""
    j = np.floor(x * QUARTERS + 0.5)
    r = ((x - j * FIRST) - j * SECOND) - j * THIRD
    z = r * r
    z2 = z * z
    z4 = z2 * z2
    # by pairs (G. Estrin, 1960): fewer steps that wait for one another
    s = ((S3 + z * S5) + z2 * (S7 + z * S9)) + z4 * ((S11 + z * S13) + z2 * S15)
    c = ((C4 + z * C6) + z2 * (C8 + z * C10)) + z4 * ((C12 + z * C14) + z2 * C16)
    sine, cosine = r + r * z * s, (1.0 - 0.5 * z) + z2 * c
    quarter = j - 4.0 * np.floor(0.25 * j)
    swapped = quarter == 1.0 or quarter == 3.0
    a = cosine if swapped else sine
    b = sine if swapped else cosine
    return (-a if quarter >= 2.0 else a), (-b if quarter == 1.0 or quarter == 2.0 else b)


rounded_sine_and_cosine = rounded(sine_and_cosine, "rounded_sine_and_cosine")
"""Where plain Python has to give the same bits, as it has for what one number is asked of (`kernels.interpret`)."""
