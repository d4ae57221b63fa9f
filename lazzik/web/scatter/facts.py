"""What the scripts are told of scatters: which there are, and when their copies have to be fetched anew."""

from __future__ import annotations

from zlib import crc32

from typing_extensions import TypedDict

from lazzik.core.evaluate.riding import rides, surface_under
from lazzik.core.scene.node import Node
from lazzik.core.scene.references import depends_on
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


def scatter_facts(scene: Scene) -> list[ScatterFacts]:
    """Of all scatters of a scene that are seen."""
    if not any(node.scatter for node in scene.nodes):
        return []
    air = air_key(scene)
    return [_facts(scene, node, node.scatter, air) for node in scene.nodes if node.scatter and node.visible]


WIND = ("gain", "frequency", "damping", "loop")
"""What of a scatter changes how its copies lean, and nothing else."""


def _facts(scene: Scene, node: Node, scatter: Scatter, air: str) -> ScatterFacts:
    held = [depends_on(scene, inner) for slug in scatter.sources for inner in scene.within(scene.node(slug))]
    surface = scene.by_id.get(scatter.surface or "")
    plain = {name: value for name, value in scatter if name not in WIND}
    times = (scene.fps, scene.first, scene.last)
    laid = _key(plain, held, surface and (surface.shape, *_places(scene, surface)), _places(scene, node), times)
    wind = [getattr(scatter, name) for name in WIND]
    answers = bool(air) and scatter.wind == "air"
    under = surface_under(scene, node) if rides(scene, node) else None
    carried = under and [depends_on(scene, here) for here in (*scene.lineage(under), *scene.lineage(node))]
    return {"node": node.id, "laid": laid, "leans": _key(laid, wind, air, carried) if answers or carried else ""}


def _places(scene: Scene, node: Node) -> list[object]:
    return [(here.position, here.rotation, here.scale) for here in scene.lineage(node)]


def _key(*parts: object) -> str:
    return f"{crc32(repr(parts).encode()):08x}"
