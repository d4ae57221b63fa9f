"""Poses: the values of some numbers, saved under a name to be placed at any frame."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from lazzik.core.document import Finite, Frozen, Label, Name

MOST_VALUES = 10_000


class Held(Frozen):
    """What one number is in a pose."""

    address: Annotated[str, Field(max_length=2000)]
    value: Finite


class Pose(Frozen):
    """One pose."""

    id: Name
    label: Label
    held: Annotated[tuple[Held, ...], Field(min_length=1, max_length=MOST_VALUES)]
