"""Baking: from motion to keys, one channel at a time, and the edit that places the outcome."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field

import numpy as np

from lazzik.core.channel.channel import Channel
from lazzik.core.channel.keys import Go, Key, curve_through
from lazzik.core.clock import Clock
from lazzik.core.errors import InvalidEdit
from lazzik.core.evaluate.memo import Memo
from lazzik.core.evaluate.values import evaluate
from lazzik.core.fitting.fitting import extremes_of, fit, jumps_of, worst_error
from lazzik.core.fitting.minimax import PER_FRAME
from lazzik.core.progress import UNHEARD, Progress
from lazzik.core.scene.address import Address, find_at, title
from lazzik.core.scene.edits.bakes import BakedChannel, PlaceBake
from lazzik.core.scene.node import channels_of
from lazzik.core.scene.receipt import Method
from lazzik.core.scene.scene import MOST_FRAMES, Scene
from lazzik.core.types import Samples

FINER = 4
"""Moments between two checked sub-frames at which a bake is looked at once more."""

TOLERANCES: dict[str, float] = {"m": 0.002, "°": 0.1, "×": 0.002, "": 0.005}
"""What a fitted bake allows by default, by unit: small enough that nobody sees it at arm's length."""


@dataclass(frozen=True)
class BakePlan:
    """How to bake: over which frames, with a key on each frame, on every n-th, or as few as a tolerance allows."""

    first: int
    last: int
    method: Method = "fitted"
    every: int = 2
    tolerances: dict[str, float] = field(default_factory=lambda: dict(TOLERANCES))
    extremes: bool = False
    """Whether the highest and lowest places get keys of their own, if they stand out by more than the tolerance."""
    steps: bool = True
    """Whether jumps between sampled frames stay jumps. A fitted bake always keeps them."""
    thorough: bool = False
    """Whether a fitted bake looks longer for keys that can be spared."""

    def __post_init__(self) -> None:
        if self.last <= self.first:
            raise InvalidEdit(f"The bake must end after it begins, but runs from {self.first} to {self.last}", "range")
        if self.last - self.first > MOST_FRAMES:
            raise InvalidEdit(f"A bake may span at most {MOST_FRAMES} frames", "range")
        if self.method == "every" and not 1 <= self.every <= self.last - self.first:
            raise InvalidEdit(f"A key on every {self.every}th frame does not fit the range", "every")
        for unit, tolerance in self.tolerances.items():
            if not 1e-9 <= tolerance <= 1e9:
                raise InvalidEdit(f"The tolerance must lie above zero; {tolerance:g} {unit} was given", "tolerance")

    def tolerance(self, unit: str) -> float:
        """The tolerance for a unit; units without one of their own use the plain one."""
        return self.tolerances.get(unit, self.tolerances.get("", TOLERANCES[""]))


def bakeable(scene: Scene) -> list[str]:
    """Addresses of all objects' numbers that layers move, in the order of the document."""
    return [
        f"{node.id}/{path}"
        for node in scene.nodes
        for path, number, _ in channels_of(node)
        if isinstance(number, Channel) and number.sounding
    ]


def bake(
    scene: Scene, addresses: list[str], plan: BakePlan, memo: Memo | None = None, progress: Progress = UNHEARD
) -> PlaceBake:
    """The edit that bakes these channels. Raises UnknownAddress, InvalidEdit, and Stopped."""
    if not addresses:
        raise InvalidEdit("Nothing is chosen to bake: no channel has a layer that sounds", "channels")
    watched = progress.over(addresses, lambda address: title(scene, Address.parse(address)))
    return PlaceBake(
        first=plan.first,
        last=plan.last,
        method=plan.method,
        every=plan.every if plan.method == "every" else None,
        tolerances=plan.tolerances if plan.method == "fitted" else {},
        extremes=plan.extremes,
        steps=plan.steps,
        thorough=plan.thorough,
        channels=tuple(bake_channel(scene, address, plan, memo) for address in watched),
    )


