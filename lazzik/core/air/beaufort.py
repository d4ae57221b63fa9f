"""What a wind is called by its speed: the Beaufort scale, as the World Meteorological Organization gives it in m/s."""

from __future__ import annotations

import math

NAMES = (
    (0.3, "calm"),
    (1.6, "light air"),
    (3.4, "a light breeze"),
    (5.5, "a gentle breeze"),
    (8.0, "a moderate breeze"),
    (10.8, "a fresh breeze"),
    (13.9, "a strong breeze"),
    (17.2, "a near gale"),
    (20.8, "a gale"),
    (24.5, "a strong gale"),
    (28.5, "a storm"),
    (32.7, "a violent storm"),
)
"""Metres per second under which each name holds; beyond the last it is a hurricane."""

POINTS = ("north", "north-east", "east", "south-east", "south", "south-west", "west", "north-west")


def beaufort(speed: float) -> tuple[int, str]:
    """The number on the scale, and what it is called."""
    force = next((number for number, (below, _) in enumerate(NAMES) if abs(speed) < below), len(NAMES))
    return force, NAMES[force][1] if force < len(NAMES) else "a hurricane"


def whence(east: float, north: float) -> tuple[float, str]:
    """Whence a wind blows that goes so far east and north: degrees from north over east, and the point of the
    compass."""
    degrees = math.degrees(math.atan2(-east, -north)) % 360.0
    return degrees, POINTS[round(degrees / 45.0) % 8]
