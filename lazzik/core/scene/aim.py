"""Aim: an object turned so that an axis of its own points at another object, or at a point.

This is what the document holds of it; the geometry stands in evaluate/aiming.py.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any, Literal, Self, get_args

import numpy as np
from pydantic import model_validator

from lazzik.core.channel.repeats import Repeats
from lazzik.core.document import Frozen, Option, Quantity, Slug
from lazzik.core.layers import Number  # with its layers resolved
from lazzik.core.types import Samples

Axis = Literal["x", "-x", "y", "-y", "z", "-z"]

AXES: dict[Axis, str] = {"x": "its x", "-x": "its −x", "y": "its y", "-y": "its −y", "z": "its z", "-z": "its −z"}

Coordinate = Annotated[
    Number,
    Quantity(
        "m", "Metres, in the space of the target; without one, of the scene.", (-5, 5), 0.01, group="where", rest=0.0
    ),
]


class AimPoint(Frozen):
    """The point that is aimed at: the target's origin, or beside it."""

    x: Coordinate = 0.0
    y: Coordinate = 0.0
    z: Coordinate = 0.0


class Aim(Repeats):
    """What an object looks at, with what of itself, and how readily."""

    target: Slug | None = None
    """The object that it aims at; None for a point of the scene."""
    point: AimPoint = AimPoint()
    axis: Annotated[
        Axis, Option("The axis of its own that points at the target.", label="points with", words={**AXES})
    ] = "z"
    about: Annotated[
        Literal["all", "x", "y", "z"],
        Option(
            "What it can turn about: all axes, or a single one of its own, as a vane turns about its post.",
            label="turns about",
            words={"all": "all axes", "x": "its x alone", "y": "its y alone", "z": "its z alone"},
        ),
    ] = "all"
    weight: Annotated[
        Number,
        Quantity(help="How far it turns from where its own rotation leaves it toward the target.", low=0, high=1),
    ] = 1.0
    roll: Annotated[
        Number,
        Quantity(
            "°", "Degrees that it is rolled about the axis that points.", (-180, 180), 0.1, rest=0.0,
            only={"about": ("all",)},
        ),
    ] = 0.0  # fmt: skip
    lag: Annotated[
        bool,
        Option(
            "Whether what it aims at trails the target, by the law of the Follow layer.",
            words={"False": "at once", "True": "with lag"},
            label="follows",
            group="time",
        ),
    ] = False
    frequency: Annotated[
        Number,
        Quantity(
            "Hz", "How eagerly it follows.", (0.2, 8), 0.01, low=0.01, high=1000, group="time", only={"lag": ("True",)}
        ),
    ] = 1.5
    damping: Annotated[
        Number,
        Quantity(
            "", "Under 1 it overshoots, at 1 it just does not.", (0, 1.5), 0.01, low=0, high=100, group="time",
            only={"lag": ("True",)},
        ),
    ] = 0.6  # fmt: skip
    muted: bool = False

    @model_validator(mode="after")
    def _can_turn(self) -> Self:
        if self.about == self.axis[-1]:
            raise ValueError(f"what turns about its own {self.about} alone can't aim with that axis")
        return self

    @classmethod
    def settings(cls) -> dict[str, tuple[Any, ...]]:
        """Its choices that are no numbers: field -> what may be chosen."""
        axes, abouts = (get_args(cls.model_fields[name].annotation) for name in ("axis", "about"))
        return {"axis": axes, "about": abouts, "lag": (False, True)}

    @property
    def acts(self) -> bool:
        """Whether it can turn anything."""
        return not self.muted and self.weight != 0.0

    def retargeted(self, names: Mapping[str, str]) -> Self:
        """The aim of a copy: at the copy of its target, if that is copied too (object -> copy)."""
        copy = names.get(self.target or "")
        return self.replaced(target=copy) if copy else self

    @property
    def repeats(self) -> bool:
        """Its lag does."""
        return self.lag

    @property
    def turned_target(self) -> bool:
        """Whether the point lies beside the target's origin, so that the target's own turning moves it."""
        return any(number != 0.0 for number in (self.point.x, self.point.y, self.point.z))


def axis_vector(axis: Axis) -> Samples:
    """An own axis by its name.

    Returns
    -------
    (3,) array
        Of unit length.
    """
    vector: Samples = np.zeros(3)
    vector["xyz".index(axis[-1])] = -1.0 if axis[0] == "-" else 1.0
    return vector
