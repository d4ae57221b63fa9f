"""Sheets that are cloth, for tests."""

from __future__ import annotations

from typing import Any

import numpy as np

from lazzik.core.scene.scene import Scene
from lazzik.core.simulate.cloth import ClothRun, Draped
from tests.conftest import edited

WIND = {"do": "add-object", "label": "Wind", "field": {"kind": "wind", "speed": 8.0, "gusts": 0.3}}


def hung(
    *more: dict[str, Any], cuts: int = 12, size: float = 1.0, standing: bool = True,
    pins: list[dict[str, Any]] | None = None, last: int = 60, **numbers: float,
) -> Scene:  # fmt: skip
    """A square sheet held at its upper edge, two metres up, in still air unless there is a wind."""
    plain = {"ahead": 0.0, "calm": 0.0} | numbers
    shape = {
        "kind": "sheet", "width": size, "height": size, "columns": cuts, "rows": cuts, "standing": standing,
    }  # fmt: skip
    return edited(
        Scene(name="Washing", fps=25, last=last),
        {"do": "add-object", "label": "Sheet", "shape": shape, "position": [0, 2, 0]},
        {"do": "drape", "node": "sheet", "stuff": "linen"} | ({} if pins is None else {"pins": pins}),
        {"do": "change-shape", "node": "sheet", "fields": {"columns": cuts, "rows": cuts}},
        *({"do": "set", "address": f"sheet/cloth.{name}", "value": value} for name, value in plain.items()),
        *more,
    )


def frames_of(scene: Scene, last: int = 60, first: int = 0) -> list[Draped]:
    return [moment for moment, _ in ClothRun(scene, "sheet").frames(first, last)]


def world_points(scene: Scene, moment: Draped) -> np.ndarray[tuple[int, ...], np.dtype[np.float64]]:
    """Of a sheet that stands still two metres up."""
    return np.asarray(moment.points + np.array([0.0, 2.0, 0.0]))


def corners(*names: str) -> list[dict[str, Any]]:
    """Pins at corners: 'left top'."""
    return [
        {"id": name.replace(" ", "_"), "label": name, "at": "corner", "side": name.split()[0], "other": name.split()[1]}
        for name in names
    ]
