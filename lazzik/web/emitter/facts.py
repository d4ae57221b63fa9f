"""What the scripts are told of emitters: which there are, and when their particles have to be fetched anew."""

from __future__ import annotations

from zlib import crc32

from typing_extensions import TypedDict

from lazzik.core.scene.emitter import Emitter
from lazzik.core.scene.scene import Scene
from lazzik.core.simulate.run import LOOKS, run_key


class EmitterFacts(TypedDict):
    """An emitter."""

    node: str
    run: str
    """The name of its run: another one when its particles go otherwise."""
    looks: str
    """Changes when they look otherwise."""


def emitter_facts(scene: Scene) -> list[EmitterFacts]:
    """Of all emitters of a scene that are seen."""
    return [
        {"node": node.id, "run": run_key(scene, node.id), "looks": _looks(node.emitter)}
        for node in scene.nodes
        if node.emitter is not None and node.visible
    ]


def _looks(emitter: Emitter) -> str:
    return f"{crc32(repr([getattr(emitter, name) for name in LOOKS]).encode()):08x}"
