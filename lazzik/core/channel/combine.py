"""How a layer joins what lies below. x below, y the layer's signal, k = weight · window."""

from __future__ import annotations

from typing import Literal

from lazzik.core.types import Samples

Combine = Literal["add", "subtract", "multiply", "replace"]


def combined(how: Combine, x: Samples, y: Samples, k: Samples | float) -> Samples:
    """add x + k·y; subtract x − k·y; multiply x·(1 + k·(y − 1)); replace x + k·(y − x). All (frames,)."""
    match how:
        case "add":
            return x + k * y
        case "subtract":
            return x - k * y
        case "multiply":
            return x * (1.0 + k * (y - 1.0))
        case "replace":
            return x + k * (y - x)
