"""The curves of a number laid open, as the lanes draw them."""

from __future__ import annotations

from typing import Any

import numpy as np

from lazzik.core.clock import Clock
from lazzik.core.evaluate.evaluator import read
from lazzik.core.evaluate.motion_path import path
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.seams import seam_of
from lazzik.core.evaluate.strata import Strata, evaluating, strata
from lazzik.core.scene.address import Address, Place, find, title
from lazzik.core.scene.scene import Scene
from lazzik.web.stack.facts import MOST_DRAWN
from lazzik.web.ui.encode import floats


def strata_of(strata: Strata, place: Place, address: str, scene: Scene, clock: Clock, scope: Scope) -> dict[str, Any]:
    """What the lanes draw: the base, each layer's contribution and the result, with their clock."""
    seam = seam_of(place.channel, address, place.quantity.unit, scene, scope.at(place.home))
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


MOST_POINTS = 1200
"""Points of a drawn curve: about one and a half for each pixel of a wide lane."""


def curves_of(scope: Scope, scene: Scene, text: str, also: tuple[str, ...]) -> dict[str, Any]:
    """A number laid open, and others drawn beside it, at most one and a half points a pixel of a wide lane."""
    address = Address.parse(text).channel
    place = find(scene, address)
    fine = max(1, min(4, MOST_POINTS // scene.frames))
    clock = scene.clock(fine)
    with evaluating(scope) as together:  # the seam needs below its springs what the lanes need
        laid = strata(place.number, clock, together.at(place.home))
        content = strata_of(laid, place, str(address), scene, clock, together)
    content["also"] = [
        {
            "channel": str(other),
            "title": title(scene, other),
            "base": floats(find(scene, other).channel.base(clock)),
            "result": floats(np.broadcast_to(read(str(other), clock, scope), clock.frames.shape)),
        }
        for other in (Address.parse(item).channel for item in also[:MOST_DRAWN])
    ]
    return content
