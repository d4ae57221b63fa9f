"""One edit of a sheaf over 200 numbers (goal: within 50 ms), beside the same edit of each of the layers."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from benchmarks.timing import best
from lazzik.core.scene.edits.base import applied
from lazzik.core.scene.edits.every import read_edits
from lazzik.core.scene.node import Node
from lazzik.core.scene.scene import Scene

COUNT = 200


def rows() -> Iterator[str]:
    """A row for the window, and one for the block moved with its motion."""
    nodes = tuple(Node(id=f"lamp-{n}", label=f"Lamp {n}") for n in range(COUNT))
    channels = [f"lamp-{n}/rotation.z" for n in range(COUNT)]
    add = {"do": "add-layer", "address": channels[0], "kind": "noise"}
    apart = Scene(name="Lamps", last=250, nodes=nodes)
    each = [{"do": "add-layer", "address": channel, "kind": "noise"} for channel in channels]
    together = {"do": "together", "channels": channels, "edits": [add]}
    sheaf, single = applied(apart, read_edits([together])), applied(apart, read_edits(each))

    def cost(scene: Scene, *edits: dict[str, Any]) -> float:
        ready = read_edits(list(edits))
        return best(lambda: applied(scene, ready)) * 1e3

    window = {"start": 20.0, "end": 90.0, "fade_in": 10.0}
    alone = cost(single, *({"do": "change-layer", "address": f"{channel}#noise"} | window for channel in channels))
    for what, edit in (
        ("its window", {"do": "change-sheaf", "sheaf": "noise"} | window),
        ("its block, with the motion of all", {"do": "move-sheaf", "sheaf": "noise", "by": 12}),
    ):
        took = cost(sheaf, edit)
        holds = "holds" if took <= 50 else "does not hold"
        beside = f"{COUNT} windows one by one {alone:.0f} ms, {took / alone:.3f} times"
        yield f"{what}: {took:.1f} ms; {beside}; goal 50 ms, {holds}"
