"""Moves and their ringing fitted to a curve.

The levels between moves and the dying swings after each,

    y ≈ level_i + e^(−ζωτ_i)(A_i cos ωτ_i + B_i sin ωτ_i),

say roughly how it rings: ω and ζ are looked for on a grid. From there all moves are fitted at once (`ringing.py`): when
each begins, how long it takes, how far it goes, and one frequency, damping and strength, beside trend and swings, by
Levenberg's steps in which whatever is linear is solved for (G. H. Golub and V. Pereyra, 'The differentiation of
pseudo-inverses and nonlinear least squares problems whose variables separate', 1973). Everything is seen through a
filter that makes the noise white, so that its slow wandering outweighs nothing.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import product

import numpy as np
from numpy.typing import NDArray

from lazzik.core.reading.places import APART, GAP
from lazzik.core.reading.ringing import STILL, Move, Moves, Ringing, moved
from lazzik.core.types import Samples

FREQUENCIES = (0.3, 8.0, 40)
"""Hz: lowest, highest, how many on the grid."""

DAMPINGS = (0.04, 0.12, 0.3)
LIMITS = (0.02, 0.8)
WEAKEST, STRONGEST = 0.03, 4.0
SHORTEST, LONGEST = 0.5, 1.2
"""Frames and seconds of a move."""

PULSE = 1e-4
"""Part of a number, or of a frame, by which it is moved to see what changes."""

STEPS, FIRST_STEPS, RETRIES = 20, 8, 6
LARGEST_STEP = 0.4
ENOUGH = 1e-4
"""Part of what is left, by which a step has to make it less for another to follow."""

ORDER, FLOOR = 3, 0.02
"""Of the autoregression that stands for the noise, and white noise under it, as a part of its variance."""

DIFFERENCE = (1.0, -0.97)
"""The filter where nothing is known of the noise: next to a difference, for most of it is slow."""

CANDIDATES, UNLIKE = 3, 0.15
"""Frequencies from which the fit is tried, and how far apart their logarithms are."""

MOVES_BY_CHANCE = 45.0
"""The same of a move: it is looked for at every sample."""

FAR = 5.0
"""Deviations of the noise that a move goes at least."""

KERNEL = 2.0
"""Seconds of a move with its ringing, as it is looked for in what is left."""

QUARTILE = 0.6745
"""Median of the absolute values of a normal law, in deviations."""


@dataclass(frozen=True, eq=False)
class Beside:
    """What is in a curve beside its moves."""

    parts: NDArray[np.float64]
    """(n, parts) what is linear: cosines of a trend, waves of swings."""
    noise: NDArray[np.float64]
    """(order + 1,) the filter that makes the noise white."""
    spread: float = 0.0
    """The noise's deviation, which a move goes beyond by far; 0 where it is not known."""

    def whitened(self, columns: NDArray[np.float64]) -> NDArray[np.float64]:
        """Columns as the filter leaves them.

        Parameters
        ----------
        columns : (n, …) array
            In any unit.

        Returns
        -------
        (n − order, …) array
            In the same.
        """
        order = len(self.noise) - 1
        count = len(columns) - order
        white: NDArray[np.float64] = self.noise[0] * columns[order:]
        for k in range(1, order + 1):
            white += self.noise[k] * columns[order - k : order - k + count]
        return white


def whitening(rest: Samples) -> NDArray[np.float64]:
    """The filter that makes what is left white: that of an autoregression of low order over a floor of white noise.

    Yule and Walker's equations, with the floor added to the variance so that noise that is smooth is not sharpened
    until nothing but rounding is seen.

    Parameters
    ----------
    rest : (n,) array
        What is left of a curve.

    Returns
    -------
    (ORDER + 1,) array
        Taps, the first of them 1.
    """
    centred = rest - rest.mean()
    lags = np.array([float(centred[: len(centred) - k] @ centred[k:]) for k in range(ORDER + 1)])
    lags[0] *= 1.0 + FLOOR
    if lags[0] <= 0.0:
        return np.array(DIFFERENCE)
    normal = lags[np.abs(np.subtract.outer(np.arange(ORDER), np.arange(ORDER)))]
    return np.concatenate(([1.0], -np.linalg.solve(normal, lags[1:])))


