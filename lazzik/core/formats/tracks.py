"""Motion as glTF's samplers know it: keys that stay within a tolerance of what moves, at every quarter frame.

A track is rows of numbers over time (a place, an orientation, a size, one number). It is written in the smallest of
three ways that keeps the tolerance:

    STEP         where it only jumps
    CUBICSPLINE  the keys of a fitted curve for each number, united: the same cubics, with the keys of all
    LINEAR       keys as dense as needed, longest stretches first; orientations go the short way (slerp)

A jump within LINEAR or CUBICSPLINE is two keys, the first the float32 before the second.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from itertools import pairwise
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from lazzik.core.channel.curve_arithmetic import sides
from lazzik.core.channel.keys import Curve, curve_through
from lazzik.core.fitting.fitting import fit
from lazzik.core.geometry.quaternions import short_way
from lazzik.core.kernels import kernel
from lazzik.core.types import Samples

Interpolation = Literal["STEP", "LINEAR", "CUBICSPLINE"]
Rows = NDArray[np.float64]  # (samples, numbers)

SHARE = 0.9
"""Part of the tolerance that keys may use: the rest is for the rounding to float32."""

APART = 1e-4
"""Frames before a sample at which its left side is read, to find what jumps."""


@dataclass(frozen=True, eq=False)
class Moved:
    """What moves: its samples at every quarter frame, and just before each."""

    frames: Samples
    """(samples,) quarter frames from the first."""
    rows: Rows
    before: Rows
    """The rows just before each sample."""
    turns: bool = False
    """Whether the rows are orientations."""


@dataclass(frozen=True, eq=False)
class SampledTrack:
    """Keys of one sampler."""

    interpolation: Interpolation
    seconds: NDArray[np.float32]
    """(keys,) since the first frame, ascending."""
    values: NDArray[np.float32]
    """(keys, numbers), or (3 · keys, numbers) of a CUBICSPLINE: slope in, value, slope out."""
    off: float
    """How far it is from what moves at quarter frames, at most: in degrees for orientations, in units else."""

    @property
    def size(self) -> int:
        """Bytes."""
        return self.seconds.nbytes + self.values.nbytes


def track_of(moved: Moved, first: float, fps: float, tolerance: float) -> SampledTrack:
    """The smallest track within the tolerance (degrees for orientations, else the length of the difference)."""
    pieces = _pieces(moved, tolerance)
    if all(np.all(rows == rows[0]) for _, rows in pieces):
        return _measured(
            "STEP", [frames[:1] for frames, _ in pieces], [rows[:1] for _, rows in pieces], moved, first, fps
        )
    found = [_linear(pieces, moved, first, fps, tolerance)]
    cubic = _cubic(pieces, moved, first, fps, tolerance)
    if cubic is not None and cubic.off <= tolerance:
        found.append(cubic)
    return min(found, key=lambda track: track.size)


def _pieces(moved: Moved, tolerance: float) -> list[tuple[Samples, Rows]]:
    """(frames, rows) between jumps. A piece that a jump ends has a last row of its own, at the frame of the jump."""
    if len(moved.frames) < 2:
        return [(moved.frames, moved.rows)]
    leap = _apart(moved.before[1:], moved.rows[1:], moved.turns)
    whole = _apart(moved.rows[:-1], moved.rows[1:], moved.turns)
    jumps = 1 + np.flatnonzero((leap > 0.5 * tolerance) & (leap > 0.25 * whole))
    out = []
    for start, end in zip([0, *jumps], [*jumps, len(moved.frames)], strict=True):
        frames, rows = moved.frames[start:end], moved.rows[start:end]
        if end < len(moved.frames):
            frames = np.append(frames, moved.frames[end])
            rows = np.concatenate([rows, moved.before[end : end + 1]])
        if moved.turns:
            rows = short_way(rows)
        out.append((frames, rows))
    return out


def _linear(
    pieces: list[tuple[Samples, Rows]], moved: Moved, first: float, fps: float, tolerance: float
) -> SampledTrack:
    """The fewest keys that each reach as far as they can."""
    frames, rows = [], []
    for at, values in pieces:
        keys = np.empty(len(at), np.int64)
        count = dense_keys(at, np.array(values), SHARE * tolerance, moved.turns, keys)
        frames.append(at[keys[:count]])
        rows.append(values[keys[:count]])
    return _measured("LINEAR", frames, rows, moved, first, fps)


@kernel("float64(float64[::1], float64[::1], float64[::1], float64, boolean)")
def off_between(a: Samples, b: Samples, x: Samples, u: float, turns: bool) -> float:
    """How far x is from the way from a to b, u of it gone: a length, or degrees of the short way round.

    Parameters
    ----------
    a, b, x : (numbers,) arrays
        In the track's unit; quaternions where it turns.

    Returns
    -------
    float
        In the track's unit, or degrees.
    """
    if not turns:
        total = 0.0
        for k in range(x.shape[0]):
            away = a[k] + u * (b[k] - a[k]) - x[k]
            total += away * away
        return math.sqrt(total)
    dot = a[0] * b[0] + a[1] * b[1] + a[2] * b[2] + a[3] * b[3]
    sign = -1.0 if dot < 0.0 else 1.0
    angle = math.acos(min(1.0, abs(dot)))
    sine = math.sin(angle)
    p, q = 1.0 - u, u
    if sine > 1e-9:
        p, q = math.sin((1.0 - u) * angle) / sine, math.sin(u * angle) / sine
    same, length = 0.0, 0.0
    for k in range(4):
        way = p * a[k] + sign * q * b[k]
        same += way * x[k]
        length += way * way
    length = math.sqrt(length)
    near, far = 0.0, 0.0
    for k in range(4):
        way = (p * a[k] + sign * q * b[k]) / length
        near += (way - x[k]) * (way - x[k])
        far += (way + x[k]) * (way + x[k])
    return math.degrees(4.0 * math.asin(min(1.0, 0.5 * math.sqrt(min(near, far)))))


@kernel("boolean(float64[::1], float64[:, ::1], int64, int64, float64, boolean)")
def reaches(at: Samples, rows: Rows, start: int, end: int, tolerance: float, turns: bool) -> bool:
    """Whether a straight way from one sample to another keeps the tolerance at all between.

    Parameters
    ----------
    at : (samples,) array
        Seconds.
    rows : (samples, numbers) array
        In the track's unit.

    Returns
    -------
    bool
    """
    for i in range(start + 1, end):
        u = (at[i] - at[start]) / (at[end] - at[start])
        if off_between(rows[start], rows[end], rows[i], u, turns) > tolerance:
            return False
    return True


@kernel("int64(float64[::1], float64[:, ::1], float64, boolean, int64[::1])")
def dense_keys(at: Samples, rows: Rows, tolerance: float, turns: bool, keys: NDArray[np.int64]) -> int:
    """Fill `keys` with samples between which straight ways keep the tolerance, each as far as it can reach (doubled,
    then halved); how many there are.

    Parameters
    ----------
    at : (samples,) array
        Seconds.
    rows : (samples, numbers) array
        In the track's unit.
    keys : (samples,) array
        Filled: places of samples.

    Returns
    -------
    int
        How many.
    """
    keys[0] = 0
    count, last = 1, at.shape[0] - 1
    while keys[count - 1] < last:
        start = keys[count - 1]
        low, reach = start + 1, 2
        while start + reach <= last and reaches(at, rows, start, start + reach, tolerance, turns):
            low, reach = start + reach, reach * 2
        high = min(start + reach, last + 1)
        while high - low > 1:
            middle = (low + high) // 2
            if reaches(at, rows, start, middle, tolerance, turns):
                low = middle
            else:
                high = middle
        keys[count] = low
        count += 1
    return count


def _cubic(
    pieces: list[tuple[Samples, Rows]], moved: Moved, first: float, fps: float, tolerance: float
) -> SampledTrack | None:
    """The united keys of a fitted curve for each number; None for a piece that is too short to be fitted."""
    numbers = moved.rows.shape[1]
    # half an angle in radians is the length by which a quaternion is off
    within = (np.radians(tolerance) / 2 if moved.turns else tolerance) * SHARE / np.sqrt(numbers)
    frames, rows = [], []
    for at, values in pieces:
        if len(at) < 3:
            frames.append(at)
            rows.append(np.stack([np.zeros_like(values), values, np.zeros_like(values)], 1))
            continue
        curves = [curve_through(fit(column, float(at[0]), fps, within), fps) for column in values.T.copy()]
        if any(np.any(curve.go == 2.0) for curve in curves):  # a step that is no jump between two samples
            return None
        keys = np.unique(np.concatenate([curve.frames for curve in curves]))
        frames.append(keys)
        rows.append(np.stack([_with_slopes(curve, keys, fps) for curve in curves], 2))
    return _measured("CUBICSPLINE", frames, rows, moved, first, fps)


def _with_slopes(curve: Curve, frames: Samples, fps: float) -> Rows:
    """(keys, 3) slope in, value, slope out of a curve at some frames."""
    there = sides(curve, frames, fps)
    return np.stack([there.slopes_in, there.values, there.slopes_out], 1)


def _measured(
    way: Interpolation, frames: list[Samples], rows: list[Rows], moved: Moved, first: float, fps: float
) -> SampledTrack:
    """Pieces as one track in float32, and how far it is off."""
    seconds = [((at - first) / fps).astype(np.float32) for at in frames]
    for before, after in pairwise(seconds):
        if before[-1] >= after[0]:
            before[-1] = np.nextafter(after[0], np.float32(-np.inf))
    times, rows_of = np.concatenate(seconds), np.concatenate(rows)
    values: NDArray[np.float32] = rows_of.reshape(-1, moved.rows.shape[1]).astype(np.float32)
    at = np.clip((moved.frames - first) / fps, times[0], times[-1])
    # a jump is asked for on its own side: what counts at its frame is what comes after it
    off = _apart(sampled(way, times, values, at, moved.turns), moved.rows, moved.turns)
    return SampledTrack(way, times, values, float(off.max(initial=0.0)))


def sampled(way: str, seconds: NDArray[Any], values: NDArray[Any], at: Samples, turns: bool) -> Rows:
    """A sampler's value at some seconds, as the standard has it.

    Parameters
    ----------
    seconds : (keys,) array
        Rising.
    values : (keys, numbers) array, or (3 keys, numbers) with slopes
        In the track's unit.
    at : (moments,) array
        Seconds.

    Returns
    -------
    (moments, numbers) array
        In the track's unit.
    """
    seconds, values = seconds.astype(np.float64), values.astype(np.float64)
    # times are float32: a moment is that of the key that it was written as
    at = np.clip(at.astype(np.float32).astype(np.float64), seconds[0], seconds[-1])
    k = np.clip(np.searchsorted(seconds, at, side="right") - 1, 0, max(len(seconds) - 2, 0))
    if way == "STEP" or len(seconds) == 1:
        last = np.clip(np.searchsorted(seconds, at, side="right") - 1, 0, len(seconds) - 1)
        return values[3 * last + 1] if way == "CUBICSPLINE" else values[last]
    d = seconds[k + 1] - seconds[k]
    u = (at - seconds[k]) / d
    if way == "LINEAR":
        return between(values[k], values[k + 1], u, turns)
    u, d = u[:, None], d[:, None]
    leave, arrive = values[3 * k + 2], values[3 * (k + 1)]
    out = (
        (2 * u**3 - 3 * u**2 + 1) * values[3 * k + 1] + d * (u**3 - 2 * u**2 + u) * leave
        + (-2 * u**3 + 3 * u**2) * values[3 * (k + 1) + 1] + d * (u**3 - u**2) * arrive
    )  # fmt: skip
    return np.asarray(out / np.linalg.norm(out, axis=1, keepdims=True) if turns else out)


def between(a: Rows, b: Rows, u: Samples, turns: bool) -> Rows:
    """Part of the way from rows to rows: straight, or the short way round (K. Shoemake, 'Animating
    rotation with quaternion curves', SIGGRAPH 1985).

    Parameters
    ----------
    a, b : (moments, numbers) arrays
        In the track's unit; unit quaternions where it turns.
    u : (moments,) array
        0 to 1.

    Returns
    -------
    (moments, numbers) array
        In the same unit.

    References
    ----------
    K. Shoemake, 'Animating rotation with quaternion curves', SIGGRAPH 1985.
    """
    u = u[:, None]
    if not turns:
        return a + u * (b - a)
    a, b = np.broadcast_to(a, (len(u), 4)), np.broadcast_to(b, (len(u), 4))
    dot = np.einsum("ij,ij->i", a, b)[:, None]
    b, dot = np.where(dot < 0, -b, b), np.clip(np.abs(dot), 0.0, 1.0)
    angle = np.arccos(dot)
    sine = np.sin(angle)
    small = sine < 1e-9
    safe = np.where(small, 1.0, sine)
    way = np.where(small, a + u * (b - a), (np.sin((1 - u) * angle) * a + np.sin(u * angle) * b) / safe)
    return np.asarray(way / np.linalg.norm(way, axis=1, keepdims=True))


def _apart(a: Rows, b: Rows, turns: bool) -> Samples:
    """(moments,) how far rows are from rows: degrees between orientations, the length of the difference else."""
    if not turns:
        return np.asarray(np.linalg.norm(a - b, axis=1))
    # the sine of half the angle, from the difference: exact for small ones, where the cosine is not
    near = np.minimum(np.linalg.norm(a - b, axis=1), np.linalg.norm(a + b, axis=1))
    return np.asarray(np.degrees(4 * np.arcsin(np.clip(near / 2, 0.0, 1.0))))
