"""What the scripts are told of emitters: which there are, and when their particles have to be fetched anew."""

from __future__ import annotations

from typing import Any
from zlib import crc32

from typing_extensions import TypedDict

from lazzik.core.scene.emitter import Emitter
from lazzik.core.scene.node import Node
from lazzik.core.scene.references import depends_on
from lazzik.core.scene.rest_pose import across
from lazzik.core.scene.scene import Scene
from lazzik.core.simulate.run import LOOKS, run_played


class EmitterFacts(TypedDict):
    """An emitter."""

    node: str
    run: str
    """The name of its run: another one when its particles go otherwise."""
    looks: str
    """Changes when they look otherwise, or are played otherwise."""
    drawn: str
    """How they are drawn."""
    copies: str
    """The object of which copies are drawn; '' where none are."""
    across: float
    """Metres that this one spans at rest along its longest side."""
    locked: bool
    """Whether the run is one that stays, whatever changes."""


def emitter_facts(scene: Scene) -> list[EmitterFacts]:
    """Of all emitters of a scene that are seen."""
    return [_facts(scene, node, node.emitter) for node in scene.nodes if node.emitter is not None and node.visible]


def _facts(scene: Scene, node: Node, emitter: Emitter) -> EmitterFacts:
    source = scene.by_id.get(emitter.copy_of or "") if emitter.drawn == "copies" else None
    return {
        "node": node.id, "run": run_played(scene, node.id), "looks": _looks(scene, node, emitter),
        "drawn": emitter.drawn, "copies": source.id if source else "",
        "across": across(scene, source) if source else 1.0,
        "locked": emitter.locked is not None,
    }  # fmt: skip


def _looks(scene: Scene, node: Node, emitter: Emitter) -> str:
    shown: dict[str, Any] = {name: getattr(emitter, name) for name in LOOKS}
    bare = Node(id=node.id, label="any", emitter=Emitter(**shown))
    return f"{crc32(repr((depends_on(scene, bare), scene.first, scene.last)).encode()):08x}"
