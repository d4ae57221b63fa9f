"""Why a swarm does not show, or goes otherwise than one would think."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from lazzik.core.channel.channel import Channel
from lazzik.core.diagnose.air import A_WIND
from lazzik.core.diagnose.reason import STILL, Reason, beyond, largest, reason, set_to, unseen
from lazzik.core.errors import InvalidEdit
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.transforms import moves
from lazzik.core.scene.edits.swarms import MANY, apart_for, swarm_of
from lazzik.core.scene.node import Node
from lazzik.core.scene.references import acts
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.swarm import Swarm
from lazzik.core.simulate.swarm import SwarmRun

DEEP = 25
"""Layers from which on those at the bottom give way under the others."""


def why_swarm(scene: Scene, node: Node, scope: Scope) -> list[Reason]:
    """The reasons why a swarm does not show or move; none if it does."""
    node, swarm = swarm_of(scene, node.id)
    change = {"do": "change-swarm", "node": node.id}
    found = [*unseen(scene, node), *_begun(scene, node, swarm)]
    blowing = any(acts(field) for field in scene.fields)
    weight = largest(swarm.gravity, scene, scope.at(node.id))
    if weight <= STILL and swarm.in_air and not blowing:
        found.append(reason("no-air", A_WIND, name=node.label))
    if weight <= STILL and not swarm.in_air and blowing:
        found.append(reason("in-still-air", change | {"settings": {"wind": "surface"}}, name=node.label))
    if weight > STILL and not swarm.met:
        afloat = [] if isinstance(swarm.gravity, Channel) else [set_to(f"{node.id}/swarm.gravity", 0.0)]
        found.append(reason("falls-free", *afloat, name=node.label))
    met = [here for slug in swarm.met for here in scene.lineage(scene.by_id[slug])]
    if weight <= STILL and not (swarm.in_air and blowing) and not any(moves(scene, here) for here in met):
        found.append(reason("hangs-still", name=node.label))
    if swarm.locked is not None:
        found.append(reason("locked", change | {"locked": None}, name=node.label))
    return [*found, *beyond(f"{node.id}/swarm", node.label, swarm)]


def _begun(scene: Scene, node: Node, swarm: Swarm) -> Iterator[Reason]:
    """What is the matter with what it begins as."""
    if swarm.of is None:
        yield reason("fills-nothing", name=node.label)
        return
    run, source = SwarmRun(scene, node.id), scene.by_id[swarm.of]
    better = apart_for(scene, source, MANY)
    mend = [] if isinstance(swarm.spacing, Channel) else [set_to(f"{node.id}/swarm.spacing", better)]
    about: dict[str, str | float] = {"name": node.label, "source": source.label, "spacing": run.spacing}
    try:
        places = run.filled.places
    except InvalidEdit:
        yield reason("overfull", *mend, **about)
        return
    if not len(places):
        yield reason("holds-none", *mend, **about)
        return
    layers = float(np.ptp(places[:, 1])) / run.spacing + 1.0
    if layers > DEEP and swarm.gravity != 0.0:
        yield reason("too-deep", *mend, name=node.label, layers=layers)
