"""Keys and the curve through them: cubic Hermite, linear or held, as glTF knows the three.

Between keys k and k+1, u = (frame − f_k)/(f_{k+1} − f_k) and d the stretch in seconds:

    v(u) = (2u³−3u²+1) v_k + (u³−2u²+u) d·out_k + (−2u³+3u²) v_{k+1} + (u³−u²) d·in_{k+1}

Slopes are in units per second. A slope of None is automatic (Fritsch & Carlson, 'Monotone piecewise cubic
interpolation', SIAM J. Numer. Anal. 17, 1980): the curve never overshoots its keys. Beyond the ends it holds.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from lazzik.core.document import Finite, Frozen
from lazzik.core.kernels import kernel
from lazzik.core.types import Samples

Go = Literal["cubic", "linear", "step"]
GO_CODES: dict[Go, int] = {"cubic": 0, "linear": 1, "step": 2}

FLAT = 1e-150
"""Units per second below which a stretch counts as level: any less and dividing by it would overflow."""

SAME_FRAME = 1e-6
"""Two keys nearer than this many frames are one."""


class Key(Frozen):
    """A value that a channel has exactly at a frame, and how its curve goes on from there."""

    frame: Finite
    value: Finite
    slope_in: Finite | None = None
    slope_out: Finite | None = None
    go: Go = "cubic"


@dataclass(frozen=True, eq=False)
class Curve:
    """Keys as arrays, slopes settled. All (keys,); slopes in units per second."""

    frames: Samples
    values: Samples
    slopes_in: Samples
    slopes_out: Samples
    go: Samples

    def at(self, frames: Samples, fps: float) -> Samples:
        """(frames,) values of the curve."""
        out = np.empty(frames.shape[0])
        hermite(frames, fps, self.frames, self.values, self.slopes_in, self.slopes_out, self.go, out)
        return out


def curve_through(keys: tuple[Key, ...], fps: float) -> Curve:
    """The curve of keys that are in order of their frames."""
    frames = np.array([k.frame for k in keys])
    values = np.array([k.value for k in keys])
    settled = all(k.slope_in is not None and k.slope_out is not None for k in keys)
    automatic = values if settled else automatic_slopes(frames / fps, values)
    return Curve(
        frames,
        values,
        np.array([a if k.slope_in is None else k.slope_in for k, a in zip(keys, automatic, strict=True)]),
        np.array([a if k.slope_out is None else k.slope_out for k, a in zip(keys, automatic, strict=True)]),
        np.array([float(GO_CODES[k.go]) for k in keys]),
    )


def automatic_slopes(times: Samples, values: Samples) -> Samples:
    """(keys,) Fritsch–Carlson slopes: three-point differences, level at the ends, limited so that each stretch stays
    monotone.

    `times` in seconds, ascending.
    """
    if len(times) < 2:
        return np.zeros_like(values)
    step = np.diff(times)
    rise = np.diff(values) / step
    slopes = np.empty_like(values)
    slopes[0] = slopes[-1] = 0.0  # the curve holds beyond its ends, so it leaves and arrives level
    slopes[1:-1] = (rise[:-1] * step[1:] + rise[1:] * step[:-1]) / (step[:-1] + step[1:])
    slopes[1:-1][rise[:-1] * rise[1:] <= 0] = 0.0
    flat = np.abs(rise) < FLAT
    slopes[:-1][flat] = 0.0
    slopes[1:][flat] = 0.0
    safe = np.where(flat, 1.0, rise)
    # the circle of radius 3 about the origin lies inside the region where a cubic stays monotone
    length = np.hypot(slopes[:-1] / safe, slopes[1:] / safe)
    scale = np.where(length > 3, 3 / np.maximum(length, 3), 1.0)
    limit = np.minimum(np.append(scale, 1.0), np.insert(scale, 0, 1.0))
    limited: Samples = slopes * limit
    return limited


@kernel(
    "void(float64[::1], float64, float64[::1], float64[::1], float64[::1], float64[::1], float64[::1], float64[::1])"
)
def hermite(
    frames: Samples,
    fps: float,
    key_frames: Samples,
    key_values: Samples,
    slopes_in: Samples,
    slopes_out: Samples,
    go: Samples,
    out: Samples,
) -> None:
    """Fill `out` with the curve at `frames`. The last key at or before a frame rules; ends hold."""
    count = key_frames.shape[0]
    k = 0
    for i in range(frames.shape[0]):
        f = frames[i]
        if f < key_frames[0]:
            out[i] = key_values[0]
            continue
        if f >= key_frames[count - 1]:
            out[i] = key_values[count - 1]
            continue
        if f < key_frames[k] or f >= key_frames[k + 1]:
            k = np.searchsorted(key_frames, f, side="right") - 1
        span = key_frames[k + 1] - key_frames[k]
        u = (f - key_frames[k]) / span
        if go[k] == 2.0:
            out[i] = key_values[k]
        elif go[k] == 1.0:
            out[i] = key_values[k] + u * (key_values[k + 1] - key_values[k])
        else:
            d = span / fps
            rest = 1.0 - u
            out[i] = (
                (1.0 + 2.0 * u) * rest * rest * key_values[k]
                + u * rest * rest * d * slopes_out[k]
                + u * u * (3.0 - 2.0 * u) * key_values[k + 1]
                - u * u * rest * d * slopes_in[k + 1]
            )
