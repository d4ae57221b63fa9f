"""Curves added to one another, exactly: the sum of two piecewise cubics is one, with the keys of both."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lazzik.core.channel.key_ops import merged
from lazzik.core.channel.keys import GO_CODES, Curve, Key, curve_through
from lazzik.core.types import Samples

NOTHING = 1e-9
"""Part of the largest value below which a difference between two curves is rounding."""

LINEAR, STEP = GO_CODES["linear"], GO_CODES["step"]


@dataclass(frozen=True, eq=False)
class Sides:
    """A curve at some frames, from both sides. All (frames,); slopes in units per second."""

    values: Samples
    slopes_in: Samples
    slopes_out: Samples


def sides(curve: Curve, frames: Samples, fps: float) -> Sides:
    """Values and one-sided slopes; level beyond the ends.

    Parameters
    ----------
    frames : (frames,) array
        Where the curve is asked.

    Returns
    -------
    Sides
        Arrays (frames,): values in the channel's unit, slopes in units per frame.
    """
    values = curve.at(frames, fps)
    out = np.zeros((2, len(frames)))
    last = len(curve.frames) - 1
    for row, left in ((0, True), (1, False)):
        k = np.searchsorted(curve.frames, frames, side="left" if left else "right") - 1
        inside = (k >= 0) & (k < last)
        a = np.clip(k, 0, max(last - 1, 0))
        if last == 0:
            continue
        span = np.diff(curve.frames)[a]
        u, d = (frames - curve.frames[a]) / span, span / fps
        rise = curve.values[a + 1] - curve.values[a]
        cubic = (
            6 * u * (1 - u) * rise / d
            + (1 - u) * (1 - 3 * u) * curve.slopes_out[a]
            + u * (3 * u - 2) * curve.slopes_in[a + 1]
        )
        way = curve.go[a]
        slope = np.where(way == STEP, 0.0, np.where(way == LINEAR, rise / d, cubic))
        out[row] = np.where(inside, slope, 0.0)
    return Sides(values, out[0], out[1])


@dataclass(frozen=True, eq=False)
class CurveDifference:
    """One curve less another, between frames at which either has a key."""

    frames: Samples
    sides: Sides
    regions: tuple[tuple[float, float], ...]
    """Stretches, from frame to frame, in which the two differ."""
    smooth: bool
    """Whether neither holds a step where they differ."""


def difference(keys: tuple[Key, ...], less: tuple[Key, ...], fps: float) -> CurveDifference:
    """The curve through `keys` less the one through `less`; both have keys."""
    one, other = curve_through(keys, fps), curve_through(less, fps)
    frames = np.union1d(one.frames, other.frames)
    a, b = sides(one, frames, fps), sides(other, frames, fps)
    off = Sides(a.values - b.values, a.slopes_in - b.slopes_in, a.slopes_out - b.slopes_out)
    size = NOTHING * max(1e-9, float(np.abs(one.values).max()), float(np.abs(other.values).max()))
    stretch = np.diff(frames) / fps
    differs = np.abs(off.values) > size
    between = (
        differs[:-1]
        | differs[1:]
        | (np.abs(off.slopes_out[:-1]) * stretch > 10 * size)
        | (np.abs(off.slopes_in[1:]) * stretch > 10 * size)
    )
    ends = [bool(differs[0]), *between.tolist(), bool(differs[-1])]
    edges = [-np.inf, *frames.tolist(), np.inf]
    regions: list[tuple[float, float]] = []
    for first, last, on in zip(edges, edges[1:], ends, strict=False):
        if on and regions and regions[-1][1] == first:
            regions[-1] = (regions[-1][0], last)
        elif on:
            regions.append((first, last))
    smooth = not any(
        a < f + s and f < b and way == STEP
        for curve in (one, other)
        for f, s, way in zip(curve.frames, np.append(np.diff(curve.frames), np.inf), curve.go, strict=True)
        for a, b in regions
    )
    return CurveDifference(frames, off, tuple(regions), smooth)


def added(base: tuple[Key, ...], offset: CurveDifference, fps: float) -> tuple[Key, ...] | None:
    """The base with a difference added: its own keys where that is nothing, and the keys of both where it is not.

    None if a step lies there, whose sum with a curve no key can say.
    """
    curve = curve_through(base, fps)
    held = np.append(np.diff(curve.frames), np.inf)
    for f, s, way in zip(curve.frames, held, curve.go, strict=True):
        if way == STEP and any(a < f + s and f < b for a, b in offset.regions):
            return None
    if not offset.smooth:
        return None

    def touched(frame: float) -> bool:
        return any(a <= frame <= b for a, b in offset.regions)

    frames = np.array(sorted({*filter(touched, curve.frames.tolist()), *filter(touched, offset.frames.tolist())}))
    if not len(frames):
        return base
    there = sides(curve, frames, fps)
    off = _at(offset, frames, fps)
    values = there.values + off.values
    slopes_in, slopes_out = there.slopes_in + off.slopes_in, there.slopes_out + off.slopes_out
    landed = tuple(
        Key(frame=float(f), value=float(v), slope_in=float(i), slope_out=float(o))
        for f, v, i, o in zip(frames, values, slopes_in, slopes_out, strict=True)
    )
    # the base's keys beside the sum keep the slopes that they had, so that nothing else moves; at an end beyond which
    # the sum goes on, that was level
    arrive, leave = curve.slopes_in.copy(), curve.slopes_out.copy()
    # a straight stretch becomes a cubic one where a key that it begins at is replaced: it stays straight by its slopes
    straight = np.flatnonzero(curve.go[:-1] == LINEAR)
    pace = np.diff(curve.values)[straight] / np.diff(curve.frames)[straight] * fps
    leave[straight], arrive[straight + 1] = pace, pace
    arrive[0] = 0.0 if frames[0] < curve.frames[0] else arrive[0]
    leave[-1] = 0.0 if frames[-1] > curve.frames[-1] else leave[-1]
    settled = tuple(
        key.replaced(slope_in=float(i), slope_out=float(o)) for key, i, o in zip(base, arrive, leave, strict=True)
    )
    return merged(settled, landed)


def _at(offset: CurveDifference, frames: Samples, fps: float) -> Sides:
    """A difference at any frames: it is a curve of its own."""
    own = offset.sides
    curve = Curve(offset.frames, own.values, own.slopes_in, own.slopes_out, np.zeros(len(offset.frames)))
    return sides(curve, frames, fps)
