"""Particles in OpenUSD: as points over time, or as instances of the object of which copies are drawn."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

import numpy as np

from lazzik.core.formats.carried import Emitted
from lazzik.core.formats.colors import linear
from lazzik.core.scene.rest_pose import across
from lazzik.core.scene.scene import Scene
from lazzik.core.simulate.looks import looks_of, turns_of
from lazzik.core.simulate.particles import Particles
from lazzik.core.simulate.shell import shell_of
from lazzik.core.simulate.swarm import SwarmRun


def define_points(stage: Any, path: str, rows: Iterable[Emitted]) -> None:
    """Points of OpenUSD, in the scene's space: places, speeds, widths, numbers and colours at every frame."""
    from pxr import UsdGeom, Vt

    points = UsdGeom.Points.Define(stage, path)
    colors = points.CreateDisplayColorPrimvar(UsdGeom.Tokens.vertex)
    solid = points.CreateDisplayOpacityPrimvar(UsdGeom.Tokens.vertex)
    for _, run, frame, moment in rows:
        when = float(frame)
        sizes, looks = looks_of(run, moment)
        array = Vt.Vec3fArray.FromNumpy(moment.places.astype(np.float32))
        points.CreatePointsAttr().Set(array, when)
        points.CreateVelocitiesAttr().Set(Vt.Vec3fArray.FromNumpy(moment.speeds.astype(np.float32)), when)
        points.CreateIdsAttr().Set(Vt.Int64Array.FromNumpy(moment.ids.astype(np.int64)), when)
        points.CreateWidthsAttr().Set(Vt.FloatArray.FromNumpy(sizes.astype(np.float32)), when)
        shown = np.ascontiguousarray(linear(looks[:, :3]), dtype=np.float32).reshape(-1, 3)
        colors.Set(Vt.Vec3fArray.FromNumpy(shown), when)
        solid.Set(Vt.FloatArray.FromNumpy(np.ascontiguousarray(looks[:, 3], dtype=np.float32)), when)
        points.CreateExtentAttr().Set(UsdGeom.PointBased.ComputeExtent(array) if len(moment) else NOWHERE, when)


def define_shell(stage: Any, path: str, rows: Iterable[Emitted]) -> Any:
    """The shell of a swarm as a mesh of OpenUSD, in the scene's space: another one at every frame."""
    from pxr import UsdGeom, Vt

    mesh = UsdGeom.Mesh.Define(stage, path)
    mesh.CreateSubdivisionSchemeAttr(UsdGeom.Tokens.none)
    mesh.SetNormalsInterpolation(UsdGeom.Tokens.vertex)
    colors = mesh.CreateDisplayColorPrimvar(UsdGeom.Tokens.constant)
    for _, run, frame, moment in rows:
        assert isinstance(run, SwarmRun)
        when, shell = float(frame), shell_of(run, moment)
        array = Vt.Vec3fArray.FromNumpy(_single(shell.points))
        mesh.CreateFaceVertexCountsAttr().Set(Vt.IntArray.FromNumpy(np.full(len(shell.triangles), 3, np.int32)), when)
        mesh.CreateFaceVertexIndicesAttr().Set(Vt.IntArray.FromNumpy(shell.triangles.astype(np.int32).ravel()), when)
        mesh.CreatePointsAttr().Set(array, when)
        mesh.CreateNormalsAttr().Set(Vt.Vec3fArray.FromNumpy(_single(shell.normals)), when)
        mesh.CreateExtentAttr().Set(UsdGeom.PointBased.ComputeExtent(array) if len(shell.points) else NOWHERE, when)
        tint = _single(linear(looks_of(run, moment)[1][:1, :3])).reshape(-1, 3)
        colors.Set(Vt.Vec3fArray.FromNumpy(tint), when)
    return mesh


NOWHERE = [(0.0, 0.0, 0.0), (0.0, 0.0, 0.0)]


def define_instances(stage: Any, path: str, prototype: str, scene: Scene, rows: Iterable[Emitted]) -> None:
    """A PointInstancer of OpenUSD, in the scene's space: places, speeds, turns, sizes, numbers and colours at every
    frame, all of one prototype. Orientations are given twice: in half precision, which older readers know, and in
    single."""
    from pxr import Sdf, UsdGeom, Vt

    instancer = UsdGeom.PointInstancer.Define(stage, path)
    instancer.GetPrototypesRel().AddTarget(prototype)
    tints = UsdGeom.PrimvarsAPI(instancer).CreatePrimvar(
        "displayColor", Sdf.ValueTypeNames.Color3fArray, UsdGeom.Tokens.vertex
    )
    for slug, run, frame, moment in rows:
        assert isinstance(run, Particles)
        when, (sizes, colors) = float(frame), looks_of(run, moment)
        instancer.CreateProtoIndicesAttr().Set(Vt.IntArray(len(moment), 0), when)
        instancer.CreatePositionsAttr().Set(Vt.Vec3fArray.FromNumpy(moment.places.astype(np.float32)), when)
        instancer.CreateVelocitiesAttr().Set(Vt.Vec3fArray.FromNumpy(moment.speeds.astype(np.float32)), when)
        instancer.CreateIdsAttr().Set(Vt.Int64Array.FromNumpy(moment.ids.astype(np.int64)), when)
        source = scene.by_id[run.emitter.copy_of or ""]
        scales = np.repeat((sizes / across(scene, source))[:, None], 3, axis=1)
        instancer.CreateScalesAttr().Set(Vt.Vec3fArray.FromNumpy(_single(scales)), when)
        turns = _single(turns_of(scene, slug, run.emitter, run.seed, moment))
        instancer.CreateOrientationsfAttr().Set(Vt.QuatfArray.FromNumpy(turns), when)
        instancer.CreateOrientationsAttr().Set(Vt.QuathArray.FromNumpy(turns.astype(np.float16)), when)
        tints.Set(Vt.Vec3fArray.FromNumpy(_single(linear(colors[:, :3])).reshape(-1, 3)), when)


def _single(values: Any) -> Any:
    return np.ascontiguousarray(values, dtype=np.float32)


def prim_name(slug: str) -> str:
    """What an object is called in a file of OpenUSD."""
    name = slug.replace("-", "_")
    return f"n_{name}" if name[0].isdigit() else name
