"""Follow: trails what lies below with lag and overshoot.

    y'' + 2ζω y' + ω² (y − x(t − delay)) = 0

x is taken as straight between the points of the clock's sub-step grid, and the answer to that is exact. It starts at
rest on x on the scene's first frame; in a loop, in the state that returns to itself after one round.
"""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import numpy as np

from lazzik.core.channel.channel import Number
from lazzik.core.channel.combine import Combine
from lazzik.core.channel.layer import Family, Inputs, Layer
from lazzik.core.document import Quantity
from lazzik.core.kernels import kernel
from lazzik.core.layers.oscillator import closed, free, grid_for, on_grid, trail
from lazzik.core.types import Samples


class Follow(Layer):
    """Trails with lag."""

    family: ClassVar[Family] = "spring"
    title: ClassVar[str] = "Follow"
    summary: ClassVar[str] = "Trails what lies below with lag and overshoot: whips, tails, a camera that catches up."
    loops: ClassVar[bool] = True
    needs: ClassVar[Literal["", "motion", "keys"]] = "motion"

    kind: Literal["follow"]
    combine: Combine = "replace"
    frequency: Annotated[Number, Quantity("Hz", "How eagerly it follows.", (0.2, 8), 0.01, low=0.01, high=1000)] = 1.5
    damping: Annotated[
        Number, Quantity("", "Under 1 it overshoots, at 1 it just does not.", (0, 1.5), 0.01, low=0, high=100)
    ] = 0.4
    delay: Annotated[Number, Quantity("s", "Seconds before it notices.", (0, 2), 0.01, low=0, high=1000)] = 0.0

    def signal(self, inputs: Inputs) -> Samples:
        """(frames,) the trailing value."""
        grid = grid_for(inputs.clock, self.loop)
        omega, damping = 2 * np.pi * on_grid(inputs, "frequency", grid), on_grid(inputs, "damping", grid)
        late = grid.clock.elapsed - on_grid(inputs, "delay", grid) * inputs.clock.fps
        if self.loop is not None:
            late = np.mod(late, self.loop)
        u = np.ascontiguousarray(inputs.below(grid.clock.at(grid.clock.first + late)))

        def run(y: Samples, v: Samples) -> None:
            trail(u, omega, damping, grid.step, y, v)

        if grid.loop:
            y, v = closed(run, grid.count)
        else:
            y, v = np.full(grid.count, u[1]), np.zeros(grid.count)
            run(y, v)
        out = np.array(inputs.below())  # before the first frame it is what it follows
        trail_between(grid.place, u, omega, damping, grid.step, y, v, out)
        return out


@kernel(
    "void(float64[::1], float64[::1], float64[::1], float64[::1], float64, float64[::1], float64[::1], float64[::1])"
)
def trail_between(
    place: Samples, u: Samples, omega: Samples, damping: Samples, h: float, y: Samples, v: Samples, out: Samples
) -> None:
    """Fill `out` with the trailing value at any places from 0 on, exact on the straight piece of u they lie on."""
    for i in range(place.shape[0]):
        if place[i] < 0.0:
            continue
        k = min(int(place[i] + 1e-9), y.shape[0] - 2)
        rest = max(0.0, place[i] - k) * h
        b = (u[k + 2] - u[k + 1]) / h
        lag = 2.0 * damping[k + 1] * b / omega[k + 1]
        m00, m01, _, _ = free(omega[k + 1], damping[k + 1], rest)
        out[i] = m00 * (y[k] - (u[k + 1] - lag)) + m01 * (v[k] - b) + u[k + 1] + b * rest - lag
