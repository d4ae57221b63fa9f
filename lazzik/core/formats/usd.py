"""OpenUSD as text (usda), binary (usdc) or package (usdz), written by the standard's own library.

Carried: objects and what sits under what, meshes whose points move as blend shapes or at every frame, position, turn
and size at every frame where they move, flat colours as preview surfaces, in a package pictures on them, lights and
cameras with intensity, glow and angle of view over time. Metres, Y up, a time code for each frame. Left out: layers and
keys as such; what lies between frames; pictures where there is no package to put them into.
"""

from __future__ import annotations

import tempfile
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Annotated, Any, ClassVar, Literal

import numpy as np

from lazzik.core.bake.fitted_surfaces import Attempt, fitted_shapes, moving_surfaces, shaped_nodes
from lazzik.core.bake.morph_targets import Fitted
from lazzik.core.clock import Clock
from lazzik.core.document import Frozen, Quantity
from lazzik.core.evaluate.copies import copies_of
from lazzik.core.evaluate.evaluator import value_of
from lazzik.core.evaluate.leans import answers_air
from lazzik.core.evaluate.memo import Memo
from lazzik.core.evaluate.riding import rides, standing
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.shapes import shapes_over_time
from lazzik.core.evaluate.surface import Surface
from lazzik.core.evaluate.transforms import moves, transforms
from lazzik.core.evaluate.variants import Part, kinds_of, parts_at, parts_of
from lazzik.core.formats.base import NOTHING, Format, Made, Written
from lazzik.core.formats.carried import emitted
from lazzik.core.formats.colors import linear
from lazzik.core.formats.usd_particles import define_instances, define_points, define_shell, prim_name
from lazzik.core.formats.usd_shapes import WITHIN, bytes_of_points, bytes_of_shapes, define_root, define_shapes
from lazzik.core.geometry.mesh import Mesh
from lazzik.core.geometry.pictures import facts_of
from lazzik.core.progress import UNHEARD, Progress
from lazzik.core.scene.morph_targets import MOST_TARGETS
from lazzik.core.scene.node import Camera, Color, Light, Look, Node
from lazzik.core.scene.picture import Beyond, Picture, transform
from lazzik.core.scene.scene import Scene
from lazzik.core.simulate.draped import surface_seen

FILM = 24.0
"""Millimetres from bottom to top of the film that the angle of view is written for; 16 : 9 across."""

OWN = ("shape", "camera", "light", "Looks")
"""Names that stand below an object for what it is made of."""

WRAPS: dict[Beyond, str] = {"clear": "black", "last": "clamp", "mirror": "mirror", "repeat": "repeat"}
"""The standard's words for what is beyond a picture's edge; its black is clear."""

SIZE_OF_LAMP = 0.05
"""Metres of a lamp's radius: small enough to shine as from a point."""


class OpenUsd(Format):
    """The scene for film and visual effects pipelines."""

    name: ClassVar[str] = "usd"
    title: ClassVar[str] = "OpenUSD"
    standard: ClassVar[str] = "usda, usdc or usdz"
    ending: ClassVar[str] = "usd"
    media: ClassVar[str] = "application/octet-stream"
    use: ClassVar[str] = "For film pipelines, viewers and other animation tools that read the open standard."
    carries: ClassVar[str] = (
        "Geometry, hierarchy, transforms, colours, in usdz pictures, lights and cameras, with intensity, glow and "
        "angle of view over time; surfaces that move, or hang as cloth, as blend shapes within 0.1 mm where these are "
        "smaller (a choice), else with every point at every frame; what is scattered as a PointInstancer whose "
        "orientations are sampled at every frame; particles and swarms as Points with speeds, widths and colours, as a "
        "PointInstancer where copies of an object are drawn, or as a mesh a frame where a swarm has a shell."
    )
    leaves: ClassVar[str] = (
        "Layers and keys as such; what lies between frames, which readers draw straight; pictures in usdc and usda."
    )

    form: Literal["usdz", "usdc", "usda"] = "usdz"
    surfaces: Annotated[
        Literal["shapes", "points"],
        Quantity(
            label="moving surfaces",
            help="shapes: blend shapes, where these are smaller. points: all points at every frame, for readers that "
            "know no blend shapes.",
        ),
    ] = "shapes"

    def deliver(
        self, scene: Scene, progress: Progress = UNHEARD, memo: Memo | None = None, made: Made = NOTHING
    ) -> Written:
        """The file, and how its moving surfaces are written."""
        return write_usd(scene, self.form, progress, memo, shapes=self.surfaces == "shapes", made=made)

    def pieces(self, scene: Scene) -> list[str]:
        """Objects whose points may move, where shapes stand for them."""
        return [node.id for node in shaped_nodes(scene)] if self.surfaces == "shapes" else []

    def make(self, scene: Scene, pieces: Sequence[str], progress: Progress, memo: Memo | None = None) -> Made:
        """The shapes and weights of some of them."""
        motions = moving_surfaces(scene, scene.clock(), Scope(scene, memo or Memo()), progress.part(0.0, 0.15), pieces)
        return _shapes_of(scene, motions, progress.part(0.15, 1.0))


