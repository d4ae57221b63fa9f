"""What every kind of field shares, and the small protocol between a kind and whoever evaluates the air.

A kind is one file: a subclass of AirField whose fields are its numbers and choices, and two methods.

    rows(inputs)            -> (frames, columns)   its numbers over a clock, packed for its kernel
    blow(points, rows, out)                        a compiled loop that adds its velocity at the points

The first columns of every kind are PLACE: where the object stands, and how far it reaches. A field acts fully as far as
its inner radius and not at all from its outer one on, with a smoothstep between.
"""

from __future__ import annotations

from typing import Annotated, Any, ClassVar, Literal, Protocol

import numpy as np
from numpy.typing import NDArray

from lazzik.core.channel.inputs import OwnNumbers
from lazzik.core.channel.repeats import Repeats
from lazzik.core.clock import Clock
from lazzik.core.document import Option, Quantity
from lazzik.core.kernels import kernel
from lazzik.core.layers import Number  # with its layers resolved
from lazzik.core.types import PointBlock, Points

Rows = NDArray[np.float64]
"""(frames, columns) numbers of a field, packed for its kernel."""

INNER, OUTER, PLACE = 3, 4, 5
"""PLACE are the columns that every kind begins with: where it stands, x, y and z, and its inner and outer radius, all
in metres."""

EVERYWHERE = 1e30
"""Metres to the edge of what reaches everywhere."""

WITHIN = {"reach": ("within",)}


class FieldInputs(OwnNumbers, Protocol):
    """What a field is given: its numbers and where it is, at any moments it likes."""

    def world(self, clock: Clock) -> NDArray[np.float64]:
        """From the field's space to the scene's.

        Returns
        -------
        (frames, 4, 4) array
            Metres. (1, 4, 4) where it stands still.
        """
        ...

    def wind(self, clock: Clock) -> Points:
        """What the winds blow at where the field stands.

        Returns
        -------
        (frames, 3) array
            Metres per second.
        """
        ...


class AirField(Repeats):
    """An object that moves the air."""

    title: ClassVar[str]
    summary: ClassVar[str]
    """One line on when to use it."""
    idle_at: ClassVar[dict[str, float]] = {}
    """Numbers at whose value the kind does nothing."""
    pushed_along: ClassVar[bool] = False
    """Whether it may be carried by the winds, and so reads them."""
    strongest: ClassVar[str]
    """The number that says how fast the air goes by it."""

    kind: str
    muted: bool = False
    reach: Annotated[
        Literal["everywhere", "within"],
        Option(
            "How far it acts: everywhere, or within a radius about where it stands.",
            group="where",
            words={"within": "within a radius"},
        ),
    ] = "everywhere"
    inner: Annotated[
        Number,
        Quantity("m", "Metres as far as which it acts fully.", (0, 20), 0.1, low=0, group="where", only=WITHIN),
    ] = 2.0
    outer: Annotated[
        Number,
        Quantity("m", "Metres from which on it does nothing.", (0, 40), 0.1, low=0, group="where", only=WITHIN),
    ] = 6.0
    stirs: Annotated[
        Literal["all", "carried"],
        Option(
            "What it moves: all that stands in the air, or only what is carried by it, such as particles.",
            label="moves",
            group="where",
            words={"all": "all", "carried": "what is carried"},
        ),
    ] = "all"

    def rows(self, inputs: FieldInputs) -> Rows:
        """Its numbers over the clock.

        Returns
        -------
        (frames, columns) array
            PLACE first, then what the kind's kernel takes.
        """
        raise NotImplementedError

    @staticmethod
    def blow(points: PointBlock, rows: Rows, out: PointBlock) -> None:
        """Add its velocity.

        Parameters
        ----------
        points : (frames or 1, n, 3) array
            Metres, in the scene.
        rows : (frames, columns) array
            As `rows` gives them.
        out : (frames, n, 3) array
            Metres per second; added to.
        """
        raise NotImplementedError

    @classmethod
    def settings(cls) -> dict[str, tuple[Any, ...]]:
        """Its choices that are no numbers: field -> what may be chosen."""
        return {
            name: field.annotation.__args__  # type: ignore[union-attr]
            for name, field in cls.model_fields.items()
            if name != "kind" and getattr(field.annotation, "__origin__", None) is Literal
        }

    def place(self, inputs: FieldInputs) -> Rows:
        """The columns that every kind begins with.

        Returns
        -------
        (frames, PLACE) array
            Metres.
        """
        out = np.empty((len(inputs.clock.frames), PLACE))
        out[:, :3] = inputs.world(inputs.clock)[:, :3, 3]
        out[:, INNER:] = EVERYWHERE
        if self.reach == "within":
            out[:, INNER], out[:, OUTER] = inputs.number("inner"), inputs.number("outer")
        return out


def axes_of(world: NDArray[np.float64]) -> NDArray[np.float64]:
    """The x, y and z of a space, in the scene's.

    Parameters
    ----------
    world : (frames, 4, 4) array
        From the space to the scene.

    Returns
    -------
    (frames, 3, 3) array
        Rows of unit length; nothing where the space has no size.
    """
    axes = np.swapaxes(world[:, :3, :3], 1, 2)
    length = np.linalg.norm(axes, axis=2, keepdims=True)
    return np.asarray(np.divide(axes, length, out=np.zeros_like(axes), where=length > 0))


@kernel("UniTuple(float64, 2)(float64, float64, float64)")
def reached(distance: float, inner: float, outer: float) -> tuple[float, float]:
    """How much of a field acts at a distance, 1 − smoothstep, and the slope of that per metre."""
    if distance <= inner:
        return 1.0, 0.0
    if distance >= outer:
        return 0.0, 0.0
    width = outer - inner
    u = (distance - inner) / width
    return 1.0 - u * u * (3.0 - 2.0 * u), -6.0 * u * (1.0 - u) / width
