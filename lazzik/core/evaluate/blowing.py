"""What is seen of the air: gusts on their way, streaks, and what answers.

The gust chart holds the air along a line from where a field stands, the way it blows: distance against time, so that a
gust is a slanting stripe, as steep as it is fast. Streaks are short ways of the air: each is born at a place of its
own, goes with the air for its life, and is born again elsewhere; where it is at a frame depends on the frames of its
life alone. What answers the air is found in the document and sorted by how far downwind it stands.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lazzik.core.air.field import Rows, axes_of
from lazzik.core.channel.channel import Channel, base_value
from lazzik.core.clock import Clock
from lazzik.core.deformers.sway import Sway
from lazzik.core.evaluate.airflow import air, field_rows, world_of
from lazzik.core.evaluate.evaluator import read
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.surface_plan import step_of
from lazzik.core.layers.breeze import Breeze
from lazzik.core.layers.octaves import lattice
from lazzik.core.scene.address import find_at
from lazzik.core.scene.node import Node, channels_of
from lazzik.core.scene.references import fields_for
from lazzik.core.scene.rest_pose import placement, rest_position
from lazzik.core.scene.scene import Scene
from lazzik.core.types import Points, Samples

LEAST_FAR = 24.0
"""Metres downwind that the chart shows at least."""

BEYOND = 1.1
"""Times the distance of the farthest thing that answers."""

LIFE = 1.2
"""Seconds that a streak lives."""

AROUND = 4.0
"""Metres about what is in the scene in which streaks are born."""

LARGEST = 60.0
"""Metres of that space at most, to either side of its middle."""


@dataclass(frozen=True, eq=False)
class GustChart:
    """The air along a line, over time."""

    distances: Samples
    """(distances,) metres from where the field stands."""
    speeds: Samples
    """(distances, frames) metres per second, the way it blows."""


@dataclass(frozen=True)
class Answering:
    """Something that answers the air."""

    node: str
    address: str
    """Of the number that it moves, or the shape that it bends: 'sign/rotation.z', 'pine-2/shape#sway'."""
    distance: float
    """Metres downwind."""
    frequency: float
    """Hertz."""
    unit: str
    deformer: str = ""


def way_of(scene: Scene, node: Node, scope: Scope) -> tuple[Points, Points]:
    """Where a field stands on the first frame, and the way it blows there: along its own x.

    Returns
    -------
    ((3,) array, (3,) array)
        Metres; of unit length.
    """
    first = world_of(scene, node, scene.clock().start, scope)
    way = axes_of(first)[0, 0]
    speed = getattr(node.field, "speed", 1.0) if node.field is not None and node.field.kind == "wind" else 1.0
    return first[0, :3, 3], -way if base_value(speed) < 0 else way


def gust_chart(scene: Scene, node: Node, clock: Clock, scope: Scope, rows: int, farthest: float = 0.0) -> GustChart:
    """The air downwind of a field.

    Parameters
    ----------
    rows : how many distances.
    farthest : metres that it reaches at least.
    """
    origin, way = way_of(scene, node, scope)
    distances = np.linspace(0.0, max(LEAST_FAR, BEYOND * farthest), rows)
    points = origin + distances[:, None] * way
    return GustChart(distances, np.asarray(air(points[None], clock, scope) @ way).T)


def answering(scene: Scene, node: Node, scope: Scope) -> list[Answering]:
    """What answers the air, nearest to a field first, as it stands at rest; of each object what answers most."""
    origin, way = way_of(scene, node, scope)
    found = []
    for other in scene.nodes:
        rows = [*_numbers(scene, other, way), *_deformers(other)]
        if rows:
            _, address, frequency, unit, deformer = max(rows, key=lambda row: row[0])
            distance = float((rest_position(scene, other) - origin) @ way)
            unit = unit if deformer else find_at(scene, address).quantity.unit
            found.append(Answering(other.id, address, distance, frequency, unit, deformer))
    return sorted(found, key=lambda row: row.distance)


def answer_over(scene: Scene, row: Answering, clock: Clock, scope: Scope) -> Samples:
    """What a thing does: the number that it moves, or how far its trunk leans with the direction that it has.

    Returns
    -------
    (frames,) array
        In the number's unit; degrees of what bends.
    """
    if not row.deformer:
        return np.array(np.broadcast_to(read(row.address, clock, scope), clock.frames.shape))
    node = scene.node(row.node)
    sway = node.deformer(row.deformer)
    assert isinstance(sway, Sway)
    step = step_of(scene, node, node, sway, clock, scope.at(node.id))
    return np.asarray(step.numbers["angle"] * step.plan["winds"][:, 0] * step.numbers["weight"])


Row = tuple[float, str, float, str, str]
"""How much it answers, in its own measure; address, hertz, unit, deformer."""


def _numbers(scene: Scene, node: Node, way: Points) -> list[Row]:
    rows: list[Row] = []
    for path, number, quantity in channels_of(node):
        for layer in number.layers if isinstance(number, Channel) else ():
            if isinstance(layer, Breeze) and not layer.muted:
                felt = 1.0 if layer.what == "speed" else abs(_along(scene, node, way, layer.what))
                answers = felt * abs(base_value(layer.gain)) / max(quantity.useful[1] - quantity.useful[0], 1e-9)
                rows.append((answers, f"{node.id}/{path}", base_value(layer.frequency), quantity.unit, ""))
    return rows


def _along(scene: Scene, node: Node, way: Points, axis: str) -> float:
    """The part of a way along an axis of what an object hangs under."""
    if node.parent is None:
        return float(way["xyz".index(axis)])
    own = placement(scene, scene.by_id[node.parent])[:3, "xyz".index(axis)]
    return float(way @ own) / max(float(np.linalg.norm(own)), 1e-9)


def _deformers(node: Node) -> list[Row]:
    sways = (item for item in node.deform if isinstance(item, Sway) and item.in_air and not item.muted)
    return [
        (base_value(item.angle) / 60.0, f"{node.id}/shape#{item.id}", 1.0 / base_value(item.period), "°", item.id)
        for item in sways
    ]


# streaks


@dataclass(frozen=True, eq=False)
class Streaks:
    """Short ways of the air."""

    places: Points
    """(frames, streaks, 3) metres: where each is."""
    ages: Samples
    """(streaks,) frames since the birth of each, at the first of them."""
    life: int
    """Frames that each lives."""


def streaks(scene: Scene, clock: Clock, scope: Scope, count: int) -> Streaks:
    """Where streaks are at the whole frames of a clock."""
    life = max(4, round(LIFE * scene.fps))
    frames = np.asarray(clock.frames).astype(int) - scene.first
    lead = Clock.over(scene.fps, scene.first, int(clock.frames[-1]), start=int(clock.frames[0]) - life)
    fields = list(fields_for(scene, ""))
    rows = [field_rows(node, lead, scope) for node in fields]
    low, high = _around(scene)
    offsets = np.array([int(0.5 * (1 + lattice(k, 17, 0)) * life) for k in range(count)])
    places, out = np.zeros((count, 3)), np.empty((len(frames), count, 3))
    start = int(lead.frames[0]) - scene.first
    for index in range(len(lead.frames)):
        born = (start + index + offsets) % life == 0
        if index == 0 or born.any():
            turn = (start + index + offsets) // life
            for k in np.flatnonzero(born if index else np.ones(count, dtype=bool)):
                places[k] = [low[a] + (high[a] - low[a]) * 0.5 * (1 + lattice(k, int(turn[k]), a)) for a in range(3)]
        if index >= life:
            out[index - life] = places
        places = places + _velocity(fields, rows, places, index) / scene.fps
    return Streaks(out, ((frames[0] + offsets) % life).astype(np.float64), life)


def _velocity(fields: list[Node], rows: list[Rows], places: Points, index: int) -> Points:
    out = np.zeros((1, len(places), 3))
    for node, numbers in zip(fields, rows, strict=True):
        assert node.field is not None
        type(node.field).blow(np.ascontiguousarray(places[None]), np.ascontiguousarray(numbers[index : index + 1]), out)
    return np.asarray(out[0])


def _around(scene: Scene) -> tuple[Points, Points]:
    """The space in which streaks are born: about what the scene holds, above the ground that it stands on."""
    spots = np.array([rest_position(scene, node) for node in scene.nodes[:500] if node.visible and node.field is None])
    if not len(spots):
        spots = np.zeros((1, 3))
    low, high = spots.min(axis=0) - AROUND, spots.max(axis=0) + AROUND
    middle = (low + high) / 2
    low, high = np.maximum(low, middle - LARGEST), np.minimum(high, middle + LARGEST)
    low[1] = max(low[1], spots[:, 1].min() + 0.1)
    return low, high