def write_usd(
    scene: Scene, form: str = "usdc", progress: Progress = UNHEARD, memo: Memo | None = None, *, shapes: bool = False,
    made: Made = NOTHING,
) -> Written:  # fmt: skip
    """The scene in one of the standard's three forms, with blend shapes where they are smaller than all points."""
    from pxr import UsdUtils  # slow to import, and only this format needs it

    with tempfile.TemporaryDirectory() as folder:
        plain = Path(folder) / f"scene.{'usda' if form == 'usda' else 'usdc'}"
        writer = _Writer(scene, memo or Memo(), progress, pictured=form == "usdz", shapes=shapes, made=made)
        writer.write(plain)
        if form != "usdz":
            return Written(plain.read_bytes(), writer.summary)
        packed = Path(folder) / "scene.usdz"
        if not UsdUtils.CreateNewUsdzPackage(str(plain), str(packed)):
            raise RuntimeError("the package could not be made")
        return Written(packed.read_bytes(), writer.summary)


def write_particles(
    scene: Scene, slugs: Sequence[str], first: int, last: int, path: Path, progress: Progress = UNHEARD
) -> None:
    """A file of OpenUSD with the particles alone."""
    writer = _Writer(scene, Memo(), progress, pictured=False, shapes=False)
    writer.write_particles(path, slugs, first, last)


