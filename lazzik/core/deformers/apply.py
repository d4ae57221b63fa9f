"""From points to points: one deformer over a block of moments, on its way in, counted, deformed, and out again.

    carry to the owner's space → enter its coordinates → count → deform → leave → carry back

A block is (moments, n, 3), or one moment where the points are the same at all of them. Points that do not count stay
to the bit.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from lazzik.core.deformers.base import TOWARD, Deformer, Moments
from lazzik.core.deformers.fades import FADES, edge_fade
from lazzik.core.deformers.placement import carry, enter, leave
from lazzik.core.geometry.assets import NO_ASSETS, AssetStore
from lazzik.core.geometry.mesh import Mesh, directions_of
from lazzik.core.types import Frames, Matrices, PointBlock, RowBlock, Samples, Shares

Part = tuple[int, int | None]
"""Points from one up to another."""

ALL: Part = (0, None)


@dataclass(frozen=True, eq=False)
class Step:
    """One deformer over a clock, ready to be applied."""

    deformer: Deformer
    numbers: dict[str, float | Samples]
    frames: Frames
    """The deformer's coordinates."""
    plan: dict[str, NDArray[np.float64]]
    there: Matrices | None
    """From the object's space to that of the deformer's owner; None if they are the same."""
    back: Matrices | None
    assets: AssetStore = NO_ASSETS
    """Has what the mask needs, if that is heavy."""
    steady: dict[int, dict[str, Samples]] = field(default_factory=dict)
    """The numbers that do not change, over so many moments; nobody changes these arrays."""
    masked: dict[Part, Shares] = field(default_factory=dict)
    """What the mask gave to some of the points, where that is the same at every moment."""

    @cached_property
    def still(self) -> bool:
        """Whether it does the same at every moment."""
        driven = any(not isinstance(value, float | int) for value in self.numbers.values())
        moved = self.there is not None and len(self.there) > 1
        planned = any(len(values) > 1 and np.any(values != values[0]) for values in self.plan.values())
        return not (driven or moved or planned or len(self.frames) > 1 or "born" in self.plan)

    @property
    def pointwise(self) -> bool:
        """Whether where a point goes depends on no other point."""
        deformer = self.deformer
        outward = deformer.pushes and deformer.toward == "normals"  # type: ignore[attr-defined]
        return deformer.pointwise and not outward and (deformer.mask is None or deformer.mask.pointwise)

    def numbers_over(self, places: slice, count: int) -> dict[str, Samples]:
        """The numbers at some moments, (count,) each.

        Returns
        -------
        dict of (count,) arrays
            By name, each in its own unit.
        """
        if count not in self.steady:
            self.steady[count] = {n: np.full(count, v) for n, v in self.numbers.items() if isinstance(v, float | int)}
        steady = self.steady[count]
        driven = {n: np.ascontiguousarray(v[places]) for n, v in self.numbers.items() if not isinstance(v, float | int)}
        return steady | driven


def apply(
    step: Step, points: PointBlock, rest: PointBlock, moments: Moments, mesh: Mesh, part: Part = ALL
) -> PointBlock:
    """The points that a deformer makes of a block; the block itself if it counts nowhere.

    `rest` are the points at rest, on which masks are read; `mesh` is the object's, for its faces. Of a deformer that is
    pointwise, it may be a part of the points that is asked for.

    Parameters
    ----------
    points : (moments or 1, n, 3) array
        Metres, in the object's space.
    rest : (moments or 1, n, 3) array
        Points at rest, on which masks are read.

    Returns
    -------
    (moments, n, 3) array
        Metres, in the object's space; `points` itself if the deformer counts nowhere.
    """
    own, inside, counts = _counted(step, points, rest, moments, part)
    if not counts.any():
        return points
    deformer, size = step.deformer, len(inside)
    numbers = step.numbers_over(moments.places, size)
    if not deformer.pushes:
        out = _out(step, deformer.shaped(inside, counts, numbers, moments), moments.places)
    else:
        lift = counts * deformer.lifted(inside, numbers, moments)
        toward = deformer.toward  # type: ignore[attr-defined]
        if toward == "normals":
            each = own if len(own) == len(lift) else [own[0]] * len(lift)
            out = np.stack([p + up[:, None] * directions_of(p, mesh) for p, up in zip(each, lift, strict=True)])
        else:
            inside[:, TOWARD[toward]] += lift
            out = _out(step, inside, moments.places)
    if step.back is not None:
        out = _carried(out, step.back, moments.places)
    untouched = counts == 0.0
    if untouched.any():
        out[untouched] = np.broadcast_to(points, out.shape)[untouched]
    return out