def rough_ringing(y: Samples, t: Samples, at: Sequence[float], beside: Beside) -> list[Ringing]:
    """The frequencies and dampings at which levels with dying swings after each move leave least, the best first.

    Parameters
    ----------
    y : (n,) array
        In the curve's unit.
    t : (n,) array
        Seconds, evenly spaced.
    """
    if not at:
        return []
    every = max(1, round(1.0 / (t[1] - t[0]) / (3.0 * FREQUENCIES[1])))
    y, t = y[::every], t[::every]
    coarse = Beside(beside.parts[::every], np.array(DIFFERENCE))
    clear = np.all([(t < place - GAP) | (t > place + GAP) for place in at], axis=0)[1:]

    def seen(columns: NDArray[np.float64]) -> NDArray[np.float64]:
        white: NDArray[np.float64] = coarse.whitened(columns)[clear]
        return white

    base, _ = np.linalg.qr(seen(np.column_stack([coarse.parts, *((t > place).astype(float) for place in at)])))
    left = seen(y)
    left -= base @ (base.T @ left)
    spans = [((t > place) & (t < nxt), t - place) for place, nxt in zip(at, (*at[1:], np.inf), strict=True)]
    costs: list[tuple[float, float, float]] = []
    for f, z in product(np.geomspace(*FREQUENCIES[:2], FREQUENCIES[2]), DAMPINGS):
        columns = np.zeros((len(t), 2 * len(at)))
        for k, (there, tau) in enumerate(spans):
            swing = np.exp((1j - z) * 2.0 * np.pi * f * tau[there])
            columns[there, 2 * k], columns[there, 2 * k + 1] = swing.real, swing.imag
        tails = seen(columns)
        tails -= base @ (base.T @ tails)
        right = tails.T @ left
        costs.append((-float(right @ np.linalg.solve(_products(tails), right)), float(f), z))
    found: list[Ringing] = []
    for _, f, z in sorted(costs):
        if all(abs(np.log(f / other.frequency)) > UNLIKE for other in found):
            found.append(Ringing(f, z, 0.5))
        if len(found) == CANDIDATES:
            break
    return found


