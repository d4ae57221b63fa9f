"""Keys and the curve through them: cubic Hermite, linear or held, as glTF knows the three.

Between keys k and k+1, u = (frame − f_k)/(f_{k+1} − f_k) and d the stretch in seconds:

    v(u) = (2u³−3u²+1) v_k + (u³−2u²+u) d·out_k + (−2u³+3u²) v_{k+1} + (u³−u²) d·in_{k+1}

Slopes are in units per second. A slope of None is automatic (Fritsch & Carlson, 'Monotone piecewise cubic
interpolation', SIAM J. Numer. Anal. 17, 1980): the curve never overshoots its keys. 'straight' points at the next key
on its side. Beyond the ends the curve holds, goes straight on, or plays its stretch again. With the first key at a, the
last at b and n = ⌊(f − a)/(b − a)⌋:

    repeat     v(f − n(b − a))
    alternate  the same, every odd round backwards
    accumulate v(f − n(b − a)) + n·(v(b) − v(a))
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np

from lazzik.core.document import Finite, Frozen
from lazzik.core.hermite import hermite_at
from lazzik.core.kernels import kernel
from lazzik.core.types import Samples

Go = Literal["cubic", "linear", "step"]
GO_CODES: dict[Go, int] = {"cubic": 0, "linear": 1, "step": 2}

Beyond = Literal["hold", "straight", "repeat", "alternate", "accumulate"]
"""What the curve does before its first key, or after its last."""

PLAYED: tuple[Beyond, ...] = ("repeat", "alternate", "accumulate")
"""The ways beyond the ends that play the keyed stretch again."""

Slope = Finite | Literal["straight"] | None
"""Units per second, straight at the neighbour, or automatic."""

FLAT = 1e-150
"""Units per second below which a stretch counts as level: any less and dividing by it would overflow."""

SAME_FRAME = 1e-6
"""Two keys nearer than this many frames are one."""


class Key(Frozen):
    """A value that a channel has exactly at a frame, and how its curve goes on from there."""

    frame: Finite
    value: Finite
    slope_in: Slope = None
    slope_out: Slope = None
    go: Go = "cubic"


@dataclass(frozen=True, eq=False)
class Curve:
    """Keys as arrays, slopes settled. All (keys,); slopes in units per second."""

    frames: Samples
    values: Samples
    slopes_in: Samples
    slopes_out: Samples
    go: Samples
    before: Beyond = "hold"
    after: Beyond = "hold"

    def at(self, frames: Samples, fps: float) -> Samples:
        """Values of the curve.

        Parameters
        ----------
        frames : (frames,) array
            May be fractions.

        Returns
        -------
        (frames,) array
            In the channel's unit.
        """
        out = np.empty(frames.shape[0])
        inside, rise = frames, None
        if (self.before, self.after) != ("hold", "hold"):
            inside, rise = self._beyond(frames, fps)
        hermite(inside, fps, self.frames, self.values, self.slopes_in, self.slopes_out, self.go, out)
        return out if rise is None else out + rise

    def _beyond(self, frames: Samples, fps: float) -> tuple[Samples, Samples]:
        """((frames,), (frames,)) the frames of the keyed stretch to read instead, and what to add there."""
        a, b = self.frames[0], self.frames[-1]
        inside, rise = frames.astype(np.float64), np.zeros(len(frames))
        for way, where, slope, end in (
            (self.before, frames < a, self.slopes_in[0], a),
            (self.after, frames > b, self.slopes_out[-1], b),
        ):
            if way == "straight":
                rise[where] = slope * (frames[where] - end) / fps
            elif way in PLAYED and b > a:
                n = np.floor((frames[where] - a) / (b - a) + ROUNDED)
                within = np.clip(frames[where] - n * (b - a), a, b)
                inside[where] = np.where(n % 2 == 1, a + b - within, within) if way == "alternate" else within
                if way == "accumulate":
                    rise[where] = n * (self.values[-1] - self.values[0])
        return inside, rise

    def jumps(self, low: float, high: float) -> Samples:
        """Frames from `low` to `high` at which the curve jumps: after a step, and where a stretch that is
        played again does not meet itself.

        Returns
        -------
        (jumps,) array
            Frames, ascending.
        """
        a, b = self.frames[0], self.frames[-1]
        own = self.frames[1:][(self.go[:-1] == GO_CODES["step"]) & (np.diff(self.values) != 0.0)]
        if not len(own) and self.before not in PLAYED and self.after not in PLAYED:
            return np.asarray(own)
        found = [own]
        for way, first, last in ((self.before, low, a), (self.after, b, high)):
            if way not in PLAYED or b <= a or first >= last:
                continue
            for n in range(math.floor((first - a) / (b - a)), math.ceil((last - a) / (b - a)) + 1):
                start = a + n * (b - a)
                found.append(a + b - own + n * (b - a) if way == "alternate" and n % 2 else own + n * (b - a))
                if way == "repeat" and self.values[0] != self.values[-1]:
                    found.append(np.array([start]))
        every = np.unique(np.concatenate(found))
        return every[(every >= low) & (every <= high)]


ROUNDED = 1e-9
"""Rounds by which rounding may fall short of a whole one."""


def curve_through(keys: tuple[Key, ...], fps: float, before: Beyond = "hold", after: Beyond = "hold") -> Curve:
    """The curve of keys that are in order of their frames."""
    frames = np.array([k.frame for k in keys])
    values = np.array([k.value for k in keys])
    arrives, leaves = [k.slope_in for k in keys], [k.slope_out for k in keys]
    go = np.array([GO_CODES[k.go] for k in keys], dtype=np.float64)
    if {*map(type, arrives), *map(type, leaves)} == {float}:
        slopes_in, slopes_out = np.array(arrives, dtype=np.float64), np.array(leaves, dtype=np.float64)
        return Curve(frames, values, slopes_in, slopes_out, go, before, after)
    automatic = automatic_slopes(frames / fps, values, before, after)
    rise = np.zeros(len(keys) + 1)
    if len(keys) > 1:
        rise[1:-1] = np.diff(values) * fps / np.diff(frames)
        rise[0], rise[-1] = rise[1], rise[-2]

    def slope(asked: Slope, place: int, straight: float) -> float:
        return float(automatic[place]) if asked is None else straight if asked == "straight" else asked

    return Curve(
        frames,
        values,
        np.array([slope(asked, i, rise[i]) for i, asked in enumerate(arrives)]),
        np.array([slope(asked, i, rise[i + 1]) for i, asked in enumerate(leaves)]),
        go,
        before,
        after,
    )


def automatic_slopes(times: Samples, values: Samples, before: Beyond = "hold", after: Beyond = "hold") -> Samples:
    """Fritsch–Carlson slopes: three-point differences, limited so that each stretch stays monotone.

    At the ends they follow what the curve does beyond: level where it holds or turns back, straight on where it goes
    on, and as within where the stretch is played again and meets itself. `times` in seconds, ascending.

    Parameters
    ----------
    times : (keys,) array
        Seconds, ascending.
    values : (keys,) array
        In the channel's unit.

    Returns
    -------
    (keys,) array
        In units per second.

    References
    ----------
    F. N. Fritsch and R. E. Carlson, 'Monotone piecewise cubic interpolation', SIAM J. Numer. Anal. 17, 1980.
    """
    if len(times) < 2:
        return np.zeros_like(values)
    meets = bool(values[0] == values[-1])
    head, tail = _next_round(times, values, before, meets, -1), _next_round(times, values, after, meets, 1)
    wide = _limited(np.concatenate(([head[0]], times, [tail[0]])), np.concatenate(([head[1]], values, [tail[1]])))
    return wide[1:-1]


def _next_round(times: Samples, values: Samples, way: Beyond, meets: bool, side: int) -> tuple[float, float]:
    """(time, value) where a key stands, or as good as stands, one beyond an end."""
    end, inner, other, beside = (0, 1, -1, -2) if side < 0 else (-1, -2, 0, 1)
    if way == "accumulate" or (way == "repeat" and meets):
        gap, rise = times[beside] - times[other], values[beside] - values[other]
    elif way == "straight":
        gap, rise = times[end] - times[inner], values[end] - values[inner]
    else:  # a mirror, so that the difference about the end is level
        gap, rise = times[end] - times[inner], values[inner] - values[end]
    return float(times[end] + gap), float(values[end] + rise)


def _limited(times: Samples, values: Samples) -> Samples:
    """(n,) the slopes of keys that have others on both sides; level at the outermost."""
    step = np.diff(times)
    rise = np.diff(values) / step
    slopes = np.empty_like(values)
    slopes[0] = slopes[-1] = 0.0
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
    """Fill `out` with the curve at `frames`. The last key at or before a frame rules; ends hold.

    Parameters
    ----------
    frames : (frames,) array
        Where the curve is asked.
    key_frames : (keys,) array
        Ascending.
    key_values : (keys,) array
        In the channel's unit.
    slopes_in, slopes_out : (keys,) arrays
        In units per second.
    go : (keys,) array
        Places in GO_CODES.
    out : (frames,) array
        Filled, in the channel's unit.
    """
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
            out[i] = hermite_at(u, span / fps, key_values[k], slopes_out[k], key_values[k + 1], slopes_in[k + 1])
