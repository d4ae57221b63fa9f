"""Smooth: takes the nervousness out of what lies below without delaying it.

A zero-phase low pass: the mean of what lies around, weighted by a Gaussian of σ = √(ln 2) / (2π · cut-off), at which a
wave of the cut-off frequency keeps 1/√2 of its height. What lies below is read on the clock's fixed sub-step grid, also
before and after the frames asked for, so the ends are no special case. Where the Gaussian is narrower than the grid
can show, the mean is that of the cubic through the four nearest points, by Gauss and Hermite's rule of three places,

    y(t) = ⅔·x(t) + ⅙·(x(t − √3σ) + x(t + √3σ)),

so that a cut-off beyond all that lies below lets it through as it is.
"""

from __future__ import annotations

import math
from typing import Annotated, Any, ClassVar, Literal

import numpy as np

from lazzik.core.channel.channel import Number
from lazzik.core.channel.combine import Combine
from lazzik.core.channel.inputs import Inputs, ManyInputs
from lazzik.core.channel.layer import Family, Landing, Layer
from lazzik.core.clock import SUBSTEPS, Clock
from lazzik.core.document import Quantity
from lazzik.core.kernels import kernel
from lazzik.core.types import SampleRows, Samples

REACH = 6.5
"""Standard deviations on either side that are taken in; beyond lies less than 1e-9 of the weight."""

NARROW = 0.75
"""Grid points: the standard deviation below which a sum over them would see their places."""


class Smooth(Layer):
    """Zero-phase low pass."""

    family: ClassVar[Family] = "logic"
    title: ClassVar[str] = "Smooth"
    summary: ClassVar[str] = "Calms what lies below without delay: takes out the quick, keeps the slow."
    below: ClassVar[Literal["ignored", "moves", "carried", "values"]] = "carried"
    needs: ClassVar[Literal["", "motion", "keys"]] = "motion"
    elsewhen: ClassVar[bool] = True
    together: ClassVar[bool] = True
    in_common: ClassVar[tuple[str, ...]] = ("cutoff",)

    kind: Literal["smooth"]
    combine: Combine = "replace"
    cutoff: Annotated[
        Number,
        Quantity(
            "Hz", "Quicker oscillations than this are taken out.", (0.1, 10), 0.01, low=0.02, high=1000, group="time"
        ),
    ] = 1.0

    def signal(self, inputs: Inputs) -> Samples:
        """(frames,) what lies below, smoothed."""
        wide, places, spread = _about(inputs.clock, inputs.number("cutoff"))
        return np.array(_means(inputs.below(wide)[None], places, spread)[0])

    def signals(self, inputs: ManyInputs) -> SampleRows:
        """(layers, frames) what lies below each, smoothed."""
        wide, places, spread = _about(inputs.clock, float(inputs.number("cutoff")[0, 0]))
        return _means(inputs.below(wide), places, spread)

    @classmethod
    def suited(cls, landing: Landing) -> dict[str, Any]:
        """Slow enough to be seen at any frame rate."""
        return {"cutoff": 1.0}


def _about(clock: Clock, cutoff: float | Samples) -> tuple[Clock, Samples, Samples]:
    """When what lies below is read, where the asked moments lie among these, and how wide the Gaussian is there.

    Parameters
    ----------
    cutoff : float or (frames,) array
        Hertz.

    Returns
    -------
    (Clock, (frames,) array, (frames,) array)
        In grid points.
    """
    over = np.broadcast_to(np.asarray(cutoff, dtype=float), clock.frames.shape)
    spread = np.ascontiguousarray(math.sqrt(math.log(2)) / (2 * math.pi * over) * clock.fps * SUBSTEPS)
    margin = int(math.ceil(REACH * max(spread.max(initial=0.0), NARROW))) + 2
    places = clock.elapsed * SUBSTEPS
    first = int(math.floor(places.min())) - margin
    last = int(math.ceil(places.max())) + margin
    return clock.on_grid(first, last), places - first, spread


def _means(rows: SampleRows, places: Samples, spread: Samples) -> SampleRows:
    """The mean of each row around each place.

    Parameters
    ----------
    rows : (rows, n) array
        In any unit.
    places, spread : (frames,) arrays
        As of `gaussian_mean`.

    Returns
    -------
    (rows, frames) array
        In the same unit.
    """
    out = np.empty((len(rows), len(places)))
    for samples, smooth in zip(np.array(rows), out, strict=True):
        gaussian_mean(samples, places, spread, smooth)
    return out


@kernel("float64(float64[::1], float64)")
def cubic_at(samples: Samples, place: float) -> float:
    """Lagrange's cubic through the four samples about a place, in samples.

    Parameters
    ----------
    samples : (n,) array
        In any unit.

    Returns
    -------
    float
        In the same unit.
    """
    k = math.floor(place)
    u = place - k
    if u == 0.0:
        return float(samples[k])
    outer = -samples[k - 1] * (u - 2.0) + samples[k + 2] * (u + 1.0)
    inner = samples[k] * (u - 1.0) - samples[k + 1] * u
    return float(outer * u * (u - 1.0) / 6.0 + inner * (u + 1.0) * (u - 2.0) / 2.0)


@kernel("void(float64[::1], float64[::1], float64[::1], float64[::1])")
def gaussian_mean(samples: Samples, places: Samples, spread: Samples, out: Samples) -> None:
    """Fill `out` with the mean of `samples` around each place, Gaussian weights of the given spread (in samples).

    The weights come from one another: w(j + 1) = w(j)·r(j), r(j + 1) = r(j)·e^(−1/σ²).

    Parameters
    ----------
    samples : (n,) array
        In any unit.
    places, spread : (frames,) arrays
        In samples.
    out : (frames,) array
        Filled, in the same unit.
    """
    for i in range(places.shape[0]):
        place, sigma = places[i], spread[i]
        if sigma < NARROW:
            away = math.sqrt(3.0) * sigma
            around = cubic_at(samples, place - away) + cubic_at(samples, place + away)
            out[i] = (4.0 * cubic_at(samples, place) + around) / 6.0
            continue
        middle = int(math.floor(place + 0.5))
        count = int(math.ceil(REACH * sigma)) + 1
        inverse = 1.0 / (sigma * sigma)
        u = middle - place
        start = math.exp(-0.5 * u * u * inverse)
        shrink = math.exp(-inverse)
        up, down = math.exp(-(u + 0.5) * inverse), math.exp((u - 0.5) * inverse)
        high, low = start * up, start * down
        total, weights = start * samples[middle], start
        for j in range(1, count + 1):
            total += high * samples[middle + j] + low * samples[middle - j]
            weights += high + low
            up *= shrink
            down *= shrink
            high *= up
            low *= down
        out[i] = total / weights