class MoveFit:
    """Moves fitted by Levenberg's steps over all that is not linear: log frequency, log damping and strength, then
    when each begins, then the log of how long it takes. `cost` is what is left, white, squared and summed."""

    def __init__(self, y: Samples, t: Samples, moves: Moves, beside: Beside, steps: int = STEPS) -> None:
        self.t, self.eased, self.rings = t, moves.eased, moves.ringing is not None
        self.count, self.beside = len(moves.moves), beside
        self.base, _ = np.linalg.qr(beside.whitened(beside.parts))
        self.y = self._alone(beside.whitened(y))
        self.frame = float(t[1] - t[0])
        starts = np.array([move.start for move in moves.moves])
        lasting = np.log([move.seconds for move in moves.moves])
        ring, least, most = np.empty(0), np.empty(0), np.empty(0)
        if moves.ringing is not None:
            own = moves.ringing
            ring = np.array([np.log(own.frequency), np.log(np.clip(own.damping, *LIMITS)), own.strength])
            least = np.array([np.log(FREQUENCIES[0] / 1.3), np.log(LIMITS[0]), 0.0])
            most = np.array([np.log(FREQUENCIES[1] * 1.3), np.log(LIMITS[1]), STRONGEST])
        self.low = np.concatenate((least, starts - 2 * GAP, np.full(self.count, np.log(SHORTEST * self.frame))))
        self.high = np.concatenate((most, starts + 2 * GAP, np.full(self.count, np.log(LONGEST))))
        self._descend(np.clip(np.concatenate((ring, starts, lasting)), self.low, self.high), steps)

    def _descend(self, theta: Samples, steps: int) -> None:
        columns = self._columns(theta)
        found, rest = self._solved(columns)
        cost, damp = float(rest @ rest), 1e-3
        for _ in range(steps):
            jacobian = self._slopes(theta, columns, found)
            jacobian -= columns @ np.linalg.solve(
                _products(columns), columns.T @ jacobian
            )  # heights follow by themselves
            normal, gradient = jacobian.T @ jacobian, jacobian.T @ rest
            scale = np.diag(np.diag(normal) + 1e-12 * float(np.trace(normal)) + 1e-300)
            before = cost
            for _ in range(RETRIES):
                step = np.linalg.solve(normal + damp * scale, gradient)
                tried = np.clip(theta + np.clip(step, -LARGEST_STEP, LARGEST_STEP), self.low, self.high)
                there = self._columns(tried)
                solution, left = self._solved(there)
                if float(left @ left) < cost:
                    theta, columns, found, rest, cost = tried, there, solution, left, float(left @ left)
                    damp /= 4.0
                    break
                damp *= 6.0
            if before - cost <= ENOUGH * before:
                break
        self.cost, self.rest, self.columns, self.found = cost, rest, columns, found
        starts, seconds = self._times(theta)
        self.moves = Moves(
            tuple(Move(float(starts[k]), float(seconds[k]), float(found[k])) for k in range(self.count)),
            self.eased, self._ringing(theta),
        )  # fmt: skip

    def standing(self) -> tuple[Move, ...]:
        """The moves without which much more would be left than chance makes."""
        gains = self.found**2 / np.maximum(np.diag(np.linalg.inv(_products(self.columns))), 1e-300)
        gains[np.abs(self.found) < FAR * self.beside.spread] = 0.0
        if gains.min() > MOVES_BY_CHANCE * self.cost / len(self.y):
            return self.moves.moves
        weakest = int(np.argmin(gains))
        return tuple(move for k, move in enumerate(self.moves.moves) if k != weakest)

    def missed(self) -> float | None:
        """Seconds at which one more move explains most of what is left, white; None where it is no more than chance."""
        seconds = float(np.median([move.seconds for move in self.moves.moves]))
        order = len(self.beside.noise) - 1
        tau: Samples = self.frame * np.arange(min(len(self.rest), round(KERNEL / self.frame)), dtype=np.float64)
        shape = moved(tau, 0.0, seconds, self.eased, self.moves.ringing or STILL)
        kernel = self.beside.whitened(np.concatenate((np.zeros(order), shape)))
        along = np.correlate(self.rest, kernel, "valid")
        gains = along**2 / float(kernel @ kernel)
        gains[np.abs(along) < FAR * self.beside.spread * float(kernel @ kernel)] = 0.0
        starts = self.t[order : order + len(gains)]
        for move in self.moves.moves:
            gains[np.abs(starts + seconds / 2.0 - move.middle) < APART / 2.0] = 0.0
        place = int(np.argmax(gains))
        least = MOVES_BY_CHANCE * float(np.median(np.abs(self.rest)) / QUARTILE) ** 2
        return float(starts[place]) + seconds / 2.0 if gains[place] > least else None

    def _ringing(self, theta: Samples) -> Ringing | None:
        return Ringing(float(np.exp(theta[0])), float(np.exp(theta[1])), float(theta[2])) if self.rings else None

    def _times(self, theta: Samples) -> tuple[Samples, Samples]:
        return theta[-2 * self.count : len(theta) - self.count], np.exp(theta[len(theta) - self.count :])

    def _columns(self, theta: Samples) -> NDArray[np.float64]:
        """(n − order, moves) each move at height 1, white."""
        ringing = self._ringing(theta)
        shapes = [self._shape(*times, ringing) for times in zip(*self._times(theta), strict=True)]
        return self._alone(np.column_stack(shapes))

    def _shape(self, start: float, seconds: float, ringing: Ringing | None) -> Samples:
        one = moved(self.t, start, seconds, self.eased, ringing or STILL)
        return np.asarray(self.beside.whitened(one), dtype=np.float64)

    def _alone(self, columns: NDArray[np.float64]) -> NDArray[np.float64]:
        """(n − order, …) what the linear parts beside the moves can't follow."""
        return columns - self.base @ (self.base.T @ columns)

    def _solved(self, columns: NDArray[np.float64]) -> tuple[Samples, Samples]:
        found: Samples = np.asarray(np.linalg.solve(_products(columns), columns.T @ self.y), dtype=np.float64)
        return found, self.y - columns @ found

    def _slopes(self, theta: Samples, columns: NDArray[np.float64], found: Samples) -> NDArray[np.float64]:
        """(n − order, numbers) what changes with each number, by small differences."""
        own = len(theta) - 2 * self.count
        starts, seconds = self._times(theta)
        ringing = self._ringing(theta)
        pulses = PULSE * np.eye(own, len(theta))
        slopes = [(self._columns(theta + pulse) - columns) @ found / PULSE for pulse in pulses]
        small = PULSE * self.frame
        shapes = [self._shape(start, lasting, ringing) for start, lasting in zip(starts, seconds, strict=True)]
        slopes += [
            (self._shape(starts[k] + small, seconds[k], ringing) - shapes[k]) * found[k] / small
            for k in range(self.count)
        ]
        longer = np.exp(PULSE)
        slopes += [
            (self._shape(starts[k], seconds[k] * longer, ringing) - shapes[k]) * found[k] / PULSE
            for k in range(self.count)
        ]
        return self._alone(np.column_stack(slopes))


def _products(columns: NDArray[np.float64]) -> NDArray[np.float64]:
    """(parts, parts) their products, a little firmer where two of them are alike."""
    normal = columns.T @ columns
    normal[np.diag_indices_from(normal)] *= 1.0 + 1e-9
    normal[np.diag_indices_from(normal)] += 1e-300
    return normal
