"""Where a curve goes to another level: seen in the difference of its means before and after, in which no swing, noise
or ringing of the usual kind stands out."""

from __future__ import annotations

import numpy as np

from lazzik.core.types import Samples

ABOUT = 1.0
"""Seconds before and after, over which means are compared."""

GAP = 0.25
"""Seconds about a move that take no part in that."""

SEEN, STANDS_OUT = 3.5, 5.0
"""Deviations of the usual difference beyond which one is looked at, and beyond which it is a move."""

APART = 1.0
"""Seconds between two moves."""

QUIETEST = 0.3
"""Share of the differences that no move is in, as a rule."""

QUANTILE = 0.3853
"""Where the absolute values of a normal law have that share below them, in deviations."""

STEEP = 0.1
"""Seconds to either side, over which it is told where a curve goes fastest."""

SMALLEST = 0.02
"""Part of the curve's reach that a move has at least."""

MOST_MOVES = 12


def places(y: Samples, rate: float) -> list[float]:
    """Seconds about which a curve goes to another level: the farthest first, each taken out before the next is looked
    for, and in the end those that stand out of what is usual where all are gone.

    Parameters
    ----------
    y : (n,) array
        Evenly spaced, `rate` a second.
    """
    about = max(4, round(min(ABOUT, len(y) / rate / 12.0) * rate))
    gap = max(1, round(min(GAP, ABOUT / 4.0) * rate))
    short = max(1, round(STEEP * rate))
    middle = np.arange(about + gap, len(y) - about - gap)
    if not len(middle):
        return []
    left = y.copy()
    found: list[tuple[float, float]] = []
    while True:
        away = _differences(left, about, gap)
        usual = float(np.quantile(np.abs(away), QUIETEST)) / QUANTILE
        high = int(np.argmax(np.abs(away)))
        if len(found) == 2 * MOST_MOVES or abs(away[high]) <= max(SEEN * usual, SMALLEST * float(np.ptp(y))):
            break
        # a difference of levels has a flat top: the move is where it goes that way fastest, before it rings back
        near = middle[high] + np.arange(-2 * gap, 2 * gap + 1)
        near = near[(near >= short) & (near < len(y) - short)]
        steep = np.sign(away[high]) * (left[near + short] - left[near - short])
        place = int(near[np.argmax(steep)])
        found.append((place / rate, float(away[high])))
        left[place:] -= away[high]
    kept: list[tuple[float, float]] = []
    for at, height in found:  # what is taken out beside one that was is its correction
        if abs(height) > STANDS_OUT * usual and all(abs(at - other) > APART for other, _ in kept):
            kept.append((at, height))
    return sorted(at for at, _ in kept[:MOST_MOVES])


def _differences(y: Samples, about: int, gap: int) -> Samples:
    """The mean after less the mean before, at every place that has both."""
    total = np.concatenate(([0.0], np.cumsum(y)))
    middle = np.arange(about + gap, len(y) - about - gap)
    after = total[middle + gap + about] - total[middle + gap]
    before = total[middle - gap] - total[middle - gap - about]
    found: Samples = (after - before) / about
    return found
