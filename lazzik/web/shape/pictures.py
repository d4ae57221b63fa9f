"""Small pictures: what a kind of deformer does to a strip of cloth, a deformer's own waves, and where it counts."""

from __future__ import annotations

from functools import cache
from typing import Any

import numpy as np

from lazzik.core.channel.channel import as_channel, base_value
from lazzik.core.clock import Clock
from lazzik.core.deformers import BY_KIND, Deformer
from lazzik.core.deformers.extent import Extent
from lazzik.core.deformers.fades import FADES, edge_fade
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.surface import surface_of
from lazzik.core.geometry.primitives import Sheet
from lazzik.core.scene.node import Node, Position
from lazzik.core.scene.scene import Scene
from lazzik.core.types import Samples

PICTURE = (64.0, 44.0)
SMALL = (44.0, 14.0)

FPS = 30


@cache
def kind_picture(name: str) -> str:
    """What a kind does to a strip of cloth, as SVG path data: its rim and a few lines across."""
    strip = Sheet(kind="sheet", width=0.9, height=2.6, rows=24, columns=6, standing=True)
    kind = BY_KIND[name]
    fields = kind.suited(Extent((-0.45, -1.3, 0.0), (0.45, 1.3, 0.0)))
    poses: dict[str, dict[str, Any]] = {
        "bend": {"angle": 75.0, "direction": 90.0, "held": "middle"}, "undulate": {"toward": "across", "fade": "none"},
        "twist": {"angle": 200.0}, "sway": {"direction": 90.0, "angle": 70.0, "lean": 25.0, "seed": 2.0},
        "ripple": {"axis": "z", "toward": "side", "shape": "rings", "height": 0.25, "spacing": 0.7, "speed": 3.0},
        "rumple": {"height": 0.5, "toward": "across", "size": 0.7}, "jiggle": {"reach": 2.6, "frequency": 1.2},
    }  # fmt: skip
    deformer = kind.model_validate({"kind": name, "id": "p", "label": "p"} | fields | poses.get(name, {}))
    hop = as_channel(0.0).model_validate({"keys": [{"frame": 0, "value": 0}, {"frame": 20, "value": 9.0}]})
    at = Position(x=hop if name == "jiggle" else 0.0)
    points = _deformed(strip, deformer, 14 if name == "jiggle" else 60, at)[: 25 * 7].reshape(25, 7, 3)
    # seen a little from the side, so that depth shows
    flat = np.stack([points[..., 1] + 0.0 * points[..., 0], points[..., 0] + 0.45 * points[..., 2]], -1)
    low, high = flat.min(axis=(0, 1)), flat.max(axis=(0, 1))
    scale = min(PICTURE[0] / max(high[0] - low[0], 2.6), PICTURE[1] / max(high[1] - low[1], 0.9))
    drawn = (flat - (low + high) / 2) * scale * 0.92 + np.array(PICTURE) / 2
    return "".join(_path(row) for row in [drawn[:, 0], drawn[:, -1], *(drawn[row] for row in range(0, 25, 4))])


def wave_picture(deformer: Deformer, extent: Extent) -> str:
    """A cut through the waves of a deformer that pushes points, across the whole object, as SVG path data: how many of
    them there are, how high beside its size, how they die out. '' for a kind that pushes nothing."""
    if not deformer.pushes:
        return ""
    at = deformer.varies[0]
    lengths = {axis: extent.along(axis) for axis in ("x", "y", "z")}
    others = [span for axis, span in lengths.items() if axis != deformer.axis]
    low, high = lengths[deformer.axis] if at == 0 else max(others, key=lambda span: span[1] - span[0])
    size = max(high - low, 1e-6)
    # along y of an upright sheet lies what its effect varies along; the axis that it pushes along is x or z
    strip = Sheet(kind="sheet", width=1e-3, height=size, rows=96, columns=1, standing=True)
    still = {name: base_value(number) for name, number in deformer.stored() if "." not in name}
    turned = deformer.with_(
        axis="y" if at == 0 else "x", placement={"y": -(low + high) / 2 if at == 0 else 0.0}, mask=None, **still
    )
    speed = abs(still.get("speed", 0.0))
    frames = still.get("begin", 0.0) + (FPS * size / speed if speed > 0 else 0.0)
    points = _deformed(strip, turned, int(min(max(frames, 0.0), 1000.0)))[: 2 * 97].reshape(97, 2, 3).mean(axis=1)
    pushed = points[:, 0] + points[:, 2]
    reach = max(float(np.abs(pushed).max()), size / 24)
    x, y = (points[:, 1] + size / 2) / size * SMALL[0], SMALL[1] / 2 * (1.0 - 0.92 * pushed / reach)
    return _path(np.stack([x, y], 1))


def span_picture(deformer: Deformer, extent: Extent) -> str:
    """How much a deformer counts along its axis, from one end of the object to the other, as SVG path data."""
    low, high = extent.along(deformer.axis)
    shift = base_value(getattr(deformer.placement, deformer.axis))
    u = np.linspace(low - shift, high - shift, 45)
    inside = np.zeros((1, 3, len(u)))
    inside[0, 0] = u
    start, end, length = (np.array([base_value(n)]) for n in (deformer.start, deformer.end, deformer.fade_length))
    counts = np.empty((1, len(u)))
    edge_fade(inside, start, end, length, FADES.index(deformer.fade), np.ones(1), counts)
    x, y = np.linspace(0.5, SMALL[0] - 0.5, len(u)), SMALL[1] - 1.0 - (SMALL[1] - 3.0) * counts[0]
    floor = np.array([[SMALL[0] - 0.5, SMALL[1] - 1.0], [0.5, SMALL[1] - 1.0]])
    return _path(np.concatenate([np.stack([x, y], 1), floor])) + "z"


def _deformed(shape: Sheet, deformer: Deformer, frame: int, at: Position | None = None) -> Samples:
    node = Node(id="p", label="p", shape=shape, deform=(deformer,), position=at or Position())
    scene = Scene(name="Picture", nodes=(node,))
    return surface_of(scene, node, Clock.over(FPS, 0, frame, start=frame), Scope(scene)).points(0)


def _path(row: Samples) -> str:
    return "M" + "L".join(f"{x:.1f} {y:.1f}" for x, y in row)