def counts_of(step: Step, points: PointBlock, rest: PointBlock, moments: Moments) -> Shares:
    """How much a deformer counts for each point: weight · edge fade · mask.

    Parameters
    ----------
    points : (moments or 1, n, 3) array
        Metres, in the object's space.
    rest : (moments or 1, n, 3) array
        Points at rest, on which masks are read.

    Returns
    -------
    (moments, n) array
        Weight · edge fade · mask.
    """
    _, inside, counts = _counted(step, points, rest, moments)
    if step.deformer.fades_itself and step.deformer.fade != "none":
        numbers = step.numbers_over(moments.places, len(inside))
        counts = counts * _faded(step.deformer, inside, numbers, np.ones(len(inside)))
    return counts


def lift_of(step: Step, points: PointBlock, rest: PointBlock, moments: Moments) -> Shares:
    """Metres, with their sign, by which a deformer that pushes moves each point.

    Parameters
    ----------
    points : (moments or 1, n, 3) array
        Metres, in the object's space.
    rest : (moments or 1, n, 3) array
        Points at rest, on which masks are read.

    Returns
    -------
    (moments, n) array
        Metres, with their sign.
    """
    _, inside, counts = _counted(step, points, rest, moments)
    return counts * step.deformer.lifted(inside, step.numbers_over(moments.places, len(inside)), moments)


def _counted(
    step: Step, points: PointBlock, rest: PointBlock, moments: Moments, part: Part = ALL
) -> tuple[PointBlock, RowBlock, Shares]:
    """The points in the owner's space and in the deformer's coordinates, and how much each counts."""
    size = max(len(points), 1 if step.still else len(moments.frames))
    own = points
    if step.there is not None:
        own = _carried(points if len(points) == size else np.repeat(points, size, axis=0), step.there, moments.places)
    inside = _in(step, own, moments.places, size)
    numbers = step.numbers_over(moments.places, size)
    deformer = step.deformer
    if deformer.fade == "none" or deformer.fades_itself:
        counts = np.repeat(numbers["weight"][:, None], inside.shape[2], axis=1)
    else:
        counts = _faded(deformer, inside, numbers, numbers["weight"])
    if deformer.mask is not None:
        counts = counts * _masked(step, rest, size, moments, part)
    return own, inside, counts


def _faded(deformer: Deformer, inside: RowBlock, numbers: dict[str, Samples], weight: Samples) -> Shares:
    counts = np.empty((len(inside), inside.shape[2]))
    fade, reach = FADES.index(deformer.fade), numbers["fade_length"]
    edge_fade(inside, numbers["start"], numbers["end"], reach, fade, weight, counts)
    return counts


def _masked(step: Step, rest: PointBlock, size: int, moments: Moments, part: Part) -> Shares:
    """(moments or 1, n) what the mask gives, kept where it is the same at every moment."""
    if part in step.masked:
        return step.masked[part]
    mask, places = step.deformer.mask, moments.places
    assert mask is not None
    driven = any(not isinstance(v, float | int) for name, v in step.numbers.items() if name.startswith("mask."))
    moved = (step.there is not None and len(step.there) > 1) or len(step.frames) > 1
    count = size if driven or moved else len(rest)
    own = rest if len(rest) == count else np.repeat(rest, count, axis=0)
    if step.there is not None:
        own = _carried(own, step.there, places)
    numbers = step.numbers_over(places, count)
    at = {name.removeprefix("mask."): v for name, v in numbers.items() if name.startswith("mask.")}
    found = mask.at(_in(step, own, places, count), at, step.deformer.axis, step.assets)
    if count == 1 and not (driven or moved):
        step.masked[part] = found
    return found


def _of(arrays: NDArray[np.float64], places: slice) -> NDArray[np.float64]:
    return np.ascontiguousarray(arrays[places]) if len(arrays) > 1 else arrays


def _carried(points: PointBlock, matrices: Matrices, places: slice) -> PointBlock:
    out = np.empty(points.shape)
    carry(points, _of(matrices, places), out)
    return out


def _in(step: Step, points: PointBlock, places: slice, size: int) -> RowBlock:
    """(size, 3, n) points in the deformer's coordinates, by rows; one moment's stand for all."""
    out = np.empty((size, 3, points.shape[1]))
    enter(points, _of(step.frames, places), out)
    return out


def _out(step: Step, inside: RowBlock, places: slice) -> PointBlock:
    out = np.empty((len(inside), inside.shape[2], 3))
    leave(np.ascontiguousarray(inside), _of(step.frames, places), out)
    return out
