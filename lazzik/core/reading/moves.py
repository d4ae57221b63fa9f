"""Keyed moves in a curve, and the ringing after them: sought about the places where it changes its level, then fitted
again as more is known of what is beside them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from lazzik.core.reading.move_fit import FIRST_STEPS, QUARTILE, WEAKEST, Beside, MoveFit, rough_ringing
from lazzik.core.reading.places import APART, MOST_MOVES
from lazzik.core.reading.ringing import Move, Moves
from lazzik.core.types import Samples

ENOUGH_A_SECOND = 24.0
"""Samples with which moves are sought."""

BY_CHANCE = 25.0
"""Variances of what is left, white, that ringing explains at least."""

STAY, GOES_BACK = 0.7, 0.5
"""Seconds for which a move stays where it leads, and the part of it by which it may seem to go back."""

WHILE = 1.0
"""Seconds over which the noise's deviation is measured."""


def deviation_of(rest: Samples, rate: float) -> float:
    """The deviation of what is left, by the median of how far it goes in a while: moves that were missed are in few of
    these, though the levels between them are far apart.

    Parameters
    ----------
    rest : (n,) array
        What is left of a curve, `rate` samples a second.
    """
    lag = max(1, min(round(WHILE * rate), len(rest) // 2))  # of a curve that is shorter than that, half of it
    return float(np.median(np.abs(rest[lag:] - rest[:-lag]))) / QUARTILE


def sought(y: Samples, t: Samples, at: Sequence[float], beside: Beside) -> Moves:
    """Moves about some places, as they fit a curve best, with their ringing where it explains enough.

    Parameters
    ----------
    y : (n,) array
        In the curve's unit.
    t : (n,) array
        Seconds, evenly spaced.
    at : sequence of float
        Seconds.
    """
    every = max(1, int(1.0 / (t[1] - t[0]) / ENOUGH_A_SECOND))
    y, t, beside = y[::every], t[::every], Beside(beside.parts[::every], beside.noise)
    found = []
    for eased, seconds in ((False, 0.2), (True, 0.3)):
        begun = tuple(Move(place - seconds / 2.0, seconds, 1.0) for place in at)
        found += [
            MoveFit(y, t, Moves(begun, eased, ringing), beside, FIRST_STEPS)
            for ringing in (None, *rough_ringing(y, t, at, beside))
        ]
    return _chosen(found, len(y)).moves


def refined(y: Samples, t: Samples, moves: Moves, beside: Beside) -> Moves:
    """Moves that are known, fitted again beside what is known better now; with others that stand out of what they
    leave, and without those that do not.

    Parameters
    ----------
    y : (n,) array
        In the curve's unit.
    t : (n,) array
        Seconds, evenly spaced.
    """
    at = [move.middle for move in moves.moves]
    tried = [moves.ringing] if moves.ringing else [None, *rough_ringing(y, t, at, beside)[:1]]
    fit = _chosen([MoveFit(y, t, replace(moves, ringing=ringing), beside) for ringing in tried], len(y))
    while len(fit.moves.moves) < MOST_MOVES and (place := fit.missed()) is not None:
        fit = MoveFit(y, t, fit.moves.with_one(place), beside)
    while (kept := _staying(y, t, fit.moves, beside, fit.standing())) != fit.moves.moves:
        if not kept:
            return Moves()
        fit = MoveFit(y, t, replace(fit.moves, moves=kept), beside)
    if fit.moves.ringing is not None:
        fit = _chosen([fit, MoveFit(y, t, replace(fit.moves, ringing=None), beside)], len(y))
    return _leveled(y, t, fit.moves, beside)


def _leveled(y: Samples, t: Samples, moves: Moves, beside: Beside) -> Moves:
    """Moves as far as the levels between them say: through the filter only what is near a move counts, but noise that
    wanders comes back, so that a level is best known from all of its stretch."""
    one = [replace(moves, moves=(replace(move, height=1.0),)).course(t) for move in moves.moves]
    heights = np.linalg.lstsq(np.column_stack([*one, beside.parts]), y, rcond=None)[0]
    kept = zip(moves.moves, heights, strict=False)
    return replace(moves, moves=tuple(replace(move, height=float(height)) for move, height in kept))


def _staying(y: Samples, t: Samples, moves: Moves, beside: Beside, kept: tuple[Move, ...]) -> tuple[Move, ...]:
    """Those of some moves after which the curve stays where they lead: a jolt that goes back at once is none."""
    left = y - moves.course(t)
    rest = left - beside.parts @ np.linalg.lstsq(beside.parts, left, rcond=None)[0]
    staying: list[Move] = []
    for move in kept:
        end = move.start + move.seconds
        after, before = rest[(t > end) & (t < end + STAY)], rest[(t < move.start) & (t > move.start - STAY)]
        gone_back = float(after.mean() - before.mean()) / move.height if len(after) and len(before) else 0.0
        crowded = any(abs(move.middle - other.middle) < APART / 3.0 for other in staying)
        if gone_back > -GOES_BACK and not crowded:
            staying.append(move)
    return tuple(staying)


def _chosen(fits: Sequence[MoveFit], count: int) -> MoveFit:
    """The fit that leaves least; where there are some without ringing, one with it only if it leaves less by far than
    chance would."""
    plain = [fit for fit in fits if fit.moves.ringing is None]
    best = min(fits, key=lambda fit: fit.cost)
    if not plain or best.moves.ringing is None:
        return best
    other = min(plain, key=lambda fit: fit.cost)
    by_far = other.cost - best.cost > BY_CHANCE * best.cost / count
    return best if by_far and best.moves.ringing.strength > WEAKEST else other
