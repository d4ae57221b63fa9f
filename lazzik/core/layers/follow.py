"""Follow: trails what lies below with lag and overshoot.

    y'' + 2ζω y' + ω² (y − x(t − delay)) = 0

x is read on the clock's sub-step grid (oscillator.py). It starts at rest on x on the scene's first frame; in a loop, in
the state that returns to itself after one round.
"""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import numpy as np

from lazzik.core.channel.channel import Number
from lazzik.core.channel.combine import Combine
from lazzik.core.channel.inputs import Inputs, ManyInputs
from lazzik.core.channel.layer import Family, Layer
from lazzik.core.clock import Clock
from lazzik.core.document import Quantity
from lazzik.core.kernels import kernel
from lazzik.core.layers.oscillator import TURN, Grid, close, followed, grid_for, spring_of, trail
from lazzik.core.types import SampleRows, Samples


class Follow(Layer):
    """Trails with lag."""

    family: ClassVar[Family] = "spring"
    title: ClassVar[str] = "Follow"
    summary: ClassVar[str] = "Trails what lies below with lag and overshoot: whips, tails, a camera that catches up."
    below: ClassVar[Literal["ignored", "moves", "carried", "values"]] = "carried"
    loops: ClassVar[bool] = True
    needs: ClassVar[Literal["", "motion", "keys"]] = "motion"
    elsewhen: ClassVar[bool] = True
    together: ClassVar[bool] = True
    in_common: ClassVar[tuple[str, ...]] = ("delay",)

    kind: Literal["follow"]
    combine: Combine = "replace"
    frequency: Annotated[
        Number, Quantity("Hz", "How eagerly it follows.", (0.2, 8), 0.01, low=0.01, high=1000, group="time")
    ] = 1.5
    damping: Annotated[
        Number,
        Quantity("", "Under 1 it overshoots, at 1 it just does not.", (0, 1.5), 0.01, low=0, high=100, group="time"),
    ] = 0.4
    delay: Annotated[
        Number, Quantity("s", "Seconds before it notices.", (0, 2), 0.01, low=0, high=1000, group="time")
    ] = 0.0

    def signal(self, inputs: Inputs) -> Samples:
        """(frames,) the trailing value."""
        grid = grid_for(inputs.clock, self.loop)
        omega, damping = spring_of(inputs, grid)
        u = inputs.below(self._late(grid.clock, inputs.number("delay", grid.clock)))
        return trailing(grid.samples(u), inputs.below(), omega, damping, grid)

    def signals(self, inputs: ManyInputs) -> SampleRows:
        """(layers, frames) the trailing value of each."""
        grid = grid_for(inputs.clock, self.loop)
        omega, damping = TURN * inputs.number("frequency"), inputs.number("damping")
        u = inputs.below(self._late(grid.clock, float(inputs.number("delay")[0, 0])))
        rows = zip(u, inputs.below(), omega, damping, strict=True)
        return np.stack([trailing(grid.samples(seen), now, w, d, grid) for seen, now, w, d in rows])

    def _late(self, clock: Clock, delay: float | Samples) -> Clock:
        """When what is followed now was there to be seen."""
        if isinstance(delay, float) and delay == 0.0:
            return clock
        late = clock.elapsed - delay * clock.fps
        return clock.at(clock.first + (late if self.loop is None else np.mod(late, self.loop)))


def trailing(u: Samples, now: Samples, omega: Samples, damping: Samples, grid: Grid) -> Samples:
    """What trails u, at the moments that the grid was made for.

    Parameters
    ----------
    u : (2 nodes + 1,) array
        What is followed, at the grid's samples.
    now : (frames,) array
        What is followed, at the asked moments: before the first frame that is the answer.
    omega, damping : (2 (nodes − 1),) or (1,) arrays
        Radians per second; ratios to the critical one, by halves of steps.

    Returns
    -------
    (frames,) array
        In the unit of u.
    """

    def run(y: Samples, v: Samples) -> None:
        trail(u, omega, damping, grid.step, y, v)

    y, v = np.full(grid.count, u[2]), np.zeros(grid.count)
    if grid.loop:
        close(run, y, v)
    else:
        run(y, v)
    out = np.array(now)
    trail_between(grid.place, u, omega, damping, grid.step, y, v, out)
    return out


@kernel(
    "void(float64[::1], float64[::1], float64[::1], float64[::1], float64, float64[::1], float64[::1], float64[::1])"
)
def trail_between(
    place: Samples, u: Samples, omega: Samples, damping: Samples, h: float, y: Samples, v: Samples, out: Samples
) -> None:
    """Fill `out` with the trailing value at any places from 0 on, gone on from the node before.

    Parameters
    ----------
    place : (frames,) array
        In nodes, from 0 on.
    u, omega, damping : arrays
        As of `trail`.
    y, v : (nodes,) arrays
        The trailing value and its velocity per second at the nodes.
    out : (frames,) array
        Filled, in the unit of u.
    """
    for n in range(place.shape[0]):
        if place[n] < 0.0:
            continue
        k = min(int(place[n] + 1e-9), y.shape[0] - 1)
        rest = max(0.0, place[n] - k) * h
        if rest < 1e-12 or k == y.shape[0] - 1:
            out[n] = y[k]
        else:
            out[n], _ = followed(y[k], v[k], u, omega, damping, k, h, rest)
