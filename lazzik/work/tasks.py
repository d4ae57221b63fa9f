"""What workers do. Each task gets plain values, where the scene is that it works on, and a Progress."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache
from pathlib import Path

from lazzik.core.bake.again import Redone, bake_again
from lazzik.core.bake.baking import BakePlan, bake
from lazzik.core.bake.frames import bake_frames
from lazzik.core.bake.targets import bake_shape
from lazzik.core.errors import InvalidEdit
from lazzik.core.evaluate.memo import Memo
from lazzik.core.evaluate.scope import Scope
from lazzik.core.formats import Format
from lazzik.core.formats.bring import Brought, bring, bring_curves
from lazzik.core.geometry.assets import add_keeper, forget_held, held_now
from lazzik.core.progress import Progress
from lazzik.core.scene.edits import Edit, applied
from lazzik.core.scene.edits.bakes import PlaceBake
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.targets import ShapeFrames, ShapeTargets
from lazzik.core.scene.text import read_scene
from lazzik.store.database import Database
from lazzik.store.scenes import SceneStore

MEMO = Memo()


@dataclass(frozen=True)
class Source:
    """Where a scene is: the folder of its database, its id, and a revision."""

    folder: Path
    scene: str
    revision: int

    def read(self) -> Scene:
        """The scene as it was then."""
        return store_in(self.folder).at(self.scene, self.revision)


@cache
def store_in(folder: Path) -> SceneStore:
    """The scenes of a folder, as this worker knows them."""
    store = SceneStore(Database(folder))
    add_keeper(store.asset)
    return store


def edited(source: Source, edits: list[Edit], progress: Progress) -> Scene:
    """The scene after edits."""
    return applied(source.read(), edits, progress)


def baked(source: Source, addresses: list[str], plan: BakePlan, progress: Progress) -> PlaceBake:
    """The edit that bakes numbers."""
    return bake(source.read(), addresses, plan, MEMO, progress)


def baked_again(source: Source, receipt: str, progress: Progress) -> list[Redone]:
    """What a receipt's channels would become."""
    return bake_again(source.read(), receipt, MEMO, progress)


def baked_shape(
    source: Source, node: str, first: int, last: int, tolerance: float | None, progress: Progress
) -> ShapeTargets | ShapeFrames:
    """An object's deformers over a range as targets within a tolerance, or without one as points per frame. What is
    heavy of it is stored."""
    scene = source.read()
    owner, scope = scene.by_id[node], Scope(scene, MEMO)
    try:
        if tolerance is None:
            made: ShapeTargets | ShapeFrames = bake_frames(scene, owner, first, last, scope, progress)
        else:
            made = bake_shape(scene, owner, first, last, tolerance, scope, progress)
        _store_held(source.folder)
        return made
    finally:
        forget_held()


def brought(source: Source, files: dict[str, Path], depth: float, progress: Progress) -> Brought:
    """The edit that brings files in. What is heavy of them is stored; of what is refused nothing stays."""
    try:
        made = bring(source.read(), {name: path.read_bytes() for name, path in files.items()}, depth=depth)
        progress.hear()
        _store_held(source.folder)
        return made
    finally:
        forget_held()


def brought_curves(
    source: Source, path: Path, at: str, fitted: bool, progress: Progress
) -> tuple[list[Edit], Sequence[str]]:
    """The edits that put the curves of a table on numbers."""
    try:
        text = path.read_text("utf-8-sig")
    except UnicodeDecodeError:
        raise InvalidEdit("The table is no text in UTF-8", "file") from None
    edits, notes = bring_curves(source.read(), text, at, fitted=fitted)
    progress.hear()
    return edits, notes


def opened(folder: Path, path: Path, label: str, progress: Progress) -> str:
    """Read a scene from a file and store it; its id."""
    try:
        scene = read_scene(path.read_bytes())
        progress.hear()
        return store_in(folder).create(scene, label).id
    finally:
        forget_held()


def delivered(source: Source, chosen: Format, path: Path, progress: Progress) -> tuple[str, tuple[str, ...]]:
    """Write the scene in a format to a file; what there is to say of it, in short and line by line."""
    written = chosen.deliver(source.read(), progress, MEMO)
    path.write_bytes(written.content)
    return written.summary, written.details


def snapshot(folder: Path, scene: str, number: int, progress: Progress) -> None:
    """Write the whole copy of a revision."""
    store_in(folder).write_snapshot(scene, number)
    progress.hear()


def _store_held(folder: Path) -> None:
    for content in held_now():
        store_in(folder).put_asset(content)
