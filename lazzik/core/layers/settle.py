"""Settle: rings after each move of what lies below, and comes to rest.

    e'' + 2ζω e' + ω² e = −s·x'',   y = e

x'' is read on the clock's sub-step grid (oscillator.py): a corner is an impulse, an eased stop a soft push.
Added to x it gives x + e. A straight move of speed v that stops dead leaves

    e = s·v/ω_d · e^(−ζωτ) · sin ω_d τ,   ω_d = ω√(1 − ζ²)

It starts at rest on the scene's first frame; in a loop, in the state that returns to itself after one round.
"""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import numpy as np

from lazzik.core.channel.channel import Number
from lazzik.core.channel.inputs import Inputs, ManyInputs
from lazzik.core.channel.layer import Family, Layer
from lazzik.core.document import Option, Quantity
from lazzik.core.kernels import kernel
from lazzik.core.layers.oscillator import TURN, Grid, close, grid_for, on_grid, push_of, ring, rung, spring_of
from lazzik.core.types import SampleRows, Samples

WHEN = ("both", "arrivals", "departures")


class Settle(Layer):
    """Rings after moves."""

    family: ClassVar[Family] = "spring"
    title: ClassVar[str] = "Settle"
    summary: ClassVar[str] = "Rings after each move below it and dies away: masts, needles, anything that stops."
    below: ClassVar[Literal["ignored", "moves", "carried", "values"]] = "moves"
    loops: ClassVar[bool] = True
    idle_at: ClassVar[dict[str, float]] = {"strength": 0.0}
    needs: ClassVar[Literal["", "motion", "keys"]] = "motion"
    feel: ClassVar[tuple[str, str] | None] = ("frequency", "strength")
    elsewhen: ClassVar[bool] = True
    together: ClassVar[bool] = True

    kind: Literal["settle"]
    frequency: Annotated[
        Number, Quantity("Hz", "How quickly it swings.", (0.2, 8), 0.01, low=0.01, high=1000, group="time")
    ] = 2.0
    damping: Annotated[
        Number,
        Quantity("", "How fast it dies: 0 never, 1 without a swing.", (0, 1.2), 0.01, low=0, high=100, group="time"),
    ] = 0.2
    strength: Annotated[Number, Quantity("×", "How strongly a move sets it off.", (0, 3), 0.01, low=-100, high=100)] = (
        1.0
    )
    when: Annotated[
        Literal["both", "arrivals", "departures"],
        Option(
            "Which moves set it off: stops and starts, stops alone, or starts alone.",
            label="set off by",
            words={"both": "starts and stops", "arrivals": "stops", "departures": "starts"},
        ),
    ] = "both"

    def signal(self, inputs: Inputs) -> Samples:
        """(frames,) the ringing alone."""
        grid = grid_for(inputs.clock, self.loop)
        below = inputs.below(grid.clock)
        omega, damping = spring_of(inputs, grid)
        return self._rings(grid, below, omega, damping, on_grid(inputs, "strength", grid))

    def signals(self, inputs: ManyInputs) -> SampleRows:
        """(layers, frames) the ringing alone, of each."""
        grid = grid_for(inputs.clock, self.loop)
        below = inputs.below(grid.clock)
        omega, damping, strength = (
            TURN * inputs.number("frequency"),
            inputs.number("damping"),
            inputs.number("strength"),
        )
        return np.stack([self._rings(grid, *row) for row in zip(below, omega, damping, strength, strict=True)])

    def _rings(self, grid: Grid, below: Samples, omega: Samples, damping: Samples, strength: Samples) -> Samples:
        """The ringing after what was read below.

        Parameters
        ----------
        below : (samples,) array
            As read on the grid's clock.
        omega, damping, strength : arrays
            As of `ring`.

        Returns
        -------
        (frames,) array
            In the channel's unit.
        """
        x, slope, when = grid.samples(below), grid.slope_before(below), WHEN.index(self.when)

        def run(e: Samples, v: Samples) -> None:
            ring(x, slope, omega, damping, strength, grid.step, when, e, v)

        e, v = np.zeros(grid.count), np.zeros(grid.count)
        if grid.loop:
            close(run, e, v)
        else:
            run(e, v)
        out = np.empty(len(grid.place))
        between(grid.place, x, omega, damping, strength, grid.step, when, e, v, out)
        return out


@kernel(
    "void(float64[::1], float64[::1], float64[::1], float64[::1], float64[::1], float64, int64, float64[::1],"
    " float64[::1], float64[::1])"
)
def between(
    place: Samples,
    x: Samples,
    omega: Samples,
    damping: Samples,
    strength: Samples,
    h: float,
    when: int,
    e: Samples,
    v: Samples,
    out: Samples,
) -> None:
    """Fill `out` with the ringing at any places, gone on from the node before; 0 before the first.

    Parameters
    ----------
    place : (frames,) array
        In nodes.
    x, omega, damping, strength : arrays
        As of `ring`.
    e, v : (nodes,) arrays
        The ringing and its velocity at the nodes.
    out : (frames,) array
        Filled, in the channel's unit.
    """
    for n in range(place.shape[0]):
        if place[n] < 0.0:
            out[n] = 0.0
            continue
        k = min(int(place[n] + 1e-9), e.shape[0] - 1)
        rest = max(0.0, place[n] - k) * h
        if rest < 1e-12 or k == e.shape[0] - 1:
            out[n] = e[k]
        else:
            push = push_of(x, strength, k, h, when)
            out[n], _ = rung(e[k], v[k], omega, damping, k, push, h, rest)
