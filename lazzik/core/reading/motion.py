"""Motion read: a slow trend, keyed moves with their ringing, regular swings, the rest as noise, and how much each
explains.

The trend is what a line and the slowest cosines explain (up to three in the curve's length). Moves (`moves.py`) and
swings (`separation.py`) are looked for in turn, each in what the others leave.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lazzik.core.reading.background import SLOWEST, Background, Candidates
from lazzik.core.reading.gaps import without_gaps
from lazzik.core.reading.move_fit import DIFFERENCE, Beside, whitening
from lazzik.core.reading.moves import deviation_of, refined, sought
from lazzik.core.reading.places import places
from lazzik.core.reading.ringing import Moves
from lazzik.core.reading.separation import at_first_sight, separated
from lazzik.core.reading.swings import Swing, course, fitted, waves
from lazzik.core.types import Samples

QUIET = 1e-6
"""Part of a curve's variance below which what is left is nothing."""

ROUNDING = 1e-12
"""Part of the largest value that is rounding."""

SETTLES = 4
"""Times that trend and swings are fitted in turn, until neither leans on the other."""

TURNS = 2
"""Times that moves and what is beside them are, likewise."""

MOMENT = 0.1
"""Seconds in which a sudden move is looked for."""

TOO_FAR = 6.0
"""Deviations of the noise's own going in such a moment."""


@dataclass(frozen=True, eq=False)
class Reading:
    """What was found in a curve."""

    rate: float
    y: Samples
    """(n,) the curve, without gaps and outliers."""
    trend: Samples
    """(n,) without the moves."""
    moves: Moves
    swings: tuple[Swing, ...]
    background: Background | None
    """None where nothing is left."""
    remarks: tuple[str, ...]
    """What could not be told, in sentences."""

    @property
    def t(self) -> Samples:
        """Seconds since the first sample.

        Returns
        -------
        (n,) array
            Seconds.
        """
        return np.arange(len(self.y)) / self.rate

    @property
    def seconds(self) -> float:
        """How long the curve is."""
        return len(self.y) / self.rate

    @property
    def residual(self) -> Samples:
        """What neither trend nor moves nor swings explain.

        Returns
        -------
        (n,) array
            In the curve's unit.
        """
        left: Samples = self.y - self.trend - self.moves.course(self.t) - course(self.swings, self.t)
        return left

    def shares(self) -> dict[str, float]:
        """How much of the variance each part explains: trend, moves with their ringing, swings, noise."""
        whole = float(np.var(self.y)) or 1.0
        parts = {
            "trend": self.trend, "moves": self.moves.course(self.t), "swings": course(self.swings, self.t),
            "noise": self.residual if self.background is not None else np.zeros(1),
        }  # fmt: skip
        return {name: float(np.var(part)) / whole for name, part in parts.items()}


def read_motion(samples: Samples, rate: float) -> Reading:
    """What a curve is made of.

    Parameters
    ----------
    samples : (n,) array
        Evenly spaced, `rate` a second; what is missing is not a number.

    Raises
    ------
    InvalidEdit
        Where there are too few samples, too many, or too many are missing.
    """
    y, remarks = without_gaps(np.asarray(samples, dtype=float))
    candidates = Candidates(len(y), rate)
    found = _read_beside(y, rate, _moves(y, rate, places(y, rate), candidates), candidates)
    if not found.moves.moves and found.background is not None:
        # many moves in a short curve hide in each other's levels: where it moves as no noise does, one is looked for
        sudden = [place / rate for place in _sudden(found.residual, rate, found.background)]
        moves = _moves(y, rate, sudden, candidates)
        found = _read_beside(y, rate, moves, candidates) if moves.moves else found
    return Reading(rate, y, found.trend, found.moves, found.swings, found.background, (*remarks, *found.remarks))


