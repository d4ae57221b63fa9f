"""The gust chart of a field and the lanes of what answers it, as the panel draws them."""

from __future__ import annotations

from typing import Any

from lazzik.core.evaluate.blowing import answer_over, answering, gust_chart
from lazzik.core.evaluate.scope import Scope
from lazzik.core.scene.node import Node
from lazzik.core.scene.scene import Scene
from lazzik.web.air.view import MOST_LANES
from lazzik.web.ui.encode import floats


def gusts_of(scene: Scene, field: Node, scope: Scope, distances: int, moments: int) -> dict[str, Any]:
    """The air downwind of a field over the range, and what answers it, nearest first.

    `distances` are the chart's rows, `moments` its columns at most.
    """
    rows = answering(scene, field, scope)
    every = max(1, -(-scene.frames // moments))
    clock = scene.clock()
    coarse = clock if every == 1 else clock.at(clock.frames[::every])
    chart = gust_chart(scene, field, coarse, scope, distances, max((row.distance for row in rows), default=0.0))
    lanes = [
        {"name": scene.called[row.node], "address": row.address, "unit": row.unit, "distance": row.distance,
         "values": floats(answer_over(scene, row, clock, scope))}
        for row in rows[:MOST_LANES]
    ]  # fmt: skip
    return {
        "from": scene.first, "every": every, "distances": floats(chart.distances), "speeds": floats(chart.speeds),
        "lanes": lanes,
    }  # fmt: skip
