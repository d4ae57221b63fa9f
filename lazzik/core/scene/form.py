"""The written form of a scene, as far as whoever only keeps or carries it needs to know it."""

from __future__ import annotations

VERSION = 2
"""Of the document."""

LARGEST_TEXT = 64 * 2**20
"""Bytes that one may have. A larger one is refused before it is parsed."""
