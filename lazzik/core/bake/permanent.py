"""Making a deformation part of the shape: the points of one frame become the mesh, and the deformers go."""

from __future__ import annotations

from lazzik.core.clock import Clock
from lazzik.core.errors import InvalidEdit
from lazzik.core.evaluate.scope import Scope
from lazzik.core.geometry.assets import pack_mesh
from lazzik.core.geometry.imported import MeshShape
from lazzik.core.scene.edits.shapes import SetShape
from lazzik.core.scene.scene import Scene
from lazzik.core.simulate.draped import surface_seen


def make_permanent(scene: Scene, slug: str, frame: int, scope: Scope) -> SetShape:
    """The edit that gives an object the shape that it has at a frame, and takes its own deformers off. The mesh is put
    with the scene's assets.

    Raises UnknownAddress, also where the frame of cloth is not there yet, and InvalidEdit if nothing bends the object
    or the frame lies outside of the range.
    """
    if not scene.first <= frame <= scene.last:
        raise InvalidEdit(f"Frame {frame} does not lie in the range {scene.first} to {scene.last}", "frame")
    node = scene.node(slug)
    if node.shape is None or not (node.deform or node.targets or node.cloth):
        raise InvalidEdit(f"Nothing bends {node.label}, so its shape is permanent already", slug)
    clock = Clock.over(scene.fps, scene.first, frame, start=frame)
    surface = surface_seen(scene, node, clock, scope, own=True, makes=False)
    name = scene.assets.put(pack_mesh(surface.rest.moved(surface.points(0))))
    drop = tuple(deformer.id for deformer in node.deform)
    return SetShape(node=slug, shape=MeshShape(kind="mesh", asset=name), drop=drop, stiff=node.cloth is not None)
