"""Moving surfaces in OpenUSD as blend shapes: the points at rest, what each shape adds to them, and how much of each
there is over time.

The standard hangs blend shapes on a skeleton, here one without joints: a root, and below it the mesh, the skeleton and
the animation with the weights. Readers go straight from one weight to the next.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from lazzik.core.bake.morph_targets import Fitted
from lazzik.core.evaluate.surface import Surface

WITHIN = 1e-4
"""Metres by which a point may be off at a frame."""

NUMBER = 4
"""Bytes of a number in single precision."""


def bytes_of_points(motion: Surface) -> int:
    """What a surface's points and normals take, written at every frame."""
    return NUMBER * 2 * motion.rest.points.size * len(motion.clock.frames)


def bytes_of_shapes(fitted: Fitted) -> int:
    """What its shapes take, with what they add to normals, and their weights over time."""
    return NUMBER * (2 * fitted.offsets.size + fitted.weights.size)


def define_root(stage: Any, path: str) -> str:
    """The root that blend shapes need; the path of the mesh below it."""
    from pxr import UsdSkel

    UsdSkel.Root.Define(stage, path)
    return f"{path}/surface"


def define_shapes(stage: Any, root: str, mesh: Any, motion: Surface, fitted: Fitted) -> None:
    """Hang shapes and weights on a mesh that has its points at rest."""
    from pxr import Gf, UsdGeom, UsdSkel, Vt

    skeleton = UsdSkel.Skeleton.Define(stage, f"{root}/skeleton")
    animation = UsdSkel.Animation.Define(stage, f"{root}/weights")
    names = [f"shape_{place + 1}" for place in range(len(fitted.offsets))]
    animation.CreateBlendShapesAttr(names)
    weights = animation.CreateBlendShapeWeightsAttr()
    for frame, row in zip(fitted.frames, fitted.weights, strict=True):
        weights.Set(Vt.FloatArray.FromNumpy(row.astype(np.float32)), float(frame))
    UsdSkel.BindingAPI.Apply(skeleton.GetPrim()).CreateAnimationSourceRel().SetTargets([animation.GetPath()])
    binding = UsdSkel.BindingAPI.Apply(mesh.GetPrim())
    binding.CreateSkeletonRel().SetTargets([skeleton.GetPath()])
    binding.CreateBlendShapesAttr(names)
    paths = []
    for name, offsets, normals in zip(names, fitted.offsets, fitted.normals, strict=True):
        shape = UsdSkel.BlendShape.Define(stage, mesh.GetPath().AppendChild(name))
        shape.CreateOffsetsAttr(Vt.Vec3fArray.FromNumpy(offsets.astype(np.float32)))
        shape.CreateNormalOffsetsAttr(Vt.Vec3fArray.FromNumpy(normals.astype(np.float32)))
        paths.append(shape.GetPath())
    binding.CreateBlendShapeTargetsRel().SetTargets(paths)
    low, high = _reach(motion, fitted)
    extent = Vt.Vec3fArray([Gf.Vec3f(*low), Gf.Vec3f(*high)])
    UsdGeom.Boundable(stage.GetPrimAtPath(root)).CreateExtentAttr(extent)


def _reach(motion: Surface, fitted: Fitted) -> tuple[list[float], list[float]]:
    """The corners of a box that holds the surface at every frame: at rest, and as far as each shape ever moves a point
    beside it."""
    least = np.minimum(fitted.weights.min(axis=0), 0.0)[:, None, None] * fitted.offsets
    most = np.maximum(fitted.weights.max(axis=0), 0.0)[:, None, None] * fitted.offsets
    rest = motion.rest.points
    low = (rest + np.minimum(least, most).sum(axis=0)).min(axis=0)
    high = (rest + np.maximum(least, most).sum(axis=0)).max(axis=0)
    return (low - WITHIN).tolist(), (high + WITHIN).tolist()
