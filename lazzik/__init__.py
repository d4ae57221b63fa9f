"""Lazzik: procedural wobble, sway and oscillation in layers over animation channels, baked to keyframes."""

__version__ = "0.1.0"
