"""What the scripts are told of scatters: which there are, and when their copies have to be fetched anew."""

from __future__ import annotations

from zlib import crc32

from typing_extensions import TypedDict

from lazzik.core.channel.airflow import AIR
from lazzik.core.evaluate.copies import borne_by
from lazzik.core.evaluate.riding import rides
from lazzik.core.scene.node import Node
from lazzik.core.scene.references import depends_on, same_rows, seen_by
from lazzik.core.scene.scatter import Scatter
from lazzik.core.scene.scene import Scene
from lazzik.web.air.facts import air_key


class ScatterFacts(TypedDict):
    """A scatter."""

    node: str
    laid: str
    """Changes when its copies stand elsewhere, or are of something else."""
    leans: str
    """Changes when they may lean otherwise, or their surface moves otherwise; '' if they never do either."""
    sources: list[str]
    """The objects that they are copies of."""


def scatter_facts(scene: Scene) -> list[ScatterFacts]:
    """Of all scatters of a scene that are seen."""
    scatters = [node for node in scene.carrying if node.scatter and node.visible]
    air = air_key(scene) if scatters else ""
    return [_facts(scene, node, node.scatter, air) for node in scatters if node.scatter]


def told_alike(before: Scene, after: Scene) -> bool:
    """Whether the facts of all scatters are the same for sure: whatever they tell of is the very same in both scenes.
    It is asked at each step of a drag, so nothing is written out for it."""
    scatters = [[node for node in scene.carrying if node.scatter] for scene in (before, after)]
    if not any(scatters):
        return True
    ranges = [(scene.fps, scene.first, scene.last) for scene in (before, after)]
    (was, now) = (_told_of(scene, nodes) for scene, nodes in zip((before, after), scatters, strict=True))
    return ranges[0] == ranges[1] and same_rows(was, now)


def _told_of(scene: Scene, scatters: list[Node]) -> tuple[object, ...]:
    """All that the facts of scatters are made of: the very objects."""
    rows = list(seen_by(scene, frozenset({AIR})))
    for node in scatters:
        assert node.scatter is not None
        sources = [inner for slug in node.scatter.sources for inner in scene.within(scene.node(slug))]
        for here in (node, *borne_by(scene, node), *sources):
            rows += depends_on(scene, here)
    return tuple(rows)


WIND = ("gain", "frequency", "damping", "loop")
"""What of a scatter changes how its copies lean, and nothing else."""


def _facts(scene: Scene, node: Node, scatter: Scatter, air: str) -> ScatterFacts:
    _, *read = depends_on(scene, node)
    plain = node.replaced(scatter=scatter.replaced(**{name: Scatter.model_fields[name].default for name in WIND}))
    under = [_placed(scene, here) for here in borne_by(scene, node)]
    held = [depends_on(scene, inner) for slug in scatter.sources for inner in scene.within(scene.node(slug))]
    laid = _key(plain, under, held, (scene.fps, scene.first, scene.last))
    wind = [getattr(scatter, name) for name in WIND]
    answers = bool(air) and scatter.wind == "air"
    carried = [depends_on(scene, here) for here in borne_by(scene, node)] if rides(scene, node) else []
    leans = _key(laid, wind, read, air, carried) if answers or carried else ""
    return {"node": node.id, "laid": laid, "leans": leans, "sources": list(scatter.sources)}


def _placed(scene: Scene, node: Node) -> tuple[object, ...]:
    """What tells where an object is at rest, and its shape as it is before anything bends it."""
    return depends_on(scene, node.replaced(deform=(), targets=None, look=None))


def _key(*parts: object) -> str:
    return f"{crc32(repr(parts).encode()):08x}"
