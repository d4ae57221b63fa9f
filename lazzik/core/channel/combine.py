"""How a layer joins what lies below. x below, y the layer's signal, k = weight · window."""

from __future__ import annotations

from typing import Literal

from lazzik.core.types import Samples

Combine = Literal["add", "subtract", "multiply", "replace"]


def combined(how: Combine, x: Samples, y: Samples, k: Samples | float) -> Samples:
    """add x + k·y; subtract x − k·y; multiply x·(1 + k·(y − 1)); replace x + k·(y − x). All (frames,).

    Parameters
    ----------
    x : (frames,) array
        What lies below, in the channel's unit.
    y : (frames,) array
        The layer's own motion, in the channel's unit or, where it multiplies, as a factor.
    k : float or (frames,) array
        Weight · window, 0 to 1 and beyond.

    Returns
    -------
    (frames,) array
        In the channel's unit.
    """
    if how == "add" and isinstance(k, float) and k == 1.0:
        return x + y
    match how:
        case "add":
            return x + k * y
        case "subtract":
            return x - k * y
        case "multiply":
            return x * (1.0 + k * (y - 1.0))
        case "replace":
            return x + k * (y - x)
