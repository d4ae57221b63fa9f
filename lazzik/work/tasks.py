"""What workers do. Each task gets plain values, where the scene is that it works on, and a Progress.

The server only names these functions, so what they need is imported where they run.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import cache
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import TYPE_CHECKING, Any

from lazzik.core.progress import Progress
from lazzik.work.source import Draft, NamedSource, Readable, Source, store_in

if TYPE_CHECKING:
    from lazzik.core.bake.baking import BakePlan
    from lazzik.core.bake.rebake import Redone
    from lazzik.core.evaluate.memo import Memo
    from lazzik.core.formats.base import Format, Made, PieceName, Written
    from lazzik.core.formats.importer import Import
    from lazzik.core.formats.preview import Preview
    from lazzik.core.reading.together import Readings
    from lazzik.core.scene.change import SceneDifference
    from lazzik.core.scene.edits.bakes import PlaceBake
    from lazzik.core.scene.edits.base import Edit
    from lazzik.core.scene.morph_targets import ShapeFrames, ShapeTargets
    from lazzik.core.scene.scene import Scene
    from lazzik.core.scene.shelf_item import ShelfItem
    from lazzik.core.simulate.run import Stretches


@cache
def kept() -> Memo:
    """The motion that this worker has evaluated."""
    from lazzik.core.evaluate.memo import Memo

    return Memo()


def edited(source: Source, edits: list[Edit], progress: Progress) -> SceneDifference:
    """What edits make of a scene: no more of it than they change, since whoever takes it has the rest."""
    from lazzik.core.scene.change import difference
    from lazzik.core.scene.edits.base import applied

    before = source.read()
    return difference(before, applied(before, edits, progress))


def baked(source: Readable, addresses: Sequence[str], plan: BakePlan, progress: Progress) -> PlaceBake:
    """The edit that bakes numbers."""
    from lazzik.core.bake.baking import bake

    return bake(source.read(), list(addresses), plan, kept(), progress)


def baked_again(source: Readable, receipt: str, progress: Progress) -> list[Redone]:
    """What a receipt's channels would become."""
    from lazzik.core.bake.rebake import bake_again

    return bake_again(source.read(), receipt, kept(), progress)


def baked_shape(
    source: Source, node: str, first: int, last: int, tolerance: float | None, progress: Progress
) -> ShapeTargets | ShapeFrames:
    """An object's deformers over a range as targets within a tolerance, or without one as points per frame. What is
    heavy of it is stored."""
    from lazzik.store.runs import Runs

    kept().runs = Runs(source.folder)
    with store_in(source.folder).aside() as assets:
        return _baked_shape(source.read().with_assets(assets), node, first, last, tolerance, progress)


def sent_shape(
    source: Readable, node: str, first: int, last: int, tolerance: float | None, progress: Progress
) -> tuple[ShapeTargets | ShapeFrames, list[bytes]]:
    """The same, and what is heavy of it, for whoever sees none of our files."""
    from lazzik.core.geometry.assets import AssetStore

    scene = source.read()
    assets = AssetStore(scene.assets.get)
    made = _baked_shape(scene.with_assets(assets), node, first, last, tolerance, progress)
    return made, list(assets.own.values())


def _baked_shape(
    scene: Scene, node: str, first: int, last: int, tolerance: float | None, progress: Progress
) -> ShapeTargets | ShapeFrames:
    from lazzik.core.bake.morph_targets import bake_shape
    from lazzik.core.bake.vertex_cache import bake_frames
    from lazzik.core.evaluate.scope import Scope

    owner, scope = scene.by_id[node], Scope(scene, kept())
    if tolerance is None:
        return bake_frames(scene, owner, first, last, scope, progress)
    return bake_shape(scene, owner, first, last, tolerance, scope, progress)


def import_files(source: Source, files: dict[str, Path], depth: float, progress: Progress) -> Import:
    """The edit that brings files in. What is heavy of them is stored; of what is refused nothing stays."""
    from lazzik.core.formats.importer import import_files

    with store_in(source.folder).aside() as assets:
        scene = source.read().with_assets(assets)
        made = import_files(scene, {name: path.read_bytes() for name, path in files.items()}, depth=depth)
        progress.hear()
        return made


