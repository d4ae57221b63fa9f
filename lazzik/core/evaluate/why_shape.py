"""Why a deformer does not show, or shows badly: the reasons in words, each with the edit that mends it."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np

from lazzik.core.channel.channel import Channel
from lazzik.core.deformers.base import Deformer, span_of
from lazzik.core.evaluate.coarse import coarse
from lazzik.core.evaluate.reason import STILL, UNSEEN, Reason, largest, set_to, unseen
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.shapes import acting, shapes_below
from lazzik.core.evaluate.surface import surface_of
from lazzik.core.scene.node import Node
from lazzik.core.scene.rest import extent
from lazzik.core.scene.scene import Scene

LOOKS = 9
"""Moments of the range at which it is asked whether anything is bent."""


def why_shape(scene: Scene, node: Node, chosen: str, scope: Scope) -> list[Reason]:
    """The reasons for one deformer of an object, or for all that it has; none if they show."""
    if not node.deform:
        edit = {"do": "add-deformer", "node": node.id, "kind": "bend"}
        return [Reason(f"{node.label} has no deformers.", "Add a bend", (edit,)), *unseen(scene, node)]
    reasons: list[Reason] = []
    below = list(shapes_below(scene, node))
    if not below:
        reasons.append(Reason(f"Nothing that lies below {node.label} has a shape."))
    for deformer in node.deform:
        if not chosen or deformer.id == chosen:
            reasons += _of_deformer(scene, node, deformer, below, scope)
    return [*reasons, *unseen(scene, node)]


def _of_deformer(scene: Scene, node: Node, deformer: Deformer, below: list[Node], scope: Scope) -> Iterator[Reason]:
    name, here = deformer.label, f"{node.id}/deform.{deformer.id}"

    def change(**fields: Any) -> tuple[dict[str, Any], ...]:
        return ({"do": "change-deformer", "node": node.id, "deformer": deformer.id} | fields,)

    if deformer.muted:
        if node.targets is not None and deformer.id in node.targets.switched_off:
            back = ({"do": "take-back-shape", "node": node.id},)
            yield Reason(f"{name} was switched off when the shape was baked.", "Take the bake back", back)
        else:
            yield Reason(f"{name} is muted.", "Unmute", change(muted=False))
        return
    if largest(deformer.weight, scene, scope) < STILL:
        mend = () if isinstance(deformer.weight, Channel) else ("Set the weight to 1", set_to(f"{here}.weight", 1.0))
        yield Reason(f"The weight of {name} is 0.", *mend)
        return
    idle = list(_idle(scene, node, deformer, here, scope))
    yield from idle
    acts = [_acts(scene, shape, deformer, scope) for shape in below]
    if acts and not any(counted for counted, _, _ in acts):
        if deformer.mask is not None:
            yield Reason(f"The mask of {name} leaves nothing of it.", "Take the mask off", change(mask=None))
        else:
            yield Reason(
                f"The span of {name} does not reach {node.label}.", "Span all of it", _whole(scene, node, deformer)
            )
    elif acts and not idle:
        moved, size = max(m for _, m, _ in acts), max(s for _, _, s in acts)
        if moved < UNSEEN / 4 * size:
            yield Reason(f"{name} moves no point by more than {moved:.2g} m, too little to be seen.")
    for shape in below:
        for report in coarse(scene, shape, scope):
            if report.deformer == deformer.id:
                text = f"The mesh of {shape.label} is too coarse for {name}: about {report.segments:.1f} segments "
                mend = (_counted(report.edits[0]["fields"]), report.edits) if report.edits else ()
                yield Reason(f"{text}where {report.wanted} look smooth.", *mend)


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
        text = f"The {name.replace('_', ' ')} of {deformer.label} is {value:g}."
        fixed = not isinstance(number, Channel)
        yield Reason(text, f"Set it to {better:g}", set_to(f"{here}.{name}", better)) if fixed else Reason(text)


def _whole(scene: Scene, node: Node, deformer: Deformer) -> tuple[dict[str, Any], ...]:
    """Let a deformer sit on its own object and span all of it."""
    span = span_of(extent(scene, node), deformer.axis)
    here = f"{node.id}/deform.{deformer.id}"
    places = [(f"placement.{axis}", 0.0) for axis in ("x", "y", "z")]
    numbers = [("start", span["start"]), ("end", span["end"]), *places]
    home = {"do": "change-deformer", "node": node.id, "deformer": deformer.id, "of": None}
    return (home, *(edit for name, value in numbers for edit in set_to(f"{here}.{name}", value)))


def _counted(fields: dict[str, int]) -> str:
    return "Set " + ", ".join(f"{name.replace('_', ' ')} {count}" for name, count in fields.items())