def bake_channel(scene: Scene, address: str, plan: BakePlan, memo: Memo | None = None) -> BakedChannel:
    """Bake one channel; the worst error is measured on the keys that come out, also between the checked sub-frames."""
    unit = find_at(scene, address).quantity.unit
    fine = evaluate(scene, [address], finer_clock(scene, plan.first, plan.last), memo)[address]
    keys, worst, between = measured(fine, plan, unit, scene.fps)
    return BakedChannel(address=address, keys=keys, worst=worst, between=between)


def finer_clock(scene: Scene, first: int, last: int) -> Clock:
    """FINER moments for each sub-frame that a bake is checked at."""
    return Clock.over(scene.fps, scene.first, last, start=first, per_frame=FINER * PER_FRAME)


def measured(fine: Samples, plan: BakePlan, unit: str, fps: float) -> tuple[tuple[Key, ...], float, float]:
    """The keys that a plan makes of a motion on the finer clock, their worst error at the checked sub-frames, and the
    largest between those where that is larger, otherwise 0.

    Parameters
    ----------
    fine : (n,) array
        The motion on the finer clock, in the number's unit.

    Returns
    -------
    keys : tuple of Key, worst : float, between : float
        Errors in the number's unit.
    """
    y = fine[::FINER].copy()
    keys = keys_for(y, plan, unit, fps)
    worst = worst_error(keys, y, plan.first, fps)
    between = _between(keys, y, fine, plan, unit, fps)
    return keys, worst, between if between > worst else 0.0


def _between(keys: tuple[Key, ...], y: Samples, fine: Samples, plan: BakePlan, unit: str, fps: float) -> float:
    """The largest error between the checked sub-frames, but for where the motion jumps from one to the next."""
    frames = plan.first + np.arange(len(fine)) / (FINER * PER_FRAME)
    off = np.abs(curve_through(keys, fps).at(frames, fps) - fine)
    for jump in jumps_of(y, plan.tolerance(unit)):
        off[jump * FINER : (jump + 1) * FINER + 1] = 0.0
    return float(off.max())


def keys_for(y: Samples, plan: BakePlan, unit: str, fps: float) -> tuple[Key, ...]:
    """The keys that a plan makes of samples, PER_FRAME to a frame from its first on.

    Parameters
    ----------
    y : (n,) array
        Samples, PER_FRAME to a frame from the plan's first on, in the number's unit.

    Returns
    -------
    tuple of Key
        In the order of their frames.
    """
    if plan.method == "fitted":
        within = plan.tolerance(unit)
        return fit(y, plan.first, fps, within, extremes=plan.extremes, thorough=plan.thorough)
    every = 1 if plan.method == "each" else plan.every
    more = extremes_of(y, plan.tolerance(unit)) if plan.extremes else ()
    return sampled(y, plan.first, every, more, jumps_of(y, plan.tolerance(unit)) if plan.steps else ())


def sampled(
    y: Samples, first: int, every: int, extremes: Iterable[int] = (), jumps: Iterable[int] = ()
) -> tuple[Key, ...]:
    """Keys on every n-th frame, the last, and some places more, slopes automatic; where the signal is held up to the
    next key, it steps.

    `y` (n,): samples from frame `first`, PER_FRAME to a frame. A jump i lies between samples i and i + 1.

    Parameters
    ----------
    y : (n,) array
        Samples from frame `first`, PER_FRAME to a frame, in the number's unit.
    jumps : iterable of int
        A jump i lies between samples i and i + 1.

    Returns
    -------
    tuple of Key
        In the order of their frames.
    """
    jumps = set(jumps)
    wanted = {*range(0, len(y), every * PER_FRAME), len(y) - 1, *extremes, *(i + 1 for i in jumps)}
    for i in jumps:
        before = max(place for place in wanted if place <= i)
        if np.ptp(y[before : i + 1]) > 0:
            wanted.add(i)
    places = sorted(wanted)
    peaks = set(extremes)
    keys = []
    for place, after in zip(places, [*places[1:], len(y)], strict=True):
        holds = after - place > 1 and np.ptp(y[place:after]) == 0 and after < len(y) and y[after] != y[place]
        go: Go = "step" if holds else "linear" if place in jumps else "cubic"
        level = 0.0 if place in peaks else None
        keys.append(Key(frame=first + place / PER_FRAME, value=float(y[place]), slope_in=level, slope_out=level, go=go))
    return tuple(keys)
