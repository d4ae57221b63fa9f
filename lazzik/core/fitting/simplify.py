"""Thinning out: as few keys as keep a curve within a tolerance of itself, between two of its keys."""

from __future__ import annotations

import numpy as np

from lazzik.core.channel.channel import Channel
from lazzik.core.channel.key_ops import merged
from lazzik.core.channel.keys import Key
from lazzik.core.fitting.fitting import fit
from lazzik.core.fitting.minimax import PER_FRAME


def thinned(channel: Channel, first: Key, last: Key, tolerance: float, fps: float) -> tuple[Key, ...]:
    """The channel's keys, with those from `first` to `last` replaced by fewer that stay within `tolerance`; the two
    themselves stay, and what lies outside them. Keys that are fewer already stay as they are."""
    stretch = tuple(k for k in channel.keys if first.frame <= k.frame <= last.frame)
    curve = channel.curve(fps)
    places = np.arange(int(round((last.frame - first.frame) * PER_FRAME)) + 1)
    frames = first.frame + places / PER_FRAME
    fitted = fit(curve.at(np.minimum(frames, last.frame), fps), first.frame, fps, tolerance)
    if len(fitted) == 1:  # one value throughout
        fitted = (*fitted, last.replaced(slope_in=0.0))
    if len(fitted) >= len(stretch):
        return channel.keys
    here = np.searchsorted(curve.frames, [first.frame, last.frame])
    start = fitted[0].replaced(slope_in=float(curve.slopes_in[here[0]]))
    end = last.replaced(slope_in=fitted[-1].slope_in, slope_out=float(curve.slopes_out[here[1]]))
    return merged(channel.keys, (start, *fitted[1:-1], end), gone=stretch)
