"""What names others, naming other ones: objects that are copied together name each other's copies."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from lazzik.core.deformers import AnyDeformer
from lazzik.core.scene.node import Node
from lazzik.core.scene.scatter import Scatter
from lazzik.core.scene.visit import with_own_layers


def copied(node: Node, names: Mapping[str, str]) -> Node:
    """An object whose parts name copies of others, where these are copied too (object -> copy): what it aims at,
    repeats, begins on, meets and sits on, and what its layers read."""
    changed = node.replaced(
        aim=node.aim and node.aim.retargeted(names), scatter=node.scatter and _copied_scatter(node.scatter, names)
    )
    deform = tuple(_copied_deformer(item, names) for item in changed.deform)
    if any(new is not old for new, old in zip(deform, changed.deform, strict=True)):
        changed = changed.replaced(deform=deform)
    changed = changed.with_carried(lambda part: part.renamed(dict(names)))
    if changed.uses:
        changed = changed.replaced(uses=tuple(use.renamed(dict(names)) for use in changed.uses))
    return readdressed(changed, lambda address: renamed_address(address, names))


def renamed_address(address: str, names: Mapping[str, str]) -> str:
    """An address in the copy of the object that it begins with, if that is copied too."""
    slug, stroke, path = address.partition("/")
    return f"{names.get(slug, slug)}{stroke}{path}"


def readdressed(node: Node, change: Callable[[str], str]) -> Node:
    """An object with a change made to each address that a layer of it reads; itself if none of them changed."""
    return with_own_layers(node, lambda layer: layer.readdressed(change))


def _copied_deformer(item: AnyDeformer, names: Mapping[str, str]) -> AnyDeformer:
    """A deformer that sits on the copy of the object that it sat on, if that is copied too."""
    of = names.get(item.placement.of or "")
    return item.replaced(placement=item.placement.replaced(of=of)) if of else item


def _copied_scatter(scatter: Scatter, names: Mapping[str, str]) -> Scatter:
    """A scatter whose sources and surface are the copies of them, where these are copied too (object -> copy)."""
    sources = tuple(names.get(slug, slug) for slug in scatter.sources)
    surface = names.get(scatter.surface or "", scatter.surface or "") or None
    same = (sources, surface) == (scatter.sources, scatter.surface)
    return scatter if same else scatter.replaced(sources=sources, surface=surface)
