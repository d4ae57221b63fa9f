"""Breeze: the answer of a light structure to the air where it stands.

    y'' + 2ζω y' + ω² y = ω²·gain·f(u/u₁₀),   f(q) = q, or q·|q| as drag is,   u₁₀ = 10 m/s

u is the speed of the air there, or one of its components in the axes of what the object hangs under, so gain is where a
wind of 10 m/s holds it. It is solved exactly from one reading of the air to the next (response.py).
"""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from lazzik.core.channel.channel import Number
from lazzik.core.channel.inputs import Inputs, ManyInputs
from lazzik.core.channel.layer import SHARE, Family, Landing, Layer
from lazzik.core.clock import Clock
from lazzik.core.document import Option, Quantity
from lazzik.core.layers.oscillator import TURN
from lazzik.core.layers.response import Spring, answer, answer_to, pieces_for, steady
from lazzik.core.types import PointBlock, SampleRows, Samples

USUAL = 10.0
"""Metres per second of the wind by which gains are measured."""


class Breeze(Layer):
    """Answers the air."""

    family: ClassVar[Family] = "random"
    title: ClassVar[str] = "Breeze"
    summary: ClassVar[str] = "Answers the air where it stands, stiff or slack: signs, lamps, pines, an unsteady camera."
    loops: ClassVar[bool] = True
    idle_at: ClassVar[dict[str, float]] = {"gain": 0.0}
    together: ClassVar[bool] = True
    needs: ClassVar[Literal["", "motion", "keys", "air"]] = "air"
    feel: ClassVar[tuple[str, str] | None] = ("frequency", "gain")

    kind: Literal["breeze"]
    gain: Annotated[Number, Quantity("own", "How far a wind of 10 m/s holds it.", (-4, 4), 0.01, label="at 10 m/s")] = (
        1.0
    )
    frequency: Annotated[
        Number,
        Quantity(
            "Hz",
            "How stiff it is: high answers at once, low late and long.",
            (0.1, 8),
            0.01,
            low=0.01,
            high=1000,
            group="time",
        ),
    ] = 0.8
    damping: Annotated[
        Number,
        Quantity(
            "", "How fast it comes to rest: under 1 it swings back.", (0, 1.2), 0.01, low=0, high=100, group="time"
        ),
    ] = 0.2  # fmt: skip
    offset: Annotated[Number, Quantity("own", "Added to the value: moves the centre.", (-4, 4), 0.01, rest=0.0)] = 0.0
    what: Annotated[
        Literal["speed", "x", "y", "z"],
        Option(
            "What of the air it answers: how fast it is, or how fast it goes along an axis of the object above.",
            label="answers",
            words={"speed": "its speed", "x": "its way along x", "y": "its way along y", "z": "its way along z"},
        ),
    ] = "x"
    force: Annotated[
        Literal["linear", "drag"],
        Option(
            "How it grows with the wind: evenly, or with its square as drag does.",
            words={"linear": "evenly", "drag": "with the square"},
            rest="linear",
        ),
    ] = "linear"

    def signal(self, inputs: Inputs) -> Samples:
        """(frames,) the answer."""
        airflow = inputs.airflow()

        def lean(clock: Clock) -> Samples:
            return np.asarray(inputs.number("gain", clock) * self.felt(airflow.velocity(clock)))[:, None]

        spring = Spring(lambda at: inputs.number("frequency", at), lambda at: inputs.number("damping", at))
        return np.asarray(answer(lean, airflow, spring, inputs.clock, self.loop)[:, 0] + inputs.number("offset"))

    def signals(self, inputs: ManyInputs) -> SampleRows:
        """(layers, frames) the answer of each. Those that need the air at the same moments ask for it at once."""
        clock, airflows = inputs.clock, inputs.airflows()
        gain, frequency, damping = (inputs.number(name) for name in ("gain", "frequency", "damping"))
        omega = TURN * frequency
        pieces = [
            pieces_for(clock, steady(float(hertz), float(ratio)), airflow.jumps, self.loop)
            for airflow, hertz, ratio in zip(airflows, frequency[:, 0], damping[:, 0], strict=True)
        ]
        out = np.empty((len(airflows), len(clock.frames)))
        for one in dict.fromkeys(pieces):
            rows = [row for row, of in enumerate(pieces) if of is one]
            there = partial(inputs.velocities, [airflows[row] for row in rows])
            before, after = one.read(partial(self._leans, there, gain[rows, 0]))
            out[rows] = answer_to(before, after, omega[rows].T, damping[rows].T, one, clock).T
        return out + inputs.number("offset")

    def _leans(self, there: Callable[[Clock], PointBlock], gain: Samples, clock: Clock) -> NDArray[np.float64]:
        """Where the air would hold some of them.

        Parameters
        ----------
        there : how it goes where they are, (frames, layers, 3).
        gain : (layers,) array
            In the channel's unit.

        Returns
        -------
        (frames, layers) array
            In the channel's unit.
        """
        return np.asarray(gain * self.felt(there(clock)))

    def felt(self, velocity: Samples) -> Samples:
        """What it feels of the air, 1 at 10 m/s.

        Parameters
        ----------
        velocity : (…, 3) array
            Metres per second.

        Returns
        -------
        (…) array
            A share of what 10 m/s would do.
        """
        speed = np.linalg.norm(velocity, axis=-1) if self.what == "speed" else velocity[..., "xyz".index(self.what)]
        share = speed / USUAL
        return np.asarray(share if self.force == "linear" else share * np.abs(share))

    @classmethod
    def suited(cls, landing: Landing) -> dict[str, Any]:
        """So far that a moderate breeze is well seen; angles, places and factors feel a way, all else the speed."""
        way = "x" if landing.unit in ("°", "m") else "speed"
        return {"gain": float(f"{1.6 * landing.reach:.3g}"), "what": way}

    def factor_about(self, landing: Landing) -> dict[str, Any]:
        """About 1, some way up."""
        return {"offset": 1.0, "gain": SHARE}
