"""A run of cloth: where the points of a mesh are, sub-step after sub-step.

A frame is cut into SUBSTEPS equal parts, each with SWEEPS over what holds the points together (xpbd.py). The run begins
as long before the first frame as the cloth has been hanging there, where its mesh is then. What is kept of a frame is
in the space of the object, so that what is held by it rests there to the last bit, wherever the object goes.

Pins: a point that is held fast goes where the object that it follows takes it. One held by a share s is drawn there by
a spring of 2·s/(1 − s) hertz, whatever it weighs.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from lazzik.core.clock import Clock
from lazzik.core.errors import InvalidEdit
from lazzik.core.evaluate.airflow import field_rows, world_of
from lazzik.core.evaluate.scope import Run, Scope
from lazzik.core.geometry.mesh import Mesh
from lazzik.core.scene.edits.cloths import cloth_of
from lazzik.core.scene.references import acts
from lazzik.core.scene.scene import Scene
from lazzik.core.simulate.colliders import BOUNCE, Colliders, Law
from lazzik.core.simulate.fabric import Fabric, Tethers, fabric_of, tethers_of
from lazzik.core.simulate.motion import FARTHEST, GRAVITY
from lazzik.core.simulate.pins import Pins
from lazzik.core.simulate.stepped import SteppedRun
from lazzik.core.simulate.xpbd import PER_PUSH, step_on
from lazzik.core.types import PointBlock, Points, Samples

SUBSTEPS = 40
"""Parts of a frame."""

SWEEPS = 2
"""Times that a sub-step goes over all edges."""

ASKS = 2
"""Times a frame that the air is asked for."""

BLOCK = 8
"""Frames for which the scene is read at once."""

MOST_POINTS = 100_000
"""Points of a mesh that can be cloth."""


@dataclass(frozen=True, eq=False)
class ClothState:
    """All that tells how a run goes on, in double precision."""

    step: int
    """Sub-steps since the run began."""
    places: Points
    """(n, 3) metres, in the scene."""
    speeds: Points
    """(n, 3) metres per second."""


@dataclass(frozen=True, eq=False)
class Draped:
    """The points of cloth at a frame."""

    frame: float
    """Of the run."""
    points: Points
    """(n, 3) metres, in the object's space; one for each place of the mesh."""
    pace: float
    """Metres a second that half of them are slower than."""

    def __len__(self) -> int:
        return len(self.points)

    def rounded(self) -> Draped:
        """The same in single precision, as it is kept."""
        return replace(self, points=self.points.astype(np.float32).astype(np.float64))