def _moves(y: Samples, rate: float, at: list[float], candidates: Candidates) -> Moves:
    """The moves of a curve about some places: sought beside the swings that are seen at first sight, then in turn with
    what is left."""
    t, slow = np.arange(len(y)) / rate, cosines(len(y))
    if not at:
        return Moves()
    levels = np.column_stack([slow, *(t > place for place in at)])
    swings = at_first_sight(y - levels @ np.linalg.lstsq(levels, y, rcond=None)[0], t, rate)
    moves = sought(y, t, at, Beside(np.hstack((slow, waves(t, swings))), np.array(DIFFERENCE)))
    for turn in range(TURNS):
        found = _read_beside(y, rate, moves, candidates)
        beside = Beside(np.hstack((slow, waves(t, found.swings))), whitening(found.residual),
                        deviation_of(found.residual, rate) if turn == TURNS - 1 else 0.0)  # fmt: skip
        moves = refined(y, t, moves, beside)
        if not moves.moves:
            break
    return moves


def cosines(count: int) -> NDArray[np.float64]:
    """What a trend is made of: a constant, a line, and the slowest cosines.

    Returns
    -------
    (count, parts) array
        Each within −1 and 1.
    """
    u = np.arange(count) / max(count - 1, 1)
    return np.stack([np.ones_like(u), u, *(np.cos(np.pi * k * u) for k in range(1, 2 * SLOWEST))], axis=1)


def _trend(y: Samples) -> Samples:
    parts = cosines(len(y))
    found: Samples = parts @ np.linalg.lstsq(parts, y, rcond=None)[0]
    return found


def _read_beside(whole: Samples, rate: float, moves: Moves, candidates: Candidates) -> Reading:
    """Trend, swings and noise of a curve, beside moves that are known."""
    t = np.arange(len(whole)) / rate
    y = whole - moves.course(t)
    rounding = (ROUNDING * float(np.abs(whole).max())) ** 2
    # swings that stand out by far would lean on the trend, and it on them: it is measured without them
    line = np.polyval(np.polyfit(t, y, 1), t)
    trend = _trend(y - course(at_first_sight(y - line, t, rate), t))
    if float(np.var(y - _trend(y))) <= QUIET * float(np.var(whole)) + rounding:
        beside = "trend and the moves" if moves.moves else "trend"
        return Reading(rate, whole, _trend(y), moves, (), None, (f"There is no motion beside the {beside}.",))
    if _is_white(y - trend):
        white = (
            f"{'What is left beside the moves' if moves.moves else 'It'} is as good as white, "
            f"{float(np.std(y - trend)):.3g} about its trend: there is no swing and no period in it."
        )
        return Reading(rate, whole, trend, moves, (), None, (white,))
    swings, background = separated(y - trend, t, rate, candidates)
    for _ in range(SETTLES):
        trend = _trend(y - course(swings, t))
        swings = fitted(y - trend, t, [swing.frequency for swing in swings])
    left = y - trend
    rest = left - course(swings, t)
    if float(np.var(rest)) <= QUIET * float(np.var(left)) + rounding:
        return Reading(rate, whole, trend, moves, tuple(swings), None, ())
    remarks = []
    if _is_white(rest):
        remarks.append("What is left beside the swings is as good as white: there is no period in it.")
    if background.period > 0.95 * candidates.seconds / 10.0:
        remarks.append("The noise is slower than this curve can tell: a longer one would say more.")
    if sudden := _sudden(rest, rate, background):
        remarks.append(
            f"At {', '.join(f'{place:g}' for place in sudden[:4])}{' …' if len(sudden) > 4 else ''} it moves as no "
            "noise does: read the stretches between by themselves."
        )
    return Reading(rate, whole, trend, moves, tuple(swings), background, tuple(remarks))


def _sudden(rest: Samples, rate: float, background: Background) -> list[int]:
    """Samples about which the curve goes farther in a moment than the noise would."""
    lag = max(1, round(min(MOMENT * rate, background.period * rate / 4.0)))
    f, spectrum = background.f, background.spectrum
    usual = np.sqrt(np.sum(2.0 * spectrum * (1.0 - np.cos(2.0 * np.pi * f * lag / rate))) * f[1])
    far = np.flatnonzero(np.abs(rest[lag:] - rest[:-lag]) > TOO_FAR * usual)
    starts = far[np.diff(far, prepend=-(10**9)) > 2 * lag]
    return [int(place) + lag // 2 for place in starts]


def _is_white(rest: Samples) -> bool:
    """Whether neighbours know nothing of each other."""
    centred = rest - rest.mean()
    return bool(abs(float(np.sum(centred[1:] * centred[:-1]) / np.sum(centred**2))) < 3.0 / np.sqrt(len(rest)))
