"""Runs of particles as files: a table of rows, arrays, or OpenUSD's points over time."""

from __future__ import annotations

import csv
import io
from collections.abc import Callable, Iterable, Iterator, Sequence
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import IO, Any, NamedTuple

import numpy as np

from lazzik.core.cache import Shelf
from lazzik.core.errors import InvalidEdit
from lazzik.core.formats.colors import linear
from lazzik.core.progress import UNHEARD, Progress
from lazzik.core.scene.edits.emitters import emitter_of
from lazzik.core.scene.scene import Scene
from lazzik.core.simulate.looks import colors_of, sizes_of
from lazzik.core.simulate.particles import Moment, Particles
from lazzik.core.simulate.playback import Playback
from lazzik.core.simulate.run import KeptFrames, packed, unpacked
from lazzik.core.types import Samples

MOST_VALUES = 200_000_000
"""Numbers of a file of arrays, which is held whole."""


class Emitted(NamedTuple):
    """The particles of one emitter at one frame."""

    slug: str
    run: Particles
    frame: int
    """Of the scene."""
    moment: Moment


def emitters_in(scene: Scene, only: Sequence[str] = ()) -> list[str]:
    """The objects that send out particles: those that are named, or all that are shown.

    Raises
    ------
    UnknownAddress
        If there is no such object.
    InvalidEdit
        If one that is named sends out nothing, or nothing in the scene does.
    """
    found = [emitter_of(scene, slug)[0].id for slug in only] or [n.id for n in scene.nodes if n.emitter and n.visible]
    if not found:
        raise InvalidEdit("Nothing in this scene sends out particles", "only")
    return found


def emitted(
    scene: Scene,
    slugs: Sequence[str],
    first: int,
    last: int,
    progress: Progress = UNHEARD,
    shelf: Shelf[KeptFrames] | None = None,
) -> Iterator[Emitted]:
    """The particles of emitters, one after the other, at every frame from one to another: those of the runs that are
    kept on a shelf, or worked out. Raises Stopped, and InvalidEdit where a locked run is not there."""
    frames = np.arange(first, last + 1, dtype=float)
    for place, slug in enumerate(slugs):
        part = progress.part(place / len(slugs), (place + 1) / len(slugs))
        run, label = Particles(scene, slug), scene.called[slug]
        for frame, moment in zip(range(first, last + 1), _moments(scene, run, frames, shelf, part), strict=True):
            part.report((frame - first + 1) / (last - first + 1), f"{label}, frame {frame}")
            yield Emitted(slug, run, frame, moment)


def _moments(
    scene: Scene, run: Particles, frames: Samples, shelf: Shelf[KeptFrames] | None, progress: Progress
) -> Iterator[Moment]:
    """At the scene's frames. A run that is played as it is worked out goes by without being kept."""
    plain = run.emitter.tempo == 1.0 and run.emitter.locked is None
    if shelf is None and plain:
        yield from (moment for moment, _ in run.frames(int(frames[0]), int(frames[-1]), progress=progress))
        return
    with TemporaryDirectory() as folder:
        yield from Playback(scene, run.node.id, shelf or FolderShelf(Path(folder))).moments(frames, progress)


