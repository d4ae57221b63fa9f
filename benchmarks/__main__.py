"""`make bench`: runs every benchmark and prints its rows."""

from __future__ import annotations

import importlib
import sys

ALL = (
    "startup",
    "evaluation",
    "kinds",
    "air",
    "particles",
    "cloth",
    "swarms",
    "fitting",
    "edits",
    "scenes",
    "sheaves",
    "versions",
    "recipes",
    "reading",
    "streams",
    "people",
    "downloads",
    "pages",
    "lanes",
    "drag",
    "shapes",
    "deliveries",
    "crews",
    "growth",
)

for name in sys.argv[1:] or ALL:
    module = importlib.import_module(f"benchmarks.{name}")
    print(f"\n{name}: {(module.__doc__ or '').splitlines()[0]}")
    for row in module.rows():
        print(f"  {row}")
