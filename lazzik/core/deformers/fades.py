"""How a deformer fades along its axis, toward the ends of its span or away from its middle."""

from __future__ import annotations

from typing import Literal

from lazzik.core.hermite import smoothstep_at
from lazzik.core.kernels import kernel
from lazzik.core.types import RowBlock, Samples, Shares

Fade = Literal["none", "start", "end", "both", "middle"]
FADES: tuple[Fade, ...] = ("none", "start", "end", "both", "middle")


@kernel("void(float64[:, :, ::1], float64[::1], float64[::1], float64[::1], int64, float64[::1], float64[:, ::1])")
def edge_fade(
    inside: RowBlock, start: Samples, end: Samples, length: Samples, fade: int, weight: Samples, counts: Shares
) -> None:
    """Fill `counts` (moments, n) with weight · fade(u). `fade` is a place in FADES; smoothstep over `length` from the
    edge. start, end, length, weight (moments,).

    start: nothing at the start of the span. end: nothing at its end. both. middle: nothing in the middle.

    Parameters
    ----------
    inside : (moments or 1, 3, n) array
        Metres, in the deformer's coordinates, by rows.
    start, end, length : (moments,) arrays
        Metres along the axis.
    weight : (moments,) array
        Of the deformer.
    counts : (moments, n) array
        Filled.
    """
    for k in range(inside.shape[0]):
        low, high, reach = start[k], end[k], length[k]
        middle = 0.5 * (low + high)
        for i in range(inside.shape[2]):
            u = min(max(inside[k, 0, i], low), high)
            m = weight[k]
            if fade == 1 or fade == 3:
                s = min(1.0, (u - low) / reach) if reach > 0.0 else 1.0
                m *= smoothstep_at(s)
            if fade == 2 or fade == 3:
                s = min(1.0, (high - u) / reach) if reach > 0.0 else 1.0
                m *= smoothstep_at(s)
            if fade == 4:
                s = min(1.0, abs(u - middle) / reach) if reach > 0.0 else 1.0
                m *= smoothstep_at(s)
            counts[k, i] = m