class FolderShelf:
    """Stretches of a run in a folder, for as long as it is needed."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder

    def read(self, key: str, place: int) -> KeptFrames | None:
        """A stretch; None if it is not there."""
        path = self.folder / f"{place}"
        return unpacked(path.read_bytes()) if path.exists() else None

    def put(self, key: str, place: int, part: KeptFrames) -> None:
        """Keep a stretch."""
        (self.folder / f"{place}").write_bytes(packed(part))


def write_table(rows: Iterable[Emitted], out: IO[str]) -> None:
    """frame, object, particle, x, y, z: a row for each particle of each frame, written as they come."""
    writer = csv.writer(out)
    writer.writerow(["frame", "object", "particle", "x", "y", "z"])
    for slug, _, frame, moment in rows:
        for particle, place in zip(moment.ids.tolist(), moment.places.tolist(), strict=True):
            writer.writerow([frame, slug, particle, *map(repr, place)])


def write_arrays(scene: Scene, rows: Iterable[Emitted]) -> bytes:
    """A .npz file. Of each object: its frames, where those begin in the rows (`starts`, one more than frames), and of
    every row the particle's number, place and speed (metres, metres per second), age and life (seconds), size (metres).

    Raises
    ------
    InvalidEdit
        Where that would be more than can be held.
    """
    columns: dict[str, dict[str, list[Any]]] = {}
    count = 0
    for slug, run, frame, moment in rows:
        count += 11 * len(moment)
        if count > MOST_VALUES:
            raise InvalidEdit(
                f"By frame {frame} there are more numbers than a file of arrays may hold: choose fewer frames,"
                " or a table (.csv)", "frames",
            )  # fmt: skip
        mine = columns.setdefault(slug, {name: [] for name in ("frames", "starts", *ROWS)})
        mine["frames"].append(frame)
        mine["starts"].append(len(moment))
        sizes = sizes_of(scene, slug, run.emitter, run.seed, moment)
        values = (moment.ids, moment.places, moment.speeds, moment.ages, moment.lives, sizes)
        for name, each in zip(ROWS, values, strict=True):
            mine[name].append(each if name == "particles" else each.astype(np.float32))
    out = io.BytesIO()
    arrays: dict[str, Any] = {}
    for slug, mine in columns.items():
        arrays[f"{slug}.frames"] = np.array(mine["frames"])
        arrays[f"{slug}.starts"] = np.concatenate([[0], np.cumsum(mine["starts"])])
        arrays |= {f"{slug}.{name}": np.concatenate(mine[name]) for name in ROWS}
    np.savez_compressed(out, **arrays)
    return out.getvalue()


ROWS = ("particles", "places", "speeds", "ages", "lives", "sizes")
"""What an array has of each particle."""


def define_points(stage: Any, path: str, scene: Scene, rows: Iterable[Emitted]) -> None:
    """Points of OpenUSD, in the scene's space: places, speeds, widths, numbers and colours at every frame."""
    from pxr import UsdGeom, Vt

    points = UsdGeom.Points.Define(stage, path)
    colors = points.CreateDisplayColorPrimvar(UsdGeom.Tokens.vertex)
    solid = points.CreateDisplayOpacityPrimvar(UsdGeom.Tokens.vertex)
    for slug, run, frame, moment in rows:
        when = float(frame)
        array = Vt.Vec3fArray.FromNumpy(moment.places.astype(np.float32))
        looks = colors_of(run.emitter, moment)
        points.CreatePointsAttr().Set(array, when)
        points.CreateVelocitiesAttr().Set(Vt.Vec3fArray.FromNumpy(moment.speeds.astype(np.float32)), when)
        points.CreateIdsAttr().Set(Vt.Int64Array.FromNumpy(moment.ids.astype(np.int64)), when)
        widths = sizes_of(scene, slug, run.emitter, run.seed, moment).astype(np.float32)
        points.CreateWidthsAttr().Set(Vt.FloatArray.FromNumpy(widths), when)
        shown = np.ascontiguousarray(linear(looks[:, :3]), dtype=np.float32).reshape(-1, 3)
        colors.Set(Vt.Vec3fArray.FromNumpy(shown), when)
        solid.Set(Vt.FloatArray.FromNumpy(np.ascontiguousarray(looks[:, 3], dtype=np.float32)), when)
        points.CreateExtentAttr().Set(UsdGeom.PointBased.ComputeExtent(array) if len(moment) else NOWHERE, when)


NOWHERE = [(0.0, 0.0, 0.0), (0.0, 0.0, 0.0)]


def write_points(scene: Scene, slugs: Sequence[str], first: int, last: int, path: Path, progress: Progress) -> None:
    """A file of OpenUSD with the particles alone."""
    from pxr import Usd, UsdGeom

    stage: Any = Usd.Stage.CreateNew(str(path))
    UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.y)
    UsdGeom.SetStageMetersPerUnit(stage, 1.0)
    stage.SetTimeCodesPerSecond(scene.fps)
    stage.SetFramesPerSecond(scene.fps)
    stage.SetStartTimeCode(first)
    stage.SetEndTimeCode(last)
    top = UsdGeom.Xform.Define(stage, "/World")
    stage.SetDefaultPrim(top.GetPrim())
    for place, slug in enumerate(slugs):
        part = progress.part(place / len(slugs), (place + 1) / len(slugs))
        define_points(stage, f"/World/{prim_name(slug)}", scene, emitted(scene, [slug], first, last, part))
    stage.GetRootLayer().Save()


def prim_name(slug: str) -> str:
    """What an object is called in a file of OpenUSD."""
    name = slug.replace("-", "_")
    return f"n_{name}" if name[0].isdigit() else name


def _table(scene: Scene, slugs: Sequence[str], first: int, last: int, path: Path, progress: Progress) -> None:
    with path.open("w", newline="") as out:
        write_table(emitted(scene, slugs, first, last, progress), out)


def _arrays(scene: Scene, slugs: Sequence[str], first: int, last: int, path: Path, progress: Progress) -> None:
    path.write_bytes(write_arrays(scene, emitted(scene, slugs, first, last, progress)))


Write = Callable[[Scene, Sequence[str], int, int, Path, Progress], None]

BY_ENDING: dict[str, Write] = {".csv": _table, ".npz": _arrays, ".usdc": write_points, ".usda": write_points}


def write_run(
    scene: Scene, slugs: Sequence[str], first: int, last: int, path: Path, progress: Progress = UNHEARD
) -> None:
    """Work out particles and write them in the format that a file's name ends in; nothing is there before all is.

    Raises
    ------
    InvalidEdit
        If the ending is none of ours.
    Stopped
        If `progress` does; the file is not there then.
    """
    write = BY_ENDING.get(path.suffix)
    if write is None:
        endings = ", ".join(BY_ENDING)
        raise InvalidEdit(f"Particles are written as {endings}; '{path.name}' is none of these", "out")
    begun = path.with_name(f".{path.stem}.begun{path.suffix}")
    try:
        write(scene, slugs, first, last, begun, progress)
        begun.replace(path)
    finally:
        begun.unlink(missing_ok=True)
