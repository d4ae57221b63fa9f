"""Motion over the wire: msgpack, with arrays as raw little-endian float32."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import chain
from typing import Any

import msgpack
import numpy as np
from fastapi import Response
from fastapi.responses import StreamingResponse
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

PACKED = "application/msgpack"
FRESH = {"Cache-Control": "no-store"}

SHOWN = (("look", "glow"), ("light", "intensity"), ("camera", "view"))
"""Numbers beside the transforms that the stage can show."""


def packed(content: Any) -> Response:
    """A response that the page unpacks."""
    return Response(msgpack.packb(content), media_type=PACKED, headers=FRESH)


def streamed(head: dict[str, Any], name: str, rows: Iterator[tuple[str, Any]], count: int) -> Response:
    """A response as of `packed`, whose last entry is a table of `count` rows: each is worked out when it is sent, so
    that no more than one is held, however large the whole is. The first one is worked out before the answer begins,
    so that what is wrong with it can still be said."""
    packer = msgpack.Packer()
    begin = packer.pack_map_header(len(head) + 1)
    begin += b"".join(packer.pack(part) for pair in head.items() for part in pair)
    begin += packer.pack(name) + packer.pack_map_header(count)
    first = next(rows, None)

    def parts() -> Iterator[bytes]:
        yield begin
        for slug, row in chain([first] if first else [], rows):
            yield packer.pack(slug) + packer.pack(row)

    return StreamingResponse(parts(), media_type=PACKED, headers=FRESH)


def floats(values: NDArray[np.float64]) -> bytes:
    """An array's bytes; its shape is known from what it is."""
    return np.ascontiguousarray(values, dtype="<f4").tobytes()


def motion_of(scene: Scene, nodes: list[Node], clock: Clock, scope: Scope) -> dict[str, Any]:
    """What the stage needs of these objects: for each its transform over the clock, or once if it stands still."""
    return {node.id: motion_of_one(scene, node, clock, scope) for node in nodes}


def motion_of_one(scene: Scene, node: Node, clock: Clock, scope: Scope) -> dict[str, Any]:
    """What the stage needs of one object."""
    own = pose(node, clock if moves(node) else Clock.over(scene.fps, scene.first, scene.first), scope)
    numbers = {
        f"{part}.{name}": floats(np.atleast_1d(value_of(getattr(node, part), name, clock, scope)))
        for part, name in SHOWN
        if isinstance(getattr(getattr(node, part), name, None), Channel)
    }
    return {
        "position": floats(own.position),
        "orientation": floats(own.orientation),
        "scale": floats(own.scale),
        "numbers": numbers,
    }


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