def previewed(source: Source, files: dict[str, Path], depth: float, progress: Progress) -> Preview:
    """What files would bring in; nothing of them is kept."""
    from lazzik.core.formats.preview import preview_files

    return preview_files(source.read(), {name: path.read_bytes() for name, path in files.items()}, depth, progress)


def brought_curves(
    source: Source, path: Path, at: str, fitted: bool, progress: Progress
) -> tuple[list[Edit], Sequence[str]]:
    """The edits that put the curves of a table on numbers."""
    from lazzik.core.errors import InvalidEdit
    from lazzik.core.formats.importer import import_curves

    try:
        text = path.read_text("utf-8-sig")
    except UnicodeDecodeError:
        raise InvalidEdit("The table is no text in UTF-8", "file") from None
    edits, notes = import_curves(source.read(), text, at, fitted=fitted)
    progress.hear()
    return edits, notes


def opened(folder: Path, path: Path, label: str, progress: Progress) -> str:
    """Read a scene from a file and store it; its id."""
    from lazzik.core.scene.serialize import read_scene

    scene = read_scene(path.read_bytes())
    progress.hear()
    return store_in(folder).create(scene, label).id


def pieces_of(source: Readable, chosen: Format, progress: Progress) -> list[PieceName]:
    """What of a file can be made by itself."""
    pieces = chosen.pieces(source.read())
    progress.hear()
    return pieces


def made_pieces(source: Readable, pieces: Sequence[PieceName], chosen: Format, progress: Progress) -> Made:
    """What some of them come to, while others make the others."""
    from lazzik.core.threads import alone

    _see_runs(source)
    with alone():
        return dict(chosen.make(source.read(), pieces, progress, kept()))


def delivered(
    source: Source, chosen: Format, path: Path, others: Sequence[NamedSource], made: Made, progress: Progress
) -> tuple[str, tuple[str, ...]]:
    """Write the scene in a format to a file, or several states of it that are named; what there is to say of it, in
    short and line by line. What was made of its pieces is not made again."""
    _see_runs(source)
    written = _delivered(source, chosen, others, made, progress)
    path.write_bytes(written.content)
    return written.summary, written.details


def sent_delivery(
    source: Readable, chosen: Format, others: Sequence[NamedSource], made: Made, progress: Progress
) -> tuple[bytes, str, tuple[str, ...]]:
    """The same, and the file's bytes, for whoever sees none of our files."""
    written = _delivered(source, chosen, others, made, progress)
    return written.content, written.summary, written.details


def _see_runs(source: Readable) -> None:
    """Find the runs that the scene's folder keeps."""
    if isinstance(source, Source):
        from lazzik.store.runs import Runs

        kept().runs = Runs(source.folder)


def _delivered(
    source: Readable, chosen: Format, others: Sequence[NamedSource], made: Made, progress: Progress
) -> Written:
    from lazzik.core.formats.base import NamedScene

    states = [NamedScene(other.source.read(), other.name, other.note, other.made) for other in others]
    if not states:
        scene = source.read()
        states = [NamedScene(scene, scene.name)]
    return chosen.deliver_all(states, progress, kept(), made)


def snapshot(folder: Path, scene: str, number: int, progress: Progress) -> bytes:
    """The whole copy of a revision, packed. Whoever asked stores it: a worker is less urgent than the server, and would
    hold the right to write for as long as the processor is wanted elsewhere."""
    progress.hear()
    return store_in(folder).snapshot(scene, number)


def sweep(folder: Path, progress: Progress) -> list[str]:
    """Remove what is heavy and no longer named."""
    progress.hear()
    return store_in(folder).sweep_assets()


def flown(source: Source, node: str, most: int, progress: Progress) -> list[Edit]:
    """The edits that make particles objects."""
    from lazzik.core.bake.flown import made_objects
    from lazzik.store.runs import Runs

    return made_objects(source.read(), node, most, Runs(source.folder), progress)


