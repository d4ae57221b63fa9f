"""Lazzik: procedural wobble, sway and oscillation in layers over animation channels, baked to editable keyframes.

from lazzik import air, bake, deliver, edit, evaluate, new_scene, open_scene
"""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING, Any

__version__ = "0.1.0"

if TYPE_CHECKING:
    from lazzik.core.errors import LazzikError
    from lazzik.core.scene.scene import Scene
    from lazzik.library import (
        addresses,
        air,
        bake,
        compare,
        deliver,
        edit,
        evaluate,
        import_files,
        keep,
        new_scene,
        open_scene,
        open_shelf,
        read_curve,
        read_curves,
        read_recipe,
        read_report,
        save_scene,
        save_shelf,
        simulate,
        take,
        take_over,
    )  # fmt: skip

_PLACES = {"Scene": "lazzik.core.scene.scene", "LazzikError": "lazzik.core.errors"}

__all__ = [
    "LazzikError",
    "Scene",
    "__version__",
    "addresses",
    "air",
    "bake",
    "compare",
    "deliver",
    "edit",
    "evaluate",
    "import_files",
    "keep",
    "new_scene",
    "open_scene",
    "open_shelf",
    "read_curve",
    "read_curves",
    "read_recipe",
    "read_report",
    "save_scene",
    "save_shelf",
    "simulate",
    "take",
    "take_over",
]  # fmt: skip


def __getattr__(name: str) -> Any:
    """The library's names, looked up when they are first asked for: the parts of the program need not wait for it."""
    if name.startswith("_") or name not in __all__:
        raise AttributeError(f"module 'lazzik' has no attribute '{name}'")
    return getattr(import_module(_PLACES.get(name, "lazzik.library")), name)
