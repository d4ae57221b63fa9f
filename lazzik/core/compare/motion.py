"""Two states of a scene in motion, in step: which numbers move otherwise, and by how much.

With both at one moment t = f/r (f the frame, r the frames a second), d(t) = b(t) − a(t). Nothing is worked out of what
is equal in both: an object that is the same, and that reads nothing that differs, moves the same.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lazzik.core.channel.channel import Channel
from lazzik.core.clock import Clock
from lazzik.core.errors import LazzikError, UnknownAddress
from lazzik.core.evaluate.evaluator import value_at
from lazzik.core.evaluate.scope import Scope
from lazzik.core.scene.address import Address, exists, find, find_at
from lazzik.core.scene.node import channels_of
from lazzik.core.scene.references import affected, reads_at, same_read
from lazzik.core.scene.scene import Scene
from lazzik.core.types import Samples

MOST_LOOKED_AT = 400
"""Numbers of which it is worked out how far they are apart."""

MOMENTS = 48
"""Of the range at which they are looked at for that."""


@dataclass(frozen=True, eq=False)
class Apart:
    """A number in two states over one clock. All arrays (frames,), in its unit."""

    before: Samples | None
    """None where the first state has no such number."""
    after: Samples | None

    @property
    def difference(self) -> Samples | None:
        """How far the second lies above the first; None where one of them is not there.

        Returns
        -------
        (frames,) array or None
            In the number's unit.
        """
        return None if self.before is None or self.after is None else self.after - self.before


def in_step(scene: Scene, clock: Clock) -> Clock:
    """A state's own clock at the moments of another's: the same frame if both have one rate, else the same second."""
    if (scene.fps, scene.first) == (clock.fps, clock.first):
        return clock
    return Clock(scene.fps, scene.first, clock.frames * (scene.fps / clock.fps))


def apart(before: Scope, after: Scope, address: str, clock: Clock) -> Apart:
    """A number in two states, over a clock of the second one. Raises UnknownAddress if neither has it."""
    found = Apart(_values(before, address, clock), _values(after, address, clock))
    if found.before is None and found.after is None:
        raise UnknownAddress(f"There is nothing at '{address[:120]}' in either of them", address[:120])
    return found


def _values(scope: Scope, address: str, clock: Clock) -> Samples | None:
    """(frames,) a number of a state at the moments of a clock; None if there is no such number."""
    scene = _scene(scope)
    if not exists(scene, address):
        return None
    place = find(scene, Address.parse(address).channel)
    values = value_at(place, in_step(scene, clock), scope)
    return np.broadcast_to(np.asarray(values, dtype=float), clock.frames.shape)


def _scene(scope: Scope) -> Scene:
    assert scope.scene is not None  # states are compared, never lone numbers
    return scope.scene


def moving_apart(before: Scene, after: Scene) -> list[str]:
    """Addresses of the numbers of objects and dials that may move otherwise, in the order of the document: those that
    are not the same in both, and those that read what is not. The scenes share what is the same in both."""
    one_clock = (before.fps, before.first) == (after.fps, after.first)
    found: list[str] = []
    for node in affected(before, after) if one_clock else after.nodes:
        was = before.by_id.get(node.id)
        numbers = {path: number for path, number, _ in channels_of(was)} if was is not None else {}
        for path, number, _ in channels_of(node):
            address, other = f"{node.id}/{path}", numbers.get(path)
            moves = isinstance(number, Channel) and number.moves
            if other != number or (moves and (not one_clock or not same_read(before, after, reads_at(after, address)))):
                found.append(address)
    was_dial = {dial.id: dial.value for dial in before.dials}
    return found + [f"dials/{dial.id}" for dial in after.dials if was_dial.get(dial.id) != dial.value]


def farthest_apart(before: Scope, after: Scope) -> list[tuple[str, float]]:
    """Numbers that move otherwise, each with how much: 1 is well seen. Those that differ themselves come first, then
    those that only read what is; of each the one that is farthest apart. Those that come to the same are left out."""
    scene = _scene(after)
    clock = scene.clock().at(np.linspace(scene.first, scene.last, MOMENTS))
    rows = [
        (address, size)
        for address in moving_apart(_scene(before), scene)[:MOST_LOOKED_AT]
        if (size := _size(before, after, address, clock)) > 0
    ]
    return sorted(rows, key=lambda row: (_is_same(_scene(before), scene, row[0]), -row[1]))


def _is_same(before: Scene, after: Scene, address: str) -> bool:
    """Whether a number is the same in both."""
    if not exists(before, address):
        return False
    place = Address.parse(address)
    return find(before, place).number == find(after, place).number


def _size(before: Scope, after: Scope, address: str, clock: Clock) -> float:
    """How far a number is apart, as a part of what is well seen of it; for one that is new, how far it reaches; nothing
    for one that can't be worked out."""
    try:
        found = apart(before, after, address, clock)
    except LazzikError:
        return 0.0
    values = found.difference if found.difference is not None else found.after
    assert values is not None  # it is one of the second state's
    return float(np.max(np.abs(values))) / max(find_at(_scene(after), address).reach, 1e-9)
