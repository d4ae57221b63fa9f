"""A point that can be taken hold of, and the numbers that it sets."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Handle:
    """A point in the deformer's coordinates.

    One that sets a single number runs along u, and the number is sign · (u − origin). One that sets three goes freely
    in the plane of the picture, and the numbers are its coordinates: the deformer's, or `within` the object.
    """

    name: str
    label: str
    at: tuple[float, float, float]
    sets: tuple[str, ...]
    origin: float = 0.0
    sign: float = 1.0
    length: bool = False
    """Whether the number is a length, which is never below nothing."""
    within: bool = False
