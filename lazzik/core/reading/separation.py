"""Swings told from noise: what stands out of a spectrum, and stays out of the noise that is fitted to the rest.

Swings are first those that stand out of a running median; then the noise is fitted to what they leave
(`background.py`), and each swing has to stand out of that noise's own spectrum, while others are looked for, until
nothing changes.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from lazzik.core.reading.background import SLOWEST, Background, Candidates, running_median
from lazzik.core.reading.spectrum import periodogram
from lazzik.core.reading.swings import APART, Swing, course, fitted
from lazzik.core.types import Samples

FINER = 4
MOST_SWINGS = 6
ROUNDS = 12

FIRST_SIGHT = 10.0
"""Times the running median at which something is looked at as a swing."""

STANDS_OUT = 13.0
"""Times the noise's spectrum at which it is one: by chance one bin in some 400,000 goes so far."""

STAYS = 0.8
"""Part of that at which one that is known stays."""

SMALL = 0.33
"""Of the noise's amplitude: a smaller swing has to stand out by far."""

BY_FAR = 60.0

NEXT_TO_NOTHING = 1e-4
"""Part of a curve's variance below which no further swing is looked for at first sight."""


def separated(y: Samples, t: Samples, rate: float, candidates: Candidates) -> tuple[list[Swing], Background]:
    """The swings of a curve, and the noise that they stand out of.

    Parameters
    ----------
    y : (n,) array
        In the curve's unit.
    t : (n,) array
        Seconds, evenly spaced.
    """
    swings = at_first_sight(y, t, rate)
    for turn in range(ROUNDS):
        background = candidates.most_likely(y - course(swings, t), swings)
        out = [swing for swing in swings if not is_significant(swing, background, candidates.seconds, STAYS)]
        if out:
            weakest = min(out, key=lambda swing: swing.power(candidates.seconds) / background.at(swing.frequency))
            swings = fitted(y, t, [swing.frequency for swing in swings if swing is not weakest])
            continue
        more = _highest(y - course(swings, t), rate, swings, background)
        if more is None or len(swings) >= MOST_SWINGS or turn > ROUNDS - 4:
            break
        longer = fitted(y, t, [*(swing.frequency for swing in swings), more])
        if not is_significant(longer[-1], background, candidates.seconds, 1.0):
            break
        swings = longer
    return swings, background


def is_significant(swing: Swing, background: Background, seconds: float, part: float) -> bool:
    """Whether a swing stands far enough out of the noise; `part` of what is asked of a new one, where it is known."""
    stands = swing.power(seconds) / background.at(swing.frequency)
    if swing.frequency * seconds < SLOWEST:  # what is so slow is the trend's
        return False
    return stands >= STANDS_OUT * part and (swing.amplitude >= SMALL * background.amplitude or stands >= BY_FAR)


def at_first_sight(y: Samples, t: Samples, rate: float) -> list[Swing]:
    """Whatever stands out of a running median, the highest first.

    Parameters
    ----------
    y : (n,) array
        In the curve's unit.
    t : (n,) array
        Seconds, evenly spaced.
    """
    swings: list[Swing] = []
    for _ in range(MOST_SWINGS):
        if float(np.var(y - course(swings, t))) <= NEXT_TO_NOTHING * float(np.var(y)):
            break
        f, power = periodogram(y - course(swings, t), rate, FINER)
        f_at = _peak(f, power / running_median(power, 4 * FINER * 4 + 1), FIRST_SIGHT, rate, len(y), swings)
        if f_at is None:
            break
        swings = fitted(y, t, [*(swing.frequency for swing in swings), f_at])
    return swings


def _highest(y: Samples, rate: float, swings: Sequence[Swing], background: Background) -> float | None:
    f, power = periodogram(y - y.mean(), rate, FINER)
    ratio = power / np.interp(f, background.f, background.spectrum)
    return _peak(f, ratio, STANDS_OUT, rate, len(y), swings)


def _peak(f: Samples, ratio: Samples, least: float, rate: float, count: int, swings: Sequence[Swing]) -> float | None:
    """The frequency at which a ratio is highest, away from known swings; None where it is not high enough."""
    bin_ = rate / count
    ratio = np.where((f < SLOWEST * bin_) | (f > rate / 2.0 - SLOWEST * bin_), 0.0, ratio)
    for swing in swings:
        ratio[np.abs(f - swing.frequency) < APART * bin_] = 0.0
    place = int(np.argmax(ratio))
    return float(f[place]) if ratio[place] >= least else None