def simulated(source: Source | Draft, node: str, progress: Progress) -> int:
    """Work out what is not there yet of the run that is seen over the scene's range, and keep it stretch by stretch;
    how many stretches were. Goes on where an earlier one was stopped."""
    from lazzik.core.simulate.run import Stretches
    from lazzik.store.runs import Runs

    scene, runs = source.read(), Runs(source.folder)
    stretches = Stretches(scene, node, runs)
    runs.tell(stretches.key, source.scene, scene.called[node])
    _work_out(scene, node, stretches, progress)
    return stretches.made


def sent_run(source: Readable, node: str, progress: Progress) -> tuple[str, str, dict[int, bytes]]:
    """The whole run that is seen over the scene's range, for whoever sees none of our files: its key, what its object
    is called, and its stretches as bytes by place."""
    from lazzik.core.simulate.run import BytesStorage, Stretches

    scene, storage = source.read(), BytesStorage()
    stretches = Stretches(scene, node, storage)
    _work_out(scene, node, stretches, progress)
    return stretches.key, scene.called[node], {place: content for (_, place), content in storage.kept.items()}


def _work_out(scene: Scene, node: str, stretches: Stretches, progress: Progress) -> None:
    """Work out a run stretch by stretch."""
    from lazzik.core.simulate.playback import stretches_read
    from lazzik.core.simulate.run import STRETCH

    count = stretches_read(scene, node, scene.first, scene.last)
    for place in range(count):
        part = progress.part(place / count, (place + 1) / count)
        part.report(0.0, f"frame {scene.first + place * STRETCH}")
        stretches.at(place, part)


def shelf_pictured(item: ShelfItem, progress: Progress) -> bytes:
    """What an item of the shelf looks like."""
    from lazzik.core.formats.shelf_picture import shelf_picture

    return shelf_picture(item, progress)


def sent_back(
    task: Callable[..., list[str]], source: Readable, name: str, more: tuple[Any, ...], progress: Progress
) -> tuple[list[str], bytes]:
    """What a task writes to a file of this name, for whoever sees no file of ours: its lines, and the file's bytes."""
    with TemporaryDirectory(prefix="lazzik-") as folder:
        out = Path(folder) / name
        return task(source, out, *more, progress), out.read_bytes()


def table_read(
    path: Path, columns: list[str] | None, rate: float, most: int, progress: Progress
) -> tuple[Readings, tuple[str, ...]]:
    """What columns of a table are made of, the first `most` that move where none is asked for; and all its columns."""
    from lazzik.core.errors import InvalidDocument, InvalidEdit
    from lazzik.core.formats.csv_curves import read_csv
    from lazzik.core.reading.gaps import at_whole_frames
    from lazzik.core.reading.together import read_together

    try:
        table = read_csv(path.read_text("utf-8-sig"))
    except UnicodeDecodeError:
        raise InvalidDocument("This is no table: it is no text in UTF-8.") from None
    for name in columns or ():
        if name not in table:
            raise InvalidEdit(f"The table has no column '{name[:60]}'", "column")
    moving = [name for name, (_, values) in table.items() if values.min() != values.max()]
    chosen = columns or moving[:most] or list(table)[:1]
    progress.hear()
    return read_together({name: at_whole_frames(*table[name]) for name in chosen}, rate), tuple(table)


def numbers_read(source: Source, addresses: list[str], progress: Progress) -> Readings:
    """What the motion of numbers over their scene's range is made of."""
    from lazzik.core.evaluate.values import evaluate
    from lazzik.core.reading.together import read_together

    scene = source.read()
    progress.hear()
    return read_together(evaluate(scene, addresses, scene.clock(), kept()), scene.fps)


def shelf_read(path: Path, progress: Progress) -> tuple[ShelfItem, ...]:
    """The items of a file."""
    from lazzik.core.scene.shelf_file import read_shelf

    items = read_shelf(path.read_bytes())
    progress.hear()
    return items
