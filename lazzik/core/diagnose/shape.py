"""Why a deformer does not show, or shows badly."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np

from lazzik.core.channel.channel import Channel
from lazzik.core.deformers.base import Deformer, span_of
from lazzik.core.diagnose.air import why_in_air
from lazzik.core.diagnose.reason import STILL, UNSEEN, Reason, idle, largest, reason, set_to, unseen
from lazzik.core.evaluate.mesh_density import coarse
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.shapes import acting, shapes_below
from lazzik.core.evaluate.surface import surface_of
from lazzik.core.scene.node import Node
from lazzik.core.scene.rest_pose import extent
from lazzik.core.scene.scene import Scene

LOOKS = 9
"""Moments of the range at which it is asked whether anything is bent."""


def why_shape(scene: Scene, node: Node, chosen: str, scope: Scope) -> list[Reason]:
    """The reasons for one deformer of an object, or for all that it has; none if they show."""
    if not node.deform:
        bend = {"do": "add-deformer", "node": node.id, "kind": "bend"}
        return [reason("no-deformers", bend, name=node.label), *unseen(scene, node)]
    scope = scope.at(node.id)
    reasons: list[Reason] = []
    below = list(shapes_below(scene, node))
    if not below:
        reasons.append(reason("nothing-shaped", name=node.label))
    for deformer in node.deform:
        if not chosen or deformer.id == chosen:
            reasons += _of_deformer(scene, node, deformer, below, scope)
    return [*reasons, *unseen(scene, node)]


def _of_deformer(scene: Scene, node: Node, deformer: Deformer, below: list[Node], scope: Scope) -> Iterator[Reason]:
    name, here = deformer.label, f"{node.id}/deform.{deformer.id}"

    def change(**fields: Any) -> dict[str, Any]:
        return {"do": "change-deformer", "node": node.id, "deformer": deformer.id} | fields

    if deformer.muted:
        if node.targets is not None and deformer.id in node.targets.switched_off:
            yield reason("shape-baked", {"do": "take-back-shape", "node": node.id}, name=name)
        else:
            yield reason("muted", change(muted=False), name=name)
        return
    if largest(deformer.weight, scene, scope) < STILL:
        mend = [] if isinstance(deformer.weight, Channel) else [set_to(f"{here}.weight", 1.0)]
        yield reason("weightless", *mend, name=name)
        return
    if deformer.in_air:
        yield from why_in_air(scene, node, "", name, scope)
    doing_nothing = list(_idle(scene, node, deformer, here, scope))
    yield from doing_nothing
    acts = [_acts(scene, shape, deformer, scope) for shape in below]
    if acts and not any(counted for counted, _, _ in acts):
        if deformer.mask is not None:
            yield reason("masked", change(mask=None), name=name)
        else:
            yield reason("out-of-reach", *_whole(scene, node, deformer), name=name, object=node.label)
    elif acts and not doing_nothing:
        moved, size = max(m for _, m, _ in acts), max(s for _, _, s in acts)
        if moved < UNSEEN / 4 * size:
            yield reason("points-still", name=name, moved=moved)
    for shape in below:
        for report in coarse(scene, shape, scope):
            if report.deformer == deformer.id:
                found: dict[str, str | float] = {"segments": report.segments, "wanted": report.wanted}
                yield reason("coarse", *report.edits, name=name, object=shape.label, **found)


def _acts(scene: Scene, node: Node, deformer: Deformer, scope: Scope) -> tuple[bool, float, float]:
    """Whether a deformer counts anywhere on a shape, the largest way a point goes by it, and the shape's size."""
    clock = scene.clock()
    clock = clock.at(np.unique(np.linspace(0, len(clock.frames) - 1, LOOKS).round()) + scene.first)
    place = next(i for i, (_, item) in enumerate(acting(scene, node)) if item.id == deformer.id)
    motion = surface_of(scene, node, clock, scope)
    counted, moved = False, 0.0
    for index in range(len(clock.frames)):
        before, after = motion.points_until(place, index), motion.points_until(place + 1, index)
        counted = counted or bool(np.any(motion.counts(place, index)))
        moved = max(moved, float(np.linalg.norm(after - before, axis=1).max(initial=0.0)))
    return counted, moved, float(np.ptp(motion.rest.points, axis=0).max(initial=0.0))


def _idle(scene: Scene, node: Node, deformer: Deformer, here: str, scope: Scope) -> Iterator[Reason]:
    suited = type(deformer).suited(extent(scene, node))
    for name, value in type(deformer).idle_at.items():
        number = getattr(deformer, name)
        if largest(number, scene, scope, value) >= STILL:
            continue
        better = suited.get(name, type(deformer).model_fields[name].default)
        mend = [] if isinstance(number, Channel) else [set_to(f"{here}.{name}", better)]
        yield idle(deformer.label, name, value, better, mend)


def _whole(scene: Scene, node: Node, deformer: Deformer) -> list[dict[str, Any]]:
    """Let a deformer sit on its own object and span all of it."""
    span = span_of(extent(scene, node), deformer.axis)
    here = f"{node.id}/deform.{deformer.id}"
    places = [(f"placement.{axis}", 0.0) for axis in ("x", "y", "z")]
    numbers = [("start", span["start"]), ("end", span["end"]), *places]
    home = {"do": "change-deformer", "node": node.id, "deformer": deformer.id, "of": None}
    return [home, *(set_to(f"{here}.{name}", value) for name, value in numbers)]
