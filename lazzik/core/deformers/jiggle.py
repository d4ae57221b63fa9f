"""Jiggle: points trail the object's own motion, the more the farther from a chosen point.

Let M(t) take the object's space to the scene's, and F be the spring of Follow,

    y'' + 2ζω y' + ω² (y − x) = 0.

F is linear, so where the point p would trail to is F[M]·p: each entry of M is followed once, and for every point

    p' = p + m·c(d)·(M⁻¹·F[M]·p − p),   c(d) = smoothstep(d / reach)

with d the distance from the placement's origin. An object that rests, or moves evenly for long, has no jiggle;
turning the world turns it along.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from lazzik.core.deformers.base import Deformer, Moments, Numbers, Tracks
from lazzik.core.deformers.extent import Extent
from lazzik.core.deformers.placement import carry, enter, leave
from lazzik.core.document import Quantity
from lazzik.core.hermite import smoothstep
from lazzik.core.layers import Number  # with its layers resolved
from lazzik.core.layers.follow import trail_between
from lazzik.core.layers.oscillator import grid_for, spring_of, trail
from lazzik.core.types import RowBlock, Shares


class Jiggle(Deformer):
    """Behind its own motion."""

    title: ClassVar[str] = "Jiggle"
    summary: ClassVar[str] = "Soft parts trail the object's own motion and ring: hoods, bellies, loose lids."
    moves_with_world: ClassVar[bool] = True

    kind: Literal["jiggle"]
    frequency: Annotated[
        Number, Quantity("Hz", "How eagerly it follows.", (0.5, 8), 0.01, low=0.05, high=100, group="time")
    ] = 1.6
    damping: Annotated[Number, Quantity("", "Under 1 it overshoots.", (0, 1.2), 0.01, low=0, high=20, group="time")] = (
        0.25
    )
    reach: Annotated[
        Number,
        Quantity(
            "own",
            "Metres from the held point at which it is full.",
            (0.05, 1.5),
            0.01,
            low=1e-4,
            label="full after",
            group="where",
        ),
    ] = 1.0

    def plan(self, tracks: Tracks) -> dict[str, NDArray[np.float64]]:
        """(frames, 4, 4) M⁻¹·F[M] at every moment."""
        grid = grid_for(tracks.clock, None)
        ways = tracks.world(grid.clock)[:, :3, :].reshape(-1, 12)
        omega, damping = spring_of(tracks, grid)
        now = tracks.world(tracks.clock)
        late = now.copy()
        for entry in range(12):
            u = grid.samples(ways[:, entry])
            y, v = np.full(grid.count, u[2]), np.zeros(grid.count)
            trail(u, omega, damping, grid.step, y, v)
            out = now[:, entry // 4, entry % 4].copy()
            trail_between(grid.place, u, omega, damping, grid.step, y, v, out)
            late[:, entry // 4, entry % 4] = out
        return {"trailing": np.asarray(np.linalg.solve(now, late), dtype=np.float64)}

    def shaped(self, inside: RowBlock, counts: Shares, numbers: Numbers, moments: Moments) -> RowBlock:
        """(moments, 3, n) the trailing points. The plan is in the object's space; its 'frames' lead there."""
        frames = moments.of("frames")
        points = np.empty((len(inside), inside.shape[2], 3))
        moved, trailed = np.empty_like(points), np.empty_like(inside)
        leave(inside, frames, points)
        carry(points, np.ascontiguousarray(moments.of("trailing")), moved)
        away = np.linalg.norm(inside, axis=1)
        share = counts * smoothstep(away / numbers["reach"][:, None])
        enter(points + share[..., None] * (moved - points), frames, trailed)
        return np.where(share[:, None] == 0.0, inside, trailed)

    def detail(self, numbers: Mapping[str, float], length: float) -> float:
        """Its bend is as soft as its reach."""
        return numbers["reach"] / 6

    @classmethod
    def suited(cls, extent: Extent) -> dict[str, Any]:
        """Held at the middle of its foot, full at its far end."""
        foot = {
            "x": (extent.low[0] + extent.high[0]) / 2,
            "y": extent.low[1],
            "z": (extent.low[2] + extent.high[2]) / 2,
        }
        return {"placement": {k: float(f"{v:.4g}") for k, v in foot.items()}, "reach": float(f"{extent.size:.3g}")}
