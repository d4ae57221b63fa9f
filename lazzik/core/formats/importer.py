"""Bringing files in: whatever a person hands over becomes objects, or curves on numbers."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from lazzik.core.bake.baking import TOLERANCES
from lazzik.core.channel.keys import Key
from lazzik.core.errors import InvalidAsset, InvalidEdit
from lazzik.core.fitting.fitting import fit
from lazzik.core.fitting.minimax import PER_FRAME
from lazzik.core.formats.csv_curves import read_csv
from lazzik.core.geometry.assets import AssetStore, pack_mesh, pack_weights
from lazzik.core.geometry.imported import ENDINGS, MeshShape
from lazzik.core.scene.address import exists, find_at
from lazzik.core.scene.edits.base import Edit, free_slug
from lazzik.core.scene.edits.keys import PasteKeys
from lazzik.core.scene.edits.objects import BringIn
from lazzik.core.scene.node import Look, Node
from lazzik.core.scene.scene import Scene
from lazzik.core.types import Samples

BROUGHT = (".glb", ".gltf", *ENDINGS, ".svg")
"""Endings of files that become objects."""


@dataclass(frozen=True)
class Import:
    """The edit that brings a file's objects in, and what to say of it."""

    edit: BringIn
    notes: tuple[str, ...] = ()


def import_files(scene: Scene, files: Mapping[str, bytes], *, depth: float = 0.0) -> Import:
    """What came as one file, or as a .gltf with the files beside it. What is heavy of it is put with the scene's
    assets.

    Raises InvalidAsset, saying what is wrong; nothing of what is refused stays."""
    aside = AssetStore()
    brought = _read(scene, files, depth, aside)
    scene.assets.put_all(aside)
    return brought


def _read(scene: Scene, files: Mapping[str, bytes], depth: float, assets: AssetStore) -> Import:
    main = [name for name in files if ending(name) in BROUGHT]
    if not main:
        raise InvalidAsset(f"'{next(iter(files), 'Nothing')[-60:]}' does not end in {', '.join(BROUGHT)}")
    if len(main) > 1:
        raise InvalidAsset(f"{len(main)} files came at once; bring them in one after the other")
    (name,) = main
    content, kind = files[name], ending(name)
    stem = name.rpartition("/")[2].rpartition(".")[0][:60] or "Object"
    if kind in (".glb", ".gltf"):
        beside = {other.rpartition("/")[2]: part for other, part in files.items() if other != name}
        try:
            from lazzik.core.formats.gltf_file import open_gltf
            from lazzik.core.formats.gltf_read import read_gltf

            read = read_gltf(open_gltf(content, name, beside), scene.fps, scene.first, assets)
        except InvalidAsset as error:
            raise InvalidAsset(f"'{name[-60:]}' can't be brought in: {error.message}") from None
        if not read.nodes:
            raise InvalidAsset(f"'{name[-60:]}' holds no objects")
        notes = [f"Kept in the file, and written out again with it: {', '.join(read.kept)}."] if read.kept else []
        if read.last > scene.last:
            notes.append(f"Its motion ends at frame {read.last:g}, after the scene's last.")
        if read.clips:
            names = ", ".join(clip.label for clip in read.clips[:6]) + (" …" if len(read.clips) > 6 else "")
            notes.append(f"Its other animations are clips, kept beside the poses: {names}.")
        return Import(BringIn(label=stem, nodes=read.nodes, clips=read.clips), tuple(notes))
    if kind == ".svg":
        from lazzik.core.formats.svg_read import read_svg

        drawn, left_out = read_svg(content, name, depth, assets)
        return Import(BringIn(label=stem, nodes=drawn), left_out)
    from lazzik.core.geometry.mesh_read import read_mesh

    imported = read_mesh(content, name)
    painted = assets.put(pack_weights(imported.weights)) if imported.weights is not None else None
    shape = MeshShape(kind="mesh", asset=assets.put(pack_mesh(imported.mesh)), weights=painted)
    node = Node(id=free_slug(stem, set()), label=stem, shape=shape, look=Look())
    plain = kind == ".obj" and b"mtllib" in content
    return Import(BringIn(label=stem, nodes=(node,)), ("Left out: its materials.",) if plain else ())


def import_curves(scene: Scene, text: str, at: str = "", *, fitted: bool = False) -> tuple[list[Edit], tuple[str, ...]]:
    """The edits that put a table's curves on numbers as keys, and what to say of it.

    A column goes to the number of the same address; a single other one to the number at `at`. Rows become keys with
    straight lines between them, or with `fitted` as few as a bake allows. Raises InvalidDocument, InvalidEdit.
    """
    table = read_csv(text)
    strangers = [name for name in table if not exists(scene, name)]
    edits: list[Edit] = []
    for name, (frames, values) in table.items():
        address = at if name in strangers and len(strangers) == 1 and at else name
        if name in strangers and address == name:
            continue
        unit = find_at(scene, address).quantity.unit
        keys = _keys(frames, values, scene.fps, TOLERANCES.get(unit, TOLERANCES[""]) if fitted else None)
        edits.append(PasteKeys(address=address, keys=keys, frame=keys[0].frame))
    if not edits:
        names = ", ".join(f"'{name[:40]}'" for name in strangers[:3])
        raise InvalidEdit(f"No column of the table has the address of a number of this scene; there are {names}")
    left = strangers if len(strangers) > 1 or not at else []
    return edits, (f"Left out, since the scene has no such numbers: {', '.join(left[:6])}.",) if left else ()


def _keys(frames: Samples, values: Samples, fps: float, tolerance: float | None) -> tuple[Key, ...]:
    rows = zip(frames.tolist(), values.tolist(), strict=True)
    if tolerance is None or len(frames) < 2:
        return tuple(Key(frame=frame, value=value, go="linear") for frame, value in rows)
    count = max(2, round((frames[-1] - frames[0]) * PER_FRAME) + 1)
    fine = frames[0] + np.arange(count) / PER_FRAME
    return fit(np.interp(fine, frames, values), float(frames[0]), fps, tolerance)


def ending(name: str) -> str:
    """A file's ending, small, with its dot."""
    return name[name.rfind(".") :].lower() if "." in name else ""