class ClothRun(SteppedRun[ClothState, Draped]):
    """The cloth of one object."""

    def __init__(
        self, scene: Scene, slug: str, *, mesh: Mesh | None = None, substeps: int = SUBSTEPS, block: int = BLOCK
    ) -> None:
        """Of another mesh than the object's, with other sub-steps, and reading so many frames of the scene at once, if
        these are given. Raises UnknownAddress, and InvalidEdit if it is no cloth or too fine."""
        self.node, self.cloth = cloth_of(scene, slug)
        self.carried = self.cloth
        self.scene, self.mesh, self.substeps = scene, mesh, substeps
        self.per_air, self.block_steps, self._origin = substeps // ASKS, block * substeps, 0
        self.scope = Scope(scene, None, []).at(slug)  # nothing that was kept of another clock, to the last bit
        self.seconds = 1.0 / (scene.fps * substeps)
        ahead = self.number("ahead", self.clock(np.array([float(scene.first)])))[0]
        self.begins = -int(np.ceil(max(0.0, ahead) * scene.fps)) * substeps
        self._block: _Reading | None = None

    @cached_property
    def fabric(self) -> Fabric:
        """What it is woven of, as large as it is cut at the first frame. Raises InvalidEdit, UnknownAsset."""
        assert self.node.shape is not None
        mesh = self.mesh or self.node.shape.mesh(self.scene.assets)
        if len(mesh.points) > MOST_POINTS:
            raise InvalidEdit(
                f"{self.node.label} has {len(mesh.points):,} points; cloth may have {MOST_POINTS:,}: cut it more "
                "coarsely",
                self.node.id,
            )
        now = self.clock(np.array([float(self.scene.first)]))
        return fabric_of(mesh, self._worlds(now)[0, :3, :3] * (1.0 + max(-0.5, self.number("slack", now)[0])))

    @cached_property
    def pins(self) -> Pins:
        """Where it is held."""
        return Pins(self.scene, self.node, self.cloth, self.fabric, self.scope)

    @cached_property
    def tethers(self) -> Tethers:
        """How far its points may be from there."""
        return tethers_of(self.fabric, self.pins.points)

    def start(self) -> ClothState:
        """How the run begins: as the mesh is then, going along with the object."""
        frames = self.scene.first + (self.begins + np.array([0.0, 1.0])) / self.substeps
        there = [_carried(world, self.fabric.local) for world in self._worlds(self.clock(frames))]
        return ClothState(0, there[0], (there[1] - there[0]) / self.seconds)

    def begun(self, frame: int, points: PointBlock | None) -> ClothState:
        """A state at a frame: as it hangs there and on the next, or at rest.

        Parameters
        ----------
        points : (2, mesh points, 3) array
            Metres, in the object's space.
        """
        rows = np.stack([self.fabric.mesh_points] * 2) if points is None else points
        local = np.zeros((2, len(self.fabric.local), 3))
        local[:, self.fabric.place] = rows
        worlds = self._worlds(self.clock(np.array([frame, frame + 1.0])))
        there = [_carried(world, row) for world, row in zip(worlds, local, strict=True)]
        self._origin = step = (frame - self.scene.first) * self.substeps - self.begins
        return ClothState(step, there[0], (there[1] - there[0]) * self.scene.fps)

    def moment(self, frame: int, state: ClothState) -> Draped:
        """What is kept of a state."""
        world, pace = self._world_at(frame)[0], float(np.median(np.linalg.norm(state.speeds, axis=1)))
        flat = abs(np.linalg.det(world)) < 1e-15  # nothing of it is seen
        return Draped(frame, self.fabric.local if flat else _carried(np.linalg.inv(world), state.places), pace)

    def stepped(self, state: ClothState, until: int) -> ClothState:
        """Some sub-steps on, at most until one of them and no further than the air is as it is: one where something
        may be met."""
        block = self._read(state.step)
        at = state.step - block.first
        count = 1 if block.colliders is not None else min(until - state.step, self.per_air - at % self.per_air)
        places, speeds, fabric, room = state.places.copy(), state.speeds.copy(), self.fabric, self._room
        firm, targets = block.pinned(self.pins, at, count)
        bends = fabric.bends
        step_on(
            count, self.seconds, places, speeds, room.to, room.inverse, block.numbers[at : at + count], at % PER_PUSH,
            bool(block.fields), block.air(places, at), fabric.triangles, fabric.shares, fabric.edges, fabric.lengths,
            fabric.springs, room.edge_give, room.edge_pull, bends.starts, bends.points, bends.weights, bends.areas,
            bends.curves, room.bend_give, bool(bends.curves.any()), room.normals, self.tethers.points,
            self.tethers.ends, self.tethers.lengths, self.pins.points, firm, targets, room.pin_give, room.pin_pull,
            SWEEPS,
        )  # fmt: skip
        if block.colliders is not None:
            n = len(places)
            block.colliders.meet(
                at, self.seconds, block.law(at), state.places, places, speeds, np.full(n, -1), np.zeros((n, 3)),
                room.inverse <= 0.0,
            )  # fmt: skip
        return ClothState(state.step + count, places, speeds)

    @cached_property
    def _room(self) -> _Room:
        n, e, b, k = (
            len(self.fabric.points),
            len(self.fabric.edges),
            len(self.fabric.bends.areas),
            len(self.pins.points),
        )
        return _Room(
            np.empty((n, 3)), np.empty(n), np.empty(e), np.empty(e), np.empty(b), np.empty((n, 3)), np.empty(k),
            np.empty((k, 3)),
        )  # fmt: skip

    def _worlds(self, clock: Clock) -> NDArray[np.float64]:
        """(moments, 4, 4) from the object's space to the scene's."""
        return np.asarray(world_of(self.scene, self.node, clock, self.scope))

    def _world_at(self, frame: float) -> NDArray[np.float64]:
        return self._worlds(self.clock(np.array([float(frame)])))

    def _read(self, step: int) -> _Reading:
        """The block that a sub-step lies in."""
        first = step - (step - self._origin) % self.block_steps
        if self._block is None or self._block.first != first:
            self._block = _Reading(self, first)
        return self._block


