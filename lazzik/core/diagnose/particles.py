"""Why particles do not show, or go otherwise than one would think."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from lazzik.core.channel.channel import Channel
from lazzik.core.diagnose.air import A_WIND
from lazzik.core.diagnose.reason import STILL, Reason, beyond, idle, largest, reason, set_to, unseen
from lazzik.core.evaluate.evaluator import number_on
from lazzik.core.evaluate.scope import Scope
from lazzik.core.scene.emitter import WHITE, Emitter
from lazzik.core.scene.node import Node
from lazzik.core.scene.references import acts
from lazzik.core.scene.scene import Scene
from lazzik.core.simulate.particles import MOST_ALIVE


def why_particles(scene: Scene, node: Node, scope: Scope) -> list[Reason]:
    """The reasons why what an object sends out does not show; none if it does."""
    emitter, scope = node.emitter, scope.at(node.id)
    if emitter is None:
        return [reason("no-emitter", name=node.label)]
    found = [*unseen(scene, node), *_coming(scene, node, emitter, scope), *_looking(scene, node, emitter, scope)]
    if emitter.wind == "air" and not any(acts(field) for field in scene.fields):
        found.append(reason("no-air", A_WIND, name=node.label))
    if emitter.locked is not None:
        found.append(reason("locked", {"do": "change-emitter", "node": node.id, "locked": None}, name=node.label))
    if emitter.loop is not None and emitter.wind == "air":
        found += [
            reason("unlooped", {"do": "loop", "fit": True}, name=node.label, field=field.label)
            for field in scene.fields
            if field.field is not None and acts(field) and field.field.loop != emitter.loop
        ]
    return [*found, *beyond(f"{node.id}/emitter", node.label, emitter)]


def _coming(scene: Scene, node: Node, emitter: Emitter, scope: Scope) -> Iterator[Reason]:
    """What keeps them from coming, or from living."""
    how_many = "rate" if emitter.comes == "steadily" else "amount"
    for name in (how_many, "life"):
        if largest(getattr(emitter, name), scene, scope) < STILL:
            better = float(Emitter.model_fields[name].default)
            constant = not isinstance(getattr(emitter, name), Channel)
            mend = [set_to(f"{node.id}/emitter.{name}", better)] if constant else []
            yield idle(node.label, name, 0.0, better, mend)
    start = float(np.min(_over(emitter, "start", scene, scope)))
    if start > scene.last and not (emitter.comes == "steadily" and largest(emitter.ahead, scene, scope) > 0):
        mend = [] if isinstance(emitter.start, Channel) else [set_to(f"{node.id}/emitter.start", scene.first)]
        yield reason("comes-late", *mend, name=node.label, start=start, last=float(scene.last))
    most = float(np.max(_over(emitter, how_many, scene, scope)))
    count = most * float(np.max(_over(emitter, "life", scene, scope))) if how_many == "rate" else most
    if count > MOST_ALIVE:
        number = getattr(emitter, how_many)
        fewer = float(f"{number * 0.9 * MOST_ALIVE / count:.2g}") if not isinstance(number, Channel) else 0.0
        mend = [set_to(f"{node.id}/emitter.{how_many}", fewer)] if fewer else []
        yield reason("crowded", *mend, name=node.label, count=count, most=MOST_ALIVE)


def _looking(scene: Scene, node: Node, emitter: Emitter, scope: Scope) -> Iterator[Reason]:
    """What keeps them from being seen."""
    if largest(emitter.size, scene, scope) < STILL:
        constant = not isinstance(emitter.size, Channel)
        better = float(Emitter.model_fields["size"].default)
        yield idle(node.label, "size", 0.0, better, [set_to(f"{node.id}/emitter.size", better)] if constant else [])
    if emitter.drawn == "copies":
        source = scene.by_id[emitter.copy_of or ""]
        if not any(here.shape is not None for here in scene.within(source)):
            puffs = {"do": "change-emitter", "node": node.id, "settings": {"drawn": "puffs"}}
            yield reason("no-copies", puffs, source=source.label)
    elif max(point[4] for point in emitter.color_over_life) < STILL:
        seen = {"do": "change-emitter", "node": node.id, "color_over_life": WHITE}
        yield reason("clear", seen, name=node.label)


def _over(emitter: Emitter, name: str, scene: Scene, scope: Scope) -> np.ndarray[tuple[int, ...], np.dtype[np.float64]]:
    return np.asarray(number_on(getattr(emitter, name), scene.clock(), scope), dtype=float)
