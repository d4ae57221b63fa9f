"""A measurement that was made up: how the station's mast leans in a wind that turns, at three heights."""

from __future__ import annotations

import numpy as np

from lazzik.core.channel.channel import Channel
from lazzik.core.channel.keys import Key
from lazzik.core.clock import Clock
from lazzik.core.evaluate.evaluator import number_on
from lazzik.core.evaluate.scope import Scope
from lazzik.core.layers.noise import Noise
from lazzik.core.layers.settle import Settle
from lazzik.core.layers.wave import Wave

RATE, FRAMES = 30.0, 900
LEANS = ((0.0, 1.2), (198.0, 1.2), (205.0, 5.4), (421.0, 5.4), (427.0, -2.1), (690.0, -2.1), (699.0, 3.0))
"""(frame, degrees): the wind turns three times."""

HEIGHTS = (("top", 1.0, 3.0), ("middle", 0.55, 11.0), ("foot", 0.18, 19.0))
"""(column, how far it goes, seed of its noise)."""


def measured_mast() -> str:
    """A table with a column 'frame' and one for each height, in degrees."""
    clock = Clock.over(RATE, 0, FRAMES - 1)
    columns = []
    for name, far, seed in HEIGHTS:
        keys = tuple(Key(frame=frame, value=far * lean, slope_in=0.0, slope_out=0.0) for frame, lean in LEANS)
        layers = (
            Settle(kind="settle", id="settle", label="Settle", frequency=1.35, damping=0.11, strength=0.5),
            Wave(kind="wave", id="sway", label="Sway", amplitude=0.9 * far, period=0.41, phase=0.3 * far),
            Noise(kind="noise", id="gusts", label="Gusts", amplitude=0.8 * far, period=0.7, octaves=2.0, seed=seed),
        )
        columns.append((name, np.asarray(number_on(Channel(keys=keys, layers=layers), clock, Scope()))))
    rows = zip(*(values for _, values in columns), strict=True)
    lines = [f"{frame}," + ",".join(f"{value:.4f}" for value in row) for frame, row in enumerate(rows)]
    return "\n".join([",".join(["frame", *(name for name, _ in columns)]), *lines]) + "\n"
