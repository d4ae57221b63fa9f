"""Motion over the wire: msgpack, with arrays as raw little-endian float32."""

from __future__ import annotations

from typing import Any

import msgpack
import numpy as np
from fastapi import Response
from numpy.typing import NDArray

from lazzik.core.channel.channel import Channel
from lazzik.core.clock import Clock
from lazzik.core.evaluate.evaluator import Strata, value_of
from lazzik.core.evaluate.paths import path
from lazzik.core.evaluate.poses import moves, pose
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.seams import seam_of
from lazzik.core.scene.address import Place
from lazzik.core.scene.node import Node
from lazzik.core.scene.scene import Scene

SHOWN = (("look", "glow"), ("light", "intensity"), ("camera", "view"))
"""Numbers beside the transforms that the stage can show."""


def packed(content: Any) -> Response:
    """A response that the page unpacks."""
    return Response(msgpack.packb(content), media_type="application/msgpack", headers={"Cache-Control": "no-store"})


def floats(values: NDArray[np.float64]) -> bytes:
    """An array's bytes; its shape is known from what it is."""
    return np.ascontiguousarray(values, dtype="<f4").tobytes()


def motion_of(scene: Scene, nodes: list[Node], clock: Clock, scope: Scope) -> dict[str, Any]:
    """What the stage needs of these objects: for each its transform over the clock, or once if it stands still."""
    still = Clock.over(scene.fps, scene.first, scene.first)
    out: dict[str, Any] = {}
    for node in nodes:
        own = pose(node, clock if moves(node) else still, scope)
        numbers = {
            f"{part}.{name}": floats(np.atleast_1d(value_of(getattr(node, part), name, clock, scope)))
            for part, name in SHOWN
            if isinstance(getattr(getattr(node, part), name, None), Channel)
        }
        out[node.id] = {
            "position": floats(own.position),
            "orientation": floats(own.orientation),
            "scale": floats(own.scale),
            "numbers": numbers,
        }
    return out


def strata_of(strata: Strata, place: Place, address: str, scene: Scene, clock: Clock, scope: Scope) -> dict[str, Any]:
    """What the lanes draw: the base, each layer's contribution and the result, with their clock."""
    seam = seam_of(place.channel, address, place.quantity.unit, scene, scope)
    return {
        "from": float(clock.frames[0]),
        "perFrame": round(1 / (clock.frames[1] - clock.frames[0])),
        "base": floats(strata.base),
        "result": floats(strata.result),
        "lanes": {lane.layer.id: floats(lane.contribution) for lane in strata.lanes},
        "problems": {lane.layer.id: lane.problem for lane in strata.lanes if lane.problem},
        "path": floats(path(scene, place.node, scene.clock(), scope)) if place.node else b"",
        "seam": {"value": seam.value, "slope": seam.slope, "meets": seam.meets},
    }
