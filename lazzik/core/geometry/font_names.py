"""The fonts that ship, by the names that documents know them by."""

from __future__ import annotations

SHIPPED = ("bricolage-grotesque", "instrument-sans", "spline-sans-mono")
