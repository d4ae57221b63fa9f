"""Changing keys: pure functions from keys to keys, in order of their frames."""

from __future__ import annotations

from bisect import bisect_left

import numpy as np

from lazzik.core.channel.channel import Channel
from lazzik.core.channel.keys import PLAYED, SAME_FRAME, Curve, Key, Slope, curve_through
from lazzik.core.errors import InvalidEdit


def key_at(keys: tuple[Key, ...], frame: float) -> Key | None:
    """The key at a frame, if there is one."""
    place = bisect_left(keys, frame - SAME_FRAME, key=lambda k: k.frame)
    return next((k for k in keys[place : place + 2] if abs(k.frame - frame) < SAME_FRAME), None)


def keys_at(keys: tuple[Key, ...], frames: tuple[float, ...], where: str = "") -> tuple[Key, ...]:
    """The keys at these frames. Raises InvalidEdit where there is none."""
    found = []
    for frame in frames:
        key = key_at(keys, frame)
        if key is None:
            raise InvalidEdit(f"There is no key at frame {frame:g}", where)
        found.append(key)
    if not found:
        raise InvalidEdit("No keys were named", where)
    return tuple(found)


def merged(keys: tuple[Key, ...], landed: tuple[Key, ...], gone: tuple[Key, ...] = ()) -> tuple[Key, ...]:
    """Keys without the gone ones (of their very number) and without those that a landed key falls on, and the landed
    ones."""
    out = {id(key) for key in gone}
    rows = tuple(sorted(landed, key=lambda key: key.frame))
    left = [k for k in keys if id(k) not in out and key_at(rows, k.frame) is None]
    return tuple(sorted((*left, *rows), key=lambda key: key.frame))


def scaled(key: Key, frame: float, value: float, stretch: float, height: float) -> Key:
    """A key moved away from a frame and a value by so many times; its own slopes turn with the curve."""

    def turned(slope: Slope) -> Slope:
        return slope * height / stretch if isinstance(slope, float) else slope

    return key.replaced(
        frame=frame + (key.frame - frame) * stretch,
        value=value + (key.value - value) * height,
        slope_in=turned(key.slope_in),
        slope_out=turned(key.slope_out),
    )


def inserted(channel: Channel, frame: float, fps: float) -> tuple[Key, ...]:
    """The channel's keys and one more on its curve, which stays as it is: every stretch is split exactly, and slopes
    that would answer to the new key are written down as they were.

    Raises InvalidEdit beyond the ends where the stretch is played again: a key there would change what is played.
    """
    if not channel.keys:
        return (Key(frame=frame, value=channel.value),)
    if key_at(channel.keys, frame):
        return channel.keys
    curve = channel.curve(fps)
    if frame < curve.frames[0] or frame > curve.frames[-1]:
        keys = _beyond(channel, curve, frame, fps)
    else:
        place = int(np.searchsorted(curve.frames, frame, side="right")) - 1
        keys = merged(channel.keys, (_within(channel.keys[place], curve, place, frame, fps),))
    new = curve_through(keys, fps, channel.before, channel.after)
    frames, slopes = new.frames, zip(new.slopes_in, new.slopes_out, strict=True)
    return tuple(
        key if abs(f - frame) < SAME_FRAME else _written(key, curve, f, slope)
        for key, f, slope in zip(keys, frames, slopes, strict=True)
    )


def smoothed(keys: tuple[Key, ...], chosen: tuple[Key, ...], amount: float) -> tuple[Key, ...]:
    """Keys with the values of the chosen ones drawn toward the straight line between their neighbours; the outermost
    stay. Slopes of theirs become automatic."""
    out, drawn = list(keys), {id(key) for key in chosen}
    for i in range(1, len(keys) - 1):
        if id(keys[i]) in drawn:
            left, key, right = keys[i - 1 : i + 2]
            u = (key.frame - left.frame) / (right.frame - left.frame)
            middle = left.value + u * (right.value - left.value)
            out[i] = key.replaced(value=key.value + amount * (middle - key.value), slope_in=None, slope_out=None)
    return tuple(out)


def _within(before: Key, curve: Curve, place: int, frame: float, fps: float) -> Key:
    """A key on the curve between key `place` and the next."""
    value = float(curve.at(np.array([frame]), fps)[0])
    if before.go != "cubic":
        return Key(frame=frame, value=value, go=before.go)
    span = curve.frames[place + 1] - curve.frames[place]
    u, d = (frame - curve.frames[place]) / span, span / fps
    slope = float(
        6 * u * (u - 1) / d * (curve.values[place] - curve.values[place + 1])
        + (1 - u) * (1 - 3 * u) * curve.slopes_out[place]
        + u * (3 * u - 2) * curve.slopes_in[place + 1]
    )
    return Key(frame=frame, value=value, slope_in=slope, slope_out=slope)


def _beyond(channel: Channel, curve: Curve, frame: float, fps: float) -> tuple[Key, ...]:
    """The keys and one more before the first or after the last."""
    early = frame < curve.frames[0]
    way = channel.before if early else channel.after
    if way in PLAYED and len(channel.keys) > 1:
        raise InvalidEdit(f"At frame {frame:g} the keys are played again; a key there would change what is played")
    value = float(curve.at(np.array([frame]), fps)[0])
    slope = float(curve.slopes_in[0] if early else curve.slopes_out[-1]) if way == "straight" else 0.0
    key = Key(frame=frame, value=value, slope_in=slope, slope_out=slope)
    end = channel.keys[0 if early else -1]
    if early:
        return (key, end.replaced(slope_in=slope), *channel.keys[1:])
    steps = end.go == "step" and way != "straight"  # a last step holds, unless the curve goes on straight from it
    return (*channel.keys[:-1], end.replaced(slope_out=slope, go="step" if steps else "cubic"), key)


def _written(key: Key, curve: Curve, frame: float, now: tuple[float, float]) -> Key:
    """A key whose slopes are written down where they would differ from what the curve has there."""
    place = int(np.argmin(np.abs(curve.frames - frame)))
    was = float(curve.slopes_in[place]), float(curve.slopes_out[place])
    return key.replaced(
        slope_in=was[0] if not isinstance(key.slope_in, float) and now[0] != was[0] else key.slope_in,
        slope_out=was[1] if not isinstance(key.slope_out, float) and now[1] != was[1] else key.slope_out,
    )
