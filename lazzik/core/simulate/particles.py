"""A run of particles: the state at one sub-step after the other, and what of it is kept for each frame.

A frame is cut into SUBSTEPS equal parts. The run begins as long before the first frame as the emitter has been under
way then; its state at a moment depends on the document alone, not on the range or on where one began to ask: what is
read of the scene is read in blocks that begin with the run. Particle k begins when the integral of the rate reaches
k + 1; all else about it are hashes of its number.

In a loop everything is read at the moment wrapped into it, and the particles of each round have the same numbers; the
run begins so many rounds before the first frame that no life goes back beyond them.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from lazzik.core.errors import InvalidEdit
from lazzik.core.evaluate.airflow import field_rows
from lazzik.core.evaluate.scope import Scope
from lazzik.core.scene.edits.emitters import emitter_of
from lazzik.core.scene.emitter import Emitter
from lazzik.core.scene.references import acts
from lazzik.core.scene.scene import Scene
from lazzik.core.simulate.beginnings import Begins
from lazzik.core.simulate.chance import LIFE, PUSH, Ids, cone, varied
from lazzik.core.simulate.colliders import BOUNCE, END, STICK, Colliders, Ints, Law
from lazzik.core.simulate.motion import GRAVITY, advance
from lazzik.core.simulate.stepped import SteppedRun
from lazzik.core.types import PointBlock, Points, Samples

SUBSTEPS = 2
"""Parts of a frame."""

BLOCK = 32
"""Sub-steps for which the scene is read at once."""

MOST_ALIVE = 200_000
"""Particles that live at once; one that would come beyond that does not."""

MOST_BORN = 50_000_000
"""Particles that come in all; then no more do."""


@dataclass(frozen=True, eq=False)
class RunState:
    """All that tells how a run goes on, in double precision."""

    step: int
    """Sub-steps since the run began."""
    due: float
    """The integral of the rate since then, or since the round of the loop began."""
    ids: Ids
    """(n,) numbers of the particles that live, in the order in which they came."""
    places: Points
    """(n, 3) metres."""
    speeds: Points
    """(n, 3) metres per second."""
    born: Samples
    """(n,) sub-steps since the run began, with their part."""
    lives: Samples
    """(n,) seconds that each lives."""
    stuck: Ints
    """(n,) which of the colliders each sticks to; −1 for none."""
    spots: Points
    """(n, 3) where in its space."""

    def only(self, stay: NDArray[np.bool_]) -> RunState:
        """Some of the particles.

        Parameters
        ----------
        stay : (n,) array
            Which.
        """
        return RunState(
            self.step, self.due, self.ids[stay], self.places[stay], self.speeds[stay], self.born[stay],
            self.lives[stay], self.stuck[stay], self.spots[stay],
        )  # fmt: skip


@dataclass(frozen=True, eq=False)
class Moment:
    """The particles of a frame, or of a moment between two."""

    frame: float
    """Of the run."""
    ids: Ids
    """(n,) their numbers."""
    places: Points
    """(n, 3) metres."""
    speeds: Points
    """(n, 3) metres per second."""
    ages: Samples
    """(n,) seconds."""
    lives: Samples
    """(n,) seconds that each lives."""

    def __len__(self) -> int:
        return len(self.ids)

    @property
    def pace(self) -> float:
        """Metres a second that half of the particles are slower than; 0 where there are none."""
        return float(np.median(np.linalg.norm(self.speeds, axis=1))) if len(self) else 0.0

    def rounded(self) -> Moment:
        """The same in single precision, as it is kept."""
        rows = (self.places, self.speeds, self.ages, self.lives)
        return Moment(self.frame, self.ids, *(row.astype(np.float32).astype(np.float64) for row in rows))

    def only(self, some: NDArray[np.bool_] | NDArray[np.intp]) -> Moment:
        """Some of the particles.

        Parameters
        ----------
        some : (n,) array
            Which: whether each is one, or where they stand.
        """
        return Moment(
            self.frame, self.ids[some], self.places[some], self.speeds[some], self.ages[some], self.lives[some]
        )


class Particles(SteppedRun[RunState, Moment]):
    """The particles of one emitter."""

    def __init__(self, scene: Scene, slug: str, every: int = 1, block: int = BLOCK) -> None:
        """Of every how many one is worked out: none heeds the others, so each goes as it does among all; and for how
        many sub-steps the scene is read at once. Raises UnknownAddress, and InvalidEdit if it sends out nothing or
        can't be looped."""
        self.every, self.block_steps, self._origin = every, block, 0
        self.node, self.emitter = emitter_of(scene, slug)
        self.carried, self.substeps = self.emitter, SUBSTEPS
        self.scene = scene
        self.scope = Scope(scene, None, []).at(slug)  # nothing that was kept of another clock, to the last bit
        self.seconds = 1.0 / (scene.fps * SUBSTEPS)
        first = self.clock(np.array([float(scene.first)]))
        self.seed = int(self.number("seed", first)[0])
        self.loop_steps = self._loop_steps(scene, self.emitter)
        ahead = float(self.number("ahead", first)[0])
        if self.loop_steps:
            longest = float(self.number("life", first)[0]) * (1.0 + float(self.number("life_varies", first)[0]))
            ahead = max(ahead, longest)
            self.begins = -self.loop_steps * int(np.ceil(ahead / (self.loop_steps * self.seconds)))
        else:
            self.begins = -int(np.ceil(ahead / self.seconds))
        self.over_life = np.array(self.emitter.answer_over_life)
        self._block: _Block | None = None

    def _loop_steps(self, scene: Scene, emitter: Emitter) -> int:
        if emitter.loop is None:
            return 0
        steps = emitter.loop * SUBSTEPS
        if steps != round(steps):
            raise InvalidEdit(
                f"{self.node.label} can't repeat after {emitter.loop:g} frames: whole or half ones can be looped",
                "loop",
            )
        return round(steps)

    def start(self) -> RunState:
        """Before anything has come."""
        none = np.empty(0, dtype=np.int64)
        nowhere = np.empty((0, 3))
        return RunState(0, 0.0, none, nowhere, nowhere, np.empty(0), np.empty(0), none, nowhere)

    def resumed(self, frame: float, longest: float) -> RunState:
        """A state without particles from which the run goes on to a frame, so that all that live there have come by
        then: `longest` seconds before it, or where the run begins."""
        begun = (frame - self.scene.first) * SUBSTEPS - self.begins
        step = max(0, int(begun - np.ceil(longest / self.seconds)))
        self._origin = step  # blocks are read from here on
        first = step - step % self.loop_steps if self.loop_steps else 0
        due = 0.0
        if self.emitter.comes == "steadily" and step > first:
            clock = self.clock(self._frames(np.arange(first, step + 1, dtype=float)))
            births = _births(self, clock.frames, {name: self.number(name, clock) for name in COMING})
            due = float(np.cumsum(births)[-1])
        return replace(self.start(), step=step, due=due)

    def over_range(self, name: str) -> Samples:
        """One of the emitter's numbers over the scene's range.

        Returns
        -------
        (frames,) array
            In the number's unit.
        """
        return self.number(name, self.scene.clock())

    def longest(self) -> float:
        """Seconds that one lives at most, over the scene's range."""
        lives = self.over_range("life") * (1.0 + np.clip(self.over_range("life_varies"), 0.0, 1.0))
        return float(np.max(np.maximum(lives, 0.0)))

    def moment(self, frame: int, state: RunState) -> Moment:
        """What is kept of a state."""
        ages = (state.step - state.born) * self.seconds
        return Moment(frame, state.ids, state.places, state.speeds, ages, state.lives)

    def stepped(self, state: RunState, until: int) -> RunState:
        """One sub-step on."""
        block = self._read(state.step)
        at = state.step - block.first
        state = self._with_births(state, block.births_from(self, state, at))
        to, speeds = np.empty_like(state.places), np.empty_like(state.speeds)
        ended = np.empty(len(to), dtype=np.bool_)
        answer = float(block.answers[at]) if self.emitter.wind == "air" else np.inf
        advance(
            state.places, state.speeds, self._blown(state.places, block, at), state.born, state.lives,
            float(state.step), self.seconds, answer, self.over_life, -GRAVITY * float(block.gravity[at]), to, speeds,
            ended,
        )  # fmt: skip
        stuck, spots = state.stuck, state.spots
        if block.colliders is not None and len(to):
            stuck, spots = stuck.copy(), spots.copy()
            block.colliders.meet(at, self.seconds, block.law(at), state.places, to, speeds, stuck, spots, ended)
            block.colliders.carried(at + 1, stuck, spots, to)
        state = replace(state, step=state.step + 1, places=to, speeds=speeds, stuck=stuck, spots=spots)
        return state.only(~ended) if ended.any() else state

    def _blown(self, places: Points, block: _Block, at: int) -> Points:
        """(n, 3) the air at each."""
        out: PointBlock = np.zeros((1, *places.shape))
        for blow, rows in block.fields:
            blow(places[None], np.ascontiguousarray(rows[at : at + 1]), out)
        return np.asarray(out[0])

    def _with_births(self, state: RunState, births: _Births) -> RunState:
        """With those that begin in this sub-step, as far as there is room for them."""
        k = state.step - births.first
        state = replace(state, due=births.due[k])
        room = max(0, (MOST_ALIVE - len(state.ids) * self.every) // self.every)
        new = slice(births.starts[k], min(births.starts[k + 1], births.starts[k] + room))
        count = new.stop - new.start
        if not count:
            return state
        return replace(
            state,
            ids=np.concatenate([state.ids, births.ids[new]]),
            places=np.concatenate([state.places, births.places[new]]),
            speeds=np.concatenate([state.speeds, births.speeds[new]]),
            born=np.concatenate([state.born, births.born[new]]),
            lives=np.concatenate([state.lives, births.lives[new]]),
            stuck=np.concatenate([state.stuck, np.full(count, -1)]),
            spots=np.concatenate([state.spots, np.zeros((count, 3))]),
        )

    def _frames(self, steps: Samples) -> Samples:
        """(n,) frames of the scene at sub-steps of the run, wrapped into the loop."""
        since = steps + self.begins
        if self.loop_steps:
            since = np.mod(since, self.loop_steps)
        return np.asarray(self.scene.first + since / SUBSTEPS)

    def _read(self, step: int) -> _Block:
        """The block that a sub-step lies in."""
        first = step - (step - self._origin) % self.block_steps
        if self._block is None or self._block.first != first:
            self._block = _Block(self, first)
        return self._block


@dataclass(frozen=True, eq=False)
class _Births:
    """Those that begin in some sub-steps which follow each other."""

    first: int
    """The sub-step with which it begins."""
    due: list[float]
    """Of each sub-step, the integral of the rate by its end."""
    starts: list[int]
    """Of each, where its particles begin in the rows; and the end."""
    ids: Ids
    places: Points
    speeds: Points
    born: Samples
    lives: Samples


class _Block:
    """What a run reads of the scene over a stretch of sub-steps."""

    def __init__(self, run: Particles, first: int) -> None:
        self.first, self.steps = first, run.block_steps
        frames = run._frames(np.arange(first, first + self.steps + 1, dtype=float))
        # the moment after the last of a round is the loop's end, not its beginning
        if run.loop_steps:
            ends = (np.arange(first, first + self.steps + 1) + run.begins) % run.loop_steps == 0
            ends[0] = False
            frames = np.where(ends, run.scene.first + run.loop_steps / SUBSTEPS, frames)
        clock = run.clock(frames)
        scene, scope, emitter = run.scene, run.scope, run.emitter
        number = {name: run.number(name, clock) for name in NUMBERS}
        self.push, self.push_varies = number["push"], np.clip(number["push_varies"], 0.0, 1.0)
        self.life, self.life_varies = np.maximum(number["life"], 0.0), np.clip(number["life_varies"], 0.0, 1.0)
        self.spread, self.inherits = np.clip(number["spread"], 0.0, 180.0), number["inherits"]
        self.answers, self.gravity = np.maximum(number["answers"], 0.0), number["gravity"]
        self._law = number
        self._meets = {"bounce": BOUNCE, "stick": STICK, "end": END}[emitter.meets]
        self.rate = _births(run, frames, number) if emitter.comes == "steadily" else np.zeros(self.steps)
        self.at_once = _at_once(frames, number) if emitter.comes == "at once" else np.zeros(self.steps, dtype=np.int64)
        self._births: _Births | None = None
        self.begins = Begins(scene, run.node, emitter, clock, scope)
        nodes = [scene.by_id[slug] for slug in emitter.colliders if scene.by_id[slug].shape is not None]
        self.colliders = Colliders(scene, nodes, clock, scope) if nodes else None
        blowing = [node for node in scene.fields if acts(node)] if emitter.wind == "air" else []
        self.fields = [(type(node.field).blow, field_rows(node, clock, scope)) for node in blowing if node.field]

    def births_from(self, run: Particles, state: RunState, at: int) -> _Births:
        """Those that begin in a sub-step, and in those after it, as many at once as may live."""
        held = self._births
        if held is None or not held.first <= state.step < held.first + len(held.due):
            self._births = held = self._born(run, state, at)
        return held

    def _born(self, run: Particles, state: RunState, at: int) -> _Births:
        due, ids, parts, places, starts = state.due, [], [], [], [0]
        dues: list[float] = []
        for k in range(at, self.steps):
            if run.loop_steps and (self.first + k) % run.loop_steps == 0:
                due = 0.0
            before, burst = (0.0, True) if self.at_once[k] else (due, False)
            due = float(self.at_once[k]) if burst else due + float(self.rate[k])
            new = np.arange(int(before), min(int(min(due, MOST_BORN)), int(before) + MOST_ALIVE))
            new = new if run.every == 1 else new[new % run.every == 0]
            if dues and starts[-1] + len(new) > MOST_ALIVE:
                break
            dues.append(due)
            starts.append(starts[-1] + len(new))
            ids.append(new)
            parts.append(
                np.zeros(len(new)) if burst or not len(new) else np.clip((new + 1 - before) / (due - before), 0, 1)
            )
            places.append(np.full(len(new), k))
        return self._set_out(run, state.step, dues, starts, *map(np.concatenate, (ids, parts, places)))

    def _set_out(
        self, run: Particles, first: int, due: list[float], starts: list[int], ids: Ids, part: Samples, at: Ids
    ) -> _Births:
        """How some particles set out, `part` of the sub-step `at` after its beginning, at the place that their emitter
        has by then."""
        begun = self.begins.of(ids, run.seed, at)
        way = begun.after - begun.places
        pushed = self.push[at] * varied(ids, run.seed, PUSH, self.push_varies[at])
        speeds = cone(ids, run.seed, begun.ways, self.spread[at]) * pushed[:, None]
        speeds += self.inherits[at][:, None] * way / run.seconds
        lives = self.life[at] * varied(ids, run.seed, LIFE, self.life_varies[at])
        return _Births(
            first, due, starts, ids, begun.places + part[:, None] * way, speeds, self.first + at + part, lives
        )

    def law(self, at: int) -> Law:
        """What happens where something is met."""
        bounce, friction, thick = (float(self._law[name][at]) for name in ("bounce", "friction", "thickness"))
        return Law(self._meets, min(max(bounce, 0.0), 1.0), min(max(friction, 0.0), 1.0), max(thick, 0.0))


def _births(run: Particles, frames: Samples, number: dict[str, Samples]) -> Samples:
    """(moments − 1,) how many come over each sub-step."""
    start, lasts, since = number["start"][:-1], number["lasts"][:-1], frames[:-1]
    begun = since >= start if number["ahead"][0] <= 0 else np.ones(len(since), dtype=bool)
    over = (lasts > 0) & (since >= start + lasts)
    rate = np.maximum(number["rate"], 0.0)
    return np.where(begun & ~over, 0.5 * (rate[:-1] + rate[1:]) * run.seconds, 0.0)


def _at_once(frames: Samples, number: dict[str, Samples]) -> Ints:
    """(moments − 1,) how many come at once in each sub-step."""
    start, since = number["start"][:-1], frames[:-1]
    now = (since >= start) & (since - 1.0 / SUBSTEPS < start)
    return np.where(now, np.maximum(number["amount"][:-1], 0.0), 0.0).astype(np.int64)


COMING = ("rate", "start", "lasts", "ahead")
"""What of an emitter tells how many come over time."""

NUMBERS = (
    "life", "life_varies", "push", "push_varies", "spread", "inherits", "answers", "gravity", "bounce", "friction",
    "thickness", "rate", "amount", "start", "lasts", "ahead",
)  # fmt: skip
"""What of an emitter is read for each sub-step."""
