"""How a particle goes between two moments: linear drag toward the air, and gravity, solved exactly for both constant.

With V = w + gτ, the speed that it would reach, and after h seconds:

    v ← V + (v − V)·e^(−h/τ)
    x ← x + V·h + (v − V)·τ·(1 − e^(−h/τ))

(Stokes drag; any text on the motion of small particles.) Where nothing drags it, τ = ∞: v ← v + gh, x ← x + vh + gh²/2.
Where it is carried at once, τ = 0: v ← w, x ← x + wh.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from lazzik.core.kernels import kernel
from lazzik.core.types import Points, Samples

GRAVITY = 9.81
"""Metres per second, per second, downward."""


FASTEST = 1e5
"""Metres per second beyond which nothing goes."""

FARTHEST = 1e7
"""Metres from the middle of the scene beyond which a particle ends."""


@kernel(
    "void(float64[:, ::1], float64[:, ::1], float64[:, ::1], float64[::1], float64[::1], float64, float64, float64,"
    " float64[:, ::1], float64, float64[:, ::1], float64[:, ::1], boolean[::1])"
)
def advance(
    places: Points,
    speeds: Points,
    air: Points,
    born: Samples,
    lives: Samples,
    step: float,
    seconds: float,
    answer: float,
    over_life: Points,
    fall: float,
    to: Points,
    after: Points,
    ended: NDArray[np.bool_],
) -> None:
    """Where particles come in a sub-step, and how fast they are then; which of them end with it.

    Parameters
    ----------
    places : (n, 3) array
        Metres.
    speeds : (n, 3) array
        Metres per second.
    air : (n, 3) array
        Metres per second.
    born : (n,) array
        The sub-step in which each came, with its part: one goes only from there on.
    lives : (n,) array
        Seconds that each lives.
    step, seconds
        The sub-step, and how long one is.
    answer : float
        τ in seconds; infinity where nothing drags.
    over_life : (points, 2) array
        Share of life, and how readily one answers then: τ is divided by it; straight between.
    fall : float
        What gravity adds to the speed along y, in metres per second, per second.
    to, after : (n, 3) arrays
        Filled with places and speeds.
    ended : (n,) array
        Filled.
    """
    last = over_life.shape[0] - 1
    for n in range(places.shape[0]):
        h = min(1.0, step + 1.0 - born[n]) * seconds
        tau = answer
        if tau != np.inf:
            share = max(0.0, (step - born[n]) * seconds / max(lives[n], 1e-9))
            p = 0
            while p < last and over_life[p + 1, 0] <= share:
                p += 1
            ready = over_life[p, 1]
            if p < last and share > over_life[p, 0]:
                part = (share - over_life[p, 0]) / (over_life[p + 1, 0] - over_life[p, 0])
                ready += part * (over_life[p + 1, 1] - ready)
            tau = tau / ready if ready > 0.0 else np.inf
        swift = 0.0
        far = 0.0
        for k in range(3):
            g = fall if k == 1 else 0.0
            v = speeds[n, k]
            if tau == np.inf:
                to[n, k] = places[n, k] + v * h + 0.5 * g * h * h
                after[n, k] = v + g * h
            elif tau <= 0.0:
                to[n, k] = places[n, k] + air[n, k] * h
                after[n, k] = air[n, k]
            else:
                aim = air[n, k] + g * tau
                gone = -np.expm1(-h / tau)
                to[n, k] = places[n, k] + aim * h + (v - aim) * tau * gone
                after[n, k] = v + (aim - v) * gone
            swift += after[n, k] * after[n, k]
            far = max(far, abs(to[n, k]))
        if swift > FASTEST * FASTEST:
            for k in range(3):
                after[n, k] *= FASTEST / np.sqrt(swift)
        # not less: so of NaN too
        ended[n] = (step + 1.0 - born[n]) * seconds >= lives[n] or not far < FARTHEST or not swift < np.inf