@dataclass(frozen=True, eq=False)
class _Room:
    """Arrays that a run writes over in each sub-step."""

    to: Points
    inverse: Samples
    edge_give: Samples
    edge_pull: Samples
    bend_give: Samples
    normals: Points
    pin_give: Samples
    pin_pull: Points


class _Reading:
    """What a run reads of the scene over some frames."""

    def __init__(self, run: ClothRun, first: int) -> None:
        self.first, self._per_air, self._substeps = first, run.per_air, run.substeps
        scene, cloth = run.scene, run.cloth
        begin, span = scene.first + (first + run.begins) // run.substeps, run.block_steps // run.substeps
        # what is read of it once is read so for all who ask in this block
        scope = replace(run.scope, run=Run())
        clock = Clock.over(scene.fps, scene.first, begin + span, start=begin, per_frame=run.substeps)
        read = {name: run.number(name, clock) for name in NUMBERS}
        calm = np.exp(-np.maximum(read["calm"], 0.0) * run.seconds)
        fall = -GRAVITY * read["gravity"]
        rows = (read["weight"], read["stretch"], read["bend"] * 1e-3, read["across"], read["along"], fall, calm)
        self.numbers = np.ascontiguousarray(np.stack(rows, axis=1))
        self._pins_read = run.pins.over(clock)
        nodes = [scene.by_id[slug] for slug in cloth.colliders if scene.by_id[slug].shape is not None]
        self.colliders = Colliders(scene, nodes, clock, scope, every=run.per_air) if nodes else None
        self._law = read
        blown = Clock.over(scene.fps, scene.first, begin + span, start=begin, per_frame=ASKS)
        blowing = [node for node in scene.fields if acts(node)] if cloth.wind == "air" else []
        self.fields = [(type(node.field).blow, field_rows(node, blown, scope)) for node in blowing if node.field]
        self._air: tuple[int, Points] | None = None
        self._held: tuple[int, NDArray[np.float64], NDArray[np.float64]] | None = None

    def pinned(self, pins: Pins, at: int, count: int) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """How firmly and where points are held by the ends of some sub-steps, between two askings of the air.

        Returns
        -------
        (count, k) array, (count, k, 3) array
            0 to 1; metres.
        """
        first = at - at % self._per_air
        if self._held is None or self._held[0] != first:
            self._held = (first, *pins.targets(self._pins_read, first + 1, first + 1 + self._per_air))
        rows = slice(at - first, at - first + count)
        return self._held[1][rows], self._held[2][rows]

    def air(self, places: Points, at: int) -> Points:
        """The air at the points, as it was when it was asked for last.

        Parameters
        ----------
        places : (n, 3) array
            Metres.
        at : int
            The sub-step of the block.

        Returns
        -------
        (n, 3) array
            Metres per second.
        """
        moment = at // self._per_air
        if self._air is None or self._air[0] != moment:
            out: PointBlock = np.zeros((1, *places.shape))
            for blow, rows in self.fields:
                blow(places[None], np.ascontiguousarray(rows[moment : moment + 1]), out)
            self._air = (moment, out[0])
        return self._air[1]

    def law(self, at: int) -> Law:
        """What happens where something is met."""
        bounce, friction, thick = (float(self._law[name][at]) for name in ("bounce", "friction", "thickness"))
        stays = (1.0 - min(max(friction, 0.0), 1.0)) ** (1.0 / self._substeps)
        return Law(BOUNCE, min(max(bounce, 0.0), 1.0), 1.0 - stays, max(thick, 0.0))


NUMBERS = (
    "weight", "stretch", "bend", "calm", "across", "along", "gravity", "thickness", "bounce", "friction",
)  # fmt: skip
"""What of cloth is read for each sub-step."""


def _carried(matrix: NDArray[np.float64], points: Points) -> Points:
    """(n, 3) points in another space, none beyond the scene."""
    with np.errstate(all="ignore"):
        moved = np.einsum("ij,nj->ni", matrix[:3, :3], points) + matrix[:3, 3]
    inside: Points = np.clip(np.nan_to_num(moved, nan=0.0, posinf=FARTHEST, neginf=-FARTHEST), -FARTHEST, FARTHEST)
    return inside