def _shapes_of(
    scene: Scene, motions: Sequence[Surface], progress: Progress, made: Mapping[str, Attempt] = NOTHING
) -> Mapping[str, Attempt]:
    """What stands for each surface, by object."""
    most = min(MOST_TARGETS, len(scene.clock().frames) // 2)  # more would hardly be smaller
    return fitted_shapes(motions, WITHIN, most, progress, made) if most else {}


class _Writer:
    """Writes one stage."""

    def __init__(
        self, scene: Scene, memo: Memo, progress: Progress, *, pictured: bool, shapes: bool, made: Made = NOTHING
    ) -> None:
        self.scene, self.progress, self.pictured, self.shapes, self.made = scene, progress, pictured, shapes, made
        self.scope, self.runs = Scope(scene, memo), memo.runs
        self.clock = scene.clock()
        self.still = Clock.over(scene.fps, scene.first, scene.first)
        self.paths: dict[str, str] = {}
        self.looks: dict[str, Any] = {}
        self.moving: dict[str, tuple[Surface, Fitted | None]] = {}
        """Surfaces by object; without shapes, where all points are smaller."""

    @property
    def summary(self) -> str:
        """How moving surfaces were written, in a sentence."""
        if not self.moving:
            return ""
        shaped = sum(fitted is not None for _, fitted in self.moving.values())
        rest = len(self.moving) - shaped
        return f"Moving surfaces: {shaped} as blend shapes, {rest} with all points at every frame."

    def write(self, file: Path) -> None:
        """Everything, in the order of the document, parents first."""
        self._begin(file, self.scene.first, self.scene.last)
        self._move()
        self.progress = self.progress.part(0.6, 1.0)
        ahead = list(self.scene.below.get(None, ()))
        order: list[Node] = []
        while ahead:
            node = ahead.pop(0)
            order.append(node)
            ahead = [*self.scene.below.get(node.id, ()), *ahead]
        for node in self.progress.over(order, lambda node: node.label):
            self._node(node)
        self.stage.GetRootLayer().Save()

    def _move(self) -> None:
        """Evaluate what moves; shapes take the place of its points where they are smaller."""
        motions = moving_surfaces(self.scene, self.clock, self.scope, self.progress.part(0.0, 0.1))
        found: Mapping[str, Attempt] = {}
        if self.shapes:
            found = _shapes_of(self.scene, motions, self.progress.part(0.1, 0.6), self.made)
        for motion in motions:
            one = found.get(motion.node.id)
            smaller = isinstance(one, Fitted) and bytes_of_shapes(one) < bytes_of_points(motion)
            self.moving[motion.node.id] = (motion, one if isinstance(one, Fitted) and smaller else None)

    def write_particles(self, file: Path, slugs: Sequence[str], first: int, last: int) -> None:
        """The particles of some emitters and swarms alone."""
        self._begin(file, first, last)
        self.clock = Clock.over(self.scene.fps, self.scene.first, last, start=first)
        for place, slug in enumerate(slugs):
            part = self.progress.part(place / len(slugs), (place + 1) / len(slugs))
            self._particles(self.scene.node(slug), "/World", first, last, part)
        self.stage.GetRootLayer().Save()

    def _begin(self, file: Path, first: int, last: int) -> None:
        from pxr import Usd, UsdGeom

        self.stage: Any = Usd.Stage.CreateNew(str(file))
        self.folder = file.parent
        UsdGeom.SetStageUpAxis(self.stage, UsdGeom.Tokens.y)
        UsdGeom.SetStageMetersPerUnit(self.stage, 1.0)
        self.stage.SetTimeCodesPerSecond(self.scene.fps)
        self.stage.SetFramesPerSecond(self.scene.fps)
        self.stage.SetStartTimeCode(first)
        self.stage.SetEndTimeCode(last)
        top = UsdGeom.Xform.Define(self.stage, "/World")
        self.stage.SetDefaultPrim(top.GetPrim())
        self.stage.SetMetadata("comment", self.scene.name)

    def _node(self, node: Node) -> None:
        from pxr import UsdGeom

        self.scope = self.scope.at(node.id)
        above = self.paths[node.parent] if node.parent else "/World"
        name = node.id.replace("-", "_")
        path = f"{above}/{'n_' if name[0].isdigit() or name in OWN else ''}{name}"
        self.paths[node.id] = path
        xform = UsdGeom.Xform.Define(self.stage, path)
        xform.GetPrim().SetDisplayName(node.label)
        self._transform(xform, node)
        if node.shape is not None:
            self._mesh(node, f"{path}/shape")
        if node.camera is not None:
            self._camera(node.camera, f"{path}/camera")
        if node.light is not None:
            self._light(node.light, f"{path}/light", node.visible)
        if node.scatter is not None and node.visible:
            self._instancer(node, f"{path}/copies")
        if (node.emitter or node.swarm) and node.visible:
            quiet = Progress(lambda *_: self.progress.hear())
            self._particles(node, "/World/Particles", self.scene.first, self.scene.last, quiet)

    def _particles(self, node: Node, above: str, first: int, last: int, progress: Progress) -> None:
        """Particles, which are in the scene's space, not in that of what sends them out or is filled with them."""
        from pxr import UsdGeom, UsdShade

        path = f"{above}/{prim_name(node.id)}"
        rows = emitted(self.scene, [node.id], first, last, progress, self.runs)
        if node.swarm is not None and node.swarm.drawn == "shell":
            shell = define_shell(self.stage, path, rows)
            UsdShade.MaterialBindingAPI.Apply(shell.GetPrim()).Bind(self._material(node.look or Look()))
            return
        if node.emitter is None or node.emitter.drawn != "copies":
            define_points(self.stage, path, rows)
            return
        source = self.scene.node(node.emitter.copy_of or "")
        UsdGeom.PointInstancer.Define(self.stage, path)
        UsdGeom.Xform.Define(self.stage, f"{path}/kind")
        self._prototype(parts_at(self.scene, source, self.clock, self.scope), f"{path}/kind")
        define_instances(self.stage, path, f"{path}/kind", self.scene, rows)

    def _instancer(self, node: Node, path: str) -> None:
        """Copies as instances of prototypes: one for each source in each shift of time. Orientations are given twice:
        in half precision, which older readers know, and in single."""
        from pxr import Usd, UsdGeom, Vt

        scatter = node.scatter
        assert scatter is not None
        copies = copies_of(self.scene, node, self.scope)
        instancer = UsdGeom.PointInstancer.Define(self.stage, path)
        indices = np.zeros(len(copies), dtype=np.int32)
        for index, (place, variant) in enumerate(kinds_of(self.scene, scatter)):
            kind = f"{path}/kind_{place}_{variant or 0}"
            UsdGeom.Xform.Define(self.stage, kind)
            instancer.GetPrototypesRel().AddTarget(kind)
            self._prototype(parts_of(self.scene, node, place, variant or 0, self.clock, self.scope), kind)
            indices[copies.of(place, variant)] = index
        instancer.CreateProtoIndicesAttr(Vt.IntArray.FromNumpy(indices))
        sizes = np.repeat(copies.sizes[:, None], 3, axis=1).astype(np.float32)
        instancer.CreateScalesAttr(Vt.Vec3fArray.FromNumpy(np.ascontiguousarray(sizes)))
        instancer.CreateIdsAttr(Vt.Int64Array.FromNumpy(copies.ids.astype(np.int64)))
        positions = instancer.CreatePositionsAttr()
        fine, half = instancer.CreateOrientationsfAttr(), instancer.CreateOrientationsAttr()
        carried = rides(self.scene, node)
        moving = carried or answers_air(self.scene, scatter)
        clock = self.clock if moving else self.still
        for frame, places, turns in standing(self.scene, node, copies, clock, self.scope):
            when = (Usd.TimeCode(float(frame)),) if moving else ()
            if carried or not positions.HasValue():
                positions.Set(Vt.Vec3fArray.FromNumpy(places.astype(np.float32)), *(when if carried else ()))
            rows = turns.astype(np.float32)
            fine.Set(Vt.QuatfArray.FromNumpy(rows), *when)  # in memory the real part stands last, as here
            half.Set(Vt.QuathArray.FromNumpy(rows.astype(np.float16)), *when)

    def _prototype(self, parts: list[Part], path: str) -> None:
        """A source in one of its shifts of time, each of its shapes under a transform of its own."""
        from pxr import Gf, UsdGeom

        for part in parts:
            name = part.node.id.replace("-", "_")
            xform = UsdGeom.Xform.Define(self.stage, f"{path}/n_{name}")
            matrix = xform.AddTransformOp()
            for frame, rows in zip(self.clock.frames, part.matrices, strict=False):
                when = (float(frame),) if len(part.matrices) > 1 else ()
                matrix.Set(Gf.Matrix4d(*rows.T.ravel().tolist()), *when)
            self._mesh(part.node, f"{path}/n_{name}/shape", part.clock)

    def _transform(self, xform: Any, node: Node) -> None:
        from pxr import Gf, UsdGeom

        moving = moves(self.scene, node)
        own = transforms(node, self.clock if moving else self.still, self.scope)
        place = xform.AddTranslateOp()
        # double, since readers take the angle from the cosine, which for small turns costs half the digits
        turn = xform.AddOrientOp(UsdGeom.XformOp.PrecisionDouble)
        size = xform.AddScaleOp()
        for i, frame in enumerate(self.clock.frames if moving else self.clock.frames[:1]):
            when = (float(frame),) if moving else ()
            x, y, z, w = (float(v) for v in own.orientation[i])
            place.Set(Gf.Vec3d(*own.position[i].tolist()), *when)
            turn.Set(Gf.Quatd(w, x, y, z), *when)
            size.Set(Gf.Vec3f(*own.scale[i].tolist()), *when)

    def _mesh(self, node: Node, path: str, clock: Clock | None = None) -> None:
        """An object's surface; as it is at the moments of another clock, where it is a prototype: that one is seen even
        where the object is hidden."""
        from pxr import Sdf, UsdGeom, UsdShade, Vt

        assert node.shape is not None
        motion, shapes = self.moving.get(node.id, (None, None)) if clock is None else (None, None)
        mesh = UsdGeom.Mesh.Define(self.stage, path if shapes is None else define_root(self.stage, path))
        rest = node.shape.mesh(self.scene.assets)
        mesh.CreateSubdivisionSchemeAttr(UsdGeom.Tokens.none)
        mesh.CreateFaceVertexCountsAttr(Vt.IntArray.FromNumpy(np.full(len(rest.triangles), 3, np.int32)))
        mesh.CreateFaceVertexIndicesAttr(Vt.IntArray.FromNumpy(rest.triangles.astype(np.int32).ravel()))
        mesh.SetNormalsInterpolation(UsdGeom.Tokens.vertex)
        if clock is None and not node.visible:
            mesh.CreateVisibilityAttr(UsdGeom.Tokens.invisible)
        if motion is not None and shapes is not None:
            self._set_points(mesh, rest.points, rest.normals, ())
            define_shapes(self.stage, path, mesh, motion, shapes)
        else:
            self._points(mesh, node, rest, clock or self.clock)
        look = node.look or Look()
        if self.pictured and look.picture is not None and rest.coordinates is not None:
            st = UsdGeom.PrimvarsAPI(mesh).CreatePrimvar(
                "st", Sdf.ValueTypeNames.TexCoord2fArray, UsdGeom.Tokens.vertex
            )
            st.Set(Vt.Vec2fArray.FromNumpy((rest.coordinates * [1, -1] + [0, 1]).astype(np.float32)))
        mesh.CreateDisplayColorAttr([tuple(self._linear(look.color))])
        UsdShade.MaterialBindingAPI.Apply(mesh.GetPrim()).Bind(self._material(look))

    def _points(self, mesh: Any, node: Node, rest: Mesh, clock: Clock) -> None:
        if not shapes_over_time(self.scene, node):
            self._set_points(mesh, rest.points, rest.normals, ())
            return
        motion, _ = self.moving.get(node.id, (None, None))
        if motion is None or clock is not self.clock:
            motion = surface_seen(self.scene, node, clock, self.scope, progress=self.progress)
        for index, points in motion.each():
            self.progress.hear()
            when = () if motion.still else (float(self.clock.frames[index]),)
            self._set_points(mesh, points, motion.normals(points), when)

    def _set_points(self, mesh: Any, points: Any, normals: Any, when: tuple[float, ...]) -> None:
        from pxr import UsdGeom, Vt

        array = Vt.Vec3fArray.FromNumpy(points.astype(np.float32))
        mesh.CreatePointsAttr().Set(array, *when)
        mesh.CreateNormalsAttr().Set(Vt.Vec3fArray.FromNumpy(normals.astype(np.float32)), *when)
        mesh.CreateExtentAttr().Set(UsdGeom.PointBased.ComputeExtent(array), *when)

    def _material(self, look: Look) -> Any:
        from pxr import Gf, Sdf, UsdShade

        key = look.as_json
        if key not in self.looks:
            path = f"/World/Looks/look_{len(self.looks) + 1}"
            material = UsdShade.Material.Define(self.stage, path)
            surface = UsdShade.Shader.Define(self.stage, f"{path}/surface")
            surface.CreateIdAttr("UsdPreviewSurface")
            color = self._linear(look.color)
            surface.CreateInput("diffuseColor", Sdf.ValueTypeNames.Color3f).Set(Gf.Vec3f(*color))
            surface.CreateInput("roughness", Sdf.ValueTypeNames.Float).Set(self._now(look, "roughness"))
            glow = surface.CreateInput("emissiveColor", Sdf.ValueTypeNames.Color3f)
            self._over(look, "glow", lambda value, *when: glow.Set(Gf.Vec3f(*(c * value for c in color)), *when))
            if self.pictured and look.picture is not None:
                self._picture(look.picture, path, surface, color)
            material.CreateSurfaceOutput().ConnectToSource(surface.ConnectableAPI(), "surface")
            self.looks[key] = material
        return self.looks[key]

    def _picture(self, picture: Picture, path: str, surface: Any, tint: list[float]) -> None:
        """A picture in a material: read where texture coordinates lead, moved and sized over time."""
        from pxr import Gf, Sdf, UsdShade

        facts = self.scene.assets.read(picture.asset, facts_of)
        file = self.folder / f"{picture.asset[:16]}.{'jpg' if facts.media == 'image/jpeg' else 'png'}"
        file.write_bytes(self.scene.assets.content(picture.asset))
        reader = UsdShade.Shader.Define(self.stage, f"{path}/coordinates")
        reader.CreateIdAttr("UsdPrimvarReader_float2")
        reader.CreateInput("varname", Sdf.ValueTypeNames.String).Set("st")
        place = UsdShade.Shader.Define(self.stage, f"{path}/place")
        place.CreateIdAttr("UsdTransform2d")
        place.CreateInput("in", Sdf.ValueTypeNames.Float2).ConnectToSource(
            reader.CreateOutput("result", Sdf.ValueTypeNames.Float2)
        )
        scale = place.CreateInput("scale", Sdf.ValueTypeNames.Float2)
        move = place.CreateInput("translation", Sdf.ValueTypeNames.Float2)
        rows = transform(*(value_of(picture, name, self.clock, self.scope) for name in ("x", "y", "size")))
        still = not np.ptp(rows, axis=0).any()
        for row, frame in zip(rows[:1] if still else rows, self.clock.frames, strict=False):
            when = () if still else (float(frame),)
            u, v, across, down = row.tolist()
            scale.Set(Gf.Vec2f(across, down), *when)
            move.Set(Gf.Vec2f(u, 1.0 - down - v), *when)  # there v runs upward
        texture = UsdShade.Shader.Define(self.stage, f"{path}/picture")
        texture.CreateIdAttr("UsdUVTexture")
        texture.CreateInput("file", Sdf.ValueTypeNames.Asset).Set(f"./{file.name}")
        texture.CreateInput("st", Sdf.ValueTypeNames.Float2).ConnectToSource(
            place.CreateOutput("result", Sdf.ValueTypeNames.Float2)
        )
        for name in ("wrapS", "wrapT"):
            texture.CreateInput(name, Sdf.ValueTypeNames.Token).Set(WRAPS[picture.beyond])
        texture.CreateInput("sourceColorSpace", Sdf.ValueTypeNames.Token).Set("sRGB")
        texture.CreateInput("scale", Sdf.ValueTypeNames.Float4).Set(Gf.Vec4f(*tint, 1.0))
        rgb = texture.CreateOutput("rgb", Sdf.ValueTypeNames.Float3)
        surface.GetInput("diffuseColor").ConnectToSource(rgb)
        if picture.beyond == "clear" or facts.clear:
            alpha = texture.CreateOutput("a", Sdf.ValueTypeNames.Float)
            surface.CreateInput("opacity", Sdf.ValueTypeNames.Float).ConnectToSource(alpha)

    def _camera(self, camera: Camera, path: str) -> None:
        from pxr import Gf, UsdGeom

        lens = UsdGeom.Camera.Define(self.stage, path)
        lens.CreateVerticalApertureAttr(FILM)
        lens.CreateHorizontalApertureAttr(FILM * 16 / 9)
        lens.CreateClippingRangeAttr(Gf.Vec2f(0.05, 1000.0))
        length = lens.CreateFocalLengthAttr()
        self._over(camera, "view", lambda v, *when: length.Set(FILM / 2 / float(np.tan(np.radians(v) / 2)), *when))

    def _light(self, light: Light, path: str, visible: bool) -> None:
        from pxr import Gf, UsdGeom, UsdLux

        if light.kind == "lamp":
            lamp = UsdLux.SphereLight.Define(self.stage, path)
            lamp.CreateRadiusAttr(SIZE_OF_LAMP)
        else:
            lamp = UsdLux.DistantLight.Define(self.stage, path)
        lamp.CreateColorAttr(Gf.Vec3f(*self._linear(light.color)))
        strength = lamp.CreateIntensityAttr()
        self._over(light, "intensity", lambda value, *when: strength.Set(float(value), *when))
        if not visible:
            UsdGeom.Imageable(lamp).CreateVisibilityAttr(UsdGeom.Tokens.invisible)

    def _over(self, part: Frozen, name: str, put: Any) -> None:
        """Give a number to an attribute: at every frame if it moves, once if it stands still."""
        values = np.atleast_1d(np.asarray(value_of(part, name, self.clock, self.scope), dtype=float))
        if len(values) == 1 or not np.ptp(values):
            put(float(values[0]))
            return
        for frame, value in zip(self.clock.frames, values, strict=True):
            put(float(value), float(frame))

    def _now(self, part: Frozen, name: str) -> float:
        return float(np.ravel(value_of(part, name, self.still, self.scope))[0])

    def _linear(self, color: Color) -> list[float]:
        """A colour in linear light."""
        return [float(c) for c in linear([self._now(color, name) for name in "rgb"])]
