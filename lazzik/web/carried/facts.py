"""What the scripts are told of what is carried: which runs there are, and when they have to be fetched anew."""

from __future__ import annotations

from typing import Any
from zlib import crc32

from typing_extensions import TypedDict

from lazzik.core.channel.channel import base_value
from lazzik.core.evaluate.shapes import acting, hangs_as_cloth
from lazzik.core.scene.cloth import Cloth
from lazzik.core.scene.emitter import Emitter
from lazzik.core.scene.node import Look, Node
from lazzik.core.scene.references import depends_on
from lazzik.core.scene.rest_pose import across
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.swarm import Swarm
from lazzik.core.simulate.run import run_played


class RunFacts(TypedDict):
    """What has a run."""

    node: str
    run: str
    """The name of its run: another one when it goes otherwise."""
    looks: str
    """Changes when it looks otherwise, or is played otherwise."""
    part: str
    """What of the object has it: 'particles', 'cloth' or 'swarm'."""
    drawn: str
    """How it is drawn: 'points', 'puffs' or 'copies' of particles, 'cloth', 'shell', 'balls' or 'points' of a swarm."""
    copies: str
    """The object of which copies are drawn; '' where none are."""
    across: float
    """Metres that this one spans at rest along its longest side."""
    roughness: float
    """Of the surface that is drawn, where it is no object's."""
    locked: bool
    """Whether the run is one that stays, whatever changes."""


def run_facts(scene: Scene) -> list[RunFacts]:
    """Of all that has a run and is seen."""
    found = []
    for node in scene.carrying:
        if node.emitter is not None and node.visible:
            found.append(_particles(scene, node, node.emitter))
        elif node.cloth is not None and hangs_as_cloth(node) and node.visible:
            found.append(_cloth(scene, node, node.cloth))
        elif node.swarm is not None and node.visible:
            found.append(_swarm(scene, node, node.swarm))
    return found


def _particles(scene: Scene, node: Node, emitter: Emitter) -> RunFacts:
    source = scene.by_id.get(emitter.copy_of or "") if emitter.drawn == "copies" else None
    shown: dict[str, Any] = {name: getattr(emitter, name) for name in Emitter.looks}
    bare = Node(id=node.id, label="any", emitter=Emitter(**shown))
    return {
        "node": node.id, "run": run_played(scene, node.id), "part": "particles", "roughness": 1.0,
        "looks": _hash(depends_on(scene, bare), scene.first, scene.last), "drawn": emitter.drawn,
        "copies": source.id if source else "", "across": across(scene, source) if source else 1.0,
        "locked": emitter.locked is not None,
    }  # fmt: skip


def _cloth(scene: Scene, node: Node, cloth: Cloth) -> RunFacts:
    shown: dict[str, Any] = {name: getattr(cloth, name) for name in Cloth.looks}
    bare = node.replaced(cloth=Cloth(**shown), label="any", look=None)
    above = [depends_on(scene, owner) for owner in {owner.id: owner for owner, _ in acting(scene, node)}.values()]
    return {
        "node": node.id, "run": run_played(scene, node.id), "part": "cloth", "roughness": 1.0,
        "looks": _hash(depends_on(scene, bare), above, scene.first, scene.last), "drawn": "cloth", "copies": "",
        "across": 1.0, "locked": cloth.locked is not None,
    }  # fmt: skip


def _swarm(scene: Scene, node: Node, swarm: Swarm) -> RunFacts:
    shown: dict[str, Any] = {name: getattr(swarm, name) for name in Swarm.looks}
    look = node.look or Look()
    bare = Node(id=node.id, label="any", swarm=Swarm(**shown), look=look)
    return {
        "node": node.id, "run": run_played(scene, node.id), "part": "swarm", "roughness": base_value(look.roughness),
        "looks": _hash(depends_on(scene, bare), scene.first, scene.last), "drawn": swarm.drawn, "copies": "",
        "across": 1.0, "locked": swarm.locked is not None,
    }  # fmt: skip


def _hash(*parts: object) -> str:
    return f"{crc32(repr(parts).encode()):08x}"
