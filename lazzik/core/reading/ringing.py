"""What keyed moves look like in a curve, and the ringing after them.

A move goes from one level to the next, straight or eased (3u² − 2u³). The ringing e that Settle adds to it
(`layers/settle.py`) is the answer to its x'', from rest,

    e'' + 2ζω e' + ω² e = −s·x'',   g(τ) = e^(−ζωτ) sin(ω_d τ)/ω_d,   ω_d = ω√(1 − ζ²)

in closed form, for a move of height 1 and D seconds. Straight, x'' is an impulse 1/D and one of −1/D:

    e(τ) = −s/D · (g(τ) − g(τ − D))

Eased, x'' = (6 − 12τ/D)/D² until D. With α = −6s/D² and β = 12s/D³ the answer is

    e(τ) = P(τ) + e^(−ζωτ)(A cos ω_d τ + B sin ω_d τ),   P(τ) = (α + βτ)/ω² − 2ζβ/ω³

with A and B from e(0) = e'(0) = 0, and from D on the free ringing that begins with what e and e' are there.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np

from lazzik.core.kernels import kernel
from lazzik.core.types import Samples


@dataclass(frozen=True)
class Ringing:
    """How it rings after moves."""

    frequency: float
    """Hz."""
    damping: float
    strength: float

    @property
    def omega(self) -> float:
        """Radians a second."""
        return 2.0 * np.pi * self.frequency


STILL = Ringing(1.0, 0.5, 0.0)
"""None at all."""


def moved(t: Samples, start: float, seconds: float, eased: bool, ringing: Ringing = STILL) -> Samples:
    """A move of height 1, with its ringing.

    Parameters
    ----------
    t : (n,) array
        Seconds, evenly spaced.
    start : float
        Seconds.

    Returns
    -------
    (n,) array
        0 before it begins.
    """
    out = np.empty_like(t)
    ringing_move(
        float(t[0] - start), float(t[1] - t[0]), seconds, eased, ringing.omega, ringing.damping, ringing.strength, out
    )
    return out


@dataclass(frozen=True)
class Move:
    """From one level to the next."""

    start: float
    """Seconds."""
    seconds: float
    height: float

    @property
    def middle(self) -> float:
        """Seconds at which it is half way."""
        return self.start + self.seconds / 2.0


@dataclass(frozen=True)
class Moves:
    """All of a curve, in order, and how it rings after them; None where it does not."""

    moves: tuple[Move, ...] = ()
    eased: bool = False
    ringing: Ringing | None = None

    def with_one(self, place: float) -> Moves:
        """With another one about a place, in order."""
        seconds = float(np.median([move.seconds for move in self.moves]))
        one = Move(place - seconds / 2.0, seconds, 0.0)
        return replace(self, moves=tuple(sorted((*self.moves, one), key=lambda move: move.start)))

    def levels(self, t: Samples) -> Samples:
        """The moves alone.

        Parameters
        ----------
        t : (n,) array
            Seconds, evenly spaced.

        Returns
        -------
        (n,) array
            In the curve's unit.
        """
        return self._sum(t, STILL)

    def course(self, t: Samples) -> Samples:
        """The moves with their ringing.

        Parameters
        ----------
        t : (n,) array
            Seconds, evenly spaced.

        Returns
        -------
        (n,) array
            In the curve's unit.
        """
        return self._sum(t, self.ringing or STILL)

    def _sum(self, t: Samples, ringing: Ringing) -> Samples:
        total = np.zeros_like(t)
        for move in self.moves:
            total += move.height * moved(t, move.start, move.seconds, self.eased, ringing)
        return total


@kernel("UniTuple(float64, 2)(float64, float64, float64, float64, float64)")
def free(tau: float, e: float, v: float, omega: float, damping: float) -> tuple[float, float]:
    """The free ringing and its velocity so many seconds after a state."""
    wd = omega * math.sqrt(1.0 - damping * damping)
    dying, c, s = math.exp(-damping * omega * tau), math.cos(wd * tau), math.sin(wd * tau)
    here = dying * (e * c + (v + damping * omega * e) / wd * s)
    return here, dying * (v * c - (omega * omega * e + damping * omega * v) / wd * s)


@kernel("void(float64, float64, float64, boolean, float64, float64, float64, float64[::1])")
def ringing_move(
    tau: float, frame: float, seconds: float, eased: bool, omega: float, damping: float, strength: float, out: Samples
) -> None:
    """Fill `out` with a move of height 1 and its ringing, from `tau` seconds after it began, a sample each `frame`.

    After the move the state is carried on from sample to sample, by what the free ringing does in one of them.

    Parameters
    ----------
    out : (n,) array
        Filled.
    """
    shove = strength / seconds
    start, slope = 0.0, 0.0
    if eased:
        alpha, slope = -6.0 * shove / seconds, 12.0 * shove / seconds**2 / omega**2
        start = alpha / omega**2 - 2.0 * damping * slope / omega
    begun = -slope if eased else -shove
    e, v = free(seconds, -start, begun, omega, damping)
    e, v = e + start + slope * seconds, v + slope + (0.0 if eased else shove)
    ee, ve = free(frame, 1.0, 0.0, omega, damping)
    ev, vv = free(frame, 0.0, 1.0, omega, damping)
    after = False
    for n in range(out.shape[0]):
        at = tau + n * frame
        if at <= 0.0:
            out[n] = 0.0
        elif at < seconds:
            u = at / seconds
            rung, _ = free(at, -start, begun, omega, damping)
            out[n] = (u * u * (3.0 - 2.0 * u) if eased else u) + rung + start + slope * at
        else:
            if not after:
                e, v = free(at - seconds, e, v, omega, damping)
                after = True
            else:
                e, v = e * ee + v * ev, e * ve + v * vv
            out[n] = 1.0 + e
