"""glTF 2.0 as one binary file (Khronos, ISO/IEC 12113): geometry, hierarchy, lights, cameras and the animation.

Carried: objects and what sits under what, primitives as meshes, flat colours, lights (KHR_lights_punctual), cameras;
position, orientation and size over time within a stated tolerance at every quarter frame (tracks.py); by choice,
colour, glow, roughness, light and angle of view over time (KHR_animation_pointer), which readers without it leave as on
the first frame. Shapes that deformers or driven sizes move are carried as morph targets with animated weights, within
SHAPES_WITHIN. Copies of what is scattered are instances, as on the first frame; so many as are asked for are objects
that move. Not carried: layers and keys as such (the scene as JSON has them). What a file that was brought in holds
beyond that (textures, skins, extensions, extras, animations that nobody touched) is written out again as it was.
"""

from __future__ import annotations

import json
import struct
from base64 import b64encode
from collections.abc import Sequence
from typing import Annotated, ClassVar, Literal

from pydantic import Field

from lazzik.core.bake.fitted_surfaces import shaped_nodes
from lazzik.core.bake.real import MOST_REAL, with_objects
from lazzik.core.document import Finite, Quantity
from lazzik.core.evaluate.memo import Memo
from lazzik.core.evaluate.scope import Scope
from lazzik.core.formats.base import NOTHING, Format, Made, Written
from lazzik.core.formats.gltf_file import glb_of
from lazzik.core.progress import UNHEARD, Progress
from lazzik.core.scene.scene import Scene


class Gltf(Format):
    """The scene for engines, viewers and web pages."""

    name: ClassVar[str] = "gltf"
    title: ClassVar[str] = "glTF 2.0"
    standard: ClassVar[str] = "GLB, or glTF as text"
    ending: ClassVar[str] = "glb"
    media: ClassVar[str] = "model/gltf-binary"
    use: ClassVar[str] = (
        "For any program that reads the open standard: engines, viewers, web pages, other animation tools."
    )
    carries: ClassVar[str] = (
        "Geometry, hierarchy, lights and cameras; position, rotation and size within the tolerances below at every "
        "quarter frame, steps as steps; moving surfaces, cloth too, as shape targets with keyed weights, within a "
        "millimetre; what is scattered as instances (EXT_mesh_gpu_instancing), so many copies as are asked for as "
        "objects that move; colour, glow, light and angle of view over time, for readers that know "
        "KHR_animation_pointer: the others play the rest."
    )
    leaves: ClassVar[str] = "Layers and keys as such; hidden shapes; particles, unless they are made objects; swarms."

    form: Literal["glb", "gltf"] = "glb"
    looks: Literal["move", "stay"] = "move"
    """Whether colours, glow, lights and angles of view change over time."""
    place: Annotated[
        Finite, Quantity("mm", "How far a place may be off, at every quarter frame.", (0.01, 10), 0.01, low=1e-3)
    ] = 0.1
    turn: Annotated[Finite, Quantity("°", "How far an orientation may be off.", (0.01, 5), 0.01, low=1e-3)] = 0.05
    size: Annotated[Finite, Quantity("×", "How far a size may be off.", (1e-4, 0.1), 1e-4, low=1e-5)] = 0.001

    moving_copies: Annotated[
        int,
        Field(ge=0, le=MOST_REAL),
        Quantity(
            label="moving copies",
            help="So many copies of each scatter are objects that move; the others stand as on the first frame.",
        ),
    ] = 0

    def deliver(
        self, scene: Scene, progress: Progress = UNHEARD, memo: Memo | None = None, made: Made = NOTHING
    ) -> Written:
        """One binary file, or one of text with the arrays in it."""
        from lazzik.core.formats.gltf_merge import kept_file, merged
        from lazzik.core.formats.gltf_write import Writer

        tolerances = {"translation": self.place / 1000, "rotation": self.turn, "scale": self.size}
        memo = memo or Memo()
        scene = self._with_objects(scene, memo)
        file, keeps, forms = kept_file(scene)
        scope = Scope(scene, memo)
        writer = Writer(scene, scope, True, progress, keeps, forms, tolerances, self.looks == "move", made)
        content, blob = writer.write()
        if file is not None:
            ids = [node.id for node in scene.nodes]
            content, blob = merged(file, keeps, forms, ids, content, blob, writer.paints)
        glb = glb_of(content, blob)
        return Written(glb if self.form == "glb" else as_text(glb), writer.summary(), tuple(writer.report))

    def pieces(self, scene: Scene) -> list[str]:
        """Objects whose points may move."""
        return [node.id for node in shaped_nodes(self._with_objects(scene, None))]

    def make(self, scene: Scene, pieces: Sequence[str], progress: Progress, memo: Memo | None = None) -> Made:
        """The shapes and weights of some of them."""
        from lazzik.core.formats.gltf_write import shapes_of

        scene = self._with_objects(scene, memo)
        return shapes_of(scene, Scope(scene, memo or Memo()), progress, only=pieces)

    def _with_objects(self, scene: Scene, memo: Memo | None) -> Scene:
        return with_objects(scene, self.moving_copies, Scope(scene, memo or Memo()))


def write_glb(scene: Scene, *, animated: bool = True, memo: Memo | None = None, progress: Progress = UNHEARD) -> bytes:
    """The scene as the bytes of a .glb file; without its animation, objects are as on the first frame, and what is
    hidden is there where copies are drawn of it, told as unseen."""
    from lazzik.core.evaluate.variants import lent
    from lazzik.core.formats.gltf_write import Writer

    if animated:
        return Gltf().write(scene, progress, memo)
    return glb_of(*Writer(scene, Scope(scene, memo or Memo()), False, progress, lent=lent(scene)).write())


def as_text(glb: bytes) -> bytes:
    """A .glb as a .gltf of text alone: its buffer becomes a data address (RFC 2397)."""
    length = struct.unpack_from("<I", glb, 12)[0]
    content = json.loads(glb[20 : 20 + length])
    if content.get("buffers"):
        blob = glb[28 + length :][: content["buffers"][0]["byteLength"]]
        content["buffers"][0]["uri"] = "data:application/octet-stream;base64," + b64encode(blob).decode()
    return json.dumps(content, ensure_ascii=False, allow_nan=False).encode()
